"""The write model of one unit, fitted to what its own runs measured.

The catalog's typical figures are where the fit begins and, with their usual spread, what it
leans on where the runs tell nothing: least squares with a prior, so that a run which never
reached the cache's end doesn't invent one.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.optimize import least_squares

from vastcellar.core.diagnosis.causes import Cause, Diagnosis
from vastcellar.core.diagnosis.diagnose import diagnose
from vastcellar.core.diagnosis.host_burst import AT_LINK
from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.parts import WriteBehaviour
from vastcellar.core.trace import FloatArray
from vastcellar.core.unit_model.fitted_model import (
    Calibration,
    Parameter,
    active_parameters,
    adjusted,
    fitted_figures,
)
from vastcellar.core.unit_model.prediction import WrittenRun, predicted_run
from vastcellar.core.writing.drive_in_use import (
    cache_capacity_bytes,
    fold_while_writing_bytes_per_s,
)
from vastcellar.core.writing.write_profile import sample

_BINS = 90
_FEWEST_BINS = 8
_TEETH, _TEETH_A_BIN = 3, 2
_LOOKS = 5
_READ_OFF_SHARE = 0.03
_LEAST_NOISE = 0.02
_SENSOR_K = 2.0
_SMALLEST_BIN_SHARE = 0.05
_STEP = 0.02  # of a prior's spread: far above the tolerance of an event, far below a knee's width
_SHORTEST_S = 10.0
_ROOM_LEFT = 1.05
_MOST_EVALUATIONS = 60


@dataclass(frozen=True)
class _Usable:
    """A run cut to what may be learned from: binned, with its noise."""

    run: WrittenRun
    found: Diagnosis
    edges_s: FloatArray
    binned_bytes: FloatArray
    noise_bytes: FloatArray
    looked_at_s: FloatArray
    """Moments inside the bins at which the model's temperature is taken, shape (bins, m)."""
    binned_c: FloatArray
    """Mean temperature in each bin, nan where there was none."""


def calibrate(typical: WriteBehaviour, runs: Sequence[WrittenRun]) -> Calibration:
    """Return the behaviour of the unit that made *runs*, beginning at its class's *typical* one.

    Each run counts up to the first drop whose cause isn't decided. Uncertainties come from the
    Jacobian at the optimum, widened where the model misses the data by more than their noise and
    where neighbouring misses go together.

    Args:
        typical: of the drive's class; the prior.
        runs: from rest, past the host's memory, at least one.

    Raises:
        BadValueError: where no run is long enough, or none can be learned from.

    References:
        Gauss-Newton covariance of nonlinear least squares; an effective sample size from the
        integrated autocorrelation time of the residuals.

    """
    usable, questions = _usable(runs)
    active = active_parameters(typical)

    def misses(place: FloatArray) -> FloatArray:
        behaviour = adjusted(typical, place)
        parts = [_misses(behaviour, each) for each in usable]
        return np.concatenate([*parts, place])

    def slopes(place: FloatArray) -> FloatArray:
        columns = []
        for index in range(place.size):
            step = np.zeros(place.size)
            step[index] = _STEP
            columns.append((misses(place + step) - misses(place - step)) / (2 * _STEP))
        return np.stack(columns, axis=1)

    starts = _starts(typical, active, usable)
    ranked = sorted(starts, key=lambda place: float(np.sum(np.log1p(misses(place) ** 2))))
    fits = [
        least_squares(
            misses,
            start,
            jac=slopes,
            bounds=(-4.0, 4.0),
            loss="soft_l1",
            max_nfev=_MOST_EVALUATIONS,
        )
        for start in ranked[:2]
    ]
    best = min(fits, key=lambda fit: float(fit.cost))
    place = np.asarray(best.x, dtype=np.float64)
    covariance = _covariance(np.asarray(best.jac), misses(place), place.size)
    behaviour = adjusted(typical, place)
    return Calibration(
        typical=typical,
        behaviour=behaviour,
        figures=fitted_figures(typical, behaviour, active, covariance, usable[-1].run.free_bytes),
        place=place,
        covariance=covariance,
        misfit=_misfit(behaviour, usable),
        open_questions=tuple(questions),
    )


def _usable(runs: Sequence[WrittenRun]) -> tuple[list[_Usable], list[str]]:
    usable: list[_Usable] = []
    questions: list[str] = []
    for run in runs:
        found = diagnose(run.trace, run.link_cap_bytes_per_s, is_direct=run.is_direct)
        if Cause.HOST_CACHE in found.causes:
            continue  # what memory swallowed is not in the drive's rate
        undecided = [each.at_s for each in found.findings if each.cause is None and each.at_s > 0]
        until_s = min(undecided, default=run.trace.duration_s)
        if undecided and found.deciding_test not in questions:
            questions.append(found.deciding_test)
        if until_s >= _SHORTEST_S:
            usable.append(_binned(run, found, until_s))
    if not usable:
        raise BadValueError(
            "no run shows long enough what it did and why",
            where="calibration",
            mend=questions[0] if questions else "Write flat out past the first drop",
        )
    return usable, questions


def _binned(run: WrittenRun, found: Diagnosis, until_s: float) -> _Usable:
    trace = run.trace
    bins = max(min(_BINS, int(until_s)), 1)
    if len(found.dips) >= _TEETH:
        # Teeth of a sawtooth can't be met one by one; whole ones have a mean that can.
        period_s = float(np.median(np.diff([dip.start_s for dip in found.dips])))
        bins = max(min(bins, int(until_s / (_TEETH_A_BIN * period_s))), _FEWEST_BINS)
    edges = np.linspace(0.0, until_s, bins + 1)
    binned = np.diff(np.interp(edges, trace.elapsed_s, trace.written_bytes))
    usual = np.maximum(binned, _SMALLEST_BIN_SHARE * binned.max())
    steps = np.abs(np.diff(np.log(usual)))
    noise = max(_LEAST_NOISE, float(np.median(steps)) if steps.size else 0.0)
    known = np.isfinite(trace.temperature_c)
    inside = edges[:-1, None] + np.diff(edges)[:, None] * (np.arange(_LOOKS) + 0.5) / _LOOKS
    celsius = np.full(inside.shape, np.nan)
    if known.any():
        celsius = np.interp(inside, trace.elapsed_s[known], trace.temperature_c[known])
    # What burst at or near the link's typical rate was the link: as fast as it showed itself.
    cap = run.link_cap_bytes_per_s
    if found.burst_bytes_per_s >= cap * (1 - AT_LINK):
        cap = found.burst_bytes_per_s
    return _Usable(
        run=replace(run, link_cap_bytes_per_s=cap),
        found=found,
        edges_s=edges,
        binned_bytes=binned,
        noise_bytes=noise * usual,
        looked_at_s=inside,
        binned_c=celsius.mean(axis=1),
    )


def _misses(behaviour: WriteBehaviour, usable: _Usable) -> FloatArray:
    """Return how far the model is from a run, in spreads of its noise."""
    model = predicted_run(behaviour, usable.run, float(usable.edges_s[-1]))
    written = sample(model, usable.edges_s).written_bytes
    rates = (np.diff(written) - usable.binned_bytes) / usable.noise_bytes
    parts = [rates, _read_off_misses(behaviour, usable.found)]
    if not np.isnan(usable.binned_c).any():
        looked_at = usable.looked_at_s
        warmth = sample(model, looked_at.ravel()).drive_c.reshape(looked_at.shape).mean(axis=1)
        parts.append((warmth - usable.binned_c) / _SENSOR_K)
    return np.concatenate(parts)


def _read_off_misses(behaviour: WriteBehaviour, found: Diagnosis) -> FloatArray:
    """Return how far the model is from what a run shows plainly, whatever its bins say.

    A drive can do what it did at its fastest. The mean over whole teeth of a sawtooth hardly
    depends on how low they go, so their lows and their start are read off.
    """
    at_least = min(math.log(behaviour.cache_write_bytes_per_s / found.burst_bytes_per_s), 0.0)
    misses = [at_least / _READ_OFF_SHARE]
    if Cause.THERMAL in found.causes and len(found.dips) >= _TEETH and behaviour.throttle:
        stage = behaviour.throttle[0]
        misses.append(math.log(stage.cap_bytes_per_s / _throttled_to(found)) / _READ_OFF_SHARE)
        if found.throttle_c is not None:
            misses.append((stage.on_c - found.throttle_c.value) / _SENSOR_K)
    return np.array(misses)


def _misfit(behaviour: WriteBehaviour, usable: Iterable[_Usable]) -> float:
    shares = []
    for each in usable:
        model = predicted_run(behaviour, each.run, float(each.edges_s[-1]))
        written = np.diff(sample(model, each.edges_s).written_bytes)
        floor = _SMALLEST_BIN_SHARE * each.binned_bytes.max()
        shares.append(np.abs(written - each.binned_bytes) / np.maximum(each.binned_bytes, floor))
    return float(np.median(np.concatenate(shares)))


def _starts(
    typical: WriteBehaviour, active: Sequence[Parameter], usable: Sequence[_Usable]
) -> list[FloatArray]:
    """Return places to begin at: the diagnosis read straight into the model, heat varied.

    A throttle that comes or doesn't is a step in the model, which no slope leads across.
    """
    number = {each.key: index for index, each in enumerate(active)}
    begin = np.zeros(len(active))

    def put(key: str, wanted: float, usual: float) -> None:
        if key in number and wanted > 0 and usual > 0:
            spread = active[number[key]].spread
            begin[number[key]] = np.clip(math.log(wanted / usual) / spread, -3.5, 3.5)

    for each in usable:
        found, run = each.found, each.run
        is_plain = len(found.dips) < _TEETH
        if is_plain and (found.burst_bytes_per_s < run.link_cap_bytes_per_s * (1 - AT_LINK)):
            put("cache_write_bytes_per_s", found.burst_bytes_per_s,
                typical.cache_write_bytes_per_s)  # fmt: skip
        if "cache_bytes" not in number:
            put("direct_write_bytes_per_s", found.burst_bytes_per_s,
                typical.direct_write_bytes_per_s)  # fmt: skip
        elif found.knee_bytes and Cause.CACHE in found.causes:
            after = found.rate_after_cache_bytes_per_s
            if after is not None:
                put("direct_write_bytes_per_s", after.value, typical.direct_write_bytes_per_s)
            size = _filled_by(adjusted(typical, begin), each, found.knee_bytes.value)
            put("cache_bytes", size, cache_capacity_bytes(typical, run.free_bytes))
        else:  # it was not full yet
            seen = float(np.interp(each.edges_s[-1], run.trace.elapsed_s, run.trace.written_bytes))
            now = adjusted(typical, begin)
            size = _filled_by(now, each, seen) * _ROOM_LEFT
            if size > cache_capacity_bytes(now, run.free_bytes):
                put("cache_bytes", size, cache_capacity_bytes(typical, run.free_bytes))
        if Cause.THERMAL in found.causes and (low := _throttled_to(found)):
            put("throttle_cap_bytes_per_s", low, typical.throttle[0].cap_bytes_per_s
                if typical.throttle else 0.0)  # fmt: skip
        if found.throttle_c is not None and "throttle_c" in number:
            offset_k = found.throttle_c.value - typical.throttle[0].on_c
            begin[number["throttle_c"]] = np.clip(offset_k / 4.0, -3.5, 3.5)
    starts = [np.zeros(len(active)), begin]
    for key, places in (("heat_j_per_gb", (-2.0, -1.0, 1.0, 2.0)), ("throttle_c", (-1.5, 1.5, 3))):
        for place in places if key in number else ():
            varied = begin.copy()
            varied[number[key]] = place
            starts.append(varied)
    return starts


def _throttled_to(found: Diagnosis) -> float:
    """Return the rate that heat capped the drive at: the lows of a sawtooth, or the last level."""
    if len(found.dips) >= _TEETH:
        return float(np.median([dip.bytes_per_s for dip in found.dips]))
    return found.drops[-1].after_bytes_per_s if found.drops else 0.0


def _filled_by(behaviour: WriteBehaviour, usable: _Usable, written_bytes: float) -> float:
    """Return how much of the cache so many bytes fill at the rate the run began with."""
    rate = min(usable.found.burst_bytes_per_s, behaviour.cache_write_bytes_per_s)
    net_share = 1 - fold_while_writing_bytes_per_s(behaviour, rate) / rate
    return written_bytes * max(net_share, 0.05)


def _covariance(slopes: FloatArray, misses: FloatArray, count: int) -> FloatArray:
    data, prior = slopes[:-count], slopes[-count:]
    rest = misses[:-count]
    spread = max(1.0, float(np.median(np.abs(rest))) / 0.6745) ** 2
    widened = spread * _autocorrelation_time(rest)
    inverse = np.linalg.inv(data.T @ data / widened + prior.T @ prior)
    return np.asarray(inverse, dtype=np.float64)


def _autocorrelation_time(values: FloatArray) -> float:
    """Return how many neighbours say the same: 1 for independent values.

    Sums the autocorrelation up to its first value that is not above 0.
    """
    centred = np.clip(values, -5.0, 5.0)
    centred = centred - centred.mean()
    power = float(centred @ centred)
    if power <= 0:
        return 1.0
    total = 1.0
    for lag in range(1, values.size // 3):
        share = float(centred[:-lag] @ centred[lag:]) / power
        if share <= 0:
            break
        total += 2 * share
    return total
