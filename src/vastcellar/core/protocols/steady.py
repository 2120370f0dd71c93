"""Steady state, and what several runs say together: median, spread, difference."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from vastcellar.core.errors import BadValueError

ROUNDS = 5
_RANGE_SHARE = 0.20
_RISE_SHARE = 0.10
_CONFIDENCE = 0.95


def is_steady(rounds_bytes_per_s: Sequence[float]) -> bool:
    """Return whether the last five rounds are steady.

    Their range stays within 20 % of their mean, and the best line through them rises or falls by
    at most 10 % of it over the five.
    Source: the steady state of SNIA's Solid State Storage Performance Test Specification.
    """
    if len(rounds_bytes_per_s) < ROUNDS:
        return False
    last = np.array(rounds_bytes_per_s[-ROUNDS:], dtype=np.float64)
    mean = float(last.mean())
    if mean <= 0:
        return False
    slope = float(np.polyfit(np.arange(ROUNDS), last, 1)[0])
    rise = abs(slope) * (ROUNDS - 1)
    return bool(np.ptp(last) <= _RANGE_SHARE * mean and rise <= _RISE_SHARE * mean)


@dataclass(frozen=True, slots=True)
class RunsSummary:
    """Several runs of one thing."""

    count: int
    median: float
    low: float
    high: float

    @property
    def spread_share(self) -> float:
        """Highest less lowest, as a share of the median; 0 for a single run."""
        return (self.high - self.low) / self.median if self.median else 0.0


def summarize(values: Sequence[float]) -> RunsSummary:
    """Return median and range of *values*. Raises BadValueError without any."""
    if not values:
        raise BadValueError("there is no run", where="runs", mend="Measure at least once")
    return RunsSummary(len(values), float(np.median(values)), min(values), max(values))


@dataclass(frozen=True, slots=True)
class Difference:
    """How much the second of two things is above the first, as a share, with its interval."""

    share: float
    low: float
    high: float

    @property
    def is_real(self) -> bool:
        """Whether the interval leaves 0 out."""
        return self.low > 0 or self.high < 0


def difference(first: Sequence[float], second: Sequence[float]) -> Difference | None:
    """Return how the medians of *second* and *first* differ; None where there are too few runs.

    The interval holds 95 of 100 at least: Hodges and Lehmann's shift of the logarithms, bounded by
    the exact distribution of the Mann-Whitney statistic, so that one odd run moves it little.
    Of three runs each even the widest interval holds 90 of 100 only: four are needed, or three
    beside five.
    Raises BadValueError for values that are not above 0.
    """
    one, other = np.array(first, dtype=np.float64), np.array(second, dtype=np.float64)
    if (one <= 0).any() or (other <= 0).any():
        raise BadValueError("a run has no rate", where="runs", mend="Compare runs that wrote")
    cut = _outer_shifts(one.size, other.size)
    if cut is None:
        return None
    shifts = np.sort((np.log(other)[:, None] - np.log(one)[None, :]).ravel())
    low, high = shifts[cut], shifts[shifts.size - 1 - cut]
    return Difference(
        float(np.expm1(np.median(shifts))), float(np.expm1(low)), float(np.expm1(high))
    )


def _outer_shifts(first: int, second: int) -> int | None:
    """Return how many shifts lie outside the interval at either end, None where it is too wide.

    P(U <= c) of the Mann-Whitney statistic comes from its generating function, the Gaussian
    binomial coefficient: the product of (1 - q^(n+i)) / (1 - q^i) for i from 1 to m.
    """
    ways = [1] + [0] * (first * second)
    for i in range(1, first + 1):
        for k in range(len(ways) - 1, second + i - 1, -1):
            ways[k] -= ways[k - second - i]
        for k in range(i, len(ways)):
            ways[k] += ways[k - i]
    total, tail, cut = sum(ways), 0, None
    for index, count in enumerate(ways):
        tail += count
        if tail > total * (1 - _CONFIDENCE) / 2:
            break
        cut = index
    return cut
