"""One leg of a copy: a hand that writes a destination, and one that reads it back behind it."""

from __future__ import annotations

import contextlib
import mmap
import queue
import threading
import time
from dataclasses import dataclass
from typing import Protocol

from vastcellar.bench.copying.buffers import BLOCK_BYTES, Block, Pool
from vastcellar.bench.copying.file_writer import FileWriter, Seen, Written
from vastcellar.bench.copying.journal import VerifiedFile
from vastcellar.bench.copying.past_memory import read_at
from vastcellar.bench.copying.source import Attributes, SourceFile
from vastcellar.core.errors import VastCellarError
from vastcellar.core.roll.copies import CopyState, FileOnOne

_BATCH_FILES, _BATCH_BYTES = 512, 48 * 2**20
"""So many small files are flushed at once: each alone would cost a turn of the disk. More would
hold up whoever cancels."""
_IDLE_S = 0.2
"""A batch that isn't full is flushed when nothing has come for so long."""
_JOURNAL_EVERY_S = 1.0


@dataclass(slots=True)
class Begin:
    """A file follows."""

    number: int
    file: SourceFile
    aside: bool = False


@dataclass(slots=True)
class End:
    """The file is over: whole with its digest, or broken off."""

    digest: str
    """"" for one that couldn't be read whole: it gets no name."""
    attributes: Attributes = ()
    ends_digest: str = ""


@dataclass(slots=True)
class Whole:
    """A small file in one piece."""

    number: int
    file: SourceFile
    aside: bool
    block: Block | None
    """None for an empty one."""
    digest: str
    attributes: Attributes
    ends_digest: str


Message = Begin | Block | End | Whole | None


class Watch(Protocol):
    """Who measures a leg: told by its own hands, so it has to be quick."""

    def now_s(self) -> float:
        """Return the time that counts."""

    def wrote(self, size_bytes: int, begin_s: float, end_s: float) -> None:
        """Take in a block that was written."""

    def copied(self, file: SourceFile, begin_s: float, end_s: float) -> None:
        """Take in a file that is on the drive, since its first byte came."""

    def read_back(self, size_bytes: int, begin_s: float, end_s: float) -> None:
        """Take in a block that was read back."""


class Leg:
    """Takes what is read, in its own time; the pool of blocks is all that holds others up."""

    def __init__(
        self, number: int, destination: FileWriter, pool: Pool, stop: threading.Event,
        *, verifies: bool, verifies_along: bool, watch: Watch | None = None,
    ) -> None:  # fmt: skip
        self.number, self.destination = number, destination
        self.inbox: queue.SimpleQueue[Message] = queue.SimpleQueue()
        self._pool, self._stop = pool, stop
        self._verifies, self._watch = verifies, watch
        self._now_s = watch.now_s if watch else time.monotonic
        self._read_at = self._watched_read if watch else None
        self._to_check: queue.SimpleQueue[Written | threading.Event | None] = queue.SimpleQueue()
        self.may_check = threading.Event()
        if verifies_along:
            self.may_check.set()
        self.outcomes: dict[str, FileOnOne] = {}
        self.seen: dict[str, Seen] = {}
        """Each verified file as it lay there when it was read back."""
        self._is_sent = False
        """Whether the last message has come."""
        self.dropped_by = ""
        self.left_by: Exception | None = None
        """What made it so."""
        self.fault: Exception | None = None
        """What is wrong with the program, and not with the disk."""
        self.written_bytes = self.verified_bytes = 0
        self.busy_s = self.waited_s = 0.0
        """Writing and flushing, and with nothing to write."""
        self.compares = False
        self.again: list[SourceFile] = []
        """Files that stand there and are others: they are to be written beside them."""
        self._batch: list[Written] = []
        self._batch_bytes = 0
        self._writer = threading.Thread(target=self._guarded_writing, name="copy writer")
        self._checker = threading.Thread(target=self._guarded_checking, name="copy checker")

    def start(self) -> None:
        """Begin to take what is sent; one that was left before it began takes nothing."""
        if self.dropped_by:
            return
        self._writer.start()
        self._checker.start()

    def end(self) -> None:
        """Wait until all is written, and read back where it may be."""
        if self._writer.ident is None:
            return
        self._writer.join()
        self.may_check.set()
        self._checker.join()

    @property
    def is_busy(self) -> bool:
        """Whether one of its hands is still at work."""
        return self._writer.is_alive() or self._checker.is_alive()

    @property
    def is_writing(self) -> bool:
        """Whether something is still to be written."""
        return self._writer.is_alive()

    def compare(self, file: SourceFile, digest: str, ends_digest: str) -> None:
        """Hold what stands there under the name of *file* against *digest*, behind the rest."""
        try:
            found = self.destination.found(file)
        except OSError:
            self.again.append(file)  # a link or a folder stands there: ours goes beside it
            self.compares = True
            return
        self.compares, found.digest, found.ends_digest = True, digest, ends_digest
        self._to_check.put(found)

    def goes_on_from(self, file: SourceFile, known: VerifiedFile) -> None:
        """Take *file* for verified as its journal has it, after the card's own was compared."""
        self.outcomes[file.path] = FileOnOne(CopyState.VERIFIED, known.name, was_there=True)
        name = known.name.rpartition("/")[2]
        self.seen[file.path] = Seen(name, known.inode, known.changed_ns)
        self.verified_bytes += file.size_bytes

    def settle(self, stop: threading.Event) -> None:
        """Return when all that was to be compared has been, or *stop* is set."""
        self.may_check.set()  # the first reading of the source is over
        reached = threading.Event()
        self._to_check.put(reached)
        while not stop.is_set() and self._checker.is_alive() and not reached.wait(_IDLE_S / 4):
            pass

    # Writing

    def _guarded_writing(self) -> None:
        try:
            self._write_all()
        except Exception as error:  # a hand that just went would leave the others waiting for ever
            self._leave(error)
            self._drain()
        finally:
            for each in self._batch:
                self._forget(each)
            self._batch.clear()
            self._to_check.put(None)

    def _leave(self, error: Exception) -> None:
        """This destination is out: the others go on."""
        found = self.destination.sentence(error) if isinstance(error, OSError) else error
        self.dropped_by, self.left_by = self.dropped_by or str(found), self.left_by or error
        if not isinstance(error, (VastCellarError, OSError)):
            self.fault = self.fault or error

    def _drain(self) -> None:
        """Give back whatever is still sent here."""
        while not self._is_sent and (message := self.inbox.get()) is not None:
            block = message.block if isinstance(message, Whole) else message
            if isinstance(block, Block):
                self._pool.give_back(block)

    def _write_all(self) -> None:
        now: Written | None = None
        free_s = self._now_s()
        try:
            while True:
                try:
                    message = self.inbox.get(timeout=_IDLE_S)
                except queue.Empty:
                    if now is None and not self._stop.is_set():
                        self._flush()
                    continue
                if message is None:
                    self._is_sent = True
                    break
                begin_s = self._now_s()
                self.waited_s += begin_s - free_s
                if isinstance(message, Begin):
                    now = self._begin(message)
                elif isinstance(message, Block):
                    now = self._take(now, message)
                elif isinstance(message, End):
                    self._end(now, message)
                    now = None
                else:
                    self._take_whole(message)
                free_s = self._now_s()
                self.busy_s += free_s - begin_s
            if not self._stop.is_set():
                begin_s = self._now_s()
                self._flush()
                self.busy_s += self._now_s() - begin_s
        finally:
            if now is not None:
                self._forget(now)

    def _begin(self, message: Begin) -> Written | None:
        begin_s = self._now_s()
        try:
            begun = self.destination.begin(message.file, message.number, aside=message.aside)
        except OSError as error:
            self._fail(message.file, error)
            return None
        begun.begun_s = begin_s
        return begun

    def _take(self, now: Written | None, block: Block) -> Written | None:
        try:
            if now is not None and not self._stop.is_set():
                begin_s = self._now_s() if self._watch else 0.0
                self.destination.write(now, block)
                if self._watch and not block.is_hole:  # nothing was written of one
                    self._watch.wrote(block.size_bytes, begin_s, self._now_s())
                self.written_bytes += 0 if block.is_hole else block.size_bytes
        except OSError as error:
            assert now is not None
            self._forget(now)
            self._fail(now.file, error)
            return None
        except BaseException:
            if now is not None:
                self._forget(now)
            raise
        finally:
            self._pool.give_back(block)
        return now

    def _take_whole(self, message: Whole) -> None:
        now: Written | None = None
        try:
            if not self._stop.is_set():
                now = self._begin(Begin(message.number, message.file, message.aside))
        finally:
            if message.block is not None:
                now = self._take(now, message.block)
        self._end(now, End(message.digest, message.attributes, message.ends_digest))

    def _end(self, now: Written | None, message: End) -> None:
        if now is None:
            return
        if not message.digest or self._stop.is_set():
            self._forget(now)
            return
        try:
            now.ends_digest = message.ends_digest
            self.destination.finish(now, message.digest, message.attributes)
        except OSError as error:
            self._forget(now)
            self._fail(now.file, error)
            return
        if now.is_direct or now.size_bytes >= _BATCH_BYTES or not self.destination.batches:
            self._batch.append(now)
            self.destination.flush_one(now)
            self._batch.pop()
            if self._watch:
                self._watch.copied(now.file, now.begun_s, self._now_s())
            self._publish([now])
            return
        self.destination.close_handle(now)
        self._batch.append(now)
        self._batch_bytes += now.size_bytes
        if len(self._batch) >= _BATCH_FILES or self._batch_bytes >= _BATCH_BYTES:
            self._flush()

    def _flush(self) -> None:
        """Bring all small files onto the drive at once, then give them their names."""
        if not self._batch:
            return
        if not self.destination.flush_all():
            for each in self._batch:
                self.destination.flush_again(each)
        self._batch_bytes = 0
        self._publish(self._batch)

    def _publish(self, batch: list[Written]) -> None:
        """Give each its name; what is left when the drive refuses is still in *batch*."""
        folders = {}
        while batch:
            each = batch[0]
            try:
                self.destination.publish(each)
            except OSError as error:
                self._forget(batch.pop(0))
                self._fail(each.file, error)
                continue
            batch.pop(0)
            folders[each.file.folder] = each.folder
            self._say(each, CopyState.COPIED)
            self._to_check.put(each)
        for folder in folders.values():
            folder.sync()

    def _say(self, written: Written, state: CopyState, said: str = "") -> None:
        file = written.file
        name = written.path if written.name != file.name else ""
        self.outcomes[file.path] = FileOnOne(state, name, written.was_there, said)

    def _fail(self, file: SourceFile, error: OSError) -> None:
        """One file can't be held there; what says more than that takes the destination out."""
        if error.errno not in self.destination.of_one_file:
            raise error
        self.outcomes[file.path] = FileOnOne(
            CopyState.FAILED, said=error.strerror or str(error)
        )  # fmt: skip

    def _forget(self, written: Written) -> None:
        with contextlib.suppress(OSError):
            self.destination.drop(written)

    # Reading back

    def _guarded_checking(self) -> None:
        try:
            self._check_all()
        except Exception as error:  # told by whoever runs the copy
            self._leave(error)
        finally:
            while True:
                try:
                    left = self._to_check.get_nowait()
                except queue.Empty:
                    break
                if isinstance(left, Written):
                    self.destination.done_with(left)

    def _check_all(self) -> None:
        noted_s = time.monotonic()
        with contextlib.closing(mmap.mmap(-1, BLOCK_BYTES)) as buffer:
            while (written := self._to_check.get()) is not None:
                if isinstance(written, threading.Event):
                    written.set()
                    continue
                try:
                    while not self.may_check.is_set() and not self.may_check.wait(_IDLE_S):
                        if self._stop.is_set():
                            return
                    if self._stop.is_set():
                        return
                    if self._verifies or written.was_there:
                        self._check(written, buffer)
                finally:
                    self.destination.done_with(written)
                if time.monotonic() - noted_s > _JOURNAL_EVERY_S:
                    self.destination.sync_notes()
                    noted_s = time.monotonic()
        self.destination.sync_notes()

    def _watched_read(self, handle: int, view: memoryview, at_bytes: int, wanted: int) -> int:
        assert self._watch is not None, "nobody else asks for it"
        begin_s = self._now_s()
        count = read_at(handle, view, at_bytes, wanted)
        self._watch.read_back(min(count, wanted), begin_s, self._now_s())
        return count

    def _check(self, written: Written, buffer: mmap.mmap) -> None:
        is_same = self.destination.read_back(written, buffer, self._stop, self._read_at)
        if is_same is None:
            return
        if is_same:
            self._is_verified(written)
        elif written.was_there:
            self._check_asides(written, buffer)
        else:
            self._say(written, CopyState.DIFFERENT, "it reads back otherwise than it was read")

    def _is_verified(self, written: Written) -> None:
        self._say(written, CopyState.VERIFIED)
        name = written.name if written.name != written.file.name else ""
        self.seen[written.file.path] = Seen(name, written.identity.inode, written.changed_ns)
        self.verified_bytes += written.file.size_bytes
        self.destination.note(written)

    def _check_asides(self, written: Written, buffer: mmap.mmap) -> None:
        """Another file has its name: a copy of an earlier run may stand beside it already."""
        for aside in self.destination.asides(written):
            if is_same := self.destination.read_back(aside, buffer, self._stop, self._read_at):
                self._is_verified(aside)
                return
            if is_same is None:
                return
        self.again.append(written.file)
