"""How long single writes or reads took: percentiles, the longest, and the stalls between them."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

_LEAST_S = 1e-6
_BIN_RATIO = 1.01  # a percentile is exact to 1 %
_BINS = 2100  # up to 1,100 s

STALL_S = 0.25
"""So long without a block coming back is a stall."""


@dataclass(frozen=True, slots=True)
class Stall:
    """A time in which nothing came back."""

    at_s: float
    at_bytes: int
    duration_s: float


@dataclass(frozen=True, slots=True)
class LatencySummary:
    """Percentiles in s, nan where nothing was measured; and the longest with its moment."""

    count: int
    p50_s: float
    p90_s: float
    p99_s: float
    p999_s: float
    longest_s: float
    longest_at_s: float


class LatencyLog:
    """Counts durations in bins of 1 %, so that a run of any length needs the same memory."""

    def __init__(self) -> None:
        self._counts = np.zeros(_BINS, dtype=np.int64)
        self._count = 0
        self._longest_s = 0.0
        self._longest_at_s = 0.0

    def add(self, begin_s: float, end_s: float) -> None:
        """Count one that ran from *begin_s* to *end_s*; for paced ones, from when it was due."""
        duration_s = end_s - begin_s
        ratio = max(duration_s, _LEAST_S) / _LEAST_S
        self._counts[min(int(math.log(ratio) / math.log(_BIN_RATIO)), _BINS - 1)] += 1
        self._count += 1
        if duration_s > self._longest_s:
            self._longest_s, self._longest_at_s = duration_s, begin_s

    def join(self, other: LatencyLog) -> None:
        """Count all that *other* counted, too."""
        self._counts += other._counts
        self._count += other._count
        if other._longest_s > self._longest_s:
            self._longest_s, self._longest_at_s = other._longest_s, other._longest_at_s

    def percentile_s(self, share: float) -> float:
        """Return the duration that *share* (0..1) of all stay within, nan for none."""
        if not self._count:
            return math.nan
        if share >= 1:
            return self._longest_s
        index = int(np.searchsorted(np.cumsum(self._counts), share * self._count, side="left"))
        middle_s: float = _LEAST_S * _BIN_RATIO ** (index + 0.5)
        return min(middle_s, self._longest_s)

    def summary(self) -> LatencySummary:
        """Return the percentiles up to 99.9 % and the longest."""
        return LatencySummary(
            count=self._count,
            p50_s=self.percentile_s(0.5),
            p90_s=self.percentile_s(0.9),
            p99_s=self.percentile_s(0.99),
            p999_s=self.percentile_s(0.999),
            longest_s=self._longest_s if self._count else math.nan,
            longest_at_s=self._longest_at_s,
        )


class StallLog:
    """Notes every time in which nothing came back for long, in full."""

    def __init__(self) -> None:
        self._last_s = 0.0
        self._bytes = 0
        self.stalls: list[Stall] = []

    def begin(self, at_s: float) -> None:
        """Start to watch at *at_s*."""
        self._last_s = at_s

    def came_back(self, at_s: float, size_bytes: int) -> None:
        """Count a block that came back at *at_s*."""
        silent_s = at_s - self._last_s
        if silent_s >= STALL_S:
            self.stalls.append(Stall(self._last_s, self._bytes, silent_s))
        self._last_s = max(self._last_s, at_s)
        self._bytes += size_bytes
