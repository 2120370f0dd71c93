"""What the drive's temperature says of the heat that each byte made.

While a drive throttles, its heat falls as its rate does. When its fast cache is full, a byte
goes straight to its final place and makes 1.5 to 5 times as much heat. So the temperature after
a drop tells the two apart, wherever it happened: the course of two nodes, drive and case, is
fitted with the heat of a byte after the drop left open.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.fft import irfft, next_fast_len, rfft

from vastcellar.core.trace import FloatArray, Trace

_MOST_STEPS = 360
_SENSOR_LAGS_S = (2.0, 5.0)  # sensors lag 1 to 3 s, and are asked every 1 to 5 s
_FAST_S = np.geomspace(6.0, 200.0, 12)
_SLOW_S = np.geomspace(110.0, 3600.0, 10)
# 0.3 to 1.2 W of idling against 1.2 to 5 J a GB; 0 where it had warmed up by that before.
_IDLE_AS_GB_PER_S = np.array([0.0, 0.15, 0.5])
_FACTORS = np.geomspace(0.5, 6.5, 15)
# Where a cache may run out unseen: behind a slow link before a drop, or throttled after it.
# Shortly before a first drop isn't tried: it can't be told from the drop, and is a coincidence.
_HIDDEN_BEFORE = np.array([0.3, 0.6])
_HIDDEN_SHORTLY_S = (8.0, 40.0)
_HIDDEN_AT = np.array([0.06, 0.2, 0.5, 0.85])
_LEAST_DIRECT = 1.4  # direct writing makes 1.5 to 5 times the heat of a byte in the cache
_SURELY_CACHED = 1.2
# Idling, a bridge and folding weigh more on a slower byte: a throttled drive's byte was seen to
# make up to 2.2 times the heat of one before.
_SURELY_DIRECT = 3.0
_WORST_RMS_K = 0.75
# Readings are whole degrees: a fit can't be better than their rounding.
_ROUNDING_K = 0.29
# Neighbouring readings of a slow curve err together; so many count as one.
_TOGETHER_S = 18.0
_TOLERANCE_SIGMA = 3.0
_LEAST_RISE_K = 6.0
_LEAST_AFTER_S = 45.0
_LEAST_BEFORE_S = 8.0


@dataclass(frozen=True, slots=True)
class CliffWeight:
    """Whether the temperature admits that the cache ran out at a drop, and that it didn't.

    ``low`` and ``high`` are the heat of a byte after the drop over that before it, as the
    temperature has it if the cache ran out there and nowhere else.
    """

    may_be_cliff: bool
    may_be_heat: bool
    low: float
    high: float


@dataclass(frozen=True)
class _Fit:
    residual: float
    factors: FloatArray
    """Those within the tolerance of the best."""


def _between(begin_s: float, drops_s: list[float], end_s: float) -> FloatArray:
    """Return moments between and soon after the drops, at which something unseen may change."""
    before = begin_s + (drops_s[0] - begin_s) * _HIDDEN_BEFORE
    bounds = np.array([*drops_s, end_s])
    inside = bounds[:-1, None] + np.diff(bounds)[:, None] * _HIDDEN_AT[None, :]
    # More heat a byte soon brings on the next stage: before a later drop it is no coincidence.
    short = np.array([later - before_s for later in drops_s[1:] for before_s in _HIDDEN_SHORTLY_S])
    moments: FloatArray = np.unique(np.concatenate([before, inside.ravel(), short]))
    return moments


class HeatBalance:
    """The temperature of a trace against what was written; pauses count as such."""

    def __init__(self, trace: Trace) -> None:
        known = np.isfinite(trace.temperature_c)
        begin_s = float(trace.elapsed_s[0])
        duration_s = trace.duration_s - begin_s
        self._step_s = max(1.0, duration_s / _MOST_STEPS)
        edges = begin_s + np.arange(0.0, duration_s + 1e-9, self._step_s)
        self._middle_s = edges[:-1] + self._step_s / 2
        written = np.interp(edges, trace.elapsed_s, trace.written_bytes)
        self._gb_per_s = np.diff(written) / self._step_s / 1e9
        self._celsius = np.empty(0)
        self._readings: list[FloatArray] = []
        self.rise_k = 0.0
        if int(known.sum()) >= 20:
            times, values = trace.elapsed_s[known], trace.temperature_c[known]
            self._readings = [
                np.interp(self._middle_s + lag_s, times, values) for lag_s in _SENSOR_LAGS_S
            ]
            self._celsius = self._readings[0]
            self.rise_k = float(np.ptp(self._celsius))
        self._is_usable = self._celsius.size >= 60 and self.rise_k >= _LEAST_RISE_K
        if not self._is_usable:
            return
        decay_s = np.concatenate([_FAST_S, _SLOW_S])
        # y[n] = (1 - share) y[n - 1] + share x[n], as a convolution: all constants at once.
        share = 1 - np.exp(-self._step_s / decay_s)[:, None]
        count = self._middle_s.size
        self._left = (1 - share) ** np.arange(count + 1)[None, :]
        size = next_fast_len(2 * count, real=True)
        spectrum = rfft(share * self._left[:, :-1], size) * rfft(self._gb_per_s, size)
        self._smooth_whole: FloatArray = irfft(spectrum, size)[:, :count]
        self._idle = 1.0 - self._left[:, 1:].astype(
            np.float64
        )  # what a constant 1 comes to, smoothed
        fast, slow = np.meshgrid(np.arange(_FAST_S.size), np.arange(_SLOW_S.size))
        apart = _SLOW_S[slow] > 2.5 * _FAST_S[fast]
        self._fast, self._slow = fast[apart], slow[apart] + _FAST_S.size

    def _smoothed_from(self, first: int, seen: int) -> FloatArray:
        """Return what was written from step *first* on, smoothed, shape (constants, seen).

        What was written before is forgotten by as much each step: it is taken off what is left.
        """
        after = np.zeros((self._smooth_whole.shape[0], seen))
        if first < seen:
            after[:, first:] = self._smooth_whole[:, first:seen]
        if 0 < first < seen:
            before = self._smooth_whole[:, first - 1 : first]
            after[:, first:] -= before * self._left[:, 1 : seen - first + 1]
        return after

    def weigh(self, drops_s: list[float], end_s: float) -> list[CliffWeight] | None:
        """Say of each drop of the first run whether the temperature admits cliff or heat there.

        At most one drop is the cliff. If none is, the cache may still have run out unseen: where
        the link or the throttle holds the rate below what follows the cache.

        Args:
            drops_s: moments of the lasting drops, rising.
            end_s: of the run.

        Returns:
            One weight a drop; None where the temperature doesn't tell: no sensor, hardly any
            warming, too short a time, or a course that two nodes from rest don't meet.

        """
        seen = int(np.searchsorted(self._middle_s, end_s))
        times = self._middle_s[:seen]
        if not self._is_usable or not drops_s or (end_s - drops_s[0]) < _LEAST_AFTER_S:
            return None
        if (times < drops_s[0]).sum() * self._step_s < _LEAST_BEFORE_S:
            return None
        drops = np.searchsorted(times, drops_s)
        self._choose_lag(int(drops[0]), seen)
        at_cliff = [self._fit(int(drop), seen) for drop in drops]
        hidden = np.unique(np.searchsorted(times, _between(float(times[0]), drops_s, end_s)))
        unseen = [self._fit(int(moment), seen).residual for moment in hidden]
        none = float(self._residuals(seen, seen)[0])
        heat = min([none, *unseen])
        best = min([heat, *(fit.residual for fit in at_cliff)])
        rms_k = (best / seen) ** 0.5
        if rms_k > _WORST_RMS_K:
            return None
        allowed = best + self._tolerance(rms_k)
        fits = [fit.residual <= allowed for fit in at_cliff]
        return [
            CliffWeight(
                # Any unseen change soon after may meet the temperature better than one right at
                # the drop; the cliff is only impossible where its heat is missing, too.
                may_be_cliff=fits[index] or float(fit.factors.max()) > _SURELY_CACHED,
                may_be_heat=heat <= allowed
                or float(fit.factors.min()) < _SURELY_DIRECT
                or any(fit_there for other, fit_there in enumerate(fits) if other != index),
                low=float(fit.factors.min()),
                high=float(fit.factors.max()),
            )
            for index, fit in enumerate(at_cliff)
        ]

    def _choose_lag(self, first: int, seen: int) -> None:
        """Take the lag of the sensor with which the temperature is met best."""
        met = []
        for reading in self._readings:
            self._celsius = reading
            met.append(float(self._residuals(first, seen).min()))
        self._celsius = self._readings[int(np.argmin(met))]

    def _tolerance(self, rms_k: float) -> float:
        sigma = max(rms_k, _ROUNDING_K)
        return float((_TOLERANCE_SIGMA * sigma) ** 2 * max(_TOGETHER_S / self._step_s, 1.0))

    def _fit(self, first: int, seen: int) -> _Fit:
        """Return the best fit with direct writing from *first* on, at a factor it can have."""
        residual = self._residuals(first, seen)
        allowed = residual.min() + self._tolerance((residual.min() / seen) ** 0.5)
        can_be = _FACTORS >= _LEAST_DIRECT
        return _Fit(float(residual[can_be].min()), _FACTORS[residual <= allowed])

    def _residuals(self, first: int, seen: int) -> FloatArray:
        """Return the least sum of squares for each factor, over all pairs of time constants.

        T = T0 + A_fast (y_fast1 + k y_fast2 + p z_fast) + A_slow (y_slow1 + k y_slow2 + p z_slow),
        both A >= 0, with y the written rate before (1) and from step *first* on (2) and z a
        constant power since the start, smoothed by each time constant; of the first *seen*
        steps. The constant power is that of idling: a drive cold from the shelf warms by it
        while it writes, and what is left out of a course would be charged to the bytes.
        """
        after = self._smoothed_from(first, seen)
        before = self._smooth_whole[:, :seen] - after
        flat = np.stack([before, after, self._idle[:, :seen]], axis=1).reshape(-1, seen)
        centred = flat - flat.mean(axis=1, keepdims=True)  # takes T0 out
        celsius = self._celsius[:seen] - self._celsius[:seen].mean()
        gram, along = centred @ centred.T, centred @ celsius
        total = float(celsius @ celsius)
        # Rows: the factor of a byte after; layers: the idle power, as the rate that warms alike.
        k, idle = _FACTORS[:, None], _IDLE_AS_GB_PER_S[:, None, None]

        def mixed(row: np.ndarray, column: np.ndarray) -> FloatArray:
            r, c = 3 * row, 3 * column
            written: FloatArray = (
                gram[r, c] + k * (gram[r, c + 1] + gram[r + 1, c]) + k * k * gram[r + 1, c + 1]
            )
            beside = gram[r, c + 2] + gram[r + 2, c] + k * (gram[r + 1, c + 2] + gram[r + 2, c + 1])
            value: FloatArray = written + idle * beside + idle * idle * gram[r + 2, c + 2]
            return value

        fast, slow = self._fast, self._slow
        ff, ss, fs = mixed(fast, fast), mixed(slow, slow), mixed(fast, slow)
        bf = along[3 * fast] + k * along[3 * fast + 1] + idle * along[3 * fast + 2]
        bs = along[3 * slow] + k * along[3 * slow + 1] + idle * along[3 * slow + 2]
        determinant = ff * ss - fs * fs
        with np.errstate(divide="ignore", invalid="ignore"):
            amp_f = (bf * ss - bs * fs) / determinant
            amp_s = (bs * ff - bf * fs) / determinant
            both = np.where(
                (amp_f >= 0) & (amp_s >= 0) & (determinant > 1e-12 * ff * ss),
                amp_f * bf + amp_s * bs,
                -np.inf,
            )
            only_f = np.where(bf > 0, bf * bf / ff, 0.0)
            only_s = np.where(bs > 0, bs * bs / ss, 0.0)
        explained = np.maximum(both, np.maximum(only_f, only_s)).max(axis=(0, 2))
        residual: FloatArray = np.maximum(total - explained, 0.0)
        return residual
