"""What one pass over a drive measured, as it is kept and printed."""

from __future__ import annotations

import math
from dataclasses import asdict
from typing import Any

import numpy as np

from vastcellar.bench.stream_pass import PassResult
from vastcellar.core.trace import FloatArray


def _known(value: float) -> float | None:
    """Return *value*; None where it isn't known, as JSON has it."""
    return value if math.isfinite(value) else None


def _hottest(temperature_c: FloatArray) -> float | None:
    """Return the highest of them; None where there was no sensor."""
    known = temperature_c[np.isfinite(temperature_c)]
    return float(known.max()) if known.size else None


def pass_figures(measured: PassResult) -> dict[str, Any]:
    """Return the figures of a pass, its stalls one by one."""
    return {
        "moved_bytes": measured.moved_bytes,
        "elapsed_s": measured.elapsed_s,
        "flush_s": measured.flush_s,
        "bytes_per_s": measured.bytes_per_s,
        "slowest_second_bytes": _known(measured.slowest_second_bytes),
        "latency": asdict(measured.latency),
        "stall_count": len(measured.stalls),
        "stalls": [asdict(stall) for stall in measured.stalls],
        "longest_stall_s": max((stall.duration_s for stall in measured.stalls), default=0.0),
        "wrong_blocks": measured.wrong_blocks,
        "first_wrong_at": measured.first_wrong_at,
        "hottest_c": _hottest(measured.trace.temperature_c),
    }
