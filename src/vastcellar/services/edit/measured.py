"""What edit tests of a unit measured, rung by rung, and how far each stands for what is asked."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from vastcellar.core.edit.edit_load import EditLoad
from vastcellar.store.run_record import RunRecord

_LIKE_SHARE = 0.02
"""A stream that asks so much less than the one asked for still stands for it."""
_HEAVIER_SHARE = 0.10
"""One that asks so much more, too; what is late of a heavier one says nothing of a lighter."""


@dataclass(frozen=True, slots=True)
class MeasuredRung:
    """So many streams, played for real."""

    streams: int
    late_frames_per_minute: float
    measured_at: datetime
    is_simulated: bool
    run_id: int


def measured_rungs(
    records: Iterable[RunRecord], unit_tag: str, load: EditLoad
) -> tuple[MeasuredRung, ...]:
    """Return the rungs that complete edit tests of a unit stand for, the newest of each.

    A test does where its streams ask as much, as often, and were read no further ahead, and where
    no less was written beside.
    """
    if not unit_tag:
        return ()
    found: dict[int, MeasuredRung] = {}
    newest_first = sorted(records, key=lambda each: each.measured_at, reverse=True)
    for record in newest_first:
        if record.unit_tag != unit_tag or record.kind != "edit" or not record.is_complete:
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
            share = int(step["missed"]) / frames
            late = share * streams * load.stream.frames_per_s * 60
            yield MeasuredRung(
                streams, late, record.measured_at, record.is_simulated, record.run_id
            )
    except (KeyError, TypeError, ValueError):
        return  # kept by another version: it says nothing here


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
