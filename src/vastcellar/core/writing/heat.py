"""Heat of a drive in its case: two nodes, drive and enclosure, towards the room.

Powers in W, temperatures in °C, resistances in K/W, heat capacities in J/K, times in s.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any, TypeVar

from vastcellar.core.checks import require_above_zero

Number = TypeVar("Number", float, Any)

_CROSSING_TOLERANCE_S = 1e-6


def decay_per_s(
    drive_j_per_k: Number,
    case_j_per_k: Number,
    drive_to_case_k_per_w: Number,
    case_to_room_k_per_w: Number,
) -> tuple[Number, Number]:
    """Return the fast and the slow eigenvalue per second, of floats or of arrays alike.

    The slow one comes from the product a c, since the difference form loses digits.
    """
    a = 1 / (drive_to_case_k_per_w * drive_j_per_k)
    b = 1 / (drive_to_case_k_per_w * case_j_per_k)
    c = 1 / (case_to_room_k_per_w * case_j_per_k)
    total = a + b + c
    fast = (total + (total * total - 4 * a * c) ** 0.5) / 2
    return fast, a * c / fast


@dataclass(frozen=True, slots=True)
class HeatPath:
    """Drive (capacity, resistance to the case), case (capacity, resistance to the room), room.

    C1 dT1/dt = P1 - (T1 - T2)/R12
    C2 dT2/dt = P2 + (T1 - T2)/R12 - (T2 - Ta)/R2a
    """

    drive_j_per_k: float
    case_j_per_k: float
    drive_to_case_k_per_w: float
    case_to_room_k_per_w: float
    bridge_w: float
    ambient_c: float

    def __post_init__(self) -> None:
        require_above_zero(
            "heat path",
            drive_j_per_k=self.drive_j_per_k,
            case_j_per_k=self.case_j_per_k,
            drive_to_case_k_per_w=self.drive_to_case_k_per_w,
            case_to_room_k_per_w=self.case_to_room_k_per_w,
        )

    @property
    def coupling_per_s(self) -> float:
        """1/(R12 C1): how fast the drive follows its case."""
        return 1 / (self.drive_to_case_k_per_w * self.drive_j_per_k)

    def decay_per_s(self) -> tuple[float, float]:
        """Return the fast and the slow eigenvalue, per second.

        The slow one comes from the product a c, since the difference form loses digits.
        """
        return decay_per_s(
            self.drive_j_per_k,
            self.case_j_per_k,
            self.drive_to_case_k_per_w,
            self.case_to_room_k_per_w,
        )

    def steady_c(self, drive_w: float) -> tuple[float, float]:
        """Return the steady temperatures (drive, case) at *drive_w*."""
        case_c = self.ambient_c + self.case_to_room_k_per_w * (drive_w + self.bridge_w)
        return case_c + self.drive_to_case_k_per_w * drive_w, case_c

    def idle_c(self, idle_w: float) -> tuple[float, float]:
        """Return the temperatures (drive, case) of a drive long at rest but powered."""
        return self.steady_c(idle_w)


FAN_CASE_SHARE, FAN_DRIVE_SHARE = 0.4, 0.8
"""What a fan on the case leaves of R2a and of R12 (typical)."""


def cooled(path: HeatPath) -> HeatPath:
    """Return *path* with a fan on the case."""
    return replace(
        path,
        case_to_room_k_per_w=FAN_CASE_SHARE * path.case_to_room_k_per_w,
        drive_to_case_k_per_w=FAN_DRIVE_SHARE * path.drive_to_case_k_per_w,
    )


def largest_rate_without_throttle_bytes_per_s(
    path: HeatPath, on_c: float, idle_w: float, j_per_gb: float
) -> float:
    """Return the largest steady rate that never warms the drive to *on_c*.

    0 where even idling does; infinite where writing makes no heat.
    Formula: 1000 [ (T_on - Ta - R2a P2)/(R12 + R2a) - P_idle ] / J in MB/s, from the steady
    state of the two nodes.
    """
    spare_k = on_c - path.ambient_c - path.case_to_room_k_per_w * path.bridge_w
    resistance = path.drive_to_case_k_per_w + path.case_to_room_k_per_w
    spare_w = spare_k / resistance - idle_w
    if spare_w <= 0:
        return 0.0
    return spare_w / j_per_gb * 1e9 if j_per_gb > 0 else math.inf


@dataclass(frozen=True, slots=True)
class Course:
    """How both temperatures run on from a start while the power stays the same.

    T1(t) = T1ss + A e^(-fast t) + B e^(-slow t)
    T2(t) = T2ss + (1 - fast/a) A e^(-fast t) + (1 - slow/a) B e^(-slow t)
    """

    drive_steady_c: float
    case_steady_c: float
    fast_part_k: float
    slow_part_k: float
    fast_per_s: float
    slow_per_s: float
    coupling_per_s: float

    @classmethod
    def start(cls, path: HeatPath, drive_w: float, drive_c: float, case_c: float) -> Course:
        """Return the course from the temperatures *drive_c* and *case_c* on at *drive_w*."""
        fast, slow = path.decay_per_s()
        a = path.coupling_per_s
        drive_steady, case_steady = path.steady_c(drive_w)
        u1, u2 = drive_c - drive_steady, case_c - case_steady
        fast_part = -(a * (u2 - u1) + slow * u1) / (fast - slow)
        return cls(drive_steady, case_steady, fast_part, u1 - fast_part, fast, slow, a)

    def drive_c(self, after_s: float) -> float:
        """Return the drive's temperature *after_s* seconds."""
        return (
            self.drive_steady_c
            + self.fast_part_k * math.exp(-self.fast_per_s * after_s)
            + self.slow_part_k * math.exp(-self.slow_per_s * after_s)
        )

    def case_c(self, after_s: float) -> float:
        """Return the enclosure's temperature *after_s* seconds."""
        a = self.coupling_per_s
        return (
            self.case_steady_c
            + (1 - self.fast_per_s / a) * self.fast_part_k * math.exp(-self.fast_per_s * after_s)
            + (1 - self.slow_per_s / a) * self.slow_part_k * math.exp(-self.slow_per_s * after_s)
        )

    def _drive_slope(self, after_s: float) -> float:
        return -self.fast_per_s * self.fast_part_k * math.exp(
            -self.fast_per_s * after_s
        ) - self.slow_per_s * self.slow_part_k * math.exp(-self.slow_per_s * after_s)

    def turns_after_s(self) -> float:
        """Return when the drive's temperature turns round, or infinity if it never does."""
        fast_part, slow_part = self.fast_part_k, self.slow_part_k
        if fast_part * slow_part >= 0:
            return math.inf
        argument = -fast_part * self.fast_per_s / (slow_part * self.slow_per_s)
        if argument <= 1:
            return math.inf
        return math.log(argument) / (self.fast_per_s - self.slow_per_s)

    def reaches_after_s(self, threshold_c: float, horizon_s: float, *, rising: bool) -> float:
        """Return when the drive first reaches *threshold_c* within *horizon_s*, or infinity.

        A curve can come and go within one interval, so the turning point is tested first.
        """
        sign = 1.0 if rising else -1.0

        def beyond(after_s: float) -> float:
            return sign * (self.drive_c(after_s) - threshold_c)

        if beyond(0.0) >= 0:
            return 0.0
        turn_s = self.turns_after_s()
        start_s = 0.0
        if 0 < turn_s < horizon_s:
            if beyond(turn_s) >= 0:
                return self._crossing(threshold_c, 0.0, turn_s, sign)
            start_s = turn_s
        if beyond(horizon_s) < 0:
            return math.inf
        return self._crossing(threshold_c, start_s, horizon_s, sign)

    def _crossing(self, threshold_c: float, low_s: float, high_s: float, sign: float) -> float:
        """Bracketed Newton: the curve is monotone between *low_s* and *high_s*."""
        at_s = (low_s + high_s) / 2
        for _ in range(100):
            value = sign * (self.drive_c(at_s) - threshold_c)
            if value < 0:
                low_s = at_s
            else:
                high_s = at_s
            slope = sign * self._drive_slope(at_s)
            step_s = at_s - value / slope if slope > 0 else math.inf
            next_s = step_s if low_s < step_s < high_s else (low_s + high_s) / 2
            if abs(next_s - at_s) < _CROSSING_TOLERANCE_S:
                return next_s
            at_s = next_s
        return high_s
