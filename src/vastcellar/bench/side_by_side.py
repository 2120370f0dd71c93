"""Several cameras writing at once: one file and one write in flight each."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import FIRST_COMPLETED, Future, ThreadPoolExecutor, wait
from dataclasses import dataclass

from vastcellar.bench.payload import Payload
from vastcellar.bench.stream_files import StreamFiles

_POOL_BYTES = 8 * 2**20  # of each camera: twice its longest write


@dataclass(frozen=True, slots=True)
class Written:
    """One camera's write that is on the drive."""

    camera: int
    size_bytes: int
    begin_s: float
    end_s: float


class SideBySide:
    """The streams of several cameras in one folder. Every method may raise OSError."""

    def __init__(
        self, open_stream: Callable[[str], StreamFiles], run_number: int, now_s: Callable[[], float]
    ) -> None:
        self._open_stream, self._run_number, self._now_s = open_stream, run_number, now_s
        self._streams: dict[int, tuple[StreamFiles, Payload]] = {}
        self._ends: dict[int, int] = {}
        self._under_way: set[Future[Written]] = set()
        self._crew = ThreadPoolExecutor(thread_name_prefix="camera")

    def start_write(self, camera: int, size_bytes: int) -> None:
        """Begin to write so many new bytes behind those of *camera*."""
        if camera not in self._streams:
            files = self._open_stream(f"cam{camera + 1:02d}")
            self._streams[camera] = files, Payload(self._run_number + camera, _POOL_BYTES)
        self._under_way.add(self._crew.submit(self._write, camera, size_bytes))

    def _write(self, camera: int, size_bytes: int) -> Written:
        files, payload = self._streams[camera]
        data = payload.take(size_bytes)
        begin_s = self._now_s()
        files.write(self._ends.get(camera, 0), data)
        self._ends[camera] = self._ends.get(camera, 0) + len(data)
        return Written(camera, size_bytes, begin_s, self._now_s())

    def finished(self, most_s: float) -> list[Written]:
        """Return the writes that are done, at once if there is one, else after *most_s*."""
        done, self._under_way = wait(self._under_way, max(most_s, 0.0), FIRST_COMPLETED)
        return sorted((each.result() for each in done), key=lambda written: written.end_s)

    def flush(self) -> None:
        """Return when all that was written is on the drive."""
        for files, _ in self._streams.values():
            files.flush()

    def close(self) -> None:
        """Wait for what is under way, and close all files."""
        self._crew.shutdown(wait=True)
        for files, payload in self._streams.values():
            files.close()
            payload.release()
        self._streams.clear()


class OneAtATime:
    """For targets without time of their own to write in: one camera waits for the other."""

    # Its time is its own: nothing that happens to the computer happens to it.
    stood_still_s = 0.0
    other_tests = 0
    _done: list[Written] | None = None

    def write(self, size_bytes: int) -> None:
        """Write so many bytes."""
        raise NotImplementedError

    def now_s(self) -> float:
        """Return the time since ``open``."""
        raise NotImplementedError

    def start_write(self, camera: int, size_bytes: int) -> None:
        """Write so many bytes for *camera*; time has passed when this returns."""
        begin_s = self.now_s()
        self.write(size_bytes)
        self._done = [*(self._done or []), Written(camera, size_bytes, begin_s, self.now_s())]

    def finished(self, until_s: float) -> list[Written]:
        """Return the writes that are done."""
        del until_s
        done, self._done = self._done or [], None
        return done
