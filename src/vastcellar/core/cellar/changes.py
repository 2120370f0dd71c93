"""Where the figures of a unit changed for good: a step or a drift, and how likely by chance.

Runs are few, uneven and have outliers, so ranks are compared and not values: the statistic of Mann
and Whitney, at every place where the series could part.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]

SURE = 0.01
"""A change that chance brings less often than this is called sure."""
LEAST_SHARE = 0.05
"""Smaller changes of a rate are within what one test differs from the next."""
_FEWEST = 3
"""Runs on either side: of two each, one odd run is half of the evidence."""
_AROUND = 7
_ODD = 4.0
"""Standard deviations off its neighbours' median: of steady figures one in 16,000."""
_WORTH_PLACING = 0.5
_AS_CLEAR = 0.85
_MOST_PLACES = 60
"""Where three levels are tried: enough to tell steps from a slide."""
_SHUFFLES = 10_000
_MOST_TABLED = 120


@dataclass(frozen=True, slots=True)
class Change:
    """A series that isn't what it was."""

    index: int
    """The first value after it; of a drift the one in the middle."""
    before: float
    """Median of the values before; of a drift where its line begins."""
    after: float
    chance: float
    """How often chance alone would part such a series as clearly, at any place; at most 1."""
    is_drift: bool = False
    """Whether a line explains it better than a step."""

    @property
    def share(self) -> float:
        """How much the later values are above the earlier, as a share of these."""
        return self.after / self.before - 1 if self.before else math.inf

    @property
    def is_sure(self) -> bool:
        """Whether chance is as good as ruled out."""
        return self.chance < SURE


def best_change(values: Sequence[float]) -> Change | None:
    """Return the clearest change of *values* (in order of time).

    None for fewer than six, and where all are the same.

    Whether it is more than chance is its ``chance``.
    Source: Pettitt, Applied Statistics 28 (1979), each place in its own standard deviations; the
    chance is counted among shuffled series, so that trying many places costs what it costs.
    """
    whole = np.asarray(values, dtype=np.float64)
    if whole.size < 2 * _FEWEST or not np.ptp(whole):
        return None
    kept = np.flatnonzero(~odd_ones(whole))
    series = whole[kept]
    count = series.size
    if count < 2 * _FEWEST or not np.ptp(series):
        return None
    first = _places(count)
    clarity = np.abs(_in_deviations(np.cumsum(_ranks(series))[first - 1], first, count))
    chance = _chance(float(clarity.max()), count)
    at = int(first[clarity.argmax()])
    if chance < _WORTH_PLACING:
        # Ranks like halves of a size: where several places are about as clear, deviations decide.
        clear = first[clarity >= _AS_CLEAR * clarity.max()]
        at = int(min(clear, key=lambda each: _deviation(series[:each]) + _deviation(series[each:])))
    if chance < SURE:
        begin, end, is_drift = _as_line(series, at)
        if is_drift:
            return Change(int(kept[count // 2]), begin, end, chance, True)
    one, other = series[:at], series[at:]
    return Change(int(kept[at]), float(np.median(one)), float(np.median(other)), chance)


def odd_ones(series: FloatArray) -> NDArray[np.bool_]:
    """Return which of *series*, shape (n,), are single outliers that say nothing of its level.

    Each is held against the median of the seven around it (Hampel's filter). As many beside each
    other as make a level are none.
    """
    count = series.size
    if count < _AROUND:
        return np.zeros(count, dtype=bool)
    begin = np.clip(np.arange(count) - _AROUND // 2, 0, count - _AROUND)
    around = series[begin[:, None] + np.arange(_AROUND)]
    middle = np.median(around, axis=1)
    spread = 1.4826 * np.median(np.abs(around - middle[:, None]), axis=1)
    off = series - middle
    side = np.sign(off) * (np.abs(off) > np.maximum(_ODD * spread, LEAST_SHARE * np.abs(middle)))
    alone: NDArray[np.bool_] = side != 0
    starts = np.flatnonzero(np.diff(side, prepend=np.nan) != 0)
    for start, end in zip(starts, [*starts[1:], count], strict=True):
        if end - start >= _FEWEST:
            alone[start:end] = False
    return alone


def level_starts(values: Sequence[float], least_share: float = LEAST_SHARE) -> tuple[int, ...]:
    """Return where the levels of *values* begin, 0 first: parted again while a part isn't one.

    A change that isn't sure, or smaller than *least_share*, parts nothing; nor does a drift.
    """
    found = best_change(values)
    if found is None or not found.is_sure or found.is_drift or abs(found.share) < least_share:
        return (0,)
    before = level_starts(values[: found.index], least_share)
    after = level_starts(values[found.index :], least_share)
    return (*before, *(found.index + each for each in after))


def _ranks(series: FloatArray) -> FloatArray:
    order = np.argsort(series, kind="stable")
    ranks = np.empty(series.size)
    ranks[order] = np.arange(1, series.size + 1)
    _kinds, which, counts = np.unique(series, return_inverse=True, return_counts=True)
    sums = np.bincount(which, weights=ranks)
    return sums[which] / counts[which]


def _places(count: int) -> NDArray[np.int64]:
    """Return where a series of *count* can be parted: before each of these."""
    return np.arange(_FEWEST, count - _FEWEST + 1)


def _in_deviations(rank_sums: FloatArray, first: NDArray[np.int64], count: int) -> FloatArray:
    """Return U of rank sums of the first values, in standard deviations from its mean."""
    u = rank_sums - first * (first + 1) / 2
    spread = np.sqrt(first * (count - first) * (count + 1) / 12)
    deviations: FloatArray = (u - first * (count - first) / 2) / spread
    return deviations


@cache
def _clearest_by_chance(count: int) -> FloatArray:
    """Return the clarity of the best place of many shuffled series of *count*, rising."""
    shuffled = np.random.default_rng(count).permuted(
        np.tile(np.arange(1.0, count + 1), (_SHUFFLES, 1)), axis=1
    )
    first = _places(count)
    sums = np.cumsum(shuffled, axis=1)[:, first - 1]
    return np.sort(np.abs(_in_deviations(sums, first, count)).max(axis=1))


def _chance(clarity: float, count: int) -> float:
    """Return how often the best place of a shuffled series is as clear.

    No tail is known beyond one in so many shuffles: it is never said to be rarer than that.
    """
    # Beyond that the statistic's distribution doesn't move any more, and a table is large.
    by_chance = _clearest_by_chance(min(count, _MOST_TABLED))
    beyond = by_chance.size - int(np.searchsorted(by_chance, clarity - 1e-9))
    return (beyond + 1) / (by_chance.size + 1)


def _as_line(series: FloatArray, at: int) -> tuple[float, float, bool]:
    """Return where the best line begins and ends, and whether it explains more than the step.

    Compared by Schwarz's criterion: a step has its place, too.
    """
    count = series.size
    places = np.arange(count)
    slope, offset = np.polyfit(places, series, 1)
    off_line = float(np.square(series - slope * places - offset).sum())
    tiny = 1e-12 * max(float(np.square(series).sum()), 1e-300)

    def criterion(off: float, parameters: int) -> float:
        return count * math.log((off + tiny) / count) + parameters * math.log(count)

    off_step = _off_level(series[:at]) + _off_level(series[at:])
    steps = min(criterion(off_step, 3), criterion(_off_three_levels(series), 5))
    return float(offset), float(offset + slope * (count - 1)), criterion(off_line, 2) < steps


def _deviation(series: FloatArray) -> float:
    return float(np.abs(series - np.median(series)).sum())


def _off_level(series: FloatArray) -> float:
    return float(np.square(series - series.mean()).sum())


def _off_three_levels(series: FloatArray) -> float:
    """Return what the best three levels leave: two steps one after the other are no slide."""
    count, least = series.size, _FEWEST
    if count < 3 * least:
        return math.inf
    sums = np.concatenate([[0.0], np.cumsum(series - series.mean())])
    inner = np.arange(least, count - least + 1)
    inner = inner[:: max(inner.size // _MOST_PLACES, 1)]
    one, two = inner[:, None], inner[None, :]

    def explained(first: NDArray[np.int64], last: NDArray[np.int64]) -> FloatArray:
        moved: FloatArray = sums[last] - sums[first]
        found: FloatArray = moved**2 / np.maximum(last - first, 1)
        return found

    by_levels = explained(one * 0, one) + explained(one, two) + explained(two, two * 0 + count)
    best = float(np.where(two - one >= least, by_levels, 0.0).max())
    return max(_off_level(series) - best, 0.0)
