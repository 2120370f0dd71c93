"""The place of a fall, to a fraction of a second: two lines through the bytes around it."""

from __future__ import annotations

import numpy as np

from vastcellar.core.diagnosis.levels import Drop, Level, temperature_at_c
from vastcellar.core.trace import Trace

_FIT_S = 6.0


def place_drop(trace: Trace, before: Level, after: Level) -> Drop:
    """Place a fall where two lines through the bytes around it fit best."""
    at_s, error_s = _two_line_knee(trace, before, after)
    at_bytes = float(np.interp(at_s, trace.elapsed_s, trace.written_bytes))
    return Drop(
        at_s=at_s,
        written_bytes=at_bytes,
        before_bytes_per_s=before.bytes_per_s,
        after_bytes_per_s=after.bytes_per_s,
        held_s=after.end_s - at_s,
        at_c=temperature_at_c(trace, at_s),
        error_bytes=error_s * before.bytes_per_s,
    )


def _two_line_knee(trace: Trace, before: Level, after: Level) -> tuple[float, float]:
    """Return (moment, error) in s of the knee within +-6 s of where the one level ends."""
    at_s = after.start_s
    low_s = max(before.end_s - _FIT_S, before.start_s)
    high_s = min(at_s + _FIT_S, after.end_s)
    times = np.arange(low_s, high_s + 1e-9, 0.25)
    if times.size < 8:
        return at_s, 1.0
    written = np.interp(times, trace.elapsed_s, trace.written_bytes)
    knees = times[4:-4:1]
    # Hinge fit for every knee at once: 1, t, (t - knee)+ by normal equations.
    centred = times - times.mean()
    hinge = np.maximum(times[None, :] - knees[:, None], 0.0)
    base = np.stack([np.ones_like(times), centred])
    solve, *_ = np.linalg.lstsq(base.T, written, rcond=None)
    rest = written - solve @ base
    fit_hinge = np.linalg.lstsq(base.T, hinge.T, rcond=None)[0]
    free = hinge - fit_hinge.T @ base
    power = (free * free).sum(axis=1)
    along = free @ rest
    error = (rest * rest).sum() - np.where(power > 0, along * along / np.maximum(power, 1e-9), 0.0)
    best = int(error.argmin())
    # Rounding may leave a perfect fit slightly below 0.
    near = knees[error <= error[best] + 0.5 * abs(error[best])]
    return float(knees[best]), max(float(np.ptp(near)) / 2, 0.25)
