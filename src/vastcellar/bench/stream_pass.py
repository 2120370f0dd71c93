"""One pass over a stream, writing or reading: its trace, latencies and stalls as it goes."""

from __future__ import annotations

import math
import time
from collections import deque
from dataclasses import dataclass

import numpy as np

from vastcellar.bench.in_flight import Completed
from vastcellar.bench.progress import (
    PUBLISH_EVERY_S,
    TEMPERATURE_EVERY_S,
    TRACE_EVERY_S,
    Progress,
    TracePoints,
)
from vastcellar.bench.targets import Target
from vastcellar.core.protocols.latency import LatencyLog, LatencySummary, Stall, StallLog
from vastcellar.core.trace import SecondsLog, Trace

_RECENT_S = 1.0


@dataclass(frozen=True)
class PassResult:
    """What one pass measured."""

    moved_bytes: int
    elapsed_s: float
    """From the first block to the end of the flush."""
    flush_s: float
    bytes_per_s: float
    """Bytes over that time: a copy that waits in memory is not done."""
    slowest_second_bytes: float
    latency: LatencySummary
    stalls: tuple[Stall, ...]
    first_wrong_at: int | None
    """Where the stream first differed from what was written, None for nowhere."""
    wrong_blocks: int
    trace: Trace


class StreamPass:
    """Collects what comes back of one pass. Knows no disk: it is handed blocks and moments."""

    def __init__(self, phase: str, target: Target, total_bytes: int, total_s: float) -> None:
        self.phase = phase
        self._target, self._total_bytes, self._total_s = target, total_bytes, total_s
        self.moved_bytes = 0
        self.whole_bytes = 0
        """From the beginning on without a gap: what came back out of turn doesn't count yet."""
        self._ahead: dict[int, int] = {}
        self.first_wrong_at: int | None = None
        self.wrong_blocks = 0
        self.begin_s = target.now_s()
        self.end_s = self.begin_s
        self.flush_s = 0.0
        self._latency, self._stalls, self._seconds = LatencyLog(), StallLog(), SecondsLog()
        self._stalls.begin(0.0)
        self._points: list[tuple[float, float, float]] = []
        self._shown = 0
        self._next_point_s = 0.0
        self._next_temperature_s = 0.0
        self._temperature_c = math.nan
        self._recent: deque[tuple[float, int]] = deque()
        self._published_s = time.monotonic()
        self._is_first = True
        self._sample(0.0)

    def add(self, blocks: list[Completed]) -> None:
        """Count *blocks* that came back."""
        for block in blocks:
            begin_s, end_s = block.begin_s - self.begin_s, block.end_s - self.begin_s
            self.moved_bytes += block.size_bytes
            self._ahead[block.at_bytes] = block.size_bytes
            while (size_bytes := self._ahead.pop(self.whole_bytes, 0)) > 0:
                self.whole_bytes += size_bytes
            self._latency.add(begin_s, end_s)
            self._stalls.came_back(end_s, block.size_bytes)
            self._seconds.add(begin_s, end_s, block.size_bytes)
            if block.wrong_at >= 0:
                self.wrong_blocks += 1
                first = self.first_wrong_at
                at = block.wrong_at
                self.first_wrong_at = at if first is None else min(at, first)
        if blocks:
            self.end_s = max(self.end_s, *(block.end_s for block in blocks))
            self._sample(self.end_s - self.begin_s)

    def _sample(self, now_s: float) -> None:
        if now_s >= self._next_temperature_s:
            self._temperature_c = self._target.temperature_c()
            self._next_temperature_s = now_s + TEMPERATURE_EVERY_S
        if now_s >= self._next_point_s:
            self._point(now_s)

    def _point(self, now_s: float) -> None:
        self._points.append((now_s, float(self.moved_bytes), self._temperature_c))
        self._next_point_s = now_s + TRACE_EVERY_S
        self._recent.append((now_s, self.moved_bytes))
        while len(self._recent) > 2 and self._recent[0][0] < now_s - _RECENT_S:
            self._recent.popleft()

    def flushed(self, at_s: float | None = None) -> None:
        """Count the time until now, or *at_s*, as flush: the bytes were not on the drive before."""
        # Clocks of two cores may differ a little: a run isn't lost over that.
        now_s = max(self._target.now_s() if at_s is None else at_s, self.end_s)
        self.flush_s = now_s - self.end_s
        self.end_s = now_s
        self._point(now_s - self.begin_s)

    @property
    def elapsed_s(self) -> float:
        """Seconds since the pass began, as far as blocks came back."""
        return self.end_s - self.begin_s

    @property
    def is_due(self) -> bool:
        """Whether it is time to show something again."""
        return time.monotonic() - self._published_s >= PUBLISH_EVERY_S

    def recent_bytes_per_s(self) -> float:
        """Return the rate of the last second or so."""
        (first_s, first), (last_s, last) = self._recent[0], self._recent[-1]
        return (last - first) / (last_s - first_s) if last_s > first_s else 0.0

    def done_share(self) -> float:
        """Return how far the pass is, by bytes or by time, whichever is further."""
        by_bytes = self.moved_bytes / self._total_bytes if self._total_bytes else 0.0
        by_time = self.elapsed_s / self._total_s if math.isfinite(self._total_s) else 0.0
        return min(max(by_bytes, by_time), 1.0)

    def progress(self, share_before: float = 0.0, share: float = 1.0) -> Progress:
        """Return the state now, the pass being *share* of the run after *share_before*."""
        fresh = self._points[self._shown :]
        self._shown = len(self._points)
        self._published_s = time.monotonic()
        is_first, self._is_first = self._is_first, False
        stalls = len(self._stalls.stalls)
        return Progress(
            phase=self.phase,
            elapsed_s=self.elapsed_s,
            done_share=share_before + share * self.done_share(),
            moved_bytes=self.moved_bytes,
            bytes_per_s=self.recent_bytes_per_s(),
            temperature_c=self._temperature_c,
            detail=f"{stalls} stalls" if stalls != 1 else "1 stall",
            new=TracePoints(*(tuple(column) for column in zip(*fresh, strict=True)))
            if fresh
            else TracePoints(),
            begins_pass=is_first,
        )

    def result(self) -> PassResult:
        """Return what was measured so far."""
        if not self._points or self._points[-1][1] != self.moved_bytes:
            self._point(self.elapsed_s)
        columns = np.array(self._points, dtype=np.float64).reshape(-1, 3)
        written_s = self.elapsed_s - self.flush_s
        return PassResult(
            moved_bytes=self.moved_bytes,
            elapsed_s=self.elapsed_s,
            flush_s=self.flush_s,
            bytes_per_s=self.moved_bytes / self.elapsed_s if self.elapsed_s > 0 else 0.0,
            slowest_second_bytes=self._seconds.slowest_second_bytes(written_s),
            latency=self._latency.summary(),
            stalls=tuple(self._stalls.stalls),
            first_wrong_at=self.first_wrong_at,
            wrong_blocks=self.wrong_blocks,
            trace=Trace(*(columns[:, index].copy() for index in range(3))),
        )
