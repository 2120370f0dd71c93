#!/usr/bin/env python3
"""How often a change of a unit's rate is found, and how often one is seen that isn't there.

Drawn histories of like runs with a seed; the spread of a test from the next is drawn for each of
them. Prints the shares; nothing is timed.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from datetime import UTC, datetime, timedelta

import numpy as np

from vastcellar.core.cellar.likeness import RunPoint, RunSetting
from vastcellar.core.cellar.trends import Figure, Trend, unit_trends

HISTORIES = 1000
SPREADS = (0.005, 0.03)
SETTING = RunSetting("write", False, "d", "case", "h", "p", "m", "c", "", "", "", "", "", "")
Rng = np.random.Generator


def trend_of(rates: np.ndarray, room_c: np.ndarray | None = None) -> Trend | None:
    """Return what runs of such rates, one a week, are said to be."""
    begin = datetime(2025, 1, 6, tzinfo=UTC)
    points = [
        RunPoint(number, begin + timedelta(days=7 * number), SETTING, float(rate),
                 room_c=None if room_c is None else float(room_c[number]), moved_bytes=4e11)
        for number, rate in enumerate(rates)
    ]  # fmt: skip
    return unit_trends(points).of(Figure.RATE)


def noise(rng: Rng, count: int, spread: float) -> np.ndarray:
    """Return *count* rates around 400 MB/s, now and then one that something got into."""
    rates = 4e8 * (1 + spread * rng.standard_normal(count))
    odd = rng.random(count) < 0.03
    return np.where(odd, rates * rng.uniform(0.6, 0.95, count), rates)


def found(trend: Trend | None) -> bool:
    """Whether the unit is said to have changed."""
    return trend is not None and trend.change is not None


def share_of(draw: Callable[[Rng, float], bool], seed: int) -> float:
    """Return the share of drawn histories of which *draw* says yes."""
    rng = np.random.default_rng(seed)
    return sum(draw(rng, rng.uniform(*SPREADS)) for _ in range(HISTORIES)) / HISTORIES


def step(share: float, side: int) -> Callable[[Rng, float], bool]:
    """A level that changes by *share* between *side* runs and as many again."""

    def drawn(rng: Rng, spread: float) -> bool:
        rates = noise(rng, 2 * side, spread)
        rates[side:] *= 1 + share
        trend = trend_of(rates)
        return found(trend) and trend is not None and (trend.share < 0) == (share < 0)

    return drawn


def drift(share: float, count: int) -> Callable[[Rng, float], bool]:
    """A level that slides by *share* over *count* runs."""

    def drawn(rng: Rng, spread: float) -> bool:
        return found(trend_of(noise(rng, count, spread) * np.linspace(1, 1 + share, count)))

    return drawn


def still(count: int) -> Callable[[Rng, float], bool]:
    """A level that stays."""
    return lambda rng, spread: found(trend_of(noise(rng, count, spread)))


def warm_half(rng: Rng, spread: float) -> bool:
    """Half of the runs in a room 12 K warmer, and slower for it: no change of the unit."""
    rates, room_c = noise(rng, 20, spread), np.full(20, 21.0)
    rates[10:] *= 0.8
    room_c[10:] = 33.0
    return found(trend_of(rates, room_c))


def wandering_room(rng: Rng, spread: float) -> bool:
    """A room that wanders by a degree: no change of the unit."""
    return found(trend_of(noise(rng, 24, spread), 21 + rng.uniform(-1, 1, 24)))


ROWS = (
    ("found: step of -15 %, 8 runs a side", step(-0.15, 8), "at least 95 %"),
    ("found: step of +15 %, 8 runs a side", step(0.15, 8), "at least 95 %"),
    ("found: step of -30 %, 6 runs a side", step(-0.30, 6), ""),
    ("found: step of -8 %, 8 runs a side", step(-0.08, 8), ""),
    ("found: slide of -20 % over 20 runs", drift(-0.20, 20), ""),
    ("false: 16 runs of one level", still(16), "under 1 %"),
    ("false: 40 runs of one level", still(40), "under 1 %"),
    ("false: half of them in a warm room", warm_half, "under 1 %"),
    ("false: a room that wanders", wandering_room, "under 1 %"),
)


def main() -> int:
    """Print each share beside what is wanted of it."""
    print(f"{HISTORIES} histories a row, spread {SPREADS[0]:.1%} to {SPREADS[1]:.0%}, 3 % odd runs")
    for seed, (name, draw, wanted) in enumerate(ROWS):
        note = f"   wanted: {wanted}" if wanted else ""
        print(f"{name:40} {share_of(draw, seed):7.2%}{note}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
