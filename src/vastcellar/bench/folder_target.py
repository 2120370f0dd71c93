"""A real folder on a real file system as target."""

from __future__ import annotations

import contextlib
import mmap
import os
import queue
import threading
import time
from collections.abc import Callable, Generator, Iterator
from dataclasses import replace
from pathlib import Path

from vastcellar.bench.disk_errors import as_disk_error
from vastcellar.bench.in_flight import Completed, Work, in_flight
from vastcellar.bench.leftovers import TestFolder
from vastcellar.bench.payload import POOL_BYTES, STAMP_EVERY_BYTES, Payload
from vastcellar.bench.run_clock import RunClock
from vastcellar.bench.running_tests import RunningTest
from vastcellar.bench.side_by_side import SideBySide, Written
from vastcellar.bench.stream_files import StreamFiles
from vastcellar.core.errors import DiskError

_SPARE_BLOCKS, _SPARE_BYTES = 12, 24 * 2**20
_ASK_OTHERS_EVERY_S = 1.0


def disk_number(device: int) -> str:
    """Return a device number as the system writes it: "major:minor"."""
    return f"{os.major(device)}:{os.minor(device)}"


class FolderTarget:
    """Writes and reads take files in a test folder of its own below the chosen folder.

    Direct I/O where the file system allows it; else each write is pushed out and waited for,
    so that the host's memory flatters nothing. ``write_mode`` and ``read_mode`` say which.
    """

    is_simulated = False
    block_bytes = STAMP_EVERY_BYTES

    def __init__(
        self,
        folder: Path,
        notes_folder: Path,
        *,
        file_system: str = "",
        disk_name: str = "",
        read_temperature_c: Callable[[], float] | None = None,
    ) -> None:
        self.folder = folder
        self._test_folder = TestFolder(folder, notes_folder)
        self._file_system = file_system
        self._files = StreamFiles(self._test_folder, file_system)
        self._cameras: SideBySide | None = None
        self._read_temperature_c = read_temperature_c
        self._payload: Payload | None = None
        self._at_bytes = 0
        self._clock = RunClock()
        self._disk_name = disk_name
        self._running: RunningTest | None = None
        self._asked_others_s = 0.0
        self.other_tests = 0
        self.is_given_up = False
        """Whether its disk doesn't answer any more: whatever is asked of it would hang."""

    @property
    def stood_still_s(self) -> float:
        """How long the process could not run; ``now_s`` leaves that out."""
        return self._clock.stood_still_s

    @property
    def write_mode(self) -> str:
        """Say how the host's cache was kept out of the way while writing."""
        return self._files.write_mode

    @property
    def read_mode(self) -> str:
        """Say how the host's cache was kept out of the way while reading."""
        return self._files.read_mode

    @property
    def is_direct(self) -> bool:
        """Whether the host's memory had no part in it."""
        return self._files.is_direct

    def open(self) -> None:
        """Make the test folder, find out whether direct I/O works, start the clock."""
        try:
            if not self.folder.is_dir():
                raise DiskError(
                    "there is no such folder",
                    where=str(self.folder),
                    mend="Choose a folder that exists",
                )
            self._test_folder.make()
            self._running = RunningTest(self._disk_name or disk_number(self._test_folder.device))
            self._clock.begin_ticking()
            self._payload = Payload(int(self._test_folder.run_id, 16))
            self._files.probe(self._payload.take(self.block_bytes))
        except OSError as error:
            raise as_disk_error(error, str(self.folder)) from error
        self.start_clock()

    def start_clock(self) -> None:
        """Let the time begin at 0 again."""
        self._clock.start()

    def look_after(self) -> None:
        """Raise DiskError where the folder isn't ours any more; see who else is testing.

        Cheap if called for each block.
        """
        self._test_folder.look_after()
        now_s = time.monotonic()
        if self._running is not None and now_s - self._asked_others_s > _ASK_OTHERS_EVERY_S:
            self._asked_others_s = now_s
            self.other_tests = max(self.other_tests, self._running.others())

    def write(self, size_bytes: int) -> None:
        """Write so many new bytes; the last of a run is padded to a whole block."""
        assert self._payload is not None, "open() comes first"
        try:
            self.look_after()
            data = self._payload.take(size_bytes)
            self._files.write(self._at_bytes, data)
            self._at_bytes += len(data)
        except OSError as error:
            raise as_disk_error(error, str(self.folder)) from error

    def start_write(self, camera: int, size_bytes: int) -> None:
        """Begin to write so many new bytes for one of several cameras, into a file of its own."""
        if self._cameras is None:
            number = int(self._test_folder.run_id, 16) + 1
            self._cameras = SideBySide(self.open_stream, number, self.now_s)
        try:
            self.look_after()
            self._cameras.start_write(camera, size_bytes)
        except OSError as error:
            raise as_disk_error(error, str(self.folder)) from error

    def open_stream(self, name: str) -> StreamFiles:
        """Return another stream in this test's folder; whoever asked for it closes it."""
        self.look_after()
        files = StreamFiles(self._test_folder, self._file_system, name)
        files.is_direct = self._files.is_direct
        return files

    def finished(self, until_s: float) -> list[Written]:
        """Return the cameras' writes that are done, at the latest at *until_s*."""
        assert self._cameras is not None, "start_write() comes first"
        try:
            return self._cameras.finished(until_s - self.now_s())
        except OSError as error:
            raise as_disk_error(error, str(self.folder)) from error

    def write_stream(
        self, total_bytes: int, block_bytes: int, depth: int, stop: threading.Event
    ) -> Iterator[list[Completed]]:
        """Write a stream from its beginning, several blocks in flight; yield what came back."""
        payload = self._payload
        assert payload is not None, "open() comes first"

        def work(_worker: int, at: int, size: int) -> Completed:
            data = payload.at(at, size)
            begin_s = self.now_s()
            self._files.write(at, data)
            return Completed(at, size, begin_s, self.now_s())

        yield from self._run(work, block_bytes, depth, total_bytes, stop)

    def read_stream(
        self, total_bytes: int, block_bytes: int, depth: int, stop: threading.Event
    ) -> Iterator[list[Completed]]:
        """Read the stream back, several blocks in flight, and check every one of them."""
        payload = self._payload
        assert payload is not None, "open() comes first"
        # Reading goes on while what came back is checked here, where the caller would only wait.
        spare = max(2, min(_SPARE_BLOCKS, _SPARE_BYTES // block_bytes))
        free: queue.SimpleQueue[mmap.mmap] = queue.SimpleQueue()
        for _ in range(depth + spare):
            free.put(mmap.mmap(-1, block_bytes))
        read: dict[int, mmap.mmap] = {}

        def work(_worker: int, at: int, size: int) -> Completed:
            buffer = free.get()
            with memoryview(buffer) as whole, whole[:size] as view:
                begin_s = self.now_s()
                count = self._files.read(at, view)
                end_s = self.now_s()
            read[at] = buffer
            wrong_at = at + count - count % STAMP_EVERY_BYTES if count < size else -1
            return Completed(at, size, begin_s, end_s, wrong_at)

        reading = self._run(work, block_bytes, depth, total_bytes, stop, apart=True)
        try:
            for blocks in reading:
                checked = []
                for block in blocks:
                    buffer = read.pop(block.at_bytes)
                    wrong_at = block.wrong_at
                    if wrong_at < 0:
                        wrong_at = payload.first_difference(
                            block.at_bytes, buffer, block.size_bytes
                        )
                    free.put(buffer)
                    checked.append(replace(block, wrong_at=wrong_at))
                yield checked
        finally:
            for _ in range(depth):  # whoever waits for a buffer must not wait for ever
                free.put(mmap.mmap(-1, block_bytes))
            reading.close()

    def read_at(self, at_bytes: int, into: memoryview) -> int:
        """Read *into* from a place of the stream; return how many bytes were there."""
        try:
            self.look_after()
            return self._files.read(at_bytes, into)
        except OSError as error:
            raise as_disk_error(error, str(self.folder)) from error

    def append_beside(self, at_bytes: int, size_bytes: int) -> None:
        """Write new bytes behind *at_bytes* of the stream, over and over in the same few MiB."""
        assert self._payload is not None, "open() comes first"
        try:
            self._files.write(at_bytes, self._payload.take(size_bytes))
        except OSError as error:
            raise as_disk_error(error, str(self.folder)) from error

    @property
    def own_folder(self) -> TestFolder:
        """The folder that this test made and removes again."""
        return self._test_folder

    def push_out(self, handle: int, at_bytes: int, size_bytes: int) -> None:
        """Return when what went through the host's memory there is out of it. Raises OSError."""
        self._files.push_out(handle, at_bytes, size_bytes)

    def leave_direct(self) -> None:
        """Say from now on that the host's memory has a part in it."""
        self._files.is_direct = False

    def content(self, size_bytes: int) -> memoryview:
        """Return new stamped bytes for a file of its own, at most a few MiB; valid once."""
        assert self._payload is not None, "open() comes first"
        return self._payload.take(size_bytes)[:size_bytes]

    def _run(
        self,
        work: Work,
        block_bytes: int,
        depth: int,
        total_bytes: int,
        stop: threading.Event,
        *,
        apart: bool = False,
    ) -> Generator[list[Completed]]:
        span = POOL_BYTES - block_bytes
        try:
            stream = in_flight(
                work, block_bytes, depth, total_bytes, stop, span_bytes=span, apart=apart
            )
            with contextlib.closing(stream):
                for blocks in stream:
                    yield blocks
                    self.look_after()
        except OSError as error:
            raise as_disk_error(error, str(self.folder)) from error

    def start_over(self) -> None:
        """Remove what was written, so that a new stream can begin."""
        try:
            self._files.start_over()
        except OSError as error:
            raise as_disk_error(error, str(self.folder)) from error
        self._at_bytes = 0

    def flush(self) -> None:
        """Return when all that was written is on the drive."""
        try:
            self._files.flush()
            if self._cameras is not None:
                self._cameras.flush()
        except OSError as error:
            raise as_disk_error(error, str(self.folder)) from error

    def now_s(self) -> float:
        """Return the time since ``open`` in which this process could run.

        A change of the wall clock does not touch it, nor that somebody suspends us.
        """
        return self._clock.now_s()

    def wait_until(self, at_s: float, stop: threading.Event) -> None:
        """Return at *at_s*, or soon after *stop* is set."""
        wait_s = at_s - self.now_s()
        if wait_s > 0:
            stop.wait(wait_s)

    def temperature_c(self) -> float:
        """Return the drive's temperature, nan where there is no sensor."""
        return self._read_temperature_c() if self._read_temperature_c else float("nan")

    def give_up(self) -> None:
        """Ask nothing of its disk any more: what stands there is left to a later start."""
        self.is_given_up = True

    def close(self) -> None:
        """Remove the test folder; what a vanished disk still holds goes at a later start."""
        if self.is_given_up:
            self._test_folder.leave()
            self._clock.end()
            if self._running is not None:
                self._running.close()
                self._running = None
            return
        if self._cameras is not None:
            self._cameras.close()
            self._cameras = None
        self._files.close()
        self._test_folder.remove()
        self._clock.end()
        if self._running is not None:
            self.other_tests = max(self.other_tests, self._running.others())
            self._running.close()
            self._running = None
        if self._payload is not None:
            self._payload.release()
            self._payload = None
