"""The write profile over a take: fast cache, heat, throttle and free space, from event to event.

Between events all rates are constant, hence all powers too: cache fill and bytes are linear,
temperatures the closed form of ``heat``. So the run jumps from event to event and is sampled
for a plot afterwards.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.checks import require_above_zero, require_not_negative
from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.parts import WriteBehaviour
from vastcellar.core.writing.heat import Course, HeatPath
from vastcellar.core.writing.lasting_rate import HARD_DISK_ZONES, zone_write_bytes_per_s

FloatArray = NDArray[np.float64]

_MAX_EVENTS = 200_000
_EDGE_BYTES = 1.0  # closer to full or empty than this is full or empty


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


class EventKind(StrEnum):
    """What changes the rate, or could."""

    CACHE_FULL = "cache full"
    CACHE_EMPTY = "cache empty"
    THROTTLE = "throttle"
    RECOVER = "recover"
    DRIVE_FULL = "drive full"


@dataclass(frozen=True, slots=True)
class Event:
    """Something that happened at a moment, after so many bytes, at a drive temperature."""

    kind: EventKind
    at_s: float
    written_bytes: float
    drive_c: float


@dataclass(frozen=True, slots=True)
class Interval:
    """A stretch between two events; rates in bytes per second are constant within it."""

    start_s: float
    duration_s: float
    offered_bytes_per_s: float
    written_bytes_per_s: float
    ability_bytes_per_s: float
    """What the drive could take at this moment, whatever is offered."""
    written_at_start_bytes: float
    cached_at_start_bytes: float
    net_fill_bytes_per_s: float
    throttle_stage: int
    is_in_cache: bool
    course: Course


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
            if end_bytes >= written_bytes - _EDGE_BYTES and interval.written_bytes_per_s > 0:
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


def cache_capacity_bytes(behaviour: WriteBehaviour, free_bytes: float) -> float:
    """Return the fast cache of a drive with so much free: static part + share of the free bytes."""
    return behaviour.cache_static_bytes + behaviour.cache_share_of_free * free_bytes


def fold_while_writing_bytes_per_s(behaviour: WriteBehaviour, written_bytes_per_s: float) -> float:
    """Return how fast the cache is emptied while so much is written into it: g f (1 - r/r_c)."""
    share = 1 - written_bytes_per_s / behaviour.cache_write_bytes_per_s
    return behaviour.fold_while_writing * behaviour.fold_bytes_per_s * max(share, 0.0)


def balance_rate_bytes_per_s(behaviour: WriteBehaviour) -> float:
    """Return the rate below which the cache never fills: r* = g f r_c / (r_c + g f)."""
    folding = behaviour.fold_while_writing * behaviour.fold_bytes_per_s
    in_cache = behaviour.cache_write_bytes_per_s
    return folding * in_cache / (in_cache + folding)


class _State:
    """The four states that everything follows from, plus bytes and time."""

    def __init__(self, behaviour: WriteBehaviour, path: HeatPath) -> None:
        self.at_s = 0.0
        self.cached_bytes = 0.0
        self.written_bytes = 0.0
        self.stage = 0
        self.drive_c, self.case_c = path.idle_c(behaviour.idle_w)


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
    require_above_zero("run", link_cap_bytes_per_s=link_cap_bytes_per_s)
    require_not_negative("run", free_bytes=free_bytes)
    state = _State(behaviour, path)
    if starts_at_ambient:
        state.drive_c = state.case_c = path.ambient_c
    cache = cache_capacity_bytes(behaviour, free_bytes)
    whole = capacity_bytes or free_bytes
    intervals: list[Interval] = []
    events: list[Event] = []
    for phase in phases:
        end_s = state.at_s + phase.duration_s
        left_bytes = phase.total_bytes
        while end_s - state.at_s > 1e-9 and left_bytes > _EDGE_BYTES:
            interval = _next_interval(
                behaviour, path, link_cap_bytes_per_s, phase, state, cache, free_bytes, whole
            )
            horizon_s = end_s - state.at_s
            if interval.written_bytes_per_s > 0:
                horizon_s = min(horizon_s, left_bytes / interval.written_bytes_per_s)
            elif horizon_s == math.inf:
                break  # the drive is full: what is left of a copy never comes
            duration_s, kind = _next_event(
                behaviour, state, interval, cache, free_bytes, whole, horizon_s
            )
            if duration_s > 0:
                intervals.append(replace(interval, duration_s=duration_s))
            _advance(behaviour, state, interval, duration_s, kind, cache, free_bytes)
            left_bytes -= interval.written_bytes_per_s * duration_s
            if kind is not None:
                events.append(Event(kind, state.at_s, state.written_bytes, state.drive_c))
            if len(events) > _MAX_EVENTS or len(intervals) > _MAX_EVENTS:
                raise BadValueError(
                    f"the drive changes its rate over {_MAX_EVENTS:,} times",
                    where="run",
                    mend="Check the throttle stages: T_on and T_off may lie too close",
                )
    return WriteProfile(tuple(intervals), tuple(events), cache)


def _throttle_cap(behaviour: WriteBehaviour, stage: int) -> float:
    return behaviour.throttle[stage - 1].cap_bytes_per_s if stage else math.inf


def _next_interval(
    behaviour: WriteBehaviour,
    path: HeatPath,
    link_cap: float,
    phase: Phase,
    state: _State,
    cache: float,
    free: float,
    whole: float,
) -> Interval:
    """Return what goes on from this moment, its duration still open (0)."""
    offered = phase.offered_bytes_per_s
    cap = min(link_cap, _throttle_cap(behaviour, state.stage))
    ability = min(cap, behaviour.cache_write_bytes_per_s)
    written = min(offered, ability)
    in_cache = cache > 0
    folded = net = 0.0
    if in_cache:
        if offered > 0:
            folded = fold_while_writing_bytes_per_s(behaviour, written)
        elif state.cached_bytes > 0:
            folded = behaviour.fold_bytes_per_s
        net = written - folded
        if net < 0 and state.cached_bytes <= 0:
            folded, net = written, 0.0  # what comes in is folded as it comes
        elif net > 0 and state.cached_bytes >= cache:
            in_cache = False
    if not in_cache:
        folded = net = 0.0
        filled = (whole - free + state.written_bytes) / whole
        ability = min(cap, zone_write_bytes_per_s(behaviour, filled))
        written = min(offered, ability)
    if state.written_bytes >= free:
        ability = written = folded = 0.0
        net = min(net, 0.0)
    j_per_gb = behaviour.cache_j_per_gb if in_cache or cache <= 0 else behaviour.direct_j_per_gb
    watts = behaviour.idle_w + (j_per_gb * written + behaviour.fold_j_per_gb * folded) / 1e9
    return Interval(
        start_s=state.at_s,
        duration_s=0.0,
        offered_bytes_per_s=offered,
        written_bytes_per_s=written,
        ability_bytes_per_s=ability,
        written_at_start_bytes=state.written_bytes,
        cached_at_start_bytes=state.cached_bytes,
        net_fill_bytes_per_s=net,
        throttle_stage=state.stage,
        is_in_cache=in_cache,
        course=Course.start(path, watts, state.drive_c, state.case_c),
    )


def _next_event(
    behaviour: WriteBehaviour,
    state: _State,
    interval: Interval,
    cache: float,
    free: float,
    whole: float,
    horizon_s: float,
) -> tuple[float, EventKind | None]:
    """Return after how long the first event comes, and its kind; None ends phase or zone."""
    soonest_s: float = horizon_s
    kind: EventKind | None = None

    def offer(after_s: float, candidate: EventKind | None) -> None:
        nonlocal soonest_s, kind
        if after_s < soonest_s:
            soonest_s, kind = max(after_s, 0.0), candidate

    net, written = interval.net_fill_bytes_per_s, interval.written_bytes_per_s
    if net > 0:
        offer((cache - state.cached_bytes) / net, EventKind.CACHE_FULL)
    elif net < 0:
        offer(state.cached_bytes / -net, EventKind.CACHE_EMPTY)
    if written > 0:
        offer((free - state.written_bytes) / written, EventKind.DRIVE_FULL)
        if behaviour.inner_share < 1:
            zone_bytes = whole / HARD_DISK_ZONES
            into = (whole - free + state.written_bytes + _EDGE_BYTES) % zone_bytes
            to_next_zone = zone_bytes - into + _EDGE_BYTES
            # The last zone ends where the drive is full, and that event counts.
            if to_next_zone < free - state.written_bytes - 2 * _EDGE_BYTES:
                offer(to_next_zone / written, None)
    if state.stage < len(behaviour.throttle):
        on_c = behaviour.throttle[state.stage].on_c
        offer(interval.course.reaches_after_s(on_c, soonest_s, rising=True), EventKind.THROTTLE)
    if state.stage:
        off_c = behaviour.throttle[state.stage - 1].off_c
        offer(interval.course.reaches_after_s(off_c, soonest_s, rising=False), EventKind.RECOVER)
    return soonest_s, kind


def _advance(
    behaviour: WriteBehaviour,
    state: _State,
    interval: Interval,
    duration_s: float,
    kind: EventKind | None,
    cache: float,
    free: float,
) -> None:
    state.at_s += duration_s
    state.written_bytes += interval.written_bytes_per_s * duration_s
    state.cached_bytes += interval.net_fill_bytes_per_s * duration_s
    state.drive_c = interval.course.drive_c(duration_s)
    state.case_c = interval.course.case_c(duration_s)
    # Land on the edge itself: a remainder of a few bytes would bring the same event again.
    if kind is EventKind.CACHE_FULL:
        state.cached_bytes = cache
    elif kind is EventKind.CACHE_EMPTY:
        state.cached_bytes = 0.0
    elif kind is EventKind.DRIVE_FULL:
        state.written_bytes = free
    elif kind is EventKind.THROTTLE:
        state.stage += 1
    elif kind is EventKind.RECOVER:
        state.stage -= 1


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
