"""Cache or heat: what speaks against either at each lasting drop.

A cause is named only where the other is impossible. A peak of temperature at the drop proves
nothing, since power falls at a cliff too.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np

from vastcellar.core.diagnosis.causes import Reason, Why
from vastcellar.core.diagnosis.host_burst import HOST_BURST_S
from vastcellar.core.diagnosis.levels import Drop, RateLevels, apart
from vastcellar.core.said import said
from vastcellar.core.trace import Trace

COOL_C = 50.0
HOTTER_K = 3.5
COOLED_K = 11.0
SAME_DROP_APART_K = 4.5
SAME_BYTES = 0.08
OTHER_BYTES = 0.15
# 5 J a GB into a card's 4 J/K, or 2.8 J a GB into the 8 J/K of a longer module that alone is as
# fast, warm it by less than 20 K: from rest no drive throttles that soon.
_TOO_EARLY_BYTES = 12e9
_TOO_EARLY_FAST_BYTES = 30e9
_FAST_BYTES_PER_S = 1.8e9
# As fast as that the host's memory takes bytes, too: an early drop may be its end.
_MEMORY_BYTES_PER_S = 2.2e9
# No first throttle stage is known below a fifth of the full rate.
_BELOW_ANY_STAGE = 0.17
_HELD_LONG_S = 240.0
SAME_RATE = 0.12


@dataclass
class DropCase:
    """One lasting drop with what speaks against heat and against the cache."""

    run: int
    drop: Drop
    against_heat: list[Reason] = field(default_factory=list)
    against_cache: list[Reason] = field(default_factory=list)
    may_be_memory: bool = False
    """Whether the host's memory may have made it: then it is neither, whatever it looks like."""

    @property
    def is_heat(self) -> bool:
        """Whether only heat is left."""
        return bool(self.against_cache) and not self.against_heat

    @property
    def is_cache(self) -> bool:
        """Whether only the cache is left."""
        return bool(self.against_heat) and not self.against_cache


def weigh_drops(
    runs: tuple[Trace, ...],
    levels: tuple[RateLevels, ...],
    *,
    from_rest: bool,
    is_direct: bool,
) -> list[DropCase]:
    """Return every lasting drop of *runs* with what speaks against either cause.

    Args:
        runs: one after the other on the same drive.
        levels: of each run.
        from_rest: whether the first run began cool and idle.
        is_direct: whether the host's memory had no part in it for sure.

    """
    cases = [DropCase(number, drop) for number, found in enumerate(levels) for drop in found.drops]
    for case in cases:
        run = runs[case.run]
        found = levels[case.run]
        begin_s = float(run.elapsed_s[0])
        case.may_be_memory = (
            not is_direct
            and case.drop.at_s - begin_s <= HOST_BURST_S
            and case.drop.before_bytes_per_s >= _MEMORY_BYTES_PER_S
        )
        if case.may_be_memory:
            continue
        _weigh_temperature(case, run, runs, levels)
        later = [drop.at_s for drop in found.drops if drop.at_s > case.drop.at_s]
        end_s = min(later, default=run.duration_s)
        # A drop right at the start of the first run: too few bytes to have warmed anything.
        is_fast = case.drop.before_bytes_per_s > _FAST_BYTES_PER_S
        too_early = _TOO_EARLY_FAST_BYTES if is_fast else _TOO_EARLY_BYTES
        # Where the host's memory may have taken the first bytes, it may have made the drop, too.
        may_be_early = case.run == 0 and from_rest and is_direct
        is_early = may_be_early and case.drop.written_bytes < too_early
        if is_early and not case.drop.at_c >= COOL_C:
            case.against_heat.append(
                Reason(
                    Why.TOO_EARLY,
                    said("too few bytes", written_bytes=case.drop.written_bytes),
                )
            )
        if _swings_only_after(case.drop, run, found):
            case.against_heat.append(
                Reason(
                    Why.SWINGS,
                    said("swings after"),
                )
            )
        share = _share_at_once(case.drop, run, found)
        if share < _BELOW_ANY_STAGE and end_s - case.drop.at_s >= _HELD_LONG_S:
            case.against_heat.append(
                Reason(
                    Why.TOO_DEEP,
                    said("too deep", left_share=share, held_s=end_s - case.drop.at_s),
                )
            )
    _weigh_between_runs(cases, runs, levels)
    return cases


def _share_at_once(drop: Drop, run: Trace, found: RateLevels) -> float:
    """Return what was left of the rate in the minute after *drop*, before any later low.

    The mean of the level counts the lows of a sawtooth in, and would be too low.
    """
    begin_s = drop.at_s + 2.0
    later = [dip.start_s for dip in found.dips if dip.start_s > drop.at_s]
    end_s = min([begin_s + 60.0, drop.at_s + drop.held_s, *later])
    if end_s - begin_s < 20.0:
        return 1.0
    first, last = np.interp([begin_s, end_s], run.elapsed_s, run.written_bytes)
    return float((last - first) / (end_s - begin_s) / drop.before_bytes_per_s)


def _swings_only_after(drop: Drop, run: Trace, found: RateLevels) -> bool:
    """Return whether the rate went steadily until *drop* and swung every few seconds after it.

    A sawtooth that quick would need the chips to warm and cool by degrees within a second.
    """
    steps = np.diff(run.written_bytes)
    chunk = float(np.median(steps[steps > 0])) if np.any(steps > 0) else 0.0
    logged_s = float(np.median(np.diff(run.elapsed_s)))
    if logged_s <= 0 or _comes_in_chunks(run, chunk):
        return False
    middle_s = run.elapsed_s[0] + (np.arange(found.swings.size) + 0.5) * found.step_s
    before = found.swings[middle_s < drop.at_s - 14]
    end_s = drop.at_s + drop.held_s
    after = found.swings[(middle_s > drop.at_s + 14) & (middle_s < end_s - 14)]
    return bool(
        before.size >= 10 and after.size >= 20 and before.mean() < 0.1 and after.mean() > 0.6
    )


def _comes_in_chunks(run: Trace, step_bytes: float) -> bool:
    """Return whether the bytes are counted in lumps too large for seconds to be compared."""
    steps = np.diff(run.written_bytes)
    steps = steps[steps > 0]
    if steps.size < 10:
        return True
    lump = float(steps.min())
    is_multiple = np.abs(steps / lump - np.round(steps / lump)) < 0.02
    return bool(lump > 0.1 * step_bytes and is_multiple.mean() > 0.9)


def _weigh_temperature(
    case: DropCase, run: Trace, runs: tuple[Trace, ...], levels: tuple[RateLevels, ...]
) -> None:
    drop = case.drop
    if math.isnan(drop.at_c):
        return
    if drop.at_c < COOL_C:
        case.against_heat.append(Reason(Why.COOL, said("too cool", at_c=drop.at_c)))
    hottest = _hottest_at_rate(runs, levels, drop.before_bytes_per_s)
    if hottest >= drop.at_c + HOTTER_K:
        case.against_heat.append(
            Reason(
                Why.HOTTER_BEFORE,
                said("hotter before", hottest_c=hottest, at_c=drop.at_c),
            )
        )
    after = (run.elapsed_s > drop.at_s + 5) & (run.elapsed_s < drop.at_s + drop.held_s - 5)
    celsius = run.temperature_c[after]
    celsius = celsius[np.isfinite(celsius)]
    if celsius.size >= 10 and float(np.quantile(celsius, 0.05)) <= drop.at_c - COOLED_K:
        case.against_heat.append(
            Reason(Why.COOLED, said("cooled", cooled_k=drop.at_c - float(celsius.min())))
        )


def _hottest_at_rate(runs: tuple[Trace, ...], levels: tuple[RateLevels, ...], rate: float) -> float:
    """Return the hottest reading in a stretch of *rate*, 8 s clear of any change; -inf for none."""
    hottest = -math.inf
    for run, found in zip(runs, levels, strict=True):
        for level in found.levels:
            if apart(level.bytes_per_s, rate) > SAME_RATE:
                continue
            inside = (run.elapsed_s > level.start_s + 8) & (run.elapsed_s < level.end_s - 8)
            for dip in found.dips:
                end_s = dip.start_s + dip.duration_s
                inside &= ~((run.elapsed_s > dip.start_s - 8) & (run.elapsed_s < end_s + 8))
            celsius = run.temperature_c[inside]
            celsius = celsius[np.isfinite(celsius)]
            if celsius.size >= 5:
                hottest = max(hottest, float(np.sort(celsius)[-3]))
    return hottest


def is_same_rate(one: float, other: float) -> bool:
    """Return whether two rates are one within the noise."""
    return apart(one, other) <= SAME_RATE


def is_same_fall(one: Drop, other: Drop) -> bool:
    """Return whether two drops lead from and to the same rates, whenever they came."""
    return (
        apart(one.before_bytes_per_s, other.before_bytes_per_s) <= SAME_RATE
        and apart(one.after_bytes_per_s, other.after_bytes_per_s) <= 2 * SAME_RATE
    )


def _weigh_between_runs(
    cases: list[DropCase], runs: tuple[Trace, ...], levels: tuple[RateLevels, ...]
) -> None:
    """Compare the first drop of each run with that of the run before it."""
    firsts: dict[int, DropCase] = {}
    for case in cases:
        firsts.setdefault(case.run, case)
    for number in range(1, len(runs)):
        one, other = firsts.get(number - 1), firsts.get(number)
        if one is None:
            continue
        if other is not None and is_same_fall(one.drop, other.drop):
            _weigh_pair(one, other)
    for case in cases:
        _weigh_like(case, cases)


def _weigh_pair(one: DropCase, other: DropCase) -> None:
    other_bytes = abs(other.drop.written_bytes / one.drop.written_bytes - 1)
    apart_k = abs(other.drop.at_c - one.drop.at_c)
    both = (one, other)
    is_decided = any(case.against_heat or case.against_cache for case in both)
    if apart_k >= SAME_DROP_APART_K:
        for case in both:
            case.against_heat.append(
                Reason(
                    Why.OTHER_HEAT,
                    said("another heat", one_c=one.drop.at_c, other_c=other.drop.at_c),
                )
            )
    elif is_decided:
        return
    elif other_bytes <= SAME_BYTES:
        for case in both:
            case.against_heat.append(
                Reason(
                    Why.SAME_BYTES,
                    said(
                        "same bytes again",
                        one_bytes=one.drop.written_bytes,
                        other_bytes=other.drop.written_bytes,
                    ),
                )
            )


def _weigh_like(case: DropCase, cases: list[DropCase]) -> None:
    """The same fall, from and to the same rates, in another run has the same cause."""
    if case.against_heat or case.against_cache:
        return
    for other in cases:
        if other.run == case.run or not is_same_fall(case.drop, other.drop):
            continue
        word = said("same as in run", run=other.run + 1)
        if other.is_cache:
            case.against_heat.append(Reason(Why.LIKE_OTHER_RUN, word))
        elif other.is_heat:
            case.against_cache.append(Reason(Why.LIKE_OTHER_RUN, word))
        if other.is_cache or other.is_heat:
            return
