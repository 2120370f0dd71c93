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
    """Return how the medians of *second* and *first* differ, None below three runs of each.

    The interval holds 95 of 100: Hodges and Lehmann's shift of the logarithms, bounded by the
    Mann-Whitney statistic's normal limits, so that one odd run moves it little.
    Raises BadValueError for values that are not above 0.
    """
    if min(len(first), len(second)) < 3:
        return None
    one, other = np.array(first, dtype=np.float64), np.array(second, dtype=np.float64)
    if (one <= 0).any() or (other <= 0).any():
        raise BadValueError("a run has no rate", where="runs", mend="Compare runs that wrote")
    shifts = np.sort((np.log(other)[:, None] - np.log(one)[None, :]).ravel())
    m, n = one.size, other.size
    from scipy.stats import norm

    half = norm.ppf((1 + _CONFIDENCE) / 2) * np.sqrt(m * n * (m + n + 1) / 12)
    cut = max(int(np.floor(m * n / 2 - half)), 0)
    low, high = shifts[cut], shifts[shifts.size - 1 - cut]
    return Difference(
        float(np.expm1(np.median(shifts))), float(np.expm1(low)), float(np.expm1(high))
    )
