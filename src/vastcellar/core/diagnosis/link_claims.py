"""What a link can and can't have done: a rate above what it carries, a run flat at its ceiling."""

from __future__ import annotations

from dataclasses import replace

from vastcellar.core.diagnosis.causes import Cause, Diagnosis, Finding, Why
from vastcellar.core.diagnosis.host_burst import AT_LINK, LARGEST_MEMORY_BYTES, OVER_LINK
from vastcellar.core.diagnosis.levels import RateLevels
from vastcellar.core.diagnosis.measured_rates import burst_rate
from vastcellar.core.said import said
from vastcellar.core.trace import Trace

_LASTING_S = 15.0

LINK_TEST = "Name the ceiling of the link in use, or run the drive on a faster port"


def lasting_over(levels: tuple[RateLevels, ...], link: float) -> float | None:
    """Return the rate that lasted although *link* can't carry it; None where none did."""
    for level in (level for found in levels for level in found.levels):
        is_more = level.bytes_per_s > link * OVER_LINK
        # The host's memory takes no more than so much, and soon gives back what it took.
        lasts = level.duration_s > _LASTING_S
        if is_more and lasts and level.duration_s * level.bytes_per_s > LARGEST_MEMORY_BYTES:
            return level.bytes_per_s
    return None


def with_question(found: Diagnosis, rate: float, link: float) -> Diagnosis:
    """Ask which link it was, and say nothing that rests on the one that was stated."""
    more = said("another link", rate_bytes_per_s=rate, link_bytes_per_s=link)
    asked = Finding(None, 0.0, 0.0, (more,), (Cause.LINK,))
    tests = [LINK_TEST, found.deciding_test.replace(LINK_TEST, "").strip(". ")]
    left = (*found.candidates, *(() if Cause.LINK in found.candidates else (Cause.LINK,)))
    return replace(
        found,
        findings=(asked, *found.findings),
        candidates=left,
        deciding_test=". ".join(test for test in tests if test),
    )


def flat(levels: tuple[RateLevels, ...], link: float | None, trace: Trace) -> Finding:
    """Return what a trace without a slowdown says: the link's ceiling, or the drive's own rate."""
    rate = max(burst_rate(found).value for found in levels)
    is_sliding = any(found.slides for found in levels)
    seen = said(
        "fell evenly" if is_sliding else "no slowdown",
        seen_bytes=float(trace.written_bytes[-1]),
        seen_s=trace.duration_s,
    )
    at_s, at_bytes = trace.duration_s, float(trace.written_bytes[-1])
    if link is None:
        return Finding(
            None,
            at_s,
            at_bytes,
            (seen, said("link or drive", rate_bytes_per_s=rate)),
            (Cause.LINK, Cause.HEALTHY),
        )
    if rate >= link * (1 - AT_LINK):
        return Finding(
            Cause.LINK,
            at_s,
            at_bytes,
            (seen, said("flat at the link", rate_bytes_per_s=rate, link_bytes_per_s=link)),
            why=Why.AT_LINK,
        )
    return Finding(
        Cause.HEALTHY,
        at_s,
        at_bytes,
        (seen, said("flat below the link", link_bytes_per_s=link)),
        why=Why.FLAT,
    )
