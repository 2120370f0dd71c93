"""The recorder test: paced frames through a buffer onto a target, measured as it goes."""

from __future__ import annotations

import math
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from vastcellar.bench.disturbances import UNDISTURBED, Disturbances
from vastcellar.bench.progress import (
    PUBLISH_EVERY_S,
    TEMPERATURE_EVERY_S,
    TRACE_EVERY_S,
    Progress,
    TracePoints,
    stopped,
)
from vastcellar.bench.side_by_side import Written
from vastcellar.bench.targets import Target
from vastcellar.bench.watched_run import WatchedRun
from vastcellar.core.recording.recorder import FrameQueue, QueueTotals, RecorderLoad
from vastcellar.core.trace import SecondsLog, Trace

# One write call: large enough for a fast drive at depth 1, small enough that a slow drive
# still lets a cancel through in under half a second.
MOST_WRITE_BYTES = 4 * 2**20


@dataclass(frozen=True, slots=True)
class RecorderProgress(Progress):
    """The state of a recorder test: what every test shows, and how the frames fare."""

    backlog_bytes: int = 0
    worst_backlog_bytes: int = 0
    first_drop_s: float | None = None
    frames_arrived: int = 0
    frames_late: int = 0
    frames_dropped: int = 0


@dataclass(frozen=True)
class CameraOutcome:
    """What one of the cameras met."""

    load: RecorderLoad
    written_bytes: int
    frames_arrived: int
    frames_late: int
    frames_dropped: int
    first_drop_s: float | None
    worst_backlog_bytes: int
    worst_delay_s: float


@dataclass(frozen=True)
class RecorderResult:
    """What a recorder test measured; a run that ended early is kept and says so.

    Of several cameras the counts are sums and the worst is that of the worst camera.
    """

    load: RecorderLoad
    """Of all cameras together."""
    is_complete: bool
    is_simulated: bool
    ended_by: str
    """"" for a full run, "cancelled", or the sentence of the error."""
    elapsed_s: float
    flush_s: float
    written_bytes: int
    achieved_bytes_per_s: float
    """Bytes over the time from the first frame to the end of the flush."""
    frames_arrived: int
    frames_late: int
    frames_dropped: int
    first_drop_s: float | None
    worst_backlog_bytes: int
    worst_delay_s: float
    slowest_second_bytes: float
    slowest_second_ability_bytes_per_s: float
    write_mode: str
    trace: Trace
    cameras: tuple[CameraOutcome, ...]
    disturbances: Disturbances = UNDISTURBED


def load_together(loads: Sequence[RecorderLoad]) -> RecorderLoad:
    """Return several cameras as one: rates and buffers add up, the longest take counts."""
    if len(loads) == 1:
        return loads[0]
    return RecorderLoad(
        average_bytes_per_s=sum(load.average_bytes_per_s for load in loads),
        frames_per_s=max(load.frames_per_s for load in loads),
        buffer_bytes=sum(load.buffer_bytes for load in loads),
        duration_s=max(load.duration_s for load in loads),
        name=" + ".join(load.name for load in loads),
    )


class RecorderRun(WatchedRun):
    """One recorder test of one camera, or of several that write to one drive at once.

    ``snapshots`` does the work; ``stop`` ends it from any thread.
    """

    def __init__(self, loads: RecorderLoad | Sequence[RecorderLoad], target: Target) -> None:
        self.loads = (loads,) if isinstance(loads, RecorderLoad) else tuple(loads)
        self.load = load_together(self.loads)
        super().__init__(target)
        self._queues = [FrameQueue(load, block_bytes=target.block_bytes) for load in self.loads]
        self._camera_bytes = [0] * len(self._queues)
        self._busy: set[int] = set()
        self._seconds = SecondsLog()
        self._busy_until_s = 0.0
        self._written_bytes = 0
        self._trace: list[tuple[float, float, float]] = []
        self._shown = 0
        self._next_trace_s = 0.0
        self._temperature_c = math.nan
        self._next_temperature_s = 0.0
        self._flush_s = 0.0
        self.result: RecorderResult | None = None

    def _measure(self) -> Iterator[RecorderProgress]:
        self._target.open()
        yield from self._record()
        self._finish()
        yield self._progress()

    def _has_something(self) -> bool:
        return self._written_bytes > 0

    def _conclude(self) -> None:
        self.result = self._make_result()

    def _record(self) -> Iterator[RecorderProgress]:
        target = self._target
        self._add_trace_point(0.0)
        published_s = time.monotonic()
        while not all(queue.is_done for queue in self._queues):
            stopped(self._stop)
            if time.monotonic() - published_s >= PUBLISH_EVERY_S:
                yield self._progress()
                published_s = time.monotonic()
            if len(self._queues) == 1:
                self._write_next(self._queues[0])
            else:
                self._write_side_by_side()
            self._note(target.now_s())
        target.wait_until(self.load.duration_s, self._stop)

    def _write_next(self, queue: FrameQueue) -> None:
        target = self._target
        begin_s = target.now_s()
        queue.arrive_until(begin_s)
        size_bytes = queue.take(MOST_WRITE_BYTES)
        if size_bytes == 0:
            # A block not yet whole waits for the next frame; the last frame leaves none.
            target.wait_until(queue.next_arrival_s, self._stop)
            return
        target.write(size_bytes)
        self._count(Written(0, size_bytes, begin_s, target.now_s()))

    def _write_side_by_side(self) -> None:
        """Let every camera that has something and waits for nothing begin a write."""
        target, queues = self._target, self._queues
        now_s = target.now_s()
        for number, queue in enumerate(queues):
            queue.arrive_until(now_s)
            if number not in self._busy and (size_bytes := queue.take(MOST_WRITE_BYTES)):
                self._busy.add(number)
                target.start_write(number, size_bytes)
        soonest_s = min(queue.next_arrival_s for queue in queues)
        if not self._busy:
            target.wait_until(soonest_s, self._stop)
            return
        for written in target.finished(min(soonest_s, now_s + PUBLISH_EVERY_S)):
            self._busy.discard(written.camera)
            self._count(written)

    def _count(self, written: Written) -> None:
        for queue in self._queues:
            queue.arrive_until(written.end_s)
        self._queues[written.camera].complete(written.size_bytes, written.end_s)
        self._camera_bytes[written.camera] += written.size_bytes
        self._written_bytes += written.size_bytes
        # Writes that overlap keep the drive busy once, not twice.
        busy_from_s = min(max(written.begin_s, self._busy_until_s), written.end_s)
        self._busy_until_s = max(self._busy_until_s, written.end_s)
        self._seconds.add(busy_from_s, written.end_s, written.size_bytes)

    def _finish(self) -> None:
        stopped(self._stop)  # whoever cancels does not wait for a slow drive's flush
        begin_s = self._target.now_s()
        self._target.flush()
        self._flush_s = self._target.now_s() - begin_s
        self._add_trace_point(self._target.now_s())

    def _note(self, now_s: float) -> None:
        if now_s >= self._next_temperature_s:
            self._temperature_c = self._target.temperature_c()
            self._next_temperature_s = now_s + TEMPERATURE_EVERY_S
        if now_s >= self._next_trace_s:
            self._add_trace_point(now_s)

    def _add_trace_point(self, now_s: float) -> None:
        self._trace.append((now_s, float(self._written_bytes), self._temperature_c))
        self._next_trace_s = now_s + TRACE_EVERY_S

    def _totals(self) -> QueueTotals:
        """Return what happened to the frames of all cameras."""
        each = [queue.totals for queue in self._queues]
        drops = [t.first_drop_s for t in each if t.first_drop_s is not None]
        return QueueTotals(
            frames_arrived=sum(t.frames_arrived for t in each),
            frames_dropped=sum(t.frames_dropped for t in each),
            frames_written=sum(t.frames_written for t in each),
            frames_late=sum(t.frames_late for t in each),
            first_drop_s=min(drops, default=None),
            worst_backlog_bytes=max(t.worst_backlog_bytes for t in each),
            worst_delay_s=max(t.worst_delay_s for t in each),
        )

    def _progress(self) -> RecorderProgress:
        totals, fresh = self._totals(), self._trace[self._shown :]
        begins = self._shown == 0
        self._shown = len(self._trace)
        elapsed_s, lost = self._target.now_s(), totals.frames_dropped
        return RecorderProgress(
            phase="recording",
            elapsed_s=elapsed_s,
            done_share=min(elapsed_s / self.load.duration_s, 1.0),
            moved_bytes=self._written_bytes,
            bytes_per_s=self._written_bytes / max(elapsed_s, 1e-9),
            temperature_c=self._temperature_c,
            detail=f"{lost} frames dropped" if lost else "no frame dropped",
            new=TracePoints(*zip(*fresh, strict=True)) if fresh else TracePoints(),
            begins_pass=begins,
            backlog_bytes=sum(queue.backlog_bytes for queue in self._queues),
            worst_backlog_bytes=totals.worst_backlog_bytes,
            first_drop_s=totals.first_drop_s,
            frames_arrived=totals.frames_arrived,
            frames_late=totals.frames_late,
            frames_dropped=lost,
        )

    def _make_result(self) -> RecorderResult:
        totals, load = self._totals(), self.load
        elapsed_s = self._trace[-1][0] if self._trace else 0.0
        columns = np.array(self._trace, dtype=np.float64).reshape(-1, 3)
        recorded_s = min(elapsed_s, load.duration_s)
        return RecorderResult(
            load=load,
            is_complete=self._ended_by == "",
            is_simulated=self.is_simulated,
            ended_by=self._ended_by,
            elapsed_s=elapsed_s,
            flush_s=self._flush_s,
            written_bytes=self._written_bytes,
            achieved_bytes_per_s=self._written_bytes / elapsed_s if elapsed_s > 0 else 0.0,
            frames_arrived=totals.frames_arrived,
            frames_late=totals.frames_late,
            frames_dropped=totals.frames_dropped,
            first_drop_s=totals.first_drop_s,
            worst_backlog_bytes=totals.worst_backlog_bytes,
            worst_delay_s=totals.worst_delay_s,
            slowest_second_bytes=self._seconds.slowest_second_bytes(recorded_s),
            slowest_second_ability_bytes_per_s=self._seconds.slowest_ability_bytes_per_s(),
            write_mode=self._target.write_mode,
            trace=Trace(columns[:, 0].copy(), columns[:, 1].copy(), columns[:, 2].copy()),
            cameras=tuple(
                CameraOutcome(
                    load=queue.load,
                    written_bytes=count,
                    frames_arrived=queue.totals.frames_arrived,
                    frames_late=queue.totals.frames_late,
                    frames_dropped=queue.totals.frames_dropped,
                    first_drop_s=queue.totals.first_drop_s,
                    worst_backlog_bytes=queue.totals.worst_backlog_bytes,
                    worst_delay_s=queue.totals.worst_delay_s,
                )
                for queue, count in zip(self._queues, self._camera_bytes, strict=True)
            ),
            disturbances=self._disturbances,
        )
