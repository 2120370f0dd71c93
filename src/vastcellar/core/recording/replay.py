"""One measured trace answers every format: replay it against any camera's rate and buffer."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from vastcellar.core.errors import BadValueError
from vastcellar.core.evidence import LEAST_SHORTFALL, Verdict, verdict_for_margin
from vastcellar.core.recording.recorder import FluidOutcome, fluid_outcome
from vastcellar.core.shoot.needs import Need
from vastcellar.core.shoot.shoot import Camera
from vastcellar.core.trace import FloatArray, Trace, rates_bytes_per_s

_STEP_S = 0.5
_LONGEST_BRIDGED_S = 30.0
"""However large a buffer is, a low of half a minute is none of its business (typical)."""


@dataclass(frozen=True, slots=True)
class Replay:
    """What a camera would have met on the drive that was measured.

    ``margin`` is None where the trace ends before the take: what lies beyond isn't known.
    """

    verdict: Verdict
    margin: float | None
    outcome: FluidOutcome
    seen_bytes: float
    seen_s: float
    covered_share: float
    """Of the longest take, how much the trace has seen."""


def replay(trace: Trace, camera: Camera, need: Need) -> Replay:
    """Return how *camera*'s longest take would have gone on the drive of *trace*.

    The trace must be of flat-out writing: a paced one shows no more than its pace. It is walked
    by bytes, not by time: what a drive can take after so many bytes is asked when the camera
    has recorded as many; where the drive is slower than the camera, both run in the drive's own
    time, to the end of the take. That is strict for cache and heat, since a slower camera leaves
    a drive more time to fold and to cool.
    Raises BadValueError for a trace of under a second.
    """
    _, rates = rates_bytes_per_s(trace, _STEP_S)
    if not rates.size:
        raise BadValueError(
            "it is shorter than half a second", where="trace", mend="Measure for longer"
        )
    average = need.average_bytes_per_s
    seen = float(trace.written_bytes[-1])
    # A step of the trace lasts for the camera as long as it takes to record the same bytes; a
    # stall, in which nothing was written, lasts as long as it did.
    written = rates * _STEP_S
    durations = np.where(written > 0, np.maximum(written / average, _STEP_S), _STEP_S)
    begins = np.concatenate([[0.0], np.cumsum(durations)])
    covered = min(float(begins[-1]) / camera.longest_take_s, 1.0)
    used = begins[:-1] < camera.longest_take_s
    durations = np.minimum(durations, camera.longest_take_s - begins[:-1])
    outcome = fluid_outcome(
        zip(durations[used].tolist(), rates[used].tolist(), strict=True),
        average,
        camera.buffer_bytes,
    )
    needed = need.needed_write_bytes_per_s
    # A buffer bridges a dip as long as itself: what must reach the need is the mean over that.
    bridged_s = min(max(camera.buffer_bytes / needed, 1.0), _LONGEST_BRIDGED_S)
    lowest = lowest_mean_bytes_per_s(rates[used], round(bridged_s / _STEP_S))
    margin = lowest / needed - 1
    if outcome.lost_bytes > 0:
        margin = min(margin, -outcome.lost_bytes / need.longest_take_bytes, -LEAST_SHORTFALL)
    elif covered < 1:
        return Replay(Verdict.NOT_KNOWN, None, outcome, seen, trace.duration_s, covered)
    return Replay(verdict_for_margin(margin), margin, outcome, seen, trace.duration_s, covered)


_LONGEST_RECORDING_S = 24 * 3600.0
USUAL_CACHE_BYTES = 24e9
"""The fixed part of a fast cache is at most so large (typical); what follows free space is more,
and shows only in a run as long as the take."""


@dataclass(frozen=True, slots=True)
class Recordable:
    """How long a camera could record onto the drive of a trace, from rest."""

    seconds: float
    loses_then: bool
    """Whether a frame is lost after so long; else the trace ends, and beyond isn't known."""
    needs_bytes: float = 0.0
    """What a run has to write to tell; 0 for one that outlasted buffer and fast cache."""
    needs_s: float = 0.0
    """How long that takes at the rate of this one."""


def recordable(trace: Trace, camera: Camera, need: Need) -> Recordable:
    """Return how long *camera* could have recorded onto the drive of *trace*.

    Walked as ``replay`` walks it, for as long as the trace has bytes, up to a day.
    Raises BadValueError for a trace of under half a second.
    """
    endless = replay(trace, replace(camera, longest_take_s=_LONGEST_RECORDING_S), need)
    if endless.outcome.lost_bytes > 0:
        return Recordable(endless.outcome.first_loss_s, loses_then=True)
    seconds = endless.covered_share * _LONGEST_RECORDING_S
    rate = endless.seen_bytes / endless.seen_s
    wanted = min(_telling_bytes(rate, camera, need), need.longest_take_bytes)
    if endless.seen_bytes >= wanted or seconds >= camera.longest_take_s:
        return Recordable(seconds, loses_then=False)
    return Recordable(seconds, loses_then=False, needs_bytes=wanted, needs_s=wanted / rate)


def _telling_bytes(rate_bytes_per_s: float, camera: Camera, need: Need) -> float:
    """Return what a run at *rate_bytes_per_s* has to write until it says something of *camera*.

    Until then the camera's buffer may have stood in for the drive, or the drive's fast cache. A
    drive slower than the camera tells when the buffer is full: B / (R - r).
    """
    lacking = need.average_bytes_per_s - rate_bytes_per_s
    if lacking > 0:
        return rate_bytes_per_s * camera.buffer_bytes / lacking
    return camera.buffer_bytes + USUAL_CACHE_BYTES


def lowest_mean_bytes_per_s(rates_bytes_per_s: FloatArray, steps: int) -> float:
    """Return the lowest mean of so many neighbouring *rates_bytes_per_s*, shape (n,).

    Of fewer rates than *steps* it is the mean of all.
    """
    window = min(max(steps, 1), rates_bytes_per_s.size)
    total = np.concatenate([[0.0], np.cumsum(rates_bytes_per_s)])
    return float(((total[window:] - total[:-window]) / window).min())
