"""The write profile over a take: fast cache, heat, throttle and free space, from event to event.

Between events all rates are constant, hence all powers too: cache fill and bytes are linear,
temperatures the closed form of ``heat``. So the run jumps from event to event and is sampled
for a plot afterwards.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.checks import require_above_zero
from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.parts import WriteBehaviour
from vastcellar.core.writing.drive_in_use import EDGE_BYTES, DriveInUse, EventKind, Interval
from vastcellar.core.writing.heat import HeatPath

FloatArray = NDArray[np.float64]

_MAX_EVENTS = 200_000


@dataclass(frozen=True, slots=True)
class Phase:
    """A stretch of constant load: so many bytes a second for so long. Infinite = flat out.

    A recorder doesn't wait: its phase ends with its time. A copy does: it has ``total_bytes``,
    and ends when they are written, however long that takes.
    """

    offered_bytes_per_s: float
    duration_s: float
    total_bytes: float = math.inf

    def __post_init__(self) -> None:
        if self.total_bytes == math.inf or self.duration_s != math.inf:
            require_above_zero("phase", duration_s=self.duration_s)
        if self.total_bytes != math.inf:
            require_above_zero("phase", total_bytes=self.total_bytes)
        if math.isnan(self.offered_bytes_per_s) or self.offered_bytes_per_s < 0:
            raise BadValueError(
                f"offered_bytes_per_s is {self.offered_bytes_per_s}",
                where="phase",
                mend="Give 0 or more; infinity writes flat out",
            )


@dataclass(frozen=True, slots=True)
class Event:
    """Something that happened at a moment, after so many bytes, at a drive temperature."""

    kind: EventKind
    at_s: float
    written_bytes: float
    drive_c: float


@dataclass(frozen=True, slots=True)
class WriteProfile:
    """The whole write profile: intervals without a gap, and the events between them."""

    intervals: tuple[Interval, ...]
    events: tuple[Event, ...]
    cache_bytes: float

    @property
    def duration_s(self) -> float:
        """Length of the run."""
        last = self.intervals[-1]
        return last.start_s + last.duration_s

    @property
    def written_bytes(self) -> float:
        """Bytes written by the end."""
        last = self.intervals[-1]
        return last.written_at_start_bytes + last.written_bytes_per_s * last.duration_s

    def written_after_s(self, written_bytes: float) -> float:
        """Return when so many bytes were written, infinite where they never were."""
        for interval in self.intervals:
            end_bytes = (
                interval.written_at_start_bytes + interval.written_bytes_per_s * interval.duration_s
            )
            if end_bytes >= written_bytes - EDGE_BYTES and interval.written_bytes_per_s > 0:
                into = written_bytes - interval.written_at_start_bytes
                return interval.start_s + max(into, 0.0) / interval.written_bytes_per_s
        return math.inf

    def first(self, kind: EventKind) -> Event | None:
        """Return the first event of *kind*, or None."""
        return next((event for event in self.events if event.kind is kind), None)

    @property
    def lowest_ability_bytes_per_s(self) -> float:
        """The least that the drive could take at any moment of the run."""
        return min(interval.ability_bytes_per_s for interval in self.intervals)

    @property
    def hottest_c(self) -> float:
        """The drive's highest temperature: at an end of an interval, or where it turns."""
        hottest = -math.inf
        for interval in self.intervals:
            moments = [0.0, interval.duration_s]
            turn_s = interval.course.turns_after_s()
            if turn_s < interval.duration_s:
                moments.append(turn_s)
            hottest = max(hottest, *(interval.course.drive_c(moment) for moment in moments))
        return hottest


@dataclass(frozen=True, slots=True)
class Samples:
    """A run at chosen moments; every array has shape (n,)."""

    elapsed_s: FloatArray
    written_bytes: FloatArray
    written_bytes_per_s: FloatArray
    ability_bytes_per_s: FloatArray
    cached_bytes: FloatArray
    drive_c: FloatArray
    case_c: FloatArray


def write_profile(
    behaviour: WriteBehaviour,
    path: HeatPath,
    link_cap_bytes_per_s: float,
    phases: tuple[Phase, ...],
    *,
    free_bytes: float,
    capacity_bytes: float | None = None,
    starts_at_ambient: bool = False,
) -> WriteProfile:
    """Return the write profile of a drive that starts at rest, cache empty.

    Args:
        behaviour: of the drive.
        path: its way of losing heat.
        link_cap_bytes_per_s: what reaches the drive at most.
        phases: what is offered, one after the other.
        free_bytes: room on the drive; once written, nothing more is delivered.
        capacity_bytes: of a hard disk, to place its zones; free_bytes where not given.
        starts_at_ambient: both nodes at room temperature instead of warm from idling.

    Raises:
        BadValueError: without a phase, or with a link or room that is not above 0.

    """
    if not phases:
        raise BadValueError(
            "there is nothing to write", where="run", mend="Give at least one phase"
        )
    drive = DriveInUse(
        behaviour,
        path,
        link_cap_bytes_per_s,
        free_bytes=free_bytes,
        capacity_bytes=capacity_bytes,
        starts_at_ambient=starts_at_ambient,
    )
    intervals: list[Interval] = []
    events: list[Event] = []
    for phase in phases:
        end_s = drive.at_s + phase.duration_s
        left_bytes = phase.total_bytes
        while end_s - drive.at_s > 1e-9 and left_bytes > EDGE_BYTES:
            interval = drive.interval(phase.offered_bytes_per_s)
            horizon_s = end_s - drive.at_s
            if interval.written_bytes_per_s > 0:
                horizon_s = min(horizon_s, left_bytes / interval.written_bytes_per_s)
            elif horizon_s == math.inf:
                break  # the drive is full: what is left of a copy never comes
            duration_s, kind = drive.event_within(interval, horizon_s)
            if duration_s > 0:
                intervals.append(replace(interval, duration_s=duration_s))
            drive.go_on(interval, duration_s, kind)
            left_bytes -= interval.written_bytes_per_s * duration_s
            if kind is not None:
                events.append(Event(kind, drive.at_s, drive.written_bytes, drive.drive_c))
            if len(events) > _MAX_EVENTS or len(intervals) > _MAX_EVENTS:
                raise BadValueError(
                    f"the drive changes its rate over {_MAX_EVENTS:,} times",
                    where="run",
                    mend="Check the throttle stages: T_on and T_off may lie too close",
                )
    return WriteProfile(tuple(intervals), tuple(events), drive.cache_bytes)


def sample(run: WriteProfile, elapsed_s: FloatArray) -> Samples:
    """Return *run* at the moments *elapsed_s*, shape (n,), all points of an interval at once."""
    intervals = run.intervals
    starts = np.array([interval.start_s for interval in intervals])
    index = np.clip(np.searchsorted(starts, elapsed_s, side="right") - 1, 0, len(intervals) - 1)

    def column(values: list[float]) -> FloatArray:
        picked: FloatArray = np.array(values, dtype=np.float64)[index]
        return picked

    after = elapsed_s - starts[index]
    written = column([i.written_bytes_per_s for i in intervals])
    fast = column([i.course.fast_per_s for i in intervals])
    slow = column([i.course.slow_per_s for i in intervals])
    coupling = column([i.course.coupling_per_s for i in intervals])
    fast_part = column([i.course.fast_part_k for i in intervals]) * np.exp(-fast * after)
    slow_part = column([i.course.slow_part_k for i in intervals]) * np.exp(-slow * after)
    return Samples(
        elapsed_s=elapsed_s,
        written_bytes=column([i.written_at_start_bytes for i in intervals]) + written * after,
        written_bytes_per_s=written,
        ability_bytes_per_s=column([i.ability_bytes_per_s for i in intervals]),
        cached_bytes=column([i.cached_at_start_bytes for i in intervals])
        + column([i.net_fill_bytes_per_s for i in intervals]) * after,
        drive_c=column([i.course.drive_steady_c for i in intervals]) + fast_part + slow_part,
        case_c=column([i.course.case_steady_c for i in intervals])
        + (1 - fast / coupling) * fast_part
        + (1 - slow / coupling) * slow_part,
    )
