"""Random drives in random cases, written flat out and logged as a real logger would.

Typical ranges of modules, enclosures, bridges and rooms; rates with noise, drives that swing
behind their cache, erratic samples, a host's memory in front, stamps that jitter, a sensor that
lags and knows whole degrees. Nothing is filtered for clear cases.
"""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass, replace

import numpy as np

from vastcellar.core.diagnosis.causes import Cause
from vastcellar.core.parts.parts import ThrottleStage, WriteBehaviour
from vastcellar.core.trace import Trace
from vastcellar.core.writing.heat import HeatPath
from vastcellar.core.writing.write_profile import (
    EventKind,
    Interval,
    Phase,
    WriteProfile,
    sample,
    write_profile,
)

# in cache MB/s, direct MB/s, static GB, share of free, fold MB/s, idle W, J/GB cache, J/GB direct
_DRIVES = {
    "tlc 2280": ((2500, 6500), (500, 2000), (4, 24), (0.03, 0.30), (200, 900), (0.4, 1.2),
                 (1.2, 2.6), (2.5, 5.0)),
    "tlc 2230": ((1500, 3500), (250, 700), (2, 12), (0.02, 0.15), (150, 400), (0.3, 0.7),
                 (1.3, 2.4), (2.5, 5.0)),
    "qlc": ((1800, 5000), (80, 350), (4, 12), (0.10, 0.24), (60, 250), (0.4, 1.0),
            (1.3, 2.8), (5.0, 12.0)),
    "sata": ((470, 530), (150, 450), (2, 24), (0.03, 0.20), (100, 300), (0.3, 0.6),
             (3.0, 5.0), (4.0, 8.0)),
}  # fmt: skip
# C1 J/K, C2 J/K, R12 K/W, R2a K/W
_CASES = {
    "plastic": ((8, 15), (25, 60), (4, 9), (9, 15)),
    "finned": ((10, 18), (70, 160), (2, 5), (4.5, 8)),
    "heatsink": ((12, 22), (250, 600), (1, 2.5), (2, 3.8)),
    "card shell": ((4, 8), (8, 25), (3, 8), (13, 26)),
}
# in use MB/s, bridge W
_LINKS = {
    "10G": ((900, 1060), (0.3, 1.0)),
    "20G": ((1850, 2100), (0.8, 1.8)),
    "40G": ((2300, 3800), (1.5, 3.0)),
}
_FREE_TB = (0.25, 4.0)
LINK_KNOWN_SHARE = 0.9
_ERRATIC_SHARE = 0.10
_HOST_CACHE_SHARE = 0.10
_SWINGING_SHARE = 0.4
_SWING_LOW, _SWING_HIGH = 0.6, 1.4
_HARD_DISK_SHARE = 0.05
_LEAST_FALL = 0.15
_SLIGHT_FALL = 0.07
_SEEN_FOR_S = 10.0
_NEAR_LINK, _NEARLY_THERE = 0.90, 0.96


@dataclass(frozen=True)
class Habits:
    """What real traces have and tidy ones don't."""

    starts_at_ambient: bool
    """Cold from the shelf: the idle heat warms it while it writes."""
    first_byte_s: float
    """The program opened files, the logger ran already."""
    length_share: float
    """Of the whole run: somebody stopped it."""
    slow_end_s: float
    """The last seconds, in which the host flushes and closes."""
    rough_start_s: float
    """The first seconds, in which the rate hasn't settled."""
    stated_link_share: float
    """Of what the link really carries: somebody named another one."""


@dataclass(frozen=True)
class Setup:
    """One drive in one case on one link in one room, with the habits of its sample and host."""

    behaviour: WriteBehaviour
    path: HeatPath
    link_cap_bytes_per_s: float
    free_bytes: float
    known_link_bytes_per_s: float | None
    is_erratic: bool
    host_cache_bytes: float
    host_rate_bytes_per_s: float
    swings: bool
    seed: int
    habits: Habits | None = None
    """How the run was made, where not from rest, whole and with the right link stated."""


@dataclass(frozen=True)
class LoggedRun:
    """A trace, and what really happened in it."""

    trace: Trace
    truth: frozenset[Cause]
    """What took 15 % of the rate or more."""
    slight: frozenset[Cause]
    """What took 7 to 15 %: it may be named, or called steady."""
    burst_bytes_per_s: float = math.nan
    """What it really wrote at first."""
    habits: Habits | None = None

    def grade(self, causes: frozenset[Cause]) -> str:
        """Return right, part, wrong or cannot tell, for what a diagnosis named."""
        if not causes:
            return "cannot tell"
        if not causes <= self.truth | self.slight:
            return "wrong"
        return "right" if self.truth <= causes else "part"


def draw_setup(random: np.random.Generator) -> Setup:
    """Return a setup from the typical ranges."""

    def between(low_high: tuple[float, float]) -> float:
        return float(random.uniform(*low_high))

    case = str(random.choice(list(_CASES)))
    kinds = ["tlc 2230"] if case == "card shell" else list(_DRIVES)
    kind = str(random.choice(kinds))
    (cache, direct, static, share, fold, idle, cache_j, direct_j) = (
        between(limits) for limits in _DRIVES[kind]
    )
    link_name = str(random.choice(list(_LINKS)))
    if kind == "sata":
        link_name = "10G"
    link, bridge_w = (between(limits) for limits in _LINKS[link_name])
    if case == "card shell":
        link, bridge_w = between((780, 1730)), between((0.3, 1.0))
    if kind == "sata":
        link = between((520, 560))
    c1, c2, r12, r2a = (between(limits) for limits in _CASES[case])
    full = min(link, cache) * 1e6
    on_c = between((68, 82))
    first = ThrottleStage(on_c, on_c - between((2, 9)), full * between((0.2, 0.7)))
    second_on_c = on_c + between((3, 8))
    second = ThrottleStage(
        second_on_c, second_on_c - between((2, 6)), first.cap_bytes_per_s * between((0.3, 0.7))
    )
    behaviour = WriteBehaviour(
        cache_write_bytes_per_s=cache * 1e6,
        direct_write_bytes_per_s=min(direct, 0.95 * cache) * 1e6,
        cache_static_bytes=static * 1e9,
        cache_share_of_free=share,
        fold_bytes_per_s=fold * 1e6,
        fold_while_writing=float(random.choice([0.0, between((0, 1)), 1.0])),
        idle_w=idle,
        cache_j_per_gb=cache_j,
        direct_j_per_gb=min(max(direct_j, 1.5 * cache_j), 5 * cache_j),
        heat_capacity_j_per_k=c1,
        throttle=(first, second) if random.random() < 0.5 else (first,),
    )
    if random.random() < _HARD_DISK_SHARE:
        outer = between((130, 280)) * 1e6
        behaviour = WriteBehaviour(outer, outer, inner_share=0.5, idle_w=3.0, cache_j_per_gb=4.0,
                                   heat_capacity_j_per_k=400.0)  # fmt: skip
    free = between(_FREE_TB) * 1e12
    is_hosted = random.random() < _HOST_CACHE_SHARE
    known = link * 1e6 * between((0.97, 1.03)) if random.random() < LINK_KNOWN_SHARE else None
    return Setup(
        behaviour=behaviour,
        path=HeatPath(c1, c2, r12, r2a, bridge_w, between((18, 38))),
        link_cap_bytes_per_s=link * 1e6,
        free_bytes=free,
        known_link_bytes_per_s=known,
        is_erratic=bool(random.random() < _ERRATIC_SHARE),
        host_cache_bytes=between((1.5, 24)) * 1e9 if is_hosted else 0.0,
        host_rate_bytes_per_s=between((2.5, 6)) * 1e9,
        swings=bool(random.random() < _SWINGING_SHARE),
        seed=int(random.integers(2**31)),
    )


def draw_fresh(random: np.random.Generator) -> Setup:
    """Return a setup as ``draw_setup`` does, whose runs are made as they come.

    Its drive folds with heat of its own, so that heat goes on after a fall.
    """
    setup = draw_setup(random)

    def some(share: float, low: float, high: float, other: float) -> float:
        return float(random.uniform(low, high)) if random.random() < share else other

    behaviour = replace(setup.behaviour, fold_j_per_gb=some(0.6, 0.3, 3.0, 0.0))
    habits = Habits(
        starts_at_ambient=bool(random.random() < 0.5),
        first_byte_s=some(0.4, 0.3, 6.0, 0.0),
        length_share=some(0.5, 0.04, 1.0, 1.0),
        slow_end_s=some(0.2, 2.0, 9.0, 0.0),
        rough_start_s=some(0.4, 1.0, 5.0, 0.0),
        stated_link_share=float(random.choice((0.5, 2.0))) if random.random() < 0.1 else 1.0,
    )
    known = setup.known_link_bytes_per_s
    stated = known * habits.stated_link_share if known else None
    return replace(setup, behaviour=behaviour, habits=habits, known_link_bytes_per_s=stated)


def with_fan(setup: Setup) -> Setup:
    """Return *setup* with a fan on its case: R2a to 40 %, R12 to 80 %; another day's noise."""
    path = setup.path
    cooled = replace(
        path,
        case_to_room_k_per_w=0.4 * path.case_to_room_k_per_w,
        drive_to_case_k_per_w=0.8 * path.drive_to_case_k_per_w,
    )
    return replace(setup, path=cooled, seed=setup.seed + 1)


def log_runs(setup: Setup, runs_s: tuple[float, ...], pause_s: float = 0.0) -> LoggedRun:
    """Write flat out so long, rest, and again; return the log of all and what happened in it."""
    random = np.random.default_rng(setup.seed)
    habits = setup.habits
    if habits is not None:
        runs_s = tuple(max(duration_s * habits.length_share, 30.0) for duration_s in runs_s)
    phases: list[Phase] = []
    for number, duration_s in enumerate(runs_s):
        if number:
            phases.append(Phase(0.0, pause_s))
        phases.append(Phase(math.inf, duration_s))
    run = write_profile(
        setup.behaviour,
        setup.path,
        setup.link_cap_bytes_per_s,
        tuple(phases),
        free_bytes=setup.free_bytes,
        capacity_bytes=setup.free_bytes,
        starts_at_ambient=habits is not None and habits.starts_at_ambient,
    )
    fine_s = np.arange(0.0, sum(phase.duration_s for phase in phases), 0.25)
    fine = sample(run, fine_s)
    rate = fine.written_bytes_per_s.copy()
    if setup.swings:
        rate = _swinging(setup, run, fine_s, rate, random)
    rate *= np.exp(random.normal(0, 0.06, rate.size))
    truth, slight = _truth(setup, run)
    begins = np.cumsum([0.0, *(phase.duration_s for phase in phases)])
    is_writing = np.zeros(rate.size, dtype=bool)
    for phase, begin in zip(phases, begins, strict=False):
        if phase.offered_bytes_per_s > 0:
            is_writing |= (fine_s >= begin) & (fine_s < begin + phase.duration_s)
    if setup.is_erratic:
        rate *= _erratic(fine_s, random)
    if habits is not None:
        rate *= _rough(habits, fine_s, random)
    written = np.concatenate([[0.0], np.cumsum(rate) * 0.25])[:-1]
    if setup.host_cache_bytes:
        written = _through_memory(setup, fine_s, written, begins[:-1:2])
    if habits is not None and habits.first_byte_s:
        late = int(habits.first_byte_s / 0.25)
        written = np.concatenate([np.zeros(late), written])
        celsius = np.concatenate([np.full(late, fine.drive_c[0]), fine.drive_c])
        fine_s = np.arange(written.size) * 0.25
    else:
        celsius = fine.drive_c
    if habits is not None and habits.stated_link_share > 1:
        slight = slight | {Cause.HEALTHY}  # whoever names a faster link can't be told otherwise
    return LoggedRun(
        _log(fine_s, written, celsius, random), truth, slight, _burst(run, setup), setup.habits
    )


def _burst(run: WriteProfile, setup: Setup) -> float:
    """Return the rate of the first seconds, nan where memory or its own habits hide it."""
    if setup.host_cache_bytes or setup.is_erratic or run.intervals[0].duration_s < _SEEN_FOR_S:
        return math.nan
    return run.intervals[0].written_bytes_per_s


def _rough(habits: Habits, fine_s: np.ndarray, random: np.random.Generator) -> np.ndarray:
    """Return the factor of a start that hasn't settled and an end that flushes."""
    factor = np.ones(fine_s.size)
    start = fine_s < habits.rough_start_s
    factor[start] = random.uniform(0.3, 1.15, int(start.sum()))
    factor[fine_s >= fine_s[-1] - habits.slow_end_s] *= float(random.uniform(0.1, 0.8))
    return factor


def _swinging(
    setup: Setup,
    run: WriteProfile,
    fine_s: np.ndarray,
    rate: np.ndarray,
    random: np.random.Generator,
) -> np.ndarray:
    """Behind the cache the drive does 0.6 and 1.4 of its rate in turn, every 2 to 6 seconds.

    Link and throttle cap what comes of it.
    """
    starts = np.array([interval.start_s for interval in run.intervals])
    index = np.clip(np.searchsorted(starts, fine_s, side="right") - 1, 0, None)
    is_behind = ~np.array([interval.is_in_cache for interval in run.intervals])[index]
    cap = np.array([_cap(setup, interval.throttle_stage) for interval in run.intervals])[index]
    factor = np.ones(fine_s.size)
    at, is_high = 0, True
    while at < fine_s.size:
        length = int(random.uniform(4, 12))  # quarter seconds: half a period
        factor[at : at + length] = _SWING_HIGH if is_high else _SWING_LOW
        at, is_high = at + length, not is_high
    swinging = np.minimum(cap, setup.behaviour.direct_write_bytes_per_s * factor)
    return np.where(is_behind & (rate > 0), swinging, rate)


def _erratic(fine_s: np.ndarray, random: np.random.Generator) -> np.ndarray:
    """Lows of different depth at random times from the start."""
    factor = np.ones(fine_s.size)
    at_s = random.exponential(40)
    while at_s < fine_s[-1]:
        length_s = random.uniform(2, 8)
        inside = (fine_s >= at_s) & (fine_s < at_s + length_s)
        factor[inside] = random.uniform(0.0, 0.7)
        at_s += length_s + random.exponential(60)
    return factor


def _through_memory(
    setup: Setup, fine_s: np.ndarray, written: np.ndarray, begins_s: np.ndarray
) -> np.ndarray:
    """The host takes a burst into memory first; bytes count when the program hands them over."""
    shown = written.copy()
    for begin_s in begins_s:
        inside = fine_s >= begin_s
        base = float(np.interp(begin_s, fine_s, written))
        ahead = (fine_s - begin_s) * setup.host_rate_bytes_per_s
        lead = np.minimum(np.maximum(base + ahead - written, 0), setup.host_cache_bytes)
        shown = np.where(inside, np.maximum(shown, written + lead), shown)
    return np.maximum.accumulate(shown)


def _log(
    fine_s: np.ndarray, written: np.ndarray, drive_c: np.ndarray, random: np.random.Generator
) -> Trace:
    steps = random.uniform(0.85, 1.15, int(fine_s[-1] * 1.2))
    steps[random.random(steps.size) < 0.01] = random.uniform(2, 5)  # the logger pauses
    stamps = np.concatenate([[0.0], np.cumsum(steps)])
    stamps = stamps[stamps < fine_s[-1]]
    chunk = float(random.choice([1.0, 1e6, 64e6]))
    logged = np.floor(np.interp(stamps, fine_s, written) / chunk) * chunk
    lag_s, every_s = random.uniform(1, 3), random.uniform(1, 5)
    polled = np.floor(stamps / every_s) * every_s
    celsius = np.round(np.interp(polled - lag_s, fine_s, drive_c))
    return Trace(stamps, logged, celsius)


def _cap(setup: Setup, stage: int) -> float:
    """Return what link and throttle let through."""
    throttle = setup.behaviour.throttle
    return min(setup.link_cap_bytes_per_s, throttle[stage - 1].cap_bytes_per_s if stage else 1e18)


def _mean_rate(setup: Setup, interval: Interval) -> float:
    """Return the rate of *interval*, with the swings behind the cache."""
    if interval.is_in_cache or not setup.swings:
        return interval.written_bytes_per_s
    cap, direct = _cap(setup, interval.throttle_stage), setup.behaviour.direct_write_bytes_per_s
    return (min(cap, _SWING_LOW * direct) + min(cap, _SWING_HIGH * direct)) / 2


def _truth(setup: Setup, run: WriteProfile) -> tuple[frozenset[Cause], frozenset[Cause]]:
    """What changed the delivered rate, for long enough to be seen at all; and what did slightly."""
    causes: set[Cause] = set()
    slight: set[Cause] = set()
    events = {event.at_s: event.kind for event in run.events}
    intervals = run.intervals
    for before, after in itertools.pairwise(intervals):
        # In a pause, or on a full drive, nothing can fall.
        if not (before.offered_bytes_per_s and after.offered_bytes_per_s) or not _mean_rate(
            setup, before
        ):
            continue
        kind = next((k for at, k in events.items() if abs(at - after.start_s) < 1e-6), None)
        if kind not in (EventKind.CACHE_FULL, EventKind.THROTTLE):
            continue
        cause = Cause.CACHE if kind is EventKind.CACHE_FULL else Cause.THERMAL
        fell = 1 - _mean_rate(setup, after) / _mean_rate(setup, before)
        lasted = after.duration_s >= _SEEN_FOR_S or after is not intervals[-1]
        if fell >= _LEAST_FALL and lasted:
            causes.add(cause)
        elif fell >= _SLIGHT_FALL:
            slight.add(cause)
    if setup.is_erratic:
        causes.add(Cause.INCONSISTENT)
    if setup.host_cache_bytes:
        causes.add(Cause.HOST_CACHE)
    full = min(setup.link_cap_bytes_per_s, setup.behaviour.cache_write_bytes_per_s)
    near = full / setup.link_cap_bytes_per_s
    if near >= _NEAR_LINK:
        slight.add(Cause.LINK)  # flat this near to the ceiling counts as the link
    if _NEAR_LINK <= near <= _NEARLY_THERE:
        slight.add(Cause.HEALTHY)  # by a per cent of noise or of what was stated it doesn't
    if not causes:
        at_link = run.intervals[0].written_bytes_per_s >= setup.link_cap_bytes_per_s * 0.999
        flat = Cause.LINK if at_link else Cause.HEALTHY
        if slight - {Cause.LINK, Cause.HEALTHY}:  # it may be called steady, at either rate
            slight |= {Cause.LINK, Cause.HEALTHY}
        else:
            causes.add(flat)
    return frozenset(causes), frozenset(slight)
