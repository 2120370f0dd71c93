"""How far a build has come: which steps are done, kept until it is finished or begun anew."""

from __future__ import annotations

import json
from typing import Any

from vastcellar.core.errors import VastCellarError
from vastcellar.services.build.building import Chosen
from vastcellar.services.workplace.folders import Folders
from vastcellar.store.json_files import read_json, write_text_whole

_FILE = "builds.json"
_FORMAT = "vast-cellar/builds"
_MOST_BUILDS = 200


def _key(chosen: Chosen) -> str:
    """Another pad is still the same build: what was done stays done."""
    return f"{chosen.drive_key} in {chosen.enclosure_key}"


def done_steps(chosen: Chosen, places: Folders) -> frozenset[str]:
    """Return the keys of the steps that are done; none where nothing was kept."""
    kept = _read(places).get(_key(chosen), [])
    return frozenset(str(step) for step in kept) if isinstance(kept, list) else frozenset()


def keep_step(chosen: Chosen, step_key: str, places: Folders, *, is_done: bool) -> None:
    """Keep that a step is done, or isn't any more. Raises BadFileError where it can't be kept."""
    builds = _read(places)
    done = dict.fromkeys(str(step) for step in builds.pop(_key(chosen), []))
    done.pop(step_key, None)
    if is_done:
        done[step_key] = None
    if done:
        builds[_key(chosen)] = list(done)  # last: the one that was worked on
    newest = dict(list(builds.items())[-_MOST_BUILDS:])
    places.state.mkdir(parents=True, exist_ok=True)
    content = {"format": _FORMAT, "version": 1, "builds": newest}
    write_text_whole(places.state / _FILE, json.dumps(content, indent=1) + "\n")


def _read(places: Folders) -> dict[str, Any]:
    """A file that is none of ours counts as empty: ticks are soon made again."""
    path = places.state / _FILE
    if not path.exists():
        return {}
    try:
        content = read_json(path)
    except VastCellarError:
        return {}
    builds = content.get("builds") if content.get("format") == _FORMAT else None
    return builds if isinstance(builds, dict) else {}
