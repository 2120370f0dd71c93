"""Kept runs as points of a unit's history: what each figure is, and what makes it comparable."""

from __future__ import annotations

import math
from collections.abc import Iterable
from datetime import UTC, datetime
from typing import Any

from vastcellar.core.cellar.likeness import RunPoint, RunSetting
from vastcellar.core.parts.units import Unit
from vastcellar.core.verdict.disturbed import disturbance
from vastcellar.services.workplace.run_records import (
    CLOCK_TOLERANCE,
    COPIED,
    FLAT_KINDS,
    RECORDER,
    TRACE,
    run_device,
)
from vastcellar.store.run_record import RunRecord


def history_points(records: Iterable[RunRecord], *, is_demo: bool) -> tuple[RunPoint, ...]:
    """Return the runs of one unit as points, oldest first.

    A run that was cut short says nothing of its rate. Outside a demo a rig's run is a rehearsal,
    and no part of any unit's history; nor is one that is dated ahead, which would be the newest.
    """
    latest = datetime.now(UTC) + CLOCK_TOLERANCE
    points = [
        _point(each)
        for each in records
        if (is_demo or not each.is_simulated) and each.measured_at <= latest
    ]
    return tuple(sorted(points, key=lambda each: (each.at, each.run_id)))


def is_of_unit(unit: Unit, run: RunRecord) -> bool:
    """Return whether a run under its tag is one of the module and device that the unit is now."""
    drive = run.conditions.get("drive_key")
    if drive and drive != unit.drive_key:
        return False
    device = run_device(run)
    return not (unit.device and device and unit.device.is_same_as(device) is False)


def _point(run: RunRecord) -> RunPoint:
    kept = run.conditions
    passed = _main_pass(run)
    return RunPoint(
        run_id=run.run_id,
        at=run.measured_at,
        setting=_setting(run),
        bytes_per_s=_rate(run, passed) if run.is_complete else None,
        slowest_bytes_per_s=_number(passed.get("slowest_second_bytes")),
        stall_s=_stall_s(run, passed),
        hottest_c=_number(passed.get("hottest_c")),
        room_c=_number(kept.get("ambient_c")),
        filled_share=_filled(kept),
        moved_bytes=_moved(run, passed),
        written_bytes=_number(kept.get("unit_written_bytes")),
        was_disturbed=_was_disturbed(kept),
    )


def _main_pass(run: RunRecord) -> dict[str, Any]:
    """Return the figures of the pass that the run is about."""
    name = "read" if run.kind == "read" else "write"
    found = run.figures.get(name)
    return found if isinstance(found, dict) else {}


def _rate(run: RunRecord, passed: dict[str, Any]) -> float | None:
    if run.kind in (*FLAT_KINDS, "offload", TRACE):
        rate = _number(passed.get("bytes_per_s"))
    elif run.kind == RECORDER:
        # The take sets its rate; what the drive could have done in its worst second is its own.
        rate = _number(run.figures.get("slowest_second_ability_bytes_per_s"))
    elif run.kind == COPIED:
        rate = _number(run.figures.get("bytes_per_s")) if run.figures.get("sets_pace") else None
    else:
        rate = None
    return rate if rate and rate > 0 else None


def _stall_s(run: RunRecord, passed: dict[str, Any]) -> float:
    if run.kind == RECORDER:
        return _number(run.figures.get("worst_delay_s")) or 0.0
    return _number(passed.get("longest_stall_s")) or 0.0


def _moved(run: RunRecord, passed: dict[str, Any]) -> float:
    if run.kind == COPIED:
        return 0.0  # cards are as large as they are: it is the rate that compares
    moved = passed.get("moved_bytes") or run.figures.get("written_bytes")
    return _number(moved) or 0.0


def _filled(kept: dict[str, Any]) -> float | None:
    capacity, free = _number(kept.get("capacity_bytes")), _number(kept.get("free_bytes"))
    return 1 - free / capacity if capacity and free is not None else None


def _was_disturbed(kept: dict[str, Any]) -> bool:
    return bool(
        disturbance(
            cpu_share=_number(kept.get("other_cpu_share")) or 0.0,
            other_tests=int(_number(kept.get("other_tests")) or 0),
            slept_s=_number(kept.get("slept_s")) or 0.0,
            stood_still_s=_number(kept.get("stood_still_s")) or 0.0,
            clock_set_s=_number(kept.get("clock_set_s")) or 0.0,
        )
    )


def _setting(run: RunRecord) -> RunSetting:
    kept = run.conditions

    def text(name: str) -> str:
        return str(kept.get(name) or "")

    return RunSetting(
        kind=run.kind,
        is_simulated=run.is_simulated,
        drive=text("drive_key"),
        enclosure=text("enclosure_key"),
        host=text("host_key"),
        port=text("port_key"),
        link_mode=text("mode_key") or text("usb_bits_per_s"),
        cable=text("cable_key"),
        file_system=text("file_system_key") or text("file_system"),
        encryption=text("encryption") or ("yes" if kept.get("is_encrypted") else ""),
        cooling=text("cooling"),
        write_mode=text("write_mode"),
        block=text("block_bytes"),
        depth=text("depth"),
    )


def _number(value: object) -> float | None:
    return float(value) if isinstance(value, (int, float)) and math.isfinite(value) else None
