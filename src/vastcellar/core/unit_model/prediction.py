"""What the model predicts of a run, beside what the run then measured."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from vastcellar.core.diagnosis.causes import Diagnosis, Estimate
from vastcellar.core.parts.parts import WriteBehaviour
from vastcellar.core.trace import Trace
from vastcellar.core.writing.drive_in_use import EventKind
from vastcellar.core.writing.heat import HeatPath
from vastcellar.core.writing.write_profile import Phase, WriteProfile, write_profile

_FELL = 0.93  # a rate that falls by less is not seen as a drop


@dataclass(frozen=True)
class WrittenRun:
    """One flat-out run from rest, and what is known of where it was made."""

    trace: Trace
    path: HeatPath
    link_cap_bytes_per_s: float
    free_bytes: float
    capacity_bytes: float
    is_direct: bool = True


def predicted_run(behaviour: WriteBehaviour, run: WrittenRun, duration_s: float) -> WriteProfile:
    """Return what the model *behaviour* makes of *run* in so many seconds, from rest."""
    return write_profile(
        behaviour,
        run.path,
        run.link_cap_bytes_per_s,
        (Phase(math.inf, duration_s),),
        free_bytes=run.free_bytes,
        capacity_bytes=run.capacity_bytes,
    )


@dataclass(frozen=True, slots=True)
class PredictionCheck:
    """A run beside its model, over the time that the run lasted.

    Rates are bytes over that time; first drops in bytes written, None where there was none.
    """

    measured_bytes_per_s: float
    predicted_bytes_per_s: Estimate
    measured_drop_bytes: float | None
    predicted_drop_bytes: float | None

    @property
    def off_share(self) -> float:
        """How far the measurement lies from the prediction: -0.1 is a tenth slower."""
        return self.measured_bytes_per_s / self.predicted_bytes_per_s.value - 1

    @property
    def is_as_predicted(self) -> bool:
        """Whether the measurement lies inside the prediction's interval."""
        span = self.predicted_bytes_per_s
        return span.low <= self.measured_bytes_per_s <= span.high


def first_drop_bytes(run: WriteProfile) -> float | None:
    """Return the bytes written when the model's rate first fell, None where it never did."""
    for before, after in zip(run.intervals, run.intervals[1:], strict=False):
        full_or_hot = before.written_bytes_per_s * _FELL > after.written_bytes_per_s > 0
        if full_or_hot:
            return after.written_at_start_bytes
    return None


def beside_model(
    run: WrittenRun,
    behaviour: WriteBehaviour,
    found: Diagnosis | None,
    possible: Sequence[WriteBehaviour] = (),
    known_share: float = 0.1,
) -> PredictionCheck | None:
    """Return *run* beside what *behaviour* predicted of it; None where nothing was written.

    Args:
        run: as it was measured.
        behaviour: the best that was known of the drive before.
        found: the run's diagnosis, for its first drop.
        possible: behaviours that earlier runs leave possible; their middle nine tenths make the
            interval of the prediction.
        known_share: half its width at least, and its whole width without *possible*: what the
            typical figures of a link and a room leave open.

    """
    duration_s = run.trace.duration_s
    if duration_s <= 0 or run.trace.written_bytes[-1] <= 0:
        return None
    model = predicted_run(behaviour, run, duration_s)
    rate = model.written_bytes / duration_s
    if rate <= 0:
        return None
    low, high = rate * (1 - known_share), rate * (1 + known_share)
    if possible:
        rates = [predicted_run(each, run, duration_s).written_bytes / duration_s for each in
                 possible]  # fmt: skip
        low = min(low, float(np.quantile(rates, 0.05)))
        high = max(high, float(np.quantile(rates, 0.95)))
    filled = model.first(EventKind.DRIVE_FULL)
    dropped = first_drop_bytes(model)
    if dropped is not None and filled is not None and dropped >= filled.written_bytes:
        dropped = None
    return PredictionCheck(
        measured_bytes_per_s=float(run.trace.written_bytes[-1]) / duration_s,
        predicted_bytes_per_s=Estimate(rate, low, high),
        measured_drop_bytes=found.drops[0].written_bytes if found and found.drops else None,
        predicted_drop_bytes=dropped,
    )
