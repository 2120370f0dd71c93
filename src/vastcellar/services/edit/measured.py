"""What edit tests of a unit measured, rung by rung, and how far each stands for what is asked.

A cut that was played for real stands for that very part of that very cut, and for nothing else.
"""

from __future__ import annotations

import hashlib
import math
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from vastcellar.bench.cut_run import CutPlan, part_of
from vastcellar.core.edit.demand import Demand
from vastcellar.core.edit.edit_load import EditLoad
from vastcellar.core.errors import BadValueError
from vastcellar.store.run_record import RunRecord

_LIKE_SHARE = 0.02
"""A stream that asks so much less than the one asked for still stands for it."""
_HEAVIER_SHARE = 0.10
"""One that asks so much more, too; what is late of a heavier one says nothing of a lighter."""


CUT = "cut"
"""The kind of runs that play a cut."""


@dataclass(frozen=True, slots=True)
class MeasuredRung:
    """So many streams, played for real."""

    streams: int
    late_frames_per_minute: float
    measured_at: datetime
    is_simulated: bool
    run_id: int
    first_frame_s: tuple[float, float] | None = None
    """After a jump: half came within the first, 99 of 100 within the second; None for no jump."""
    scrub_frame_p99_s: float | None = None
    """Each frame while the playhead was dragged, 99 of 100; None where it wasn't."""


def measured_rungs(
    records: Iterable[RunRecord], unit_tag: str, load: EditLoad
) -> tuple[MeasuredRung, ...]:
    """Return the rungs that complete edit tests of a unit stand for, the newest of each.

    A test does where its streams ask as much, as often, and were read no further ahead, and where
    no less was written beside; and where no other computer played, whose link isn't this desk's.
    """
    if not unit_tag:
        return ()
    found: dict[int, MeasuredRung] = {}
    newest_first = sorted(records, key=lambda each: each.measured_at, reverse=True)
    for record in newest_first:
        if record.unit_tag != unit_tag or record.kind != "edit" or not record.is_complete:
            continue
        if record.figures.get("other_computers"):
            continue
        for rung in _rungs(record, load):
            found.setdefault(rung.streams, rung)
    return tuple(found[streams] for streams in sorted(found))


def _rungs(record: RunRecord, load: EditLoad) -> Iterable[MeasuredRung]:
    try:
        plan, steps = record.figures["plan"], record.figures["steps"]
        if not _stands_for(plan, load):
            return
        for step in steps:
            streams, frames = int(step["streams"]), int(step["frames"])
            if frames <= 0 or streams <= 0:
                continue
            # What was read ahead and ran out holds a stream for seconds only: in the long run that
            # share of the frames can't be in time.
            loss = float(step.get("read_ahead_loss_s_per_s", 0.0))
            share = max(int(step["missed"]) / frames, min(loss, 1.0))
            late = share * streams * load.stream.frames_per_s * 60
            jump, dragged = step.get("first_frame") or {}, step.get("scrub_frame") or {}
            half, most = _seconds(jump.get("p50_s")), _seconds(jump.get("p99_s"))
            yield MeasuredRung(
                streams,
                late,
                record.measured_at,
                record.is_simulated,
                record.run_id,
                (half, most) if half is not None and most is not None else None,
                _seconds(dragged.get("p99_s")),
            )
    except (KeyError, TypeError, ValueError):
        return  # kept by another version: it says nothing here


def _seconds(value: object) -> float | None:
    """Return a time as it was kept; None where there was nothing to measure."""
    is_time = isinstance(value, int | float) and math.isfinite(value) and value > 0
    return float(value) if is_time and isinstance(value, int | float) else None


def _stands_for(plan: dict[str, Any], load: EditLoad) -> bool:
    stream = load.stream
    rate, frames = float(plan["stream_bytes_per_s"]), float(plan["frames_per_s"])
    low, high = 1 - _LIKE_SHARE, 1 + _HEAVIER_SHARE
    is_like = stream.bytes_per_s * low <= rate <= stream.bytes_per_s * high
    is_as_often = abs(frames / stream.frames_per_s - 1) <= _LIKE_SHARE
    ahead_s = float(plan["read_ahead_frames"]) / frames
    is_no_easier = ahead_s <= stream.read_ahead_s * (1 + _LIKE_SHARE)
    writes = float(plan.get("render_bytes_per_s", 0.0)) >= load.written_beside_bytes_per_s * low
    return is_like and is_as_often and is_no_easier and writes


def is_of_this_place(record: RunRecord, *, is_network: bool) -> bool:
    """Return whether a run was made where such a store is: past memory, and as near to it.

    What was read out of the computer's memory is no store; a network lay between in both, or in
    neither. Conditions that were never noted are taken for what is usual.
    """
    made = record.conditions
    is_from_memory = made.get("is_in_memory", False) or not made.get("is_direct", True)
    return not is_from_memory and bool(made.get("is_over_network", False)) == is_network


@dataclass(frozen=True, slots=True)
class MeasuredCut:
    """A part of the cut, played for real."""

    from_s: float
    duration_s: float
    frames: int
    late_frames: int
    worst_second_s: float | None
    """In the whole cut; None where every frame was in time."""
    measured_at: datetime
    run_id: int


def clips_key(plan: CutPlan) -> str:
    """Return what a part of a cut is known again by: its clips, when each is read and how fast."""
    lines = sorted(
        f"{each.name}\t{plan.from_s + each.start_s:.2f}\t{plan.from_s + each.end_s:.2f}\t"
        f"{each.bytes_per_s / 1e3:.0f}\t{each.frames_per_s:.3f}"
        for each in plan.clips
    )
    return hashlib.sha256("\n".join(lines).encode()).hexdigest()


def measured_cut(
    records: Iterable[RunRecord], unit_tag: str, demand: Demand, load: EditLoad
) -> MeasuredCut | None:
    """Return the newest run of a unit that played a part of this very cut; None without one.

    It has to have read no further ahead than *load* does. A cut is played with nothing written
    beside it: where something is, only what came late all the same is said.
    """
    if not unit_tag:
        return None
    is_easier = load.written_beside_bytes_per_s > 0
    for record in sorted(records, key=lambda each: each.measured_at, reverse=True):
        if record.unit_tag != unit_tag or record.kind != CUT or not record.is_complete:
            continue
        found = _cut_of(record, demand, load.stream.read_ahead_s)
        if found is not None and (found.late_frames or not is_easier):
            return found
    return None


def _cut_of(record: RunRecord, demand: Demand, read_ahead_s: float) -> MeasuredCut | None:
    figures = record.figures
    try:
        from_s, duration_s = float(figures["from_s"]), float(figures["duration_s"])
        ahead_s = float(figures["read_ahead_s"])
        if ahead_s > read_ahead_s * (1 + _LIKE_SHARE):
            return None
        part = part_of("", demand.clips, from_s, duration_s, ahead_s)
        if clips_key(part) != figures["clips_key"]:
            return None
        worst = figures["worst_second_s"]
        return MeasuredCut(
            from_s, duration_s, int(figures["frames"]), int(figures["late_frames"]),
            None if worst is None else float(worst), record.measured_at, record.run_id,
        )  # fmt: skip
    except (BadValueError, KeyError, TypeError, ValueError):
        return None  # kept by another version, or of another cut: it says nothing here
