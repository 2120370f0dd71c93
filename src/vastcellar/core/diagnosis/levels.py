"""What a rate does over a run: levels, dips that come back, drops that last."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.trace import FloatArray, Trace


@dataclass(frozen=True, slots=True)
class Level:
    """A stretch of one rate; bytes over time, dips included."""

    start_s: float
    end_s: float
    start_bytes: float
    bytes_per_s: float

    @property
    def duration_s(self) -> float:
        """Length of the stretch."""
        return self.end_s - self.start_s


@dataclass(frozen=True, slots=True)
class Dip:
    """A low that came back to the level before it, while writing went on."""

    start_s: float
    duration_s: float
    start_bytes: float
    share: float
    """Rate in the low over the level around it."""
    bytes_per_s: float
    start_c: float
    """Drive temperature where it began, nan without a sensor."""


@dataclass(frozen=True, slots=True)
class Drop:
    """A fall to a lower level that lasted to the end of the run, or to the next drop."""

    at_s: float
    written_bytes: float
    before_bytes_per_s: float
    after_bytes_per_s: float
    held_s: float
    at_c: float
    """Drive temperature at the fall, nan without a sensor."""
    error_bytes: float
    """How far off the place may be."""

    @property
    def share(self) -> float:
        """Rate after over rate before; before is never 0, or it would be no drop."""
        return self.after_bytes_per_s / self.before_bytes_per_s


@dataclass(frozen=True)
class RateLevels:
    """What the rate of one run did. Arrays have shape (n,) on steps of ``step_s``."""

    step_s: float
    rate_bytes_per_s: FloatArray
    levels: tuple[Level, ...]
    drops: tuple[Drop, ...]
    dips: tuple[Dip, ...]
    swings: NDArray[np.bool_]
    """Steps in which the rate went up and down every few seconds, shape (n,)."""
    slides: bool = False
    """Whether it fell evenly along the bytes, as a hard disk does towards its inner zones."""


def apart(one: float, other: float) -> float:
    """Return how far two rates lie apart, as a share of the higher; 0 where both are 0."""
    high = max(one, other)
    return abs(one - other) / high if high > 0 else 0.0


def temperature_at_c(trace: Trace, at_s: float, within_s: float = 12.0) -> float:
    """Return the temperature around *at_s*: the nearest reading, nan where none is near."""
    known = np.isfinite(trace.temperature_c)
    if not known.any():
        return math.nan
    times, values = trace.elapsed_s[known], trace.temperature_c[known]
    if np.abs(times - at_s).min() > within_s:
        return math.nan
    return float(np.interp(at_s, times, values))
