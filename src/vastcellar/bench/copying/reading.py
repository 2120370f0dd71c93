"""The hand that reads: each file of a source once, hashed, and sent to all legs of a copy."""

from __future__ import annotations

import contextlib
import errno
import mmap
import threading
import time
from collections.abc import Callable, Sequence

from vastcellar.bench.copying.buffers import BLOCK_BYTES, Block, Pool
from vastcellar.bench.copying.digests import Digest, new_digest
from vastcellar.bench.copying.ends import Ends, ends_buffer, ends_digest
from vastcellar.bench.copying.leg import Begin, End, Leg, Whole
from vastcellar.bench.copying.past_memory import whole_pages
from vastcellar.bench.copying.source import OpenFile, Source, SourceFile
from vastcellar.core.errors import DiskError

_GONE = (errno.EIO, errno.ENODEV, errno.ENXIO, errno.ENOENT, errno.ESTALE, errno.ENOTCONN)


class Reader(threading.Thread):
    """Reads *files* in turn; a block that nobody has written yet is all that holds it up."""

    def __init__(
        self,
        source: Source,
        files: Sequence[SourceFile],
        legs: Sequence[Leg],
        pool: Pool,
        algorithm: str,
        stop: threading.Event,
        goes_on: threading.Event,
        *,
        ends_at_trouble: bool = False,
        now_s: Callable[[], float] = time.monotonic,
    ) -> None:
        super().__init__(name="copy reader")
        self._source, self._files, self._legs, self._pool = source, files, legs, pool
        self._algorithm, self._stop_event, self._goes_on = algorithm, stop, goes_on
        self._ends_at_trouble, self._now_s = ends_at_trouble, now_s
        self.digests: dict[str, str] = {}
        self.ends: dict[str, str] = {}
        """By path, of each file's first and last block, as they were read."""
        self.troubles: dict[str, str] = {}
        """What kept a file from being read as it was looked at, by its path."""
        self.disk_error: OSError | None = None
        """The last that the source gave."""
        self.read_bytes = 0
        self.read_s = self.hash_s = self.waited_s = 0.0
        self.now = ""
        """The file that is being read."""
        self.error: Exception | None = None
        """What ended it all."""
        self._number = 0
        self._zeros = mmap.mmap(-1, BLOCK_BYTES)

    def run(self) -> None:
        """Read all; the end, or the error, is told by None to every leg."""
        try:
            for file in self._files:
                if self._waits_no_more():
                    break
                self._read_file(file)
            self._write_beside()
        except Exception as error:  # raised again by whoever runs the copy
            self.error = error
            self._stop_event.set()
        finally:
            for leg in self._legs:
                leg.inbox.put(None)

    def _waits_no_more(self) -> bool:
        self._goes_on.wait()
        if self._ends_at_trouble and self.troubles:
            return True
        return self._stop_event.is_set() or self._is_alone()

    def _is_alone(self) -> bool:
        return all(leg.dropped_by for leg in self._legs)

    def _write_beside(self) -> None:
        """Write once more, aside, what stands under its name and turned out to be another."""
        wanted: dict[str, tuple[SourceFile, list[Leg]]] = {}
        for leg in self._legs:
            if not leg.compares:
                continue
            leg.settle(self._stop_event)
            for file in leg.again:
                wanted.setdefault(file.path, (file, []))[1].append(leg)
            leg.again.clear()
        for file, legs in wanted.values():
            if self._waits_no_more():
                return
            self._send(file, legs, aside=True)

    def _read_file(self, file: SourceFile) -> None:
        """Read *file* for those that need it; where all have it verified, only its ends."""
        writes, compares = [], []
        for leg in self._legs:
            if leg.dropped_by:
                continue
            known = leg.destination.known(file)
            if known is not None and known.ends_digest == self._ends_of(file):
                self.digests.setdefault(file.path, known.digest)
                leg.goes_on_from(file, known)
            elif leg.destination.stands(file):
                compares.append(leg)
            else:
                writes.append(leg)
        if file.path not in self.troubles and (writes or compares):
            digest = self._send(file, writes, aside=False)
            for leg in compares if digest else ():
                leg.compare(file, digest, self.ends[file.path])

    def _ends_of(self, file: SourceFile) -> str:
        """Return the digest of the ends of *file* as they are now, read at most once."""
        if file.path in self.ends or file.path in self.troubles:
            return self.ends.get(file.path, "")
        try:
            opened = self._source.open(file)
        except OSError as error:
            self._trouble(file, error, 0)
            return ""
        try:
            if opened.was_as_before:
                with contextlib.closing(ends_buffer()) as buffer:
                    self.ends[file.path] = ends_digest(opened.read, file.size_bytes, buffer)
        except OSError as error:
            self._trouble(file, error, 0)
        finally:
            opened.close()
        return self.ends.get(file.path, "")

    def _send(self, file: SourceFile, legs: Sequence[Leg], *, aside: bool) -> str:
        """Read *file* once and send it to *legs*; return its digest, "" where it has none."""
        self.now, self._number = file.path, self._number + 1
        try:
            opened = self._source.open(file)
        except OSError as error:
            self._trouble(file, error, 0)
            return ""
        try:
            # One with holes comes in as many blocks as it has pieces: they must go round.
            if file.size_bytes <= BLOCK_BYTES and file.taken_bytes >= file.size_bytes:
                digest = self._send_whole(file, opened, legs, aside=aside)
            else:
                digest = self._send_parts(file, opened, legs, aside=aside)
        finally:
            opened.close()
        if digest:
            before = self.digests.setdefault(file.path, digest)
            if before != digest:
                self.troubles[file.path] = "it reads otherwise the second time"
        return digest

    def _send_whole(
        self, file: SourceFile, opened: OpenFile, legs: Sequence[Leg], *, aside: bool
    ) -> str:
        """Send a small file in one message: most of what it costs is handing it over."""
        blocks: list[Block] = []
        digest = self._blocks(file, opened, len(legs), blocks.append)
        if digest and len(blocks) <= 1:
            block = blocks[0] if blocks else None
            message = Whole(
                self._number, file, aside, block, digest, opened.attributes(), self.ends[file.path]
            )
            for leg in legs:
                leg.inbox.put(message)
            return digest
        self._begin(file, legs, aside=aside)
        for each in blocks:
            for leg in legs:
                leg.inbox.put(each)
        self._end(file, opened, digest, legs)
        return digest

    def _send_parts(
        self, file: SourceFile, opened: OpenFile, legs: Sequence[Leg], *, aside: bool
    ) -> str:
        def send(block: Block) -> None:
            for leg in legs:
                leg.inbox.put(block)

        self._begin(file, legs, aside=aside)
        digest = ""
        try:
            digest = self._blocks(file, opened, len(legs), send)
        finally:
            self._end(file, opened, digest, legs)
        return digest

    def _begin(self, file: SourceFile, legs: Sequence[Leg], *, aside: bool) -> None:
        for leg in legs:
            leg.inbox.put(Begin(self._number, file, aside))

    def _end(self, file: SourceFile, opened: OpenFile, digest: str, legs: Sequence[Leg]) -> None:
        attributes = opened.attributes() if digest else ()
        for leg in legs:
            leg.inbox.put(End(digest, attributes, self.ends.get(file.path, "")))

    def _blocks(
        self, file: SourceFile, opened: OpenFile, readers: int, send: Callable[[Block], None]
    ) -> str:
        """Read the open *file* block by block; return its digest, "" where it has none."""
        running, ends, at = new_digest(self._algorithm), Ends(file.size_bytes), 0
        try:
            if not opened.was_as_before:
                self.troubles[file.path] = "it changed since the card was looked at"
                return ""
            for start, end, is_hole in opened.ranges():
                at = start
                while at < end:
                    block = self._free_block()
                    if block is None:
                        return ""
                    block.lend(readers + 1)
                    try:
                        at = self._fill(block, opened, at, min(BLOCK_BYTES, end - at),
                                        running, ends, is_hole=is_hole)  # fmt: skip
                    except BaseException:
                        for _ in range(readers):  # nobody else gets it
                            self._pool.give_back(block)
                        raise
                    else:
                        send(block)
                    finally:
                        self._pool.give_back(block)
            if not opened.is_as_before():
                self.troubles[file.path] = "it changed while it was copied"
                return ""
        except OSError as error:
            self._trouble(file, error, at)
            return ""
        except _ShorterError:
            self.troubles[file.path] = "it became shorter while it was copied"
            return ""
        self.ends[file.path] = ends.hexdigest()
        return running.hexdigest()

    def _free_block(self) -> Block | None:
        self._goes_on.wait()
        if self._is_alone():
            return None  # nobody takes the rest of a clip, however long it is
        begin_s = self._now_s()
        block = self._pool.take(self._stop_event)
        self.waited_s += self._now_s() - begin_s
        return block

    def _fill(
        self, block: Block, opened: OpenFile, at: int, wanted: int, running: Digest, ends: Ends,
        *, is_hole: bool,
    ) -> int:  # fmt: skip
        """Read the next part of a file into *block* and take it in; return where it ends."""
        block.at_bytes, block.is_hole = at, is_hole
        begin_s = self._now_s()
        with memoryview(self._zeros if is_hole else block.buffer) as view:
            if is_hole:
                count = wanted
            else:  # what is read past the memory comes in whole pages
                count = min(opened.read(view[: whole_pages(wanted)], at, wanted), wanted)
            read_s = self._now_s()
            running.update(view[:count])
            ends.take(view[:count], at)
        self.read_s += read_s - begin_s
        self.hash_s += self._now_s() - read_s
        if count < wanted:
            raise _ShorterError
        block.size_bytes = count
        self.read_bytes += count
        if not is_hole and count == BLOCK_BYTES:
            opened.forget(at, count)
        return at + count

    def _trouble(self, file: SourceFile, error: OSError, at: int) -> None:
        where = f" at byte {at:,}" if at else ""
        self.troubles[file.path] = f"it can't be read{where} ({error.strerror})"
        self.disk_error = error
        if error.errno in _GONE and self._source.is_gone():
            self.error = DiskError(
                "the card is gone",
                where=self._source.where,
                mend="Put it back and copy again: what is verified isn't copied twice",
            )
            self._stop_event.set()


class _ShorterError(Exception):
    """A file ended before its own size."""
