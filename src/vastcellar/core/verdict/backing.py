"""Whether a recorder test that somebody states is borne out by its own trace."""

from __future__ import annotations

from dataclasses import dataclass

from vastcellar.core.trace import Trace

_BYTES_SHARE, _BYTES_SPARE = 0.02, 64 * 2**20
"""Of what was written: a trace is noted every second, and ends a little before the last byte."""
_TIME_SHARE, _TIME_SPARE_S = 0.02, 3.0
_ALL_FRAMES = 0.98
"""Of what a camera sends in the time: its crest makes a take a little lighter or heavier."""
IMPOSSIBLE_RATE = 1.1
"""So much over its ceiling is more than a link carries, however a second was measured."""


@dataclass(frozen=True, slots=True)
class RecorderClaim:
    """What a recorder test says of itself."""

    written_bytes: float
    elapsed_s: float
    duration_s: float
    """Of the take that was asked for."""
    load_bytes_per_s: float
    achieved_bytes_per_s: float
    frames_dropped: int
    ended_early: bool
    link_ceiling_bytes_per_s: float
    """0 where it isn't known."""


def disagreement(claim: RecorderClaim, trace: Trace | None) -> str:
    """Return what *trace* says otherwise than *claim*, "" where it bears it out.

    Bytes, time, frames and rate are held against it.
    """
    if trace is None or trace.elapsed_s.size < 2:
        return "it carries no trace"
    written = float(trace.written_bytes[-1])
    if abs(written - claim.written_bytes) > _BYTES_SHARE * claim.written_bytes + _BYTES_SPARE:
        return "its trace has another number of bytes"
    if abs(trace.duration_s - claim.elapsed_s) > _TIME_SHARE * claim.elapsed_s + _TIME_SPARE_S:
        return "its trace has another length"
    whole_s = claim.duration_s - _TIME_SPARE_S
    if not claim.ended_early and claim.elapsed_s < whole_s:
        return "it is shorter than the take that it says it recorded"
    seen_s = min(claim.elapsed_s, claim.duration_s)
    sent = claim.load_bytes_per_s * seen_s * _ALL_FRAMES - _BYTES_SPARE
    if not claim.frames_dropped and claim.written_bytes < sent:
        return "it has fewer bytes than all its frames"
    most = written * (1 + 2 * _BYTES_SHARE) + _BYTES_SPARE
    if claim.achieved_bytes_per_s * claim.elapsed_s > most:
        return "its rate is more than its trace has"
    ceiling = claim.link_ceiling_bytes_per_s * IMPOSSIBLE_RATE
    if ceiling and written > ceiling * trace.duration_s:
        return "its trace is faster than its link carries"
    return ""
