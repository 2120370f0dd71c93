"""A camera's frame buffer in front of a drive: backlog, frames late, frames dropped.

``FrameQueue`` decides frame by frame and is driven by moments handed in, so the same code runs
a test on a real folder, on a simulated rig and in a test. The fluid formulas judge a profile.
"""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from vastcellar.core.checks import require_above_zero, require_not_negative
from vastcellar.core.errors import BadValueError
from vastcellar.core.recording.frame_sizes import STEADY, FrameVariation, IntArray, frame_ends_bytes
from vastcellar.core.trace import FloatArray, Trace, rates_bytes_per_s
from vastcellar.core.writing.write_profile import WriteProfile

_STEP_S = 0.5
MOST_FRAMES = 50_000_000
"""A day at 500 frames a second."""


@dataclass(frozen=True, slots=True)
class RecorderLoad:
    """What a camera sends: so many bytes a second in whole frames, through a buffer."""

    average_bytes_per_s: float
    frames_per_s: Fraction
    buffer_bytes: int
    duration_s: float
    variation: FrameVariation = STEADY
    name: str = ""
    """Of the camera, where several record at once."""

    def __post_init__(self) -> None:
        require_above_zero(
            "recorder",
            average_bytes_per_s=self.average_bytes_per_s,
            frames_per_s=float(self.frames_per_s),
            duration_s=self.duration_s,
        )
        require_not_negative("recorder", buffer_bytes=self.buffer_bytes)
        # Each frame has its size: a billion of them would take the memory of the computer.
        if not self.duration_s * float(self.frames_per_s) <= MOST_FRAMES:
            raise BadValueError(
                f"{self.duration_s:g} s at {float(self.frames_per_s):g} frames a second are more "
                f"than {MOST_FRAMES:,} frames",
                where="recorder",
                mend="Record for less long, or check the frame rate",
            )

    @property
    def bytes_per_frame(self) -> float:
        """Average bytes a frame."""
        return self.average_bytes_per_s / float(self.frames_per_s)

    @property
    def frame_count(self) -> int:
        """Frames of the whole take, at least one."""
        return max(1, round(self.duration_s * self.frames_per_s))

    @property
    def total_bytes(self) -> int:
        """Bytes of the whole take."""
        return self.frame_end_bytes(self.frame_count - 1)

    def frame_end_bytes(self, index: int) -> int:
        """Where frame *index* ends in the stream: frames are whole bytes, the rate stays exact."""
        if not self.variation.is_steady:
            return int(self._ends()[index])
        rate = self.frames_per_s  # in integers: Fraction's own arithmetic is 20 times slower
        return math.floor(
            (index + 1) * self.average_bytes_per_s * rate.denominator / rate.numerator
        )

    def _ends(self) -> IntArray:
        return frame_ends_bytes(
            self.average_bytes_per_s, self.frames_per_s, self.frame_count, self.variation
        )

    def sent_bytes(self, at_s: FloatArray) -> FloatArray:
        """Return the bytes that have left the sensor by each moment, in whole frames."""
        number = np.clip(np.floor(at_s * float(self.frames_per_s) + 1e-9), -1, None)
        frames = np.clip(number.astype(np.int64) + 1, 0, self.frame_count)
        ends = np.concatenate([[0], self._ends()])
        return np.asarray(ends[frames], dtype=np.float64)

    def intended_s(self, index: int) -> float:
        """The moment at which frame *index* leaves the sensor."""
        return index * self.frames_per_s.denominator / self.frames_per_s.numerator


@dataclass(slots=True)
class QueueTotals:
    """What happened so far; late counts frames written after the next one was due."""

    frames_arrived: int = 0
    frames_dropped: int = 0
    frames_written: int = 0
    frames_late: int = 0
    first_drop_s: float | None = None
    worst_backlog_bytes: int = 0
    worst_delay_s: float = 0.0


class FrameQueue:
    """Frames on their way from the sensor to the drive.

    A frame arrives at its intended moment, whatever the writer is doing then; if it does not
    fit into what the buffer has free at that moment, it is lost whole. So a stall is never
    hidden by the writer's own waiting. Room is freed when a write completes.
    """

    def __init__(self, load: RecorderLoad, *, block_bytes: int = 1) -> None:
        self.load = load
        self.totals = QueueTotals()
        self.block_bytes = block_bytes
        self._next_frame = 0
        self._accepted_bytes = 0
        self._taken_bytes = 0
        self._completed_bytes = 0
        self._waiting: deque[tuple[int, float]] = deque()  # (end in the accepted stream, intended)
        self._frame_interval_s = float(1 / load.frames_per_s)
        self._frame_count = load.frame_count
        self._last_end_bytes = 0

    @property
    def backlog_bytes(self) -> int:
        """Bytes accepted and not yet written."""
        return self._accepted_bytes - self._completed_bytes

    @property
    def all_arrived(self) -> bool:
        """Whether the camera has stopped."""
        return self._next_frame >= self._frame_count

    @property
    def next_arrival_s(self) -> float:
        """When the next frame is due; infinity after the last."""
        return math.inf if self.all_arrived else self.load.intended_s(self._next_frame)

    def arrive_until(self, now_s: float) -> None:
        """Take in, or lose, every frame whose intended moment is not after *now_s*."""
        load, totals = self.load, self.totals
        while self._next_frame < self._frame_count:
            index = self._next_frame
            intended_s = load.intended_s(index)
            if intended_s > now_s:
                return
            end_bytes = load.frame_end_bytes(index)
            frame_bytes = end_bytes - self._last_end_bytes
            self._last_end_bytes = end_bytes
            self._next_frame += 1
            totals.frames_arrived += 1
            if self.backlog_bytes + frame_bytes > max(load.buffer_bytes, frame_bytes):
                totals.frames_dropped += 1
                if totals.first_drop_s is None:
                    totals.first_drop_s = intended_s
                continue
            self._accepted_bytes += frame_bytes
            self._waiting.append((self._accepted_bytes, intended_s))
            totals.worst_backlog_bytes = max(totals.worst_backlog_bytes, self.backlog_bytes)

    def take(self, most_bytes: int) -> int:
        """Return how many bytes to write next, 0 for none: whole blocks until the last."""
        ready = min(self._accepted_bytes - self._taken_bytes, most_bytes)
        whole = ready - ready % self.block_bytes
        if whole == 0 and ready and self.all_arrived:
            whole = ready  # the rest of the take; the writer pads it to a block
        self._taken_bytes += whole
        return whole

    def complete(self, written_bytes: int, now_s: float) -> None:
        """Count *written_bytes* as on the drive since *now_s*.

        Frames that arrived before *now_s* met a buffer that this write still occupied, so
        arrive_until(now_s) comes first.
        """
        self._completed_bytes += written_bytes
        reach = self._completed_bytes + (0 if self.all_arrived else self.block_bytes - 1)
        totals = self.totals
        while self._waiting and self._waiting[0][0] <= reach:
            _, intended_s = self._waiting.popleft()
            delay_s = now_s - intended_s
            totals.frames_written += 1
            totals.worst_delay_s = max(totals.worst_delay_s, delay_s)
            if delay_s > self._frame_interval_s:
                totals.frames_late += 1

    @property
    def is_done(self) -> bool:
        """Whether the camera has stopped and all that was accepted is written."""
        return self.all_arrived and self.backlog_bytes == 0


@dataclass(frozen=True, slots=True)
class FluidOutcome:
    """What the fluid limit says of a take: good to within a frame an overflow."""

    worst_backlog_bytes: float
    lost_bytes: float
    first_loss_s: float
    """Infinity where nothing is lost."""


def fluid_outcome(
    ability: Iterable[tuple[float, float]], source_bytes_per_s: float, buffer_bytes: float
) -> FluidOutcome:
    """Return backlog and loss of a steady source in front of a changing drive.

    Args:
        ability: (duration in s, what the drive can take in bytes per second), one after another.
        source_bytes_per_s: what the camera sends.
        buffer_bytes: of the camera.

    References:
        Lindley's recursion in its fluid limit: the backlog grows at R - r, stays within 0..B,
        and what does not fit is lost.

    """
    return _fluid(
        ((duration_s, source_bytes_per_s - rate) for duration_s, rate in ability), buffer_bytes
    )


def _fluid(steps: Iterable[tuple[float, float]], buffer_bytes: float) -> FluidOutcome:
    """Return backlog and loss for steps of (duration, what comes in more than goes out)."""
    at_s = backlog = worst = lost = 0.0
    first_loss_s = math.inf
    for duration_s, growth in steps:
        if growth > 0:
            full_after_s = (buffer_bytes - backlog) / growth
            if full_after_s < duration_s:
                lost += growth * (duration_s - full_after_s)
                first_loss_s = min(first_loss_s, at_s + full_after_s)
        backlog = min(max(backlog + growth * duration_s, 0.0), buffer_bytes)
        worst = max(worst, backlog)
        at_s += duration_s
    return FluidOutcome(worst, lost, first_loss_s)


def profile_outcome(
    run: WriteProfile, source_bytes_per_s: float, buffer_bytes: float
) -> FluidOutcome:
    """Return what a camera loses on the write profile *run*."""
    ability = ((i.duration_s, i.ability_bytes_per_s) for i in run.intervals)
    return fluid_outcome(ability, source_bytes_per_s, buffer_bytes)


def predicted_drops(load: RecorderLoad, drive_bytes_per_s: float) -> float:
    """Return the frames lost on a drive of steady rate: 0 if it keeps up.

    For r < R the buffer is full after B/(R - r), then the share 1 - r/R of all frames is lost.
    """
    outcome = fluid_outcome(
        [(load.duration_s, drive_bytes_per_s)], load.average_bytes_per_s, load.buffer_bytes
    )
    return outcome.lost_bytes / load.bytes_per_frame


def predicted_drops_on_trace(load: RecorderLoad, trace: Trace) -> float:
    """Return the frames that buffer arithmetic expects lost at the rate a drive really took.

    Frames and rate count half-second by half-second while the camera sends, so that a slow
    moment of the last flush is not charged to the take.
    """
    middle_s, rates = rates_bytes_per_s(trace, _STEP_S)
    sending = middle_s < load.duration_s
    begins = middle_s[sending] - _STEP_S / 2
    sent = load.sent_bytes(np.append(begins, begins[-1:] + _STEP_S) - 1e-6)
    growth = np.diff(sent) / _STEP_S - rates[sending]
    outcome = _fluid(((_STEP_S, float(each)) for each in growth), load.buffer_bytes)
    return outcome.lost_bytes / load.bytes_per_frame
