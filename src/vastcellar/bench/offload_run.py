"""The offload test: clips copied onto the drive, flushed, and read back against the source.

One hand reads the source and one writes the drive, with a few blocks between them; who waits for
whom says which of the two a copy's rate is really the rate of.
"""

from __future__ import annotations

import contextlib
import errno
import fcntl
import math
import mmap
import os
import queue
import threading
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import xxhash

from vastcellar.bench.disk_errors import as_disk_error
from vastcellar.bench.folder_target import FolderTarget
from vastcellar.bench.in_flight import Completed
from vastcellar.bench.payload import STAMP_EVERY_BYTES, Payload
from vastcellar.bench.progress import Progress, stopped
from vastcellar.bench.stream_files import StreamFiles
from vastcellar.bench.stream_pass import PassResult, StreamPass
from vastcellar.bench.watched_run import WatchedRun
from vastcellar.core.checks import require_above_zero
from vastcellar.core.errors import BadValueError, DiskError, VastCellarError

BLOCK_BYTES = 4 * 2**20
_BLOCKS_BETWEEN = 6
_LOOK_EVERY_S = 0.1
_TELLING = 2.0  # one hand waited this many times longer than the other
_WAITED_SHARE = 0.05


@dataclass(frozen=True, slots=True)
class Clip:
    """One file to copy; without a path it is made up."""

    name: str
    size_bytes: int
    path: Path | None = None


@dataclass(frozen=True)
class OffloadPlan:
    """What is copied, and whether it is read back afterwards."""

    clips: tuple[Clip, ...]
    source: str
    """Where the clips lie, or that they are made up."""
    verifies: bool = True

    def __post_init__(self) -> None:
        if not self.clips:
            raise BadValueError(
                "it has no clip", where=self.source, mend="Choose a folder of clips"
            )
        require_above_zero(self.source, bytes_to_write=self.bytes_to_write)

    @property
    def bytes_to_write(self) -> int:
        """Bytes of all clips."""
        return sum(clip.size_bytes for clip in self.clips)

    @property
    def is_made_up(self) -> bool:
        """Whether no other disk takes part."""
        return all(clip.path is None for clip in self.clips)


@dataclass(frozen=True, slots=True)
class ClipOutcome:
    """One clip that was copied: until it was flushed, and whether it came back the same."""

    name: str
    size_bytes: int
    copied_s: float
    is_same: bool | None = None
    """None where it wasn't read back."""


@dataclass(frozen=True)
class OffloadResult:
    """What an offload measured."""

    plan: OffloadPlan
    is_complete: bool
    is_simulated: bool
    ended_by: str
    notes: tuple[str, ...]
    write_mode: str
    read_mode: str
    copy: PassResult
    verify: PassResult | None
    clips: tuple[ClipOutcome, ...]
    waited_for_source_s: float
    waited_for_drive_s: float
    source_bytes_per_s: float
    """While it was being read, nothing else counted; nan where the clips are made up."""
    drive_bytes_per_s: float
    """While it was being written or flushed, nothing else counted."""

    @property
    def written_bytes(self) -> int:
        """Bytes that went onto the drive."""
        return self.copy.moved_bytes

    @property
    def limit(self) -> str:
        """What the copy's rate is the rate of: "source", "drive" or "both"."""
        least_s = _WAITED_SHARE * self.copy.elapsed_s
        source_s, drive_s = self.waited_for_source_s, self.waited_for_drive_s
        if source_s > least_s and source_s > _TELLING * drive_s:
            return "source"
        if drive_s > least_s and drive_s > _TELLING * source_s:
            return "drive"
        return "both"

    @property
    def different(self) -> tuple[str, ...]:
        """Names of the clips that did not come back as they were read."""
        return tuple(clip.name for clip in self.clips if clip.is_same is False)


@dataclass(slots=True)
class _Block:
    """A block on its way; the last of a clip says so."""

    buffer: mmap.mmap
    clip: int
    size_bytes: int
    is_last: bool


_Fill = Callable[[mmap.mmap, int], int]


class _Reader(threading.Thread):
    """Reads the clips in turn into the blocks that are free, and hashes what it read."""

    def __init__(
        self, clips: tuple[Clip, ...], stop: threading.Event, now_s: Callable[[], float]
    ) -> None:
        super().__init__(name="clip reader")
        self._clips, self._stop_event, self._now_s = clips, stop, now_s
        self._buffers = [mmap.mmap(-1, BLOCK_BYTES) for _ in range(_BLOCKS_BETWEEN)]
        self.free: queue.SimpleQueue[mmap.mmap] = queue.SimpleQueue()
        self.full: queue.SimpleQueue[_Block | None] = queue.SimpleQueue()
        for buffer in self._buffers:
            self.free.put(buffer)
        self.hashes: dict[int, str] = {}
        self.busy_s = self.waited_s = 0.0
        self.read_bytes = 0
        self.error: VastCellarError | None = None

    def run(self) -> None:
        """Read all; the end, or the error, is told by None."""
        try:
            for number, clip in enumerate(self._clips):
                self._read(number, clip)
                if self._stop_event.is_set():
                    break
        except OSError as error:
            found = as_disk_error(error, str(self._clips[0].path or "source"))
            self.error = DiskError(f"source: {found.what}", where=found.where, mend=found.mend)
        except VastCellarError as error:
            self.error = error
        self.full.put(None)

    def _free_buffer(self) -> mmap.mmap | None:
        begin_s = self._now_s()
        while not self._stop_event.is_set():
            with contextlib.suppress(queue.Empty):
                buffer = self.free.get(timeout=_LOOK_EVERY_S)
                self.waited_s += self._now_s() - begin_s
                return buffer
        return None

    def _read(self, number: int, clip: Clip) -> None:
        digest, left = xxhash.xxh3_64(), clip.size_bytes
        with contextlib.ExitStack() as stack:
            fill = self._opened(number, clip, stack)
            while left > 0:
                buffer = self._free_buffer()
                if buffer is None:
                    return
                wanted = min(BLOCK_BYTES, left)
                begin_s = self._now_s()
                count = fill(buffer, wanted)
                self.busy_s += self._now_s() - begin_s
                if count < wanted:
                    raise DiskError(
                        f"source: {clip.name} became shorter while it was read",
                        where=str(clip.path),
                        mend="Copy clips that nothing else is writing to",
                    )
                with memoryview(buffer) as view:
                    digest.update(view[:count])
                left -= count
                self.read_bytes += count
                self.full.put(_Block(buffer, number, count, left == 0))
        self.hashes[number] = digest.hexdigest()

    def _opened(self, number: int, clip: Clip, stack: contextlib.ExitStack) -> _Fill:
        if clip.path is None:
            payload = Payload(0x0FF10AD + number, 2 * BLOCK_BYTES)
            stack.callback(payload.release)

            def make(buffer: mmap.mmap, wanted: int) -> int:
                buffer[:wanted] = payload.take(wanted)[:wanted]
                return wanted

            return make
        handle = _open_past_cache(clip.path)
        stack.callback(os.close, handle)

        def read(buffer: mmap.mmap, wanted: int) -> int:
            with memoryview(buffer) as view:
                done = 0
                while done < wanted:
                    # A direct read asks for whole blocks; the end of the file shortens the last.
                    count = _read_once(handle, view[done:])
                    if count == 0:
                        break
                    done += count
            return min(done, wanted)

        return read

    def end(self) -> None:
        """Wait for it; the caller has told it to stop, or it has read all."""
        self.join()
        for buffer in self._buffers:
            with contextlib.suppress(BufferError):
                buffer.close()


def _open_past_cache(path: Path) -> int:
    """Open a clip for reading past the host's memory, or with it dropped before; no links."""
    flags = os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC
    try:
        handle = os.open(path, flags | os.O_DIRECT)
    except OSError:
        handle = os.open(path, flags)
        os.posix_fadvise(handle, 0, 0, os.POSIX_FADV_DONTNEED)
    return handle


def _read_once(handle: int, view: memoryview) -> int:
    try:
        return os.readv(handle, [view])
    except OSError as error:
        flags = fcntl.fcntl(handle, fcntl.F_GETFL)
        if error.errno != errno.EINVAL or not flags & os.O_DIRECT:
            raise
        # Some file systems refuse direct I/O only at the first read.
        fcntl.fcntl(handle, fcntl.F_SETFL, flags & ~os.O_DIRECT)
        os.posix_fadvise(handle, 0, 0, os.POSIX_FADV_DONTNEED)
        return os.readv(handle, [view])


class OffloadRun(WatchedRun):
    """Copies, flushes each clip, and reads it back, in files of its own that it removes."""

    def __init__(self, plan: OffloadPlan, target: FolderTarget) -> None:
        super().__init__(target)
        self.plan = plan
        self._folder = target
        self._reader = _Reader(plan.clips, self._stop, target.now_s)
        self._files: list[StreamFiles] = []
        self._copied: list[ClipOutcome] = []
        self._is_same: dict[int, bool] = {}
        self._busy_s = self._waited_s = 0.0
        self._copy: StreamPass | None = None
        self._verify: StreamPass | None = None
        self.result: OffloadResult | None = None

    def _has_something(self) -> bool:
        return self._copy is not None and self._copy.moved_bytes > 0

    def _measure(self) -> Iterator[Progress]:
        self._folder.open()
        try:
            yield from self._copy_all()
            if self.plan.verifies:
                yield from self._read_back()
        except OSError as error:
            raise as_disk_error(error, str(self._folder.folder)) from error
        finally:
            if self._reader.is_alive():
                self._stop.set()
            if self._reader.ident is not None:
                self._reader.end()
            for files in self._files:
                files.close()

    def _copy_all(self) -> Iterator[Progress]:
        copying = StreamPass("copying", self._folder, self.plan.bytes_to_write, math.inf)
        self._copy = copying
        share = 0.6 if self.plan.verifies else 1.0
        self._reader.start()
        begun_s, at_bytes = self._folder.now_s(), 0
        for block in self._blocks():
            if len(self._files) <= block.clip:
                self._files.append(self._folder.open_stream(f"clip-{block.clip + 1:04d}"))
                begun_s, at_bytes = self._folder.now_s(), 0
            begin_s = self._folder.now_s()
            self._write(self._files[-1], at_bytes, block)
            end_s = self._folder.now_s()
            self._busy_s += end_s - begin_s
            self._reader.free.put(block.buffer)
            at_bytes += block.size_bytes
            copying.add([Completed(copying.moved_bytes, block.size_bytes, begin_s, end_s)])
            if block.is_last:
                self._end_clip(block.clip, begun_s)
            if copying.is_due:
                yield copying.progress(0.0, share)
        copying.flushed()
        yield copying.progress(0.0, share)

    def _blocks(self) -> Iterator[_Block]:
        """Yield what was read, in order, and count the time spent waiting for it."""
        while True:
            stopped(self._stop)
            begin_s = self._folder.now_s()
            try:
                block = self._reader.full.get(timeout=_LOOK_EVERY_S)
            except queue.Empty:
                continue
            finally:
                self._waited_s += self._folder.now_s() - begin_s
            if block is None:
                if self._reader.error is not None:
                    raise self._reader.error
                stopped(self._stop)
                return
            yield block

    def _write(self, files: StreamFiles, at_bytes: int, block: _Block) -> None:
        padded = -(-block.size_bytes // STAMP_EVERY_BYTES) * STAMP_EVERY_BYTES
        with memoryview(block.buffer) as view:
            files.write(at_bytes, view[:padded])
        if padded != block.size_bytes:
            files.cut(at_bytes + block.size_bytes)

    def _end_clip(self, number: int, begun_s: float) -> None:
        """A clip counts as copied when it is on the drive, not when the last write came back."""
        begin_s = self._folder.now_s()
        self._files[-1].flush()
        end_s = self._folder.now_s()
        self._busy_s += end_s - begin_s
        clip = self.plan.clips[number]
        self._copied.append(ClipOutcome(clip.name, clip.size_bytes, end_s - begun_s))

    def _read_back(self) -> Iterator[Progress]:
        checking = StreamPass("reading back", self._folder, self.plan.bytes_to_write, math.inf)
        self._verify = checking
        with contextlib.closing(mmap.mmap(-1, BLOCK_BYTES)) as buffer:
            for number, clip in enumerate(self.plan.clips):
                digest, at_bytes = xxhash.xxh3_64(), 0
                while at_bytes < clip.size_bytes:
                    stopped(self._stop)
                    begin_s = self._folder.now_s()
                    with memoryview(buffer) as view:
                        count = self._files[number].read(at_bytes, view)
                        count = min(count, clip.size_bytes - at_bytes)
                        end_s = self._folder.now_s()
                        digest.update(view[:count])
                    if count == 0:
                        break
                    at_bytes += count
                    checking.add([Completed(checking.moved_bytes, count, begin_s, end_s)])
                    if checking.is_due:
                        yield checking.progress(0.6, 0.4)
                self._is_same[number] = digest.hexdigest() == self._reader.hashes[number]
        yield checking.progress(0.6, 0.4)

    def _conclude(self) -> None:
        assert self._copy is not None, "something was copied"
        reader = self._reader
        is_read = reader.busy_s > 0 and not self.plan.is_made_up
        self.result = OffloadResult(
            plan=self.plan,
            is_complete=self._ended_by == "",
            is_simulated=self._target.is_simulated,
            ended_by=self._ended_by,
            notes=tuple(self._notes),
            write_mode=self._target.write_mode,
            read_mode=self._target.read_mode,
            copy=self._copy.result(),
            verify=self._verify.result() if self._verify else None,
            clips=tuple(
                ClipOutcome(each.name, each.size_bytes, each.copied_s, self._is_same.get(number))
                for number, each in enumerate(self._copied)
            ),
            waited_for_source_s=self._waited_s,
            waited_for_drive_s=reader.waited_s,
            source_bytes_per_s=reader.read_bytes / reader.busy_s if is_read else math.nan,
            drive_bytes_per_s=self._copy.moved_bytes / self._busy_s if self._busy_s else 0.0,
        )
