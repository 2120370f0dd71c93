"""The demo's two invented years: runs of simulated rigs, and what happened to the units.

Days are counted back from the day of the demo's first start, so that it doesn't age.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import date, datetime, time, timedelta
from typing import TYPE_CHECKING, Any

from vastcellar.core.cellar.jobs import Booking, Job
from vastcellar.core.cellar.story import EventKind, UnitEvent
from vastcellar.core.parts.acceptance import Acceptance
from vastcellar.core.parts.units import Unit
from vastcellar.data import data_path
from vastcellar.store.json_files import read_json
from vastcellar.store.run_record import RunRecord

if TYPE_CHECKING:
    from vastcellar.store.cellar import Cellar

_BASELINE = 3
"""Runs that a unit was accepted by."""
_MORNING = time(9, 30)


def seed_history(cellar: Cellar, today: date, shoot_file: str) -> None:
    """Write the two years into a demo's new cellar. Raises CellarError."""
    # The database takes a third of a second to load.
    from vastcellar.store.jobs import book, save_job
    from vastcellar.store.kept_runs import keep_runs
    from vastcellar.store.unit_log import keep_events

    kept = read_json(data_path("demo", "history.json"))
    units = {unit.tag: unit for unit in cellar.units()}
    bought = {each["tag"]: each["days_ago"] for each in kept["events"] if each["kind"] == "bought"}
    keep_runs(cellar, (_run(each, today, units, bought) for each in kept["runs"]))
    keep_events(cellar, [_event(each, today) for each in kept["events"]])
    for tag, duty in kept["accepted"].items():
        _accept(cellar, units[tag], duty)
    for each in kept["jobs"]:
        first, last = (today + timedelta(days=each[name])
                       for name in ("first_in_days", "last_in_days"))  # fmt: skip
        file = shoot_file if each.get("is_demo_shoot") else ""
        save_job(cellar, Job(each["name"], first, last, file, each["note"]))
        is_over = last < today
        book(cellar, each["name"], [
            Booking(each["name"], tag, tuple(needs),
                    _moment(first, -1) if is_over else None, _moment(last, 1) if is_over else None)
            for tag, needs in each["units"].items()
        ])  # fmt: skip


def _moment(day: date, days_later: float = 0.0) -> datetime:
    return datetime.combine(day, _MORNING).astimezone() + timedelta(days=days_later)


def _run(
    kept: Mapping[str, Any], today: date, units: Mapping[str, Unit], bought: Mapping[str, float]
) -> tuple[RunRecord, str]:
    tag, days_ago = kept["tag"], kept["days_ago"]
    age = bought.get(tag, days_ago) or 1.0
    # It was written evenly over its years.
    written = units[tag].written_bytes * max(1 - days_ago / age, 0.0)
    record = RunRecord(
        unit_tag=tag, kind=kept["kind"], measured_at=_moment(today, -days_ago),
        is_simulated=True, is_complete=True,
        conditions={**kept["conditions"], "unit_written_bytes": written},
        figures=kept["figures"],
    )  # fmt: skip
    rows = "".join(f"{at},{size:.0f},{hot}\n" for at, size, hot in kept["trace"])
    return record, f"elapsed_s,written_bytes,temperature_c\n{rows}"


def _event(kept: Mapping[str, Any], today: date) -> UnitEvent:
    data = {
        name: (today - timedelta(days=value["days_ago"])).isoformat()
        if isinstance(value, dict) else value
        for name, value in kept["data"].items()
    }  # fmt: skip
    at = _moment(today, -kept["days_ago"])
    return UnitEvent(kept["tag"], at, EventKind(kept["kind"]), data, kept["note"])


def _accept(cellar: Cellar, unit: Unit, duty: str) -> None:
    runs = sorted(cellar.runs(unit.tag), key=lambda each: (each.measured_at, each.run_id))
    # Those in the case that it is in now: it was accepted anew when it moved.
    here = [
        each for each in runs if each.conditions.get("enclosure_key", "") == unit.enclosure_key
    ][:_BASELINE]
    if not here:
        return
    ids = tuple(each.run_id for each in here)
    decided = Acceptance(here[-1].measured_at.date(), duty, True, ids, ids)
    cellar.change_unit(unit, replace(unit, acceptance=decided))
