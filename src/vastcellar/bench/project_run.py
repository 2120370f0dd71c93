"""The project test: the many small files of an edit, made, renamed, listed and read at random."""

from __future__ import annotations

import contextlib
import math
import mmap
import os
import time
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from vastcellar.bench.disk_errors import as_disk_error
from vastcellar.bench.flat_run import DEFAULT_SHAPE
from vastcellar.bench.folder_target import FolderTarget
from vastcellar.bench.payload import STAMP_EVERY_BYTES
from vastcellar.bench.progress import PUBLISH_EVERY_S, Progress, stopped
from vastcellar.bench.watched_run import WatchedRun
from vastcellar.core.checks import require_above_zero
from vastcellar.core.protocols.latency import LatencyLog, LatencySummary

_LARGEST_FILE_BYTES = 256 * 1024
_READ_SIZES = tuple(size * 1024 for size in (4, 8, 16, 32, 64))


@dataclass(frozen=True, slots=True)
class ProjectPlan:
    """How many small files, and how many reads out of a large one."""

    files: int = 400
    reads: int = 2000
    large_bytes: int = 512 * 2**20

    def __post_init__(self) -> None:
        require_above_zero(
            "project", files=self.files, reads=self.reads, large_bytes=self.large_bytes
        )

    @property
    def bytes_to_write(self) -> int:
        """At most: all small files at their largest, and the large one."""
        return self.files * _LARGEST_FILE_BYTES + self.large_bytes


@dataclass(frozen=True, slots=True)
class Operation:
    """One kind of operation: how many a second, and how long each took."""

    name: str
    per_s: float
    latency: LatencySummary


@dataclass(frozen=True)
class ProjectResult:
    """What a project test measured."""

    plan: ProjectPlan
    is_complete: bool
    ended_by: str
    notes: tuple[str, ...]
    read_mode: str
    operations: tuple[Operation, ...]
    written_bytes: int


class ProjectRun(WatchedRun):
    """Makes files of its own in the test's folder, works on them, and reads at random."""

    def __init__(self, plan: ProjectPlan, target: FolderTarget) -> None:
        super().__init__(target)
        self.plan = plan
        self._folder = target
        self._random = np.random.default_rng(17)
        self._operations: list[Operation] = []
        self._written_bytes = 0
        self._published_s = time.monotonic()
        self.result: ProjectResult | None = None

    def _has_something(self) -> bool:
        return bool(self._operations)

    def _measure(self) -> Iterator[Progress]:
        self._folder.open()
        try:
            yield from self._small_files()
        except OSError as error:
            raise as_disk_error(error, str(self._folder.folder)) from error
        yield from self._random_reads()

    def _small_files(self) -> Iterator[Progress]:
        own, count = self._folder.own_folder, self.plan.files
        held = own.held
        stems = [f"item-{number:06d}" for number in range(count)]
        sizes = self._random.integers(1024, _LARGEST_FILE_BYTES, count)

        def create(number: int) -> None:
            handle = held.create(own.name_of(stems[number], ".new"), os.O_WRONLY)
            try:
                data = self._folder.content(int(sizes[number]))
                os.write(handle, data)
                os.fsync(handle)
                self._written_bytes += len(data)
            finally:
                os.close(handle)

        def rename(number: int) -> None:
            held.rename(own.name_of(stems[number], ".new"), own.name_of(stems[number]))

        def list_all(_number: int) -> None:
            with os.scandir(held.handle) as entries:
                for entry in entries:
                    entry.stat(follow_symlinks=False)

        def remove(number: int) -> None:
            held.remove(own.name_of(stems[number]))

        yield from self._each("create and sync", count, create, 0.0, 0.4)
        yield from self._each("rename", count, rename, 0.4, 0.1)
        yield from self._each("list and stat all", 10, list_all, 0.5, 0.1)
        yield from self._each("remove", count, remove, 0.6, 0.1)

    def _each(
        self, name: str, count: int, work: object, before: float, share: float
    ) -> Iterator[Progress]:
        assert callable(work)
        log, begin_s = LatencyLog(), self._folder.now_s()
        for number in range(count):
            stopped(self._stop)
            self._folder.own_folder.look_after()
            start_s = self._folder.now_s()
            work(number)
            log.add(start_s, self._folder.now_s())
            if time.monotonic() - self._published_s >= PUBLISH_EVERY_S:
                yield self._progress(name, before + share * number / count)
        took_s = max(self._folder.now_s() - begin_s, 1e-9)
        self._operations.append(Operation(name, count / took_s, log.summary()))

    def _random_reads(self) -> Iterator[Progress]:
        plan, shape = self.plan, DEFAULT_SHAPE
        total = plan.large_bytes // STAMP_EVERY_BYTES * STAMP_EVERY_BYTES
        for blocks in self._folder.write_stream(total, shape.block_bytes, shape.depth, self._stop):
            self._written_bytes += sum(block.size_bytes for block in blocks)
            if time.monotonic() - self._published_s >= PUBLISH_EVERY_S:
                yield self._progress("writing a large file", 0.7)
        stopped(self._stop)
        self._folder.flush()
        buffer = mmap.mmap(-1, max(_READ_SIZES))
        sizes = self._random.choice(_READ_SIZES, plan.reads)
        places = self._random.random(plan.reads)
        with contextlib.closing(buffer), memoryview(buffer) as view:

            def read(number: int) -> None:
                size = int(sizes[number])
                span = max(total - size, 0) // STAMP_EVERY_BYTES + 1
                with view[:size] as part:
                    self._folder.read_at(int(places[number] * span) * STAMP_EVERY_BYTES, part)

            yield from self._each("read 4 to 64 KiB at random", plan.reads, read, 0.8, 0.2)

    def _progress(self, name: str, share: float) -> Progress:
        self._published_s = time.monotonic()
        return Progress(
            phase=name,
            elapsed_s=self._folder.now_s(),
            done_share=share,
            moved_bytes=self._written_bytes,
            bytes_per_s=0.0,
            temperature_c=math.nan,
        )

    def _conclude(self) -> None:
        self.result = ProjectResult(
            plan=self.plan,
            is_complete=self._ended_by == "",
            ended_by=self._ended_by,
            notes=tuple(self._notes),
            read_mode=self._target.read_mode,
            operations=tuple(self._operations),
            written_bytes=self._written_bytes,
        )
