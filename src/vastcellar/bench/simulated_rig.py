"""A simulated rig as target: the model of Match in virtual time, with noise and faults."""

from __future__ import annotations

import math
import threading
import time
from dataclasses import dataclass

import numpy as np

from vastcellar.core.checks import require_between, require_not_negative
from vastcellar.core.endurance_run import EnduranceRun
from vastcellar.core.errors import DiskError

_NOISE_EVERY = 4096
_REAL_STEP_S = 0.02


@dataclass(frozen=True, slots=True)
class RigFault:
    """How a sample differs from its model: slower by a share, or stalling now and then."""

    rate_share: float = 1.0
    stall_every_bytes: float = 0.0
    stall_s: float = 0.0

    def __post_init__(self) -> None:
        require_between("rig fault", 0.01, 1.0, rate_share=self.rate_share)
        require_not_negative(
            "rig fault", stall_every_bytes=self.stall_every_bytes, stall_s=self.stall_s
        )


class SimulatedRig:
    """Takes writes as fast as the write profile says, on a clock that runs as fast as wanted.

    ``speed`` is virtual over real time; infinity never waits. The same seed gives the same run.
    """

    is_simulated = True
    block_bytes = 1

    def __init__(
        self,
        profile: EnduranceRun,
        *,
        speed: float = math.inf,
        fault: RigFault | None = None,
        noise: float = 0.04,
        seed: int = 1,
        name: str = "simulated rig",
    ) -> None:
        self._profile = profile
        self._speed = speed
        self._fault = fault or RigFault()
        self._noise = noise
        self._random = np.random.default_rng(seed)
        self._factors = self._draw()
        self._next_factor = 0
        self._name = name
        self._at_s = 0.0
        self._index = 0
        self._written_bytes = 0
        self._next_stall_bytes = self._draw_stall()
        self._real_start_s = 0.0

    def _draw(self) -> list[float]:
        factors: list[float] = np.exp(self._random.normal(0.0, self._noise, _NOISE_EVERY)).tolist()
        return factors

    def _draw_stall(self) -> float:
        every = self._fault.stall_every_bytes
        if every <= 0:
            return math.inf
        return self._written_bytes + every * float(self._random.uniform(0.5, 1.5))

    @property
    def write_mode(self) -> str:
        """Say that nothing was written to any disk."""
        return "simulated: nothing is written to a disk"

    def open(self) -> None:
        """Start both clocks."""
        self._real_start_s = time.monotonic()

    def write(self, size_bytes: int) -> None:
        """Let so much virtual time pass as the write takes."""
        if self._next_factor >= _NOISE_EVERY:
            self._factors, self._next_factor = self._draw(), 0
        share = self._factors[self._next_factor] * self._fault.rate_share
        self._next_factor += 1
        if self._written_bytes >= self._next_stall_bytes:
            self._at_s += self._fault.stall_s * float(self._random.uniform(0.5, 1.5))
            self._written_bytes += size_bytes
            self._next_stall_bytes = self._draw_stall()
        else:
            self._written_bytes += size_bytes
        left = float(size_bytes)
        intervals = self._profile.intervals
        while left > 0:
            while (
                self._index + 1 < len(intervals)
                and self._at_s >= intervals[self._index + 1].start_s
            ):
                self._index += 1
            rate = intervals[self._index].ability_bytes_per_s * share
            if rate <= 0:
                raise DiskError(
                    "the simulated drive is full",
                    where=self._name,
                    mend="Choose a larger drive, or free some of it",
                )
            is_last = self._index + 1 == len(intervals)
            end_s = math.inf if is_last else intervals[self._index + 1].start_s
            step_s = min(left / rate, end_s - self._at_s)
            self._at_s += step_s
            left -= rate * step_s
            if left < 1e-6:
                break
        if self._ahead_s() > _REAL_STEP_S:
            time.sleep(_REAL_STEP_S)

    def flush(self) -> None:
        """Nothing waits in memory here."""

    def now_s(self) -> float:
        """Return virtual time."""
        return self._at_s

    def wait_until(self, at_s: float, stop: threading.Event) -> None:
        """Move virtual time on, holding real time to the chosen speed."""
        self._at_s = max(self._at_s, at_s)
        ahead_s = self._ahead_s()
        if ahead_s > _REAL_STEP_S:
            stop.wait(ahead_s)

    def _ahead_s(self) -> float:
        """How far virtual time is ahead of real time at the chosen speed."""
        return self._at_s / self._speed - (time.monotonic() - self._real_start_s)

    def temperature_c(self) -> float:
        """Return the drive's temperature as a sensor reports it: whole degrees."""
        interval = self._profile.intervals[self._index]
        after_s = min(max(self._at_s - interval.start_s, 0.0), interval.duration_s)
        return float(round(interval.course.drive_c(after_s)))

    def close(self) -> None:
        """Nothing was made, nothing is removed."""
