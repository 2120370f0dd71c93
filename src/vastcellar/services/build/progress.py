"""How far a build has come, and how long its steps took: the next estimate learns from it."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import replace
from datetime import datetime
from statistics import median
from typing import Any

from vastcellar.core.build.steps import Step
from vastcellar.core.errors import VastCellarError
from vastcellar.services.build.chosen import Chosen
from vastcellar.services.workplace.folders import Folders
from vastcellar.store.json_files import read_json, write_text_whole
from vastcellar.store.private_files import make_private_folder

_FILE = "builds.json"
_FORMAT = "vast-cellar/builds"
_MOST_BUILDS, _MOST_TIMES = 200, 9
_LEAST_TIMES = 2
_LEAST_MINUTES, _MOST_MINUTES = 0.05, 60.0
"""Quicker is a tick made afterwards, longer is a break."""


def build_key(chosen: Chosen) -> str:
    """Return what a build is known by. Another pad is still the same: what is done stays done."""
    key = f"{chosen.drive_key} in {chosen.enclosure_key}"
    return f"{key} in {chosen.dock_key}" if chosen.dock_key else key


def done_steps(chosen: Chosen, places: Folders) -> frozenset[str]:
    """Return the keys of the steps that are done; none where nothing was kept."""
    kept = _read(places)["builds"].get(build_key(chosen), [])
    return frozenset(str(step) for step in kept) if isinstance(kept, list) else frozenset()


def keep_step(
    chosen: Chosen,
    step_key: str,
    places: Folders,
    *,
    is_done: bool,
    minutes: float | None = None,
) -> None:
    """Keep that a step is done, or isn't any more, and how long it took where that is known.

    Raises BadFileError where it can't be kept.
    """
    content = _read(places)
    builds, times = content["builds"], content["times"]
    kept = builds.pop(build_key(chosen), [])
    done = dict.fromkeys(str(step) for step in kept) if isinstance(kept, list) else {}
    done.pop(step_key, None)
    if is_done:
        done[step_key] = None
    if done:
        builds[build_key(chosen)] = list(done)  # last: the one that was worked on
    if is_done and minutes is not None and _LEAST_MINUTES <= minutes <= _MOST_MINUTES:
        before = _numbers(times.get(step_key))
        times[step_key] = [*before, round(minutes, 3)][-_MOST_TIMES:]
    content["builds"] = dict(list(builds.items())[-_MOST_BUILDS:])
    _write(content, places)


def learned_steps(steps: Iterable[Step], places: Folders) -> tuple[Step, ...]:
    """Return *steps* with the time that one needs oneself, where it was taken twice at least."""
    times = _read(places)["times"]
    return tuple(
        replace(step, minutes=median(own))
        if len(own := _numbers(times.get(step.key))) >= _LEAST_TIMES
        else step
        for step in steps
    )


def started_clock(chosen: Chosen, step_key: str, places: Folders) -> datetime | None:
    """Return when the clock of a step ends, None where none was started."""
    kept = _read(places)["clocks"].get(f"{build_key(chosen)}: {step_key}")
    try:
        ends = datetime.fromisoformat(str(kept))
    except ValueError:
        return None
    return ends if ends.tzinfo is not None else None


def start_clock(chosen: Chosen, step_key: str, ends: datetime, places: Folders) -> None:
    """Keep when the clock of a step ends: it goes on while the window is closed.

    Raises BadFileError where it can't be kept.
    """
    content = _read(places)
    clocks = content["clocks"]
    clocks[f"{build_key(chosen)}: {step_key}"] = ends.isoformat()
    content["clocks"] = dict(list(clocks.items())[-_MOST_BUILDS:])
    _write(content, places)


def _write(content: dict[str, dict[str, Any]], places: Folders) -> None:
    make_private_folder(places.state)
    whole = {"format": _FORMAT, "version": 1, **content}
    write_text_whole(places.state / _FILE, json.dumps(whole, indent=1) + "\n")


def _numbers(kept: Any) -> list[float]:
    if not isinstance(kept, list):
        return []
    numbers = [float(each) for each in kept if isinstance(each, (int, float))]
    return [each for each in numbers if _LEAST_MINUTES <= each <= _MOST_MINUTES]


def _read(places: Folders) -> dict[str, dict[str, Any]]:
    """A file that is none of ours counts as empty: ticks are soon made again."""
    found: dict[str, dict[str, Any]] = {"builds": {}, "times": {}, "clocks": {}}
    path = places.state / _FILE
    if not path.exists():
        return found
    try:
        content = read_json(path)
    except VastCellarError:
        return found
    if isinstance(content, dict) and content.get("format") == _FORMAT:
        for name in found:
            part = content.get(name)
            found[name] = part if isinstance(part, dict) else {}
    return found
