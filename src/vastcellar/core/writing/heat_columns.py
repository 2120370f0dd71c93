"""The heat of many drives at once: ``heat.HeatPath`` and ``heat.Course`` as arrays."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.writing.heat import decay_per_s

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]

_NEWTON_ROUNDS = 60
_CROSSING_TOLERANCE_S = 1e-6


class HeatPaths(Protocol):
    """Many heat paths; arrays of shape (n,)."""

    fast: FloatArray
    slow: FloatArray
    """Eigenvalues, per second."""
    coupling: FloatArray
    """1/(R12 C1): how fast a drive follows its case, per second."""

    def steady_c(self, watts: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Return the steady temperatures of drives and cases at *watts* in each drive."""


class HeatPathColumns:
    """Heat paths as columns of shape (n,); units as in ``heat.HeatPath``."""

    def __init__(
        self,
        drive_j_per_k: FloatArray,
        case_j_per_k: FloatArray,
        drive_to_case_k_per_w: FloatArray,
        case_to_room_k_per_w: FloatArray,
        bridge_w: FloatArray,
        ambient_c: FloatArray,
    ) -> None:
        self._r12, self._r2a = drive_to_case_k_per_w, case_to_room_k_per_w
        self._bridge_w, self.ambient_c = bridge_w, ambient_c
        self.coupling = 1 / (drive_to_case_k_per_w * drive_j_per_k)
        self.fast, self.slow = decay_per_s(
            drive_j_per_k, case_j_per_k, drive_to_case_k_per_w, case_to_room_k_per_w
        )

    def steady_c(self, watts: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Return the steady temperatures of drives and cases at *watts* in each drive."""
        case_c = self.ambient_c + self._r2a * (watts + self._bridge_w)
        return case_c + self._r12 * watts, case_c


class Courses:
    """``heat.Course`` for many drives: how their temperatures run on while the power stays.

    Moments may have any shape that goes with (n,): (n,) for one each, (m, 1) for m of all.
    """

    def __init__(
        self, paths: HeatPaths, watts: FloatArray, drive_c: FloatArray, case_c: FloatArray
    ) -> None:
        self._steady, self._case_steady = paths.steady_c(watts)
        u1, u2 = drive_c - self._steady, case_c - self._case_steady
        self._fast, self._slow, self._coupling = paths.fast, paths.slow, paths.coupling
        fast_part = -(self._coupling * (u2 - u1) + self._slow * u1) / (self._fast - self._slow)
        self._fast_part, self._slow_part = fast_part, u1 - fast_part

    def drive_c(self, after_s: FloatArray) -> FloatArray:
        """Return every drive's temperature *after_s* seconds."""
        fast_now: FloatArray = self._fast_part * np.exp(-self._fast * after_s)
        slow_now: FloatArray = self._slow_part * np.exp(-self._slow * after_s)
        return self._steady + fast_now + slow_now

    def case_c(self, after_s: FloatArray) -> FloatArray:
        """Return every enclosure's temperature *after_s* seconds."""
        fast_now: FloatArray = self._fast_part * np.exp(-self._fast * after_s)
        slow_now: FloatArray = self._slow_part * np.exp(-self._slow * after_s)
        case_c: FloatArray = (
            self._case_steady
            + (1 - self._fast / self._coupling) * fast_now
            + (1 - self._slow / self._coupling) * slow_now
        )
        return case_c

    def turns_after_s(self) -> FloatArray:
        """Return when each drive's temperature turns round, infinity where it never does."""
        a, b = self._fast_part, self._slow_part
        with np.errstate(divide="ignore", invalid="ignore"):
            argument = -a * self._fast / (b * self._slow)
            turn = np.log(argument) / (self._fast - self._slow)
        return np.where((a * b < 0) & (argument > 1), turn, np.inf)

    def reaches_after_s(
        self, threshold_c: FloatArray, horizon_s: FloatArray, sign: float
    ) -> FloatArray:
        """Return when each drive first reaches its threshold within its horizon, else infinity.

        A curve can come and go within one interval, so its turning point is tested first.
        """
        found = np.full(horizon_s.size, np.inf)
        wanted = np.isfinite(threshold_c)
        if not wanted.any():
            return found

        def beyond(after_s: FloatArray) -> FloatArray:
            value: FloatArray = sign * (self.drive_c(after_s) - threshold_c)
            return value

        at_once = wanted & (beyond(np.zeros_like(horizon_s)) >= 0)
        found[at_once] = 0.0
        turn = self.turns_after_s()
        inside = turn < horizon_s
        turn_or_0 = np.where(inside, turn, 0.0)
        before_turn = inside & (beyond(turn_or_0) >= 0)
        low = np.where(inside & ~before_turn, turn_or_0, 0.0)
        high = np.where(before_turn, turn_or_0, horizon_s)
        rows = np.flatnonzero(wanted & ~at_once & (before_turn | (beyond(horizon_s) >= 0)))
        if rows.size:
            found[rows] = self._newton(rows, threshold_c[rows], low[rows], high[rows], sign)
        return found

    def _newton(
        self,
        rows: IntArray,
        threshold_c: FloatArray,
        low: FloatArray,
        high: FloatArray,
        sign: float,
    ) -> FloatArray:
        """Bracketed Newton on monotone stretches; a step out of its bracket halves it instead."""
        fast, slow = self._fast[rows], self._slow[rows]
        a, b = self._fast_part[rows], self._slow_part[rows]
        goal = self._steady[rows] - threshold_c
        at = (low + high) / 2
        for _ in range(_NEWTON_ROUNDS):
            fast_now, slow_now = a * np.exp(-fast * at), b * np.exp(-slow * at)
            value = sign * (goal + fast_now + slow_now)
            low, high = np.where(value < 0, at, low), np.where(value < 0, high, at)
            slope = sign * (-fast * fast_now - slow * slow_now)
            with np.errstate(divide="ignore", invalid="ignore"):
                newton = at - value / slope
            inside = (slope > 0) & (newton > low) & (newton < high)
            nearer = np.where(inside, newton, (low + high) / 2)
            if np.all(np.abs(nearer - at) < _CROSSING_TOLERANCE_S):
                return nearer
            at = nearer
        return high
