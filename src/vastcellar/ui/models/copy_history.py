"""A copy over its time: what each destination wrote when, and how it should go on."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from vastcellar.core.errors import VastCellarError
from vastcellar.core.roll.pace import CopyMoved, Pace, SharedHub, pace_of
from vastcellar.core.roll.time_left import ExpectedCopy, left_by_rate_s
from vastcellar.services.roll.expecting import KnownDrive, expected_of
from vastcellar.services.roll.follow import CopyNow

_WINDOW_S = 3.0
"""A rate is taken over so long: shorter ones jump with every file."""
_MOST_SAMPLES = 2000
_EACH_S = 1.0
_LEAST_PACE_S = 0.5
"""In less nobody can be told to hold up the others."""


@dataclass(frozen=True, slots=True)
class RateSample:
    """What each destination wrote and checked a second, up to a moment of the copy."""

    start_s: float
    end_s: float
    written_bytes_per_s: tuple[float, ...]
    verified_bytes_per_s: tuple[float, ...]


class CopyHistory:
    """Grows with what a running copy says of itself."""

    def __init__(self) -> None:
        self.drives: Sequence[KnownDrive | None] = ()
        self.hubs: Sequence[SharedHub] = ()
        self.pace: Pace | None = None
        """Who set it in the last seconds."""
        self.samples: list[RateSample] = []
        self.expected: ExpectedCopy | None = None
        self.now: CopyNow | None = None
        self._best: list[float] = []
        self._last: CopyNow | None = None
        self._reckoned_s = -math.inf

    def add(self, now: CopyNow) -> None:
        """Take in how far it has come."""
        self.now = now
        if not self._best:
            self._best = [0.0] * len(now.legs)
        last = self._last
        if last is None:
            self._last = now
            return
        if now.elapsed_s - last.elapsed_s >= _LEAST_PACE_S:
            self.pace = pace_of(_moved(last, now), self.hubs) or self.pace
        if now.elapsed_s - last.elapsed_s >= self._window_s:
            self._last = now
            self.samples.append(self._sample(last, now))
            rates = self.samples[-1].written_bytes_per_s
            self._best = [max(pair) for pair in zip(self._best, rates, strict=True)]
        if now.elapsed_s - self._reckoned_s >= _EACH_S:
            self._reckoned_s = now.elapsed_s
            try:
                self.expected = expected_of(now, self.drives, self._best)
            except VastCellarError:
                self.expected = None

    @property
    def _window_s(self) -> float:
        """Longer for a longer copy, so that there are never too many to draw."""
        return max(_WINDOW_S, 2 * (self.now.elapsed_s if self.now else 0.0) / _MOST_SAMPLES)

    @staticmethod
    def _sample(last: CopyNow, now: CopyNow) -> RateSample:
        seconds = now.elapsed_s - last.elapsed_s
        pairs = list(zip(last.legs, now.legs, strict=True))
        return RateSample(
            last.elapsed_s,
            now.elapsed_s,
            tuple((b.written_bytes - a.written_bytes) / seconds for a, b in pairs),
            tuple((b.verified_bytes - a.verified_bytes) / seconds for a, b in pairs),
        )

    @property
    def copied_bytes(self) -> float:
        """What the slowest destination that goes on has."""
        going = (
            [leg.written_bytes for leg in self.now.legs if not leg.dropped_by] if self.now else []
        )
        return float(min(going, default=0))

    @property
    def left_s(self) -> float:
        """What is still to come, checks included; infinite while nobody knows."""
        return self.expected.left_s(self.copied_bytes) if self.expected else math.inf

    @property
    def left_by_rate_s(self) -> float:
        """What the rate of this moment would promise for the copying alone."""
        if self.now is None or not self.samples:
            return math.inf
        rates = self.samples[-1].written_bytes_per_s
        going = [rate for rate, leg in zip(rates, self.now.legs, strict=True) if not leg.dropped_by]
        return left_by_rate_s(self.now.total_bytes, self.copied_bytes, min(going, default=0.0))

    @property
    def is_by_profile(self) -> bool:
        """Whether a drive of a known unit is among the destinations."""
        return any(each is not None for each in self.drives)


def _moved(last: CopyNow, now: CopyNow) -> CopyMoved:
    pairs = list(zip(last.legs, now.legs, strict=True))
    return CopyMoved(
        seconds=now.elapsed_s - last.elapsed_s,
        read_bytes=now.read_bytes - last.read_bytes,
        read_s=now.read_s - last.read_s,
        hash_s=now.hash_s - last.hash_s,
        waited_s=now.waited_s - last.waited_s,
        written_bytes=tuple(b.written_bytes - a.written_bytes for a, b in pairs),
        verified_bytes=tuple(b.verified_bytes - a.verified_bytes for a, b in pairs),
        behind_bytes=tuple(now.read_bytes - leg.written_bytes for leg in now.legs),
        is_going=tuple(not leg.dropped_by for leg in now.legs),
    )
