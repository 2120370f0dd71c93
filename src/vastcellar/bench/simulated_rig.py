"""A simulated rig as target: the model of Match in virtual time, with noise and faults."""

from __future__ import annotations

import math
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from vastcellar.bench.in_flight import Completed
from vastcellar.bench.side_by_side import OneAtATime
from vastcellar.core.checks import require_between, require_not_negative
from vastcellar.core.errors import DiskError
from vastcellar.core.writing.write_profile import WriteProfile

_NOISE_EVERY = 4096
_REAL_STEP_S = 0.02
_LEAST_SIMULATED_BLOCK = 4 * 2**20


@dataclass(frozen=True, slots=True)
class RigFault:
    """How a sample differs from its model: slower by a share, or stalling now and then.

    The profile that a rig follows is of the slower sample already; the stalls are the rig's.
    """

    rate_share: float = 1.0
    stall_every_bytes: float = 0.0
    stall_s: float = 0.0

    def __post_init__(self) -> None:
        require_between("rig fault", 0.01, 1.0, rate_share=self.rate_share)
        require_not_negative(
            "rig fault", stall_every_bytes=self.stall_every_bytes, stall_s=self.stall_s
        )


class SimulatedRig(OneAtATime):
    """Takes writes as fast as the write profile says, on a clock that runs as fast as wanted.

    ``speed`` is virtual over real time; infinity never waits. The same seed gives the same run.
    """

    is_simulated = True
    block_bytes = 1

    def __init__(
        self,
        profile: WriteProfile,
        *,
        speed: float = math.inf,
        fault: RigFault | None = None,
        noise: float = 0.04,
        seed: int = 1,
        name: str = "simulated rig",
        read_bytes_per_s: float = 1e9,
        starts_at_s: float = 0.0,
    ) -> None:
        self._profile = profile
        self._speed = speed
        self._fault = fault or RigFault()
        self._noise = noise
        self._random = np.random.default_rng(seed)
        self._factors = self._draw()
        self._next_factor = 0
        self.name = name
        self._at_s = starts_at_s
        self._index = 0
        self._last_ability = 0.0
        self._skip_to(starts_at_s)
        self._room_bytes = self._room(starts_at_s)
        self._written_bytes = 0
        self._next_stall_bytes = self._draw_stall()
        self._real_start_s = 0.0
        self._clock_start_s = starts_at_s
        self._stream_block_bytes = _LEAST_SIMULATED_BLOCK
        self._read_bytes_per_s = read_bytes_per_s

    def _room(self, from_s: float) -> float:
        """Return what the profile still writes until the drive is full; infinite where it isn't."""
        last = self._profile.intervals[-1]
        if last.ability_bytes_per_s > 0:
            return math.inf
        now = self._profile.intervals[self._index]
        before = now.written_at_start_bytes + now.written_bytes_per_s * (from_s - now.start_s)
        return self._profile.written_bytes - before

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

    def _skip_to(self, at_s: float) -> None:
        intervals = self._profile.intervals
        while self._index + 1 < len(intervals) and at_s >= intervals[self._index + 1].start_s:
            self._index += 1

    def open(self) -> None:
        """Start both clocks."""
        self._real_start_s = time.monotonic() - self._at_s / self._speed

    def write(self, size_bytes: int) -> None:
        """Let so much virtual time pass as the write takes."""
        if self._next_factor >= _NOISE_EVERY:
            self._factors, self._next_factor = self._draw(), 0
        share = self._factors[self._next_factor]
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
            self._skip_to(self._at_s)
            ability = intervals[self._index].ability_bytes_per_s
            # Full is a matter of bytes: noise only makes a drive later or earlier than its model.
            if self._written_bytes > self._room_bytes + 1 or not self._last_ability + ability:
                raise DiskError(
                    "the simulated drive is full",
                    where=self.name,
                    mend="Choose a larger drive, or free some of it",
                )
            self._last_ability = ability or self._last_ability
            rate = self._last_ability * share
            is_last = self._index + 1 == len(intervals)
            end_s = math.inf if is_last else intervals[self._index + 1].start_s
            step_s = min(left / rate, end_s - self._at_s)
            self._at_s += step_s
            left -= rate * step_s
            if left < 1e-6:
                break
        self._hold_back()

    def _hold_back(self) -> None:
        if self._ahead_s() > _REAL_STEP_S:
            time.sleep(_REAL_STEP_S)

    @property
    def read_mode(self) -> str:
        """Say that nothing was read from any disk."""
        return self.write_mode

    is_direct = True

    def start_clock(self) -> None:
        """Let the time begin at 0 again; nothing is forgotten of what was written."""
        self._clock_start_s = self._at_s
        self._real_start_s = time.monotonic() - self._at_s / self._speed

    def write_stream(
        self, total_bytes: int, block_bytes: int, depth: int, stop: threading.Event
    ) -> Iterator[list[Completed]]:
        """Write a stream block by block: the model knows no depth."""
        del depth
        self._stream_block_bytes = max(block_bytes, _LEAST_SIMULATED_BLOCK)
        yield from self._blocks(total_bytes, stop, self.write)

    def read_stream(
        self, total_bytes: int, block_bytes: int, depth: int, stop: threading.Event
    ) -> Iterator[list[Completed]]:
        """Read it back at the rate that the rig reads; what was written is always right."""
        del block_bytes, depth
        yield from self._blocks(total_bytes, stop, self._read)

    def _read(self, size_bytes: int) -> None:
        self._at_s += size_bytes / self._read_bytes_per_s
        self._hold_back()

    def _blocks(
        self, total_bytes: int, stop: threading.Event, move: Callable[[int], None]
    ) -> Iterator[list[Completed]]:
        at = 0
        while at < total_bytes and not stop.is_set():
            size = min(self._stream_block_bytes, total_bytes - at)
            begin_s = self.now_s()
            move(size)
            yield [Completed(at, size, begin_s, self.now_s())]
            at += size

    def start_over(self) -> None:
        """What a probe wrote stays in the cache of a rig as in that of a drive."""

    def flush(self) -> None:
        """Nothing waits in memory here."""

    def now_s(self) -> float:
        """Return virtual time."""
        return self._at_s - self._clock_start_s

    def wait_until(self, at_s: float, stop: threading.Event) -> None:
        """Move virtual time on, holding real time to the chosen speed."""
        self._at_s = max(self._at_s, at_s + self._clock_start_s)
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
