"""What disturbed a run from outside: sleep, standstill, a clock that was set, another test."""

from __future__ import annotations

from dataclasses import dataclass

from vastcellar.bench.clock_watch import ClockWatch
from vastcellar.bench.targets import Target


@dataclass(frozen=True, slots=True)
class Disturbances:
    """What happened to the computer while a run went on."""

    slept_s: float = 0.0
    stood_still_s: float = 0.0
    """The process was suspended, or the whole machine didn't run."""
    clock_set_s: float = 0.0
    other_tests: int = 0
    """Tests that ran on the same disk meanwhile, at most at once."""

    def notes(self) -> tuple[str, ...]:
        """Say it in sentences."""
        found = []
        if self.slept_s:
            found.append(
                f"the computer slept for {self.slept_s:.0f} s in the middle: the drive could cool "
                "and fold meanwhile"
            )
        if self.stood_still_s:
            found.append(
                f"the test was suspended, or the computer stood still, for "
                f"{self.stood_still_s:.1f} s: that time is not counted, but the drive could cool "
                "and fold meanwhile"
            )
        if self.clock_set_s:
            found.append(
                f"the clock was set by {self.clock_set_s:+.0f} s meanwhile; times come from a "
                "clock that this doesn't touch"
            )
        if self.other_tests:
            found.append(
                "another test ran on the same disk meanwhile: they measured each other"
                if self.other_tests == 1
                else f"{self.other_tests} other tests ran on the same disk meanwhile: they "
                "measured each other"
            )
        return tuple(found)


UNDISTURBED = Disturbances()


class DisturbanceWatch:
    """Watches from its making on."""

    def __init__(self, target: Target) -> None:
        self._target, self._clocks = target, ClockWatch()

    def seen(self) -> Disturbances:
        """Return what happened since."""
        return Disturbances(
            slept_s=self._clocks.slept_s,
            stood_still_s=self._target.stood_still_s,
            clock_set_s=self._clocks.clock_set_s,
            other_tests=self._target.other_tests,
        )
