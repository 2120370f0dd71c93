"""Many write profiles at once: every lane jumps to its own next event, all lanes together.

The same model as ``write_profile``, for one load each, as arrays. Lanes that are done are dropped,
so a few that saw up and down for long don't hold up the rest.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.checks import require_above_zero
from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.parts import Case, WriteBehaviour
from vastcellar.core.writing.heat import HeatPath, decay_per_s
from vastcellar.core.writing.heat_columns import Courses, FloatArray, IntArray

BoolArray = NDArray[np.bool_]

_MOST_ROUNDS = 100_000


@dataclass(frozen=True, slots=True)
class Lane:
    """One combination: a drive that writes, its heat path, what reaches it, its room."""

    behaviour: WriteBehaviour
    path: HeatPath
    link_cap_bytes_per_s: float
    free_bytes: float


@dataclass(frozen=True)
class LaneResults:
    """What became of each lane; every array has shape (n,). Times are infinite for never."""

    written_bytes: FloatArray
    lowest_ability_bytes_per_s: FloatArray
    cache_full_at_s: FloatArray
    throttled_at_s: FloatArray
    drive_full_at_s: FloatArray
    hottest_c: FloatArray
    lowest_throttle_cap: FloatArray
    """Of the throttle stage at the lowest moment, infinite for none."""
    lowest_is_past_cache: BoolArray
    """Whether the drive has a cache and wrote past it at the lowest moment."""
    lost_bytes: FloatArray
    """Of a source of the offered rate behind its buffer, in the fluid limit."""
    first_loss_at_s: FloatArray


@dataclass(frozen=True)
class DriveColumns:
    """The behaviour of many drives, as arrays of shape (n,); throttle stages (n, stages, 3)."""

    in_cache_rate: FloatArray
    direct_rate: FloatArray
    cache_static: FloatArray
    cache_share: FloatArray
    fold: FloatArray
    fold_while: FloatArray
    idle_w: FloatArray
    cache_j: FloatArray
    direct_j: FloatArray
    fold_j: FloatArray
    heat_j_per_k: FloatArray
    throttle: FloatArray

    def take(self, rows: IntArray) -> DriveColumns:
        """Return the drives of *rows*, each as often as it stands there."""
        return DriveColumns(**{name: column[rows] for name, column in vars(self).items()})


@dataclass(frozen=True)
class CaseColumns:
    """What carries the heat of many drives to their room; arrays of shape (n,)."""

    case_j_per_k: FloatArray
    drive_to_case: FloatArray
    case_to_room: FloatArray
    bridge_w: FloatArray

    def take(self, rows: IntArray) -> CaseColumns:
        """Return the cases of *rows*, each as often as it stands there."""
        return CaseColumns(**{name: column[rows] for name, column in vars(self).items()})


def drive_columns(behaviours: Sequence[WriteBehaviour]) -> DriveColumns:
    """Return *behaviours* as columns. Raises BadValueError for a hard disk's zones."""
    if any(behaviour.inner_share < 1 for behaviour in behaviours):
        raise BadValueError(
            "a hard disk's zones can't run in lock-step", where="lanes", mend="Run it by itself"
        )
    deepest = max((len(b.throttle) for b in behaviours), default=0) + 1
    beyond = (np.inf, -np.inf, np.inf)  # a stage that is never reached
    stages = [
        [*((s.on_c, s.off_c, s.cap_bytes_per_s) for s in b.throttle), *[beyond] * deepest][:deepest]
        for b in behaviours
    ]

    def column(name: str, scale: float = 1.0) -> FloatArray:
        return np.array([getattr(b, name) for b in behaviours], dtype=np.float64) * scale

    return DriveColumns(
        in_cache_rate=column("cache_write_bytes_per_s"),
        direct_rate=column("direct_write_bytes_per_s"),
        cache_static=column("cache_static_bytes"),
        cache_share=column("cache_share_of_free"),
        fold=column("fold_bytes_per_s"),
        fold_while=column("fold_while_writing"),
        idle_w=column("idle_w"),
        cache_j=column("cache_j_per_gb", 1e-9),
        direct_j=column("direct_j_per_gb", 1e-9),
        fold_j=column("fold_j_per_gb", 1e-9),
        heat_j_per_k=column("heat_capacity_j_per_k"),
        throttle=np.array(stages, dtype=np.float64).reshape(len(behaviours), deepest, 3),
    )


def case_columns(cases: Sequence[Case]) -> CaseColumns:
    """Return *cases* as columns."""

    def column(name: str) -> FloatArray:
        return np.array([getattr(case, name) for case in cases], dtype=np.float64)

    return CaseColumns(
        case_j_per_k=column("heat_capacity_j_per_k"),
        drive_to_case=column("drive_to_case_k_per_w"),
        case_to_room=column("case_to_room_k_per_w"),
        bridge_w=column("bridge_w"),
    )


class _Lanes:
    """Parameters and states of the lanes that still run, as arrays."""

    def __init__(
        self,
        drive: DriveColumns,
        case: CaseColumns,
        ambient_c: FloatArray,
        link_cap: FloatArray,
        free: FloatArray,
        duration_s: FloatArray,
    ) -> None:
        count = link_cap.size
        self.duration_s = duration_s
        self.index = np.arange(count)
        self.link_cap, self.free = link_cap, free
        self.in_cache_rate, self.direct_rate = drive.in_cache_rate, drive.direct_rate
        self.cache = drive.cache_static + drive.cache_share * free
        self.fold, self.fold_while = drive.fold, drive.fold_while
        self.idle_w = drive.idle_w
        self.cache_j, self.direct_j, self.fold_j = drive.cache_j, drive.direct_j, drive.fold_j
        self.on_c, self.off_c = drive.throttle[:, :, 0], drive.throttle[:, :, 1]
        self.cap = drive.throttle[:, :, 2]
        self.ambient, self.bridge_w = ambient_c, case.bridge_w
        self.r12, self.r2a = case.drive_to_case, case.case_to_room
        self.coupling = 1 / (case.drive_to_case * drive.heat_j_per_k)
        self.fast, self.slow = decay_per_s(
            drive.heat_j_per_k, case.case_j_per_k, case.drive_to_case, case.case_to_room
        )
        self.at_s = np.zeros(count)
        self.cached = np.zeros(count)
        self.written = np.zeros(count)
        self.backlog = np.zeros(count)
        self.stage = np.zeros(count, dtype=np.int64)
        self.drive_c, self.case_c = self.steady_c(self.idle_w)

    def steady_c(self, watts: FloatArray) -> tuple[FloatArray, FloatArray]:
        case_c = self.ambient + self.r2a * (watts + self.bridge_w)
        return case_c + self.r12 * watts, case_c

    def keep(self, kept: BoolArray) -> None:
        """Drop the lanes that are done."""
        for name, value in vars(self).items():
            setattr(self, name, value[kept])


def run_lanes(
    lanes: Sequence[Lane],
    offered_bytes_per_s: float,
    duration_s: float,
    *,
    buffer_bytes: float = 0.0,
) -> LaneResults:
    """Return what becomes of every lane under one load, each starting at rest, its cache empty.

    Args:
        lanes: combinations; hard disks with zones belong to ``write_profile``.
        offered_bytes_per_s: the load; infinity writes flat out.
        duration_s: of the load.
        buffer_bytes: of the source, for what it loses.

    Raises:
        BadValueError: for a duration that is not above 0, or a lane with zones.

    """
    paths = [lane.path for lane in lanes]
    cases = [
        Case(p.case_j_per_k, p.drive_to_case_k_per_w, p.case_to_room_k_per_w, p.bridge_w)
        for p in paths
    ]
    return run_columns(
        drive_columns([lane.behaviour for lane in lanes]),
        case_columns(cases),
        np.array([path.ambient_c for path in paths], dtype=np.float64),
        np.array([lane.link_cap_bytes_per_s for lane in lanes], dtype=np.float64),
        np.array([lane.free_bytes for lane in lanes], dtype=np.float64),
        offered_bytes_per_s,
        duration_s,
        buffer_bytes=buffer_bytes,
    )


def run_columns(
    drive: DriveColumns,
    case: CaseColumns,
    ambient_c: FloatArray,
    link_cap_bytes_per_s: FloatArray,
    free_bytes: FloatArray,
    offered_bytes_per_s: float,
    duration_s: float | FloatArray,
    *,
    buffer_bytes: float = 0.0,
) -> LaneResults:
    """Return what ``run_lanes`` does, of lanes that stand in columns; all of shape (n,).

    The load may last as long for each as *duration_s* says, or for all alike.
    """
    durations_s = np.asarray(duration_s, dtype=np.float64)
    if durations_s.size:
        require_above_zero("lanes", duration_s=float(durations_s.min()))
    count = link_cap_bytes_per_s.size
    never = np.full(count, np.inf)
    out = LaneResults(
        written_bytes=np.zeros(count),
        lowest_ability_bytes_per_s=never.copy(),
        cache_full_at_s=never.copy(),
        throttled_at_s=never.copy(),
        drive_full_at_s=never.copy(),
        hottest_c=np.full(count, -np.inf),
        lowest_throttle_cap=never.copy(),
        lowest_is_past_cache=np.zeros(count, dtype=bool),
        lost_bytes=np.zeros(count),
        first_loss_at_s=never.copy(),
    )
    if not count:
        return out
    whole = np.broadcast_to(durations_s, (count,)).copy()
    state = _Lanes(drive, case, ambient_c, link_cap_bytes_per_s, free_bytes, whole)
    for _ in range(_MOST_ROUNDS):
        _step(state, out, offered_bytes_per_s, buffer_bytes)
        running = state.duration_s - state.at_s > 1e-9
        if not running.all():
            state.keep(running)
            if not state.index.size:
                return out
    raise BadValueError(
        f"a drive changes its rate over {_MOST_ROUNDS:,} times",
        where="lanes",
        mend="Check the throttle stages: T_on and T_off may lie too close",
    )


@dataclass(frozen=True)
class _Rates:
    """What goes on in every lane until its next event; bytes per second, and watts."""

    ability: FloatArray
    written: FloatArray
    net_fill: FloatArray
    watts: FloatArray
    throttle_cap: FloatArray
    is_past_cache: BoolArray


def _rates(s: _Lanes, offered: float) -> _Rates:
    """Return the rates at this moment, by the rules of ``write_profile``."""
    rows = np.arange(s.index.size)
    throttle_cap = np.where(s.stage > 0, s.cap[rows, np.maximum(s.stage - 1, 0)], np.inf)
    cap = np.minimum(s.link_cap, throttle_cap)
    ability = np.minimum(cap, s.in_cache_rate)
    written = np.minimum(offered, ability)
    if offered > 0:
        share = np.maximum(1 - written / s.in_cache_rate, 0.0)
        folded = s.fold_while * s.fold * share
    else:
        folded = np.where(s.cached > 0, s.fold, 0.0)
    net = written - folded
    is_folding_through = (net < 0) & (s.cached <= 0)
    folded = np.where(is_folding_through, written, folded)
    net = np.where(is_folding_through, 0.0, net)
    in_cache = (s.cache > 0) & ~((net > 0) & (s.cached >= s.cache))
    ability = np.where(in_cache, ability, np.minimum(cap, s.direct_rate))
    written = np.minimum(offered, ability)
    folded, net = np.where(in_cache, folded, 0.0), np.where(in_cache, net, 0.0)
    is_full = s.written >= s.free
    ability, written = np.where(is_full, 0.0, ability), np.where(is_full, 0.0, written)
    folded, net = np.where(is_full, 0.0, folded), np.where(is_full, np.minimum(net, 0.0), net)
    joule = np.where(in_cache | (s.cache <= 0), s.cache_j, s.direct_j)
    watts = s.idle_w + joule * written + s.fold_j * folded
    return _Rates(ability, written, net, watts, throttle_cap, (s.cache > 0) & ~in_cache)


_CACHE_FULL, _CACHE_EMPTY, _DRIVE_FULL, _THROTTLE, _RECOVER = range(1, 6)


def _next_events(s: _Lanes, now: _Rates, course: Courses) -> tuple[FloatArray, IntArray]:
    """Return after how long each lane's first event comes, and its kind; 0 is the end."""
    step = s.duration_s - s.at_s
    kind = np.zeros(step.size, dtype=np.int64)

    def offer(after: FloatArray, number: int) -> None:
        nonlocal step, kind
        sooner = after < step
        step = np.where(sooner, np.maximum(after, 0.0), step)
        kind = np.where(sooner, number, kind)

    net, written = now.net_fill, now.written
    with np.errstate(divide="ignore", invalid="ignore"):
        offer(np.where(net > 0, (s.cache - s.cached) / net, np.inf), _CACHE_FULL)
        offer(np.where(net < 0, s.cached / -net, np.inf), _CACHE_EMPTY)
        offer(np.where(written > 0, (s.free - s.written) / written, np.inf), _DRIVE_FULL)
    rows = np.arange(step.size)
    on_c = s.on_c[rows, np.minimum(s.stage, s.on_c.shape[1] - 1)]
    off_c = np.where(s.stage > 0, s.off_c[rows, np.maximum(s.stage - 1, 0)], -np.inf)
    offer(course.reaches_after_s(on_c, step, 1.0), _THROTTLE)
    offer(course.reaches_after_s(off_c, step, -1.0), _RECOVER)
    return step, kind


def _step(s: _Lanes, out: LaneResults, offered: float, buffer_bytes: float) -> None:
    """Move every lane to its next event."""
    now = _rates(s, offered)
    course = Courses(s, now.watts, s.drive_c, s.case_c)
    step, kind = _next_events(s, now, course)
    _record(s, out, now, offered, step, buffer_bytes)
    turn = np.minimum(course.turns_after_s(), step)
    for moment in (np.zeros_like(step), turn, step):
        out.hottest_c[s.index] = np.maximum(out.hottest_c[s.index], course.drive_c(moment))
    s.drive_c, s.case_c = course.drive_c(step), course.case_c(step)
    s.at_s = s.at_s + step
    s.written = np.where(kind == _DRIVE_FULL, s.free, s.written + now.written * step)
    cached = np.maximum(s.cached + now.net_fill * step, 0.0)
    cached = np.where(kind == _CACHE_EMPTY, 0.0, cached)
    s.cached = np.where(kind == _CACHE_FULL, s.cache, cached)
    s.stage = s.stage + (kind == _THROTTLE) - (kind == _RECOVER)
    out.written_bytes[s.index] = s.written
    for number, column in (
        (_CACHE_FULL, out.cache_full_at_s),
        (_DRIVE_FULL, out.drive_full_at_s),
        (_THROTTLE, out.throttled_at_s),
    ):
        hit = s.index[kind == number]
        column[hit] = np.minimum(column[hit], s.at_s[kind == number])


def _record(
    s: _Lanes,
    out: LaneResults,
    now: _Rates,
    offered: float,
    step: FloatArray,
    buffer_bytes: float,
) -> None:
    """Take down the lowest ability, and what a source behind its buffer loses (fluid limit)."""
    ability, low = now.ability, out.lowest_ability_bytes_per_s
    # Of equal lows the first counts, as in one profile.
    is_lower = (step > 0) & (ability < low[s.index])
    index = s.index[is_lower]
    low[index] = ability[is_lower]
    out.lowest_throttle_cap[index] = now.throttle_cap[is_lower]
    out.lowest_is_past_cache[index] = now.is_past_cache[is_lower]
    if not np.isfinite(offered):
        return
    growth = offered - ability
    with np.errstate(divide="ignore", invalid="ignore"):
        full_after = np.where(growth > 0, (buffer_bytes - s.backlog) / growth, np.inf)
    loses = full_after < step
    losing = s.index[loses]
    lost_s = (step - full_after)[loses]
    out.lost_bytes[losing] += growth[loses] * lost_s
    first = out.first_loss_at_s
    first[losing] = np.minimum(first[losing], (s.at_s + full_after)[loses])
    s.backlog = np.clip(s.backlog + growth * step, 0.0, buffer_bytes)
