"""Whether the computer slept, or its clock was set, while a test ran."""

from __future__ import annotations

import time

_SLEPT_S = 1.0
_CLOCK_SET_S = 2.0


class ClockWatch:
    """Compares the clocks that go on while the computer sleeps with the one that doesn't."""

    def __init__(self) -> None:
        self._sleep_before_s = self._asleep_s()
        self._wall_before_s = self._wall_s()

    @staticmethod
    def _asleep_s() -> float:
        return time.clock_gettime(time.CLOCK_BOOTTIME) - time.clock_gettime(time.CLOCK_MONOTONIC)

    @staticmethod
    def _wall_s() -> float:
        return time.time() - time.clock_gettime(time.CLOCK_BOOTTIME)

    @property
    def slept_s(self) -> float:
        """How long the computer slept since the watch began; 0 below a second."""
        slept_s = self._asleep_s() - self._sleep_before_s
        return slept_s if slept_s >= _SLEPT_S else 0.0

    @property
    def clock_set_s(self) -> float:
        """By how much the wall clock was set meanwhile; 0 below two seconds."""
        moved_s = self._wall_s() - self._wall_before_s
        return moved_s if abs(moved_s) >= _CLOCK_SET_S else 0.0
