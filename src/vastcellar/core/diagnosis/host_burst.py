"""The first seconds of a run, where the host's memory may have taken what the drive had not."""

from __future__ import annotations

import math

import numpy as np

from vastcellar.core.diagnosis.causes import Cause, Finding, Why
from vastcellar.core.diagnosis.levels import Drop, RateLevels
from vastcellar.core.diagnosis.rate_levels import find_levels
from vastcellar.core.said import said
from vastcellar.core.trace import Trace

AT_LINK = 0.075
"""Flat within this of the link's ceiling is the link."""
_HOST_BURST_BYTES = 1.2e9
HOST_BURST_S = 30.0
_UNSURE_BURST_S = 20.0
_CATCHING_UP_S = 8.0
_LATER_RATE_S = 30.0
LARGEST_MEMORY_BYTES = 32e9  # a fifth to two fifths of a host's memory waits to be written
OVER_LINK = 1.1
_SLOWEST_MEMORY_BYTES_PER_S = 1.5e9
_OVER_ANY_LINK_BYTES_PER_S = 4e9
# A link one class faster than the one stated carries up to so many times as much: half or twice
# the lanes, or 20G for 10G, each a little better or worse in use.
_NEXT_LINK = 2.3


def without_host_burst(
    run: Trace, link: float | None, *, is_direct: bool
) -> tuple[Trace, list[Finding], RateLevels]:
    """Take a burst into the host's memory out of *run*; return its levels, too.

    The burst's time is charged to the flush.
    """
    begin_s = float(run.elapsed_s[0])
    levels = find_levels(run)
    early = [drop for drop in levels.drops if drop.at_s - begin_s <= HOST_BURST_S]
    if not early or is_direct:
        return run, [], levels
    last = early[-1]
    clean, excess = _flushed(run, last)
    burst = last.written_bytes / max(last.at_s - begin_s, 0.5)
    first = max(burst, levels.levels[0].bytes_per_s)
    if link and abs(first / link - 1) <= AT_LINK:
        return run, [], levels  # the link held it, so it went through the link
    over = first > link * OVER_LINK if link else first > _OVER_ANY_LINK_BYTES_PER_S
    if over and link and _may_be_another_link(first, link):
        over = False  # whoever named the link may have named another one
    may_be_memory = (
        first >= _SLOWEST_MEMORY_BYTES_PER_S
        and excess <= LARGEST_MEMORY_BYTES
        and last.at_s - begin_s <= _UNSURE_BURST_S
    )
    if not (over or may_be_memory):
        return run, [], levels
    if not over or excess < _HOST_BURST_BYTES:
        finding = Finding(
            None,
            last.at_s,
            last.written_bytes,
            (said("small cache or memory", excess_bytes=excess, rate_bytes_per_s=first),),
            (Cause.CACHE, Cause.HOST_CACHE),
        )
        return clean, [finding], find_levels(clean)
    finding = Finding(
        Cause.HOST_CACHE,
        last.at_s,
        last.written_bytes,
        (
            said(
                "over the link" if link else "over any link",
                first_s=last.at_s - begin_s,
                rate_bytes_per_s=first,
                link_bytes_per_s=link or math.nan,
                excess_bytes=excess,
            ),
        ),
        why=Why.OVER_LINK,
    )
    return clean, [finding], find_levels(clean)


def _may_be_another_link(rate: float, link: float) -> bool:
    """Return whether a link one class faster carries *rate*, so that *link* may be a mistake.

    Any rate below it will do, not only what links carry in use: the drive may be the slower one.
    """
    return rate <= min(_NEXT_LINK * link, _OVER_ANY_LINK_BYTES_PER_S)


def _flushed(run: Trace, last: Drop) -> tuple[Trace, float]:
    """Return *run* as if its first seconds had gone at the later rate, and the bytes above it.

    The seconds right after the burst belong to it: the host still catches up.
    """
    begin_s, end_s = float(run.elapsed_s[0]), float(run.elapsed_s[-1])
    settled_s = min(last.at_s + _CATCHING_UP_S, (last.at_s + end_s) / 2)
    until_s = min(settled_s + _LATER_RATE_S, end_s)
    at, until = np.interp([settled_s, until_s], run.elapsed_s, run.written_bytes)
    rate = (until - at) / (until_s - settled_s)
    since_s = run.elapsed_s - begin_s
    excess = at - rate * (settled_s - begin_s)
    written = np.where(run.elapsed_s <= settled_s, rate * since_s, run.written_bytes - excess)
    whole = np.maximum.accumulate(np.maximum(written, 0.0))
    return Trace(run.elapsed_s.copy(), whole, run.temperature_c.copy()), float(excess)
