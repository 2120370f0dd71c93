"""Runs as rows to read: every kind that the cellar keeps, and medians of those compared."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import UTC, datetime

from vastcellar.core.units import NumberFormat
from vastcellar.services.runs.diagnosing import CAUSE_WORDS
from vastcellar.services.runs.measured_runs import ComparedGroup
from vastcellar.services.workplace.run_records import (
    CLOCK_TOLERANCE,
    COPIED,
    FLAT_KINDS,
    RECORDER,
    TRACE,
)
from vastcellar.store.run_record import RunRecord

RUN_HEADERS = ("When", "What", "Written at", "Take or size", "Found", "Slowest second", "Run")
MEDIAN_HEADERS = (
    "Unit and test", "Runs", "Written at", "Spread", "Read back at", "Against the first",
)  # fmt: skip
_NOTHING = "–"


def run_rows(
    records: Iterable[RunRecord], unit_tag: str, fmt: NumberFormat, *, rig_word: str
) -> list[tuple[str, ...]]:
    """Return the runs of a unit in their order, one row each under ``RUN_HEADERS``.

    *rig_word* is what the workplace calls runs on a rig.
    """
    return [_row(each, fmt, rig_word) for each in records if each.unit_tag == unit_tag]


def _row(record: RunRecord, fmt: NumberFormat, rig_word: str) -> tuple[str, ...]:
    day = record.measured_at.astimezone()
    what = record.kind
    if name := record.figures.get("protocol"):
        what += f" ({name})"
    what += " of another program" if record.kind == TRACE else ""
    what += f", {rig_word}" if record.is_simulated else ""
    what += "" if record.is_complete else ", not finished"
    if source := record.conditions.get("imported_from"):
        doubt = record.conditions.get("imported_doubt")
        what += f", only stated by {source}: {doubt}" if doubt else f", imported from {source}"
    if record.measured_at > datetime.now(UTC) + CLOCK_TOLERANCE:
        what += ", dated ahead: it counts for nothing"
    return (
        f"{day.day} {day:%b %Y, %H:%M}",
        what,
        *_cells(record, fmt),
        fmt.number(record.run_id, 0),
    )


def _cells(record: RunRecord, fmt: NumberFormat) -> tuple[str, str, str, str]:
    figures = record.figures
    if record.kind == RECORDER:
        lost = figures["frames_dropped"]
        cameras = len(figures.get("cameras", ()))
        together = f", {cameras} cameras" if cameras > 1 else ""
        return (
            fmt.rate(figures["achieved_bytes_per_s"], 1),
            fmt.duration(figures["duration_s"] if record.is_complete else figures["elapsed_s"]),
            (f"{fmt.number(lost, 0)} frames dropped" if lost else "no frame dropped") + together,
            fmt.rate(figures["slowest_second_ability_bytes_per_s"]),
        )
    if record.kind in (*FLAT_KINDS, "offload", TRACE):
        write = figures["write"]
        return (
            fmt.rate(write["bytes_per_s"], 1),
            fmt.size(write["moved_bytes"]),
            _found(record),
            _NOTHING if (slowest := write["slowest_second_bytes"]) is None else fmt.rate(slowest),
        )
    if record.kind == COPIED:
        found = "sets the pace" if figures["sets_pace"] else "waits for others"
        if figures["different"]:
            found = f"{len(figures['different'])} files came back different"
        return (fmt.rate(figures["bytes_per_s"], 1), fmt.size(figures["written_bytes"]),
                f"{figures['card']}: {found}", _NOTHING)  # fmt: skip
    if record.kind == "edit":
        count = figures["most_streams"]
        streams = "1 stream" if count == 1 else f"{count} streams"
        return (_NOTHING, f"{figures['plan']['streams']} streams asked for",
                f"{streams} held", _NOTHING)  # fmt: skip
    if record.kind == "cut":
        late = figures["late_frames"]
        found = f"{fmt.number(late, 0)} frames late" if late else "no frame late"
        return (_NOTHING, fmt.duration(figures["duration_s"]),
                f"{figures['cut']}: {found}", _NOTHING)  # fmt: skip
    operations = figures.get("operations", ())
    first = operations[0] if operations else None
    found = f"{first['name']} {fmt.number(first['per_s'], 0)} a second" if first else _NOTHING
    return (_NOTHING, fmt.size(figures.get("written_bytes", 0)), found, _NOTHING)


def _found(record: RunRecord) -> str:
    figures = record.figures
    if record.kind == "offload":
        if figures["different"]:
            return f"{len(figures['different'])} clips came back different"
        return (
            f"the {figures['limit']} is the limit" if figures["limit"] != "both" else "both alike"
        )
    found = figures.get("diagnosis")
    if not found:
        return "too short to say"
    return ", ".join(CAUSE_WORDS[name] for name in found["causes"])


def median_rows(groups: Sequence[ComparedGroup], fmt: NumberFormat) -> list[tuple[str, ...]]:
    """Return one row a unit and test: median, spread, and whether it differs from the first."""
    return [
        (
            group.name,
            fmt.number(group.write.count, 0),
            fmt.rate(group.write.median, 1),
            fmt.percent(group.write.spread_share) if group.write.count > 1 else "one run",
            fmt.rate(group.read.median, 1) if group.read else _NOTHING,
            _against(index, group, fmt),
        )
        for index, group in enumerate(groups)
    ]


def _against(index: int, group: ComparedGroup, fmt: NumberFormat) -> str:
    if index == 0:
        return "the first"
    found = group.against_first
    if group.times_first is None:
        return "another kind of test"
    if found is None:
        # Two figures say what they say; whether it is the drives or chance, they don't.
        of, count = group.first_count, group.write.count
        runs = "one run each" if of == count == 1 else f"{count} beside {of}"
        return f"{fmt.number(group.times_first, 2)} x, {runs}: four of each would tell"
    low, high = (fmt.percent(share, signed=True) for share in (found.low, found.high))
    word = "real" if found.is_real else "not sure to be real"
    return f"{fmt.percent(found.share, signed=True)} ({low} to {high}), {word}"
