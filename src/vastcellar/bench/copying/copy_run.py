"""A card to several destinations in one read: hashed once, written to all, read back."""

from __future__ import annotations

import contextlib
import errno
import mmap
import os
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from vastcellar.bench.copying.buffers import BLOCK_BYTES, Block, Pool
from vastcellar.bench.copying.destination import Destination, read_at, user_attributes
from vastcellar.bench.copying.digests import Digest, new_digest
from vastcellar.bench.copying.folders import OpenFolders
from vastcellar.bench.copying.leg import Begin, End, Leg, Whole
from vastcellar.bench.copying.source import (
    SourceFile,
    SourceTree,
    data_ranges,
    hold_source,
    open_source,
    read_tree,
)
from vastcellar.core.errors import DiskError
from vastcellar.core.roll.copies import (
    CopyOutcome,
    CopyState,
    DestinationOutcome,
    FileOnOne,
    FileOutcome,
)

_TELL_EVERY_S = 0.2
_GONE = (errno.EIO, errno.ENODEV, errno.ENXIO, errno.ENOENT, errno.ESTALE, errno.ENOTCONN)


@dataclass(frozen=True, slots=True)
class CopyPlan:
    """What is copied where."""

    source: Path
    destinations: tuple[Path, ...]
    name: str
    """Of the folder that is made in each destination."""
    drives: tuple[str, ...] = ()
    """Of each destination."""
    counts_not: tuple[str, ...] = ()
    """Why a copy there is none for wiping, "" where it is one, of each destination."""
    shares_drive: tuple[bool, ...] = ()
    """Whether it lies on the card's own drive: reading back waits until the card is read."""
    by_program: tuple[bool, ...] = ()
    """Whether a program stands for its file system, or another computer: only a flush of each
    file reaches the drive there."""
    file_systems: tuple[str, ...] = ()
    """What each destination shares its room by."""
    needed_bytes: tuple[int, ...] = ()
    """Of room in each destination: what lies there already isn't written again."""
    algorithm: str = "xxh128"
    verifies: bool = True


@dataclass(frozen=True, slots=True)
class LegProgress:
    """How far a destination has come."""

    written_bytes: int
    verified_bytes: int
    busy_s: float
    dropped_by: str


@dataclass(frozen=True, slots=True)
class CopyProgress:
    """How far all of it has come."""

    elapsed_s: float
    total_bytes: int
    read_bytes: int
    read_s: float
    hash_s: float
    waited_s: float
    """The reader waited for a free block: some destination holds it up."""
    now: str
    legs: tuple[LegProgress, ...]
    total_files: int
    buffered_bytes: int
    """Read, and not yet on every drive."""
    buffer_bytes: int
    """What may be so at most."""


class CopyRun:
    """Runs once; ``stop`` ends it within half a second, with whole files only."""

    def __init__(self, plan: CopyPlan) -> None:
        self.plan = plan
        self.outcome: CopyOutcome | None = None
        self.error: Exception | None = None
        self._stop, self._goes_on = threading.Event(), threading.Event()
        self._goes_on.set()
        self._digests: dict[str, str] = {}
        self._troubles: dict[str, str] = {}
        self._read_bytes = 0
        self._read_s = self._hash_s = self._waited_s = 0.0
        self._now = ""
        self._legs: list[Leg] = []
        self._number = 0
        self._zeros = mmap.mmap(-1, BLOCK_BYTES)

    def stop(self) -> None:
        """End soon: what is whole stays, what is begun goes."""
        self._stop.set()
        self._goes_on.set()

    def pause(self) -> None:
        """Read no further for now; what was read is written."""
        self._goes_on.clear()

    def resume(self) -> None:
        """Go on reading."""
        self._goes_on.set()

    def run(self) -> Iterator[CopyProgress]:
        """Copy; yield how far it has come. Raises OSError, VastCellarError before it begins."""
        begin_s = time.monotonic()
        with contextlib.ExitStack() as stack:
            source = stack.enter_context(hold_source(self.plan.source))
            tree = read_tree(source, str(self.plan.source))
            self._folders = OpenFolders(source)
            stack.callback(self._folders.close)
            destinations = []
            for number, path in enumerate(self.plan.destinations):
                each = self.plan.by_program[number]
                made = Destination(
                    path, self.plan.name, self.plan.algorithm, flushes_each=each
                )  # fmt: skip
                made.open()
                stack.callback(made.close)
                destinations.append(made)
            self._pool = pool = Pool()
            stack.callback(pool.close)
            self._legs = [
                Leg(number, each, pool, self._stop, verifies=self.plan.verifies,
                    verifies_along=not self.plan.shares_drive[number])
                for number, each in enumerate(destinations)
            ]  # fmt: skip
            for leg in self._legs:
                leg.start()
            reader = threading.Thread(target=self._read_all, args=(tree, pool), name="copy reader")
            reader.start()
            try:
                yield from self._follow(reader, tree, begin_s)
            finally:
                if reader.is_alive():
                    self.stop()
                reader.join()
                for leg in self._legs:
                    leg.end()
            self.error = self.error or next(filter(None, (leg.fault for leg in self._legs)), None)
            self._end_folders(tree)
            self.outcome = self._conclude(tree, time.monotonic() - begin_s)
            yield self._progress(tree, begin_s)
        if self.error is not None:
            raise self.error

    def _follow(
        self, reader: threading.Thread, tree: SourceTree, begin_s: float
    ) -> Iterator[CopyProgress]:
        while reader.is_alive() or any(leg.is_busy for leg in self._legs):
            yield self._progress(tree, begin_s)
            if not reader.is_alive() and not any(leg.is_writing for leg in self._legs):
                for leg in self._legs:  # nothing is read or written any more
                    leg.may_check.set()
            reader.join(_TELL_EVERY_S)
            if not reader.is_alive():
                time.sleep(_TELL_EVERY_S / 4)

    def _progress(self, tree: SourceTree, begin_s: float) -> CopyProgress:
        return CopyProgress(
            elapsed_s=time.monotonic() - begin_s,
            total_bytes=tree.size_bytes,
            read_bytes=self._read_bytes,
            read_s=self._read_s,
            hash_s=self._hash_s,
            waited_s=self._waited_s,
            now=self._now,
            legs=tuple(
                LegProgress(leg.written_bytes, leg.verified_bytes, leg.busy_s, leg.dropped_by)
                for leg in self._legs
            ),
            total_files=len(tree.files),
            buffered_bytes=self._pool.taken_bytes,
            buffer_bytes=self._pool.size_bytes,
        )

    # Reading

    def _read_all(self, tree: SourceTree, pool: Pool) -> None:
        try:
            for file in tree.files:
                if self._waits_no_more():
                    break
                self._read_file(file, pool)
            self._write_beside(pool)
        except Exception as error:  # raised again by whoever runs the copy
            self.error = error
            self._stop.set()
        finally:
            for leg in self._legs:
                leg.inbox.put(None)

    def _waits_no_more(self) -> bool:
        self._goes_on.wait()
        return self._stop.is_set() or all(leg.dropped_by for leg in self._legs)

    def _write_beside(self, pool: Pool) -> None:
        """Write once more, aside, what stands under its name and turned out to be another."""
        wanted: dict[str, tuple[SourceFile, list[Leg]]] = {}
        for leg in self._legs:
            leg.settle(self._stop)
            for file in leg.again:
                wanted.setdefault(file.path, (file, []))[1].append(leg)
            leg.again.clear()
        for file, legs in wanted.values():
            if self._waits_no_more():
                return
            self._send(file, pool, legs, aside=True)

    def _read_file(self, file: SourceFile, pool: Pool) -> None:
        """Read *file* for those that need it; where all have it verified, not at all."""
        writes, compares = [], []
        for leg in self._legs:
            if leg.dropped_by:
                continue
            known = leg.destination.known(file)
            if known is not None:
                self._digests.setdefault(file.path, known.digest)
                leg.outcomes[file.path] = FileOnOne(CopyState.VERIFIED, known.name, True)
                leg.verified_bytes += file.size_bytes
            elif leg.destination.stands(file):
                compares.append(leg)
            else:
                writes.append(leg)
        if writes or compares:
            digest = self._send(file, pool, writes, aside=False)
            for leg in compares if digest else ():
                leg.compare(file, digest)

    def _send(self, file: SourceFile, pool: Pool, legs: Sequence[Leg], *, aside: bool) -> str:
        """Read *file* once and send it to *legs*; return its digest, "" where it has none."""
        self._now, self._number = file.path, self._number + 1
        try:
            folder = self._folders.take(file.folder)
            try:
                handle = open_source(folder, file)
            finally:
                self._folders.give_back(file.folder)
        except OSError as error:
            self._trouble(file, error, 0)
            return ""
        try:
            # One with holes comes in as many blocks as it has pieces: they must go round.
            if file.size_bytes <= BLOCK_BYTES and file.taken_bytes >= file.size_bytes:
                digest = self._send_whole(file, handle, pool, legs, aside=aside)
            else:
                digest = self._send_parts(file, handle, pool, legs, aside=aside)
        finally:
            os.close(handle)
        if digest:
            before = self._digests.setdefault(file.path, digest)
            if before != digest:
                self._troubles[file.path] = "it reads otherwise the second time"
        return digest

    def _send_whole(
        self, file: SourceFile, handle: int, pool: Pool, legs: Sequence[Leg], *, aside: bool
    ) -> str:
        """Send a small file in one message: most of what it costs is handing it over."""
        blocks: list[Block] = []
        digest = self._blocks(file, handle, pool, len(legs), blocks.append)
        if digest and len(blocks) <= 1:
            block = blocks[0] if blocks else None
            message = Whole(
                self._number, file, aside, block, digest, user_attributes(handle)
            )  # fmt: skip
            for leg in legs:
                leg.inbox.put(message)
            return digest
        self._begin(file, legs, aside=aside)
        for each in blocks:
            for leg in legs:
                leg.inbox.put(each)
        self._end(handle, digest, legs)
        return digest

    def _send_parts(
        self, file: SourceFile, handle: int, pool: Pool, legs: Sequence[Leg], *, aside: bool
    ) -> str:
        def send(block: Block) -> None:
            for leg in legs:
                leg.inbox.put(block)

        self._begin(file, legs, aside=aside)
        digest = ""
        try:
            digest = self._blocks(file, handle, pool, len(legs), send)
        finally:
            self._end(handle, digest, legs)
        return digest

    def _begin(self, file: SourceFile, legs: Sequence[Leg], *, aside: bool) -> None:
        for leg in legs:
            leg.inbox.put(Begin(self._number, file, aside))

    @staticmethod
    def _end(handle: int, digest: str, legs: Sequence[Leg]) -> None:
        attributes = user_attributes(handle) if digest else ()
        for leg in legs:
            leg.inbox.put(End(digest, attributes))

    def _blocks(
        self, file: SourceFile, handle: int, pool: Pool, readers: int,
        send: Callable[[Block], None],
    ) -> str:  # fmt: skip
        """Read the open *file* block by block; return its digest, "" where it has none."""
        running, at = new_digest(self.plan.algorithm), 0
        try:
            status = os.fstat(handle)
            if not file.is_as(status):
                self._troubles[file.path] = "it changed since the card was looked at"
                return ""
            for start, end, is_hole in data_ranges(handle, status):
                at = start
                while at < end:
                    self._goes_on.wait()
                    begin_s = time.monotonic()
                    block = pool.take(self._stop)
                    self._waited_s += time.monotonic() - begin_s
                    if block is None:
                        return ""
                    block.lend(readers + 1)
                    try:
                        at = self._fill(block, handle, at, min(BLOCK_BYTES, end - at),
                                        running, is_hole=is_hole)  # fmt: skip
                    except BaseException:
                        for _ in range(readers):  # nobody else gets it
                            pool.give_back(block)
                        raise
                    else:
                        send(block)
                    finally:
                        pool.give_back(block)
            if not file.is_as(os.fstat(handle)):
                self._troubles[file.path] = "it changed while it was copied"
                return ""
        except OSError as error:
            self._trouble(file, error, at)
            return ""
        except _ShorterError:
            self._troubles[file.path] = "it became shorter while it was copied"
            return ""
        return running.hexdigest()

    def _fill(
        self, block: Block, handle: int, at: int, wanted: int, running: Digest, *, is_hole: bool
    ) -> int:
        """Read the next part of a file into *block* and take it in; return where it ends."""
        block.at_bytes, block.is_hole = at, is_hole
        begin_s = time.monotonic()
        source = self._zeros if is_hole else block.buffer
        with memoryview(source) as view:
            count = wanted if is_hole else read_at(handle, view[:wanted], at, wanted)
            read_s = time.monotonic()
            running.update(view[:count])
        self._read_s += read_s - begin_s
        self._hash_s += time.monotonic() - read_s
        if count < wanted:
            raise _ShorterError
        block.size_bytes = count
        self._read_bytes += count
        if not is_hole and count == BLOCK_BYTES:  # read once: others need the memory
            os.posix_fadvise(handle, at, count, os.POSIX_FADV_DONTNEED)
        return at + count

    def _trouble(self, file: SourceFile, error: OSError, at: int) -> None:
        where = f" at byte {at:,}" if at else ""
        self._troubles[file.path] = f"it can't be read{where} ({error.strerror})"
        if error.errno in _GONE and not self.plan.source.exists():
            self.error = DiskError(
                "the card is gone",
                where=str(self.plan.source),
                mend="Put it back and copy again: what is verified isn't copied twice",
            )
            self._stop.set()

    # What came of it

    def _end_folders(self, tree: SourceTree) -> None:
        """Folders take the times of the source's last, the deepest first: writing changed them."""
        for leg in self._legs:
            if leg.dropped_by or self._stop.is_set():
                continue
            for folder in reversed(tree.folders):
                with contextlib.suppress(OSError):
                    leg.destination.make_folder(folder.path)
                leg.destination.end_folder(folder.path, folder.modified_ns)

    def _conclude(self, tree: SourceTree, elapsed_s: float) -> CopyOutcome:
        files = tuple(
            FileOutcome(
                each.path,
                each.size_bytes,
                "" if each.path in self._troubles else self._digests.get(each.path, ""),
                tuple(self._on(leg, each.path) for leg in self._legs),
                self._troubles.get(each.path, ""),
                each.modified_ns,
            )
            for each in tree.files
        )
        outcome = CopyOutcome(
            source=str(self.plan.source),
            destinations=tuple(
                DestinationOutcome(
                    leg.destination.where,
                    self.plan.drives[number],
                    self.plan.counts_not[number],
                    self.plan.by_program[number],
                    leg.dropped_by,
                    leg.written_bytes,
                    leg.verified_bytes,
                    leg.busy_s,
                )
                for number, leg in enumerate(self._legs)
            ),
            files=files,
            left_out=tree.left_out,
            is_cancelled=self._stop.is_set(),
            elapsed_s=elapsed_s,
            read_s=self._read_s,
            read_bytes=self._read_bytes,
            algorithm=self.plan.algorithm,
        )
        for number, leg in enumerate(self._legs):
            if all(each.on[number].state is CopyState.VERIFIED for each in files):
                leg.destination.journal.remove()
        return outcome

    def _on(self, leg: Leg, path: str) -> FileOnOne:
        found = leg.outcomes.get(path)
        if path in self._troubles:
            # Whatever came of it there, it isn't known to be what the card holds.
            return FileOnOne(CopyState.FAILED, said=self._troubles[path])
        if found is not None:
            return found
        if leg.dropped_by:
            return FileOnOne(CopyState.FAILED, said=leg.dropped_by)
        return FileOnOne(CopyState.WAITING)


class _ShorterError(Exception):
    """A file ended before its own size."""
