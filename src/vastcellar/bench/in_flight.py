"""Several writes or reads of one stream in flight at once, each at its own place."""

from __future__ import annotations

import threading
import time
from collections import deque
from collections.abc import Callable, Generator, Iterator
from dataclasses import dataclass

_LOOK_EVERY_S = 0.004


@dataclass(frozen=True, slots=True)
class Completed:
    """One write or read that came back."""

    at_bytes: int
    size_bytes: int
    begin_s: float
    end_s: float
    wrong_at: int = -1
    """Where in the stream a read block first differed from what was written, -1 for nowhere."""


Work = Callable[[int, int, int], Completed]
"""(worker, place, size) -> Completed; may raise OSError."""


def in_flight(
    work: Work,
    block_bytes: int,
    depth: int,
    total_bytes: int,
    stop: threading.Event,
    *,
    span_bytes: int,
    apart: bool = False,
) -> Generator[list[Completed]]:
    """Run *work* over a stream of *total_bytes* and yield what came back, soon after it did.

    Args:
        work: does one block; called by *depth* threads, or by the caller's own for a depth of 1.
        block_bytes: of each but the last.
        depth: how many are under way at once.
        total_bytes: of the stream, a multiple of 4 KiB.
        stop: ends it; what is under way is waited for.
        span_bytes: how far the first may run ahead of the last that is under way.
        apart: use a thread for a depth of 1 too, since the caller has work of its own.

    Raises:
        OSError: the first that a block met, after all others have ended.

    """
    if depth == 1 and not apart:
        yield from _one_by_one(work, block_bytes, total_bytes, stop)
        return
    crew = _Crew(work, block_bytes, depth, total_bytes, stop, span_bytes)
    try:
        yield from crew.run()
    finally:
        crew.end()
    if crew.error is not None:
        raise crew.error


def _one_by_one(
    work: Work, block_bytes: int, total_bytes: int, stop: threading.Event
) -> Iterator[list[Completed]]:
    at = 0
    while at < total_bytes and not stop.is_set():
        size = min(block_bytes, total_bytes - at)
        yield [work(0, at, size)]
        at += size


class _Crew:
    """Threads that take the next place in turn.

    They hand over by a queue that is looked into every few milliseconds: waking somebody for each
    block would cost more than making it.
    """

    def __init__(
        self,
        work: Work,
        block_bytes: int,
        depth: int,
        total_bytes: int,
        stop: threading.Event,
        span_bytes: int,
    ) -> None:
        self._work, self._block_bytes, self._total_bytes = work, block_bytes, total_bytes
        self._stop, self._span_bytes = stop, span_bytes
        self._next_at = 0
        self._under_way: dict[int, int] = {}
        self._done: deque[Completed] = deque()
        self._is_over = False
        self._lock = threading.Lock()
        self.error: BaseException | None = None
        self._threads = [
            threading.Thread(target=self._labour, args=(number,), name=f"in flight {number}")
            for number in range(depth)
        ]

    def _take(self, worker: int) -> tuple[int, int] | None:
        while True:
            with self._lock:
                self._under_way.pop(worker, None)
                if self._is_over or self._stop.is_set() or self.error is not None:
                    return None
                if self._next_at >= self._total_bytes:
                    return None
                oldest = min(self._under_way.values(), default=self._next_at)
                if self._next_at - oldest + self._block_bytes <= self._span_bytes:
                    at = self._next_at
                    size = min(self._block_bytes, self._total_bytes - at)
                    self._next_at += size
                    self._under_way[worker] = at
                    return at, size
            time.sleep(_LOOK_EVERY_S)  # one that stalls holds the others back

    def _labour(self, worker: int) -> None:
        while (taken := self._take(worker)) is not None:
            try:
                self._done.append(self._work(worker, *taken))
            except BaseException as error:  # handed to whoever waits for the blocks
                with self._lock:
                    self.error = self.error or error
                    self._under_way.pop(worker, None)
                return

    def run(self) -> Iterator[list[Completed]]:
        for thread in self._threads:
            thread.start()
        while True:
            is_alive = any(thread.is_alive() for thread in self._threads)
            ready = [self._done.popleft() for _ in range(len(self._done))]
            if ready:
                yield ready
            elif not is_alive:
                return
            if is_alive:
                time.sleep(_LOOK_EVERY_S)

    def end(self) -> None:
        """Let no further block begin, and wait for those under way: they use our memory."""
        self._is_over = True
        for thread in self._threads:
            if thread.ident is not None:
                thread.join()
