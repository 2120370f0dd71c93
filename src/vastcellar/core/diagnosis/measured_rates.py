"""The figures that a diagnosis leaves: burst, knee, rate past the cache, the throttle's degrees."""

from __future__ import annotations

import math

import numpy as np

from vastcellar.core.diagnosis.causes import SENSOR_K, Cause, Estimate, Finding, Why
from vastcellar.core.diagnosis.drop_causes import DropCase
from vastcellar.core.diagnosis.levels import Drop, RateLevels
from vastcellar.core.trace import FloatArray

# A program opens files and a drive wakes: the first seconds are no level yet.
_SETTLING_S = 3.0
_LEAST_SECONDS = 6


def burst_rate(found: RateLevels) -> Estimate:
    """Return the rate of the first level: the middle one of its seconds, with its interval.

    The mean would take in a start that hasn't settled, lows that came back and the fall itself.
    The interval is that of a median by its order statistics, 95 %; neighbours are taken as two.
    """
    level = found.levels[0]
    begin_s = level.start_s
    middle_s = begin_s + (np.arange(found.rate_bytes_per_s.size) + 0.5) * found.step_s
    inside = (middle_s > begin_s + _SETTLING_S) & (middle_s < level.end_s - found.step_s)
    for dip in found.dips:
        inside &= ~((middle_s >= dip.start_s - 1) & (middle_s <= dip.start_s + dip.duration_s + 1))
    rates = np.sort(found.rate_bytes_per_s[inside])
    if rates.size < _LEAST_SECONDS:
        return Estimate(level.bytes_per_s, 0.8 * level.bytes_per_s, 1.2 * level.bytes_per_s)
    half = 0.98 * math.sqrt(2 * rates.size)
    low, high = (rates.size - 1) / 2 - half, (rates.size - 1) / 2 + half
    last = rates.size - 1
    return Estimate(
        float(np.median(rates)),
        float(rates[max(math.floor(low), 0)]),
        float(rates[min(math.ceil(high), last)]),
    )


def knee_bytes(drop: Drop) -> Estimate:
    """Return after how many bytes *drop* came, within what its place on the trace allows."""
    error = max(drop.error_bytes, 0.014 * drop.written_bytes / 1.645)
    return Estimate(
        drop.written_bytes, max(drop.written_bytes - 2 * error, 0.0), drop.written_bytes + 2 * error
    )


def rate_after(case: DropCase, levels: tuple[RateLevels, ...]) -> Estimate:
    """Return the rate that the drop of *case* led to, with two standard errors."""
    found = levels[case.run]
    rate = case.drop.after_bytes_per_s
    middle_s = (np.arange(found.rate_bytes_per_s.size) + 0.5) * found.step_s + found.levels[
        0
    ].start_s
    end_s = case.drop.at_s + case.drop.held_s
    inside: FloatArray = found.rate_bytes_per_s[
        (middle_s > case.drop.at_s + 1) & (middle_s < end_s)
    ]
    if inside.size < 4:
        return Estimate(rate, 0.0, case.drop.before_bytes_per_s)
    # Neighbouring seconds swing together: a quarter of them count.
    error = 2 * float(inside.std()) / math.sqrt(inside.size / 4)
    return Estimate(rate, max(rate - error, 0.0), rate + error)


def throttle_c(
    hot: list[Drop], levels: tuple[RateLevels, ...], findings: list[Finding]
) -> Estimate | None:
    """Return at how many degrees heat slowed the drive; None where nothing was read."""
    readings = [drop.at_c for drop in hot if not math.isnan(drop.at_c)]
    if not readings and any(f.cause is Cause.THERMAL and f.why is Why.SAWTOOTH for f in findings):
        readings = [
            dip.start_c for each in levels for dip in each.dips if not math.isnan(dip.start_c)
        ]
    if not readings:
        return None
    value = float(np.median(readings)) if len(readings) > 2 else min(readings)
    return Estimate(value, value - SENSOR_K, value + SENSOR_K)
