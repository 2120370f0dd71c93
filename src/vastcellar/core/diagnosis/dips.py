"""Lows that came back: a throttle's sawtooth, an erratic sample, or open."""

from __future__ import annotations

import math

import numpy as np

from vastcellar.core.diagnosis.causes import SENSOR_K, Cause, Finding, Why
from vastcellar.core.diagnosis.levels import Dip, RateLevels
from vastcellar.core.said import said
from vastcellar.core.trace import Trace

EQUAL_DEPTH = 0.16
_STALL_SHARE = 0.10
_LASTING_LOW_S = 20.0
_IN_RHYTHM = 0.35
_LONGEST_RANDOM_S = 60.0
"""A sample stalls for seconds; what is low for minutes has another cause, at least there."""


def weigh_dips(levels: RateLevels, run: Trace) -> list[Finding]:
    """Say what the lows that came back are: a throttle's sawtooth, an erratic sample, or open."""
    dips = levels.dips
    if not dips:
        return []
    at_s, at_bytes = dips[0].start_s, dips[0].start_bytes
    row = sawtooth(levels, run)
    if row:
        started = [dip.start_c for dip in row if not math.isnan(dip.start_c)]
        depth, length_s = (
            float(np.median([getattr(dip, name) for dip in row]))
            for name in ("share", "duration_s")
        )
        return [
            Finding(
                Cause.THERMAL,
                row[0].start_s,
                row[0].start_bytes,
                (
                    said(
                        "sawtooth",
                        lows=len(row),
                        depth_share=depth,
                        length_s=length_s,
                        from_c=float(np.median(started)) if started else math.nan,
                    ),
                ),
                why=Why.SAWTOOTH,
            )
        ]
    if is_erratic(dips):
        stalls = [dip for dip in dips if dip.share < _STALL_SHARE]
        longest = max(dip.duration_s for dip in dips)
        shallow, deep = max(d.share for d in dips), min(d.share for d in dips)
        return [
            Finding(
                Cause.INCONSISTENT,
                at_s,
                at_bytes,
                (
                    said(
                        "random lows",
                        lows=len(dips),
                        deepest_share=deep,
                        shallowest_share=shallow,
                        stalls=len(stalls),
                        longest_s=longest,
                    ),
                ),
                why=Why.RANDOM_LOWS,
            )
        ]
    return [
        Finding(
            None,
            at_s,
            at_bytes,
            (said("too few lows", lows=len(dips)),),
            (Cause.THERMAL, Cause.INCONSISTENT),
        )
    ]


def sawtooth(levels: RateLevels, run: Trace) -> tuple[Dip, ...]:
    """Return the lows that are a throttle's sawtooth: all of the run's, or those of one level.

    Where the cache runs out between two teeth, the same low is another share of the rate.
    """
    if _is_sawtooth(levels.dips, run.elapsed_s[0]):
        return levels.dips
    for level in levels.levels:
        row = tuple(dip for dip in levels.dips if level.start_s <= dip.start_s < level.end_s)
        if len(row) < len(levels.dips) and _is_sawtooth(row, level.start_s):
            return row
    return ()


def _is_sawtooth(dips: tuple[Dip, ...], begin_s: float) -> bool:
    """Equal lows, at least three, none of them a stall: at one heat, or lasting, or in rhythm."""
    shares = np.array([dip.share for dip in dips])
    if len(dips) < 3 or float(np.median(shares)) < _STALL_SHARE:
        return False
    usual = float(np.median(shares))
    near = np.abs(shares - usual) <= EQUAL_DEPTH / 2
    if near.mean() < 0.8 or near.sum() < 3:
        return False
    starts = np.array([dip.start_s for dip in dips])
    length_s = float(np.median([dip.duration_s for dip in dips]))
    started = np.array([dip.start_c for dip in dips])
    if np.isfinite(started).all():
        spread = float(np.quantile(started, 0.9) - np.quantile(started, 0.1))
        # Three short lows of an erratic sample are alike now and then.
        is_few = len(dips) < 4 and length_s < _LASTING_LOW_S
        return not (is_few or spread > 2 * SENSOR_K or float(np.median(started)) < 50)
    quiet_s = starts[0] - begin_s
    if length_s >= _LASTING_LOW_S and quiet_s >= _LASTING_LOW_S:
        return True  # an erratic sample's lows are short, and no two alike
    gaps = np.diff(starts)
    is_regular = bool(np.std(gaps) / np.mean(gaps) < _IN_RHYTHM)
    return is_regular and quiet_s > 1.5 * float(np.median(gaps)) and length_s >= 5


def is_erratic(dips: tuple[Dip, ...]) -> bool:
    """Lows of different depth, or stalls, at random times from the start."""
    if not dips:
        return False
    shares = np.array([dip.share for dip in dips])
    if int((shares < _STALL_SHARE).sum()) >= 2:
        return True
    lengths = np.array([dip.duration_s for dip in dips])
    return (
        len(dips) >= 4
        and float(lengths.max()) < _LONGEST_RANDOM_S
        and float(np.ptp(shares)) > 2 * EQUAL_DEPTH
        and float(np.median(lengths)) < 25
    )
