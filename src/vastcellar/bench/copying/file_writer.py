"""Files on their way onto a drive: written under a name of ours, flushed, named, read back.

A file gets its own name only when it is whole and on the drive.
"""

from __future__ import annotations

import contextlib
import errno
import fcntl
import mmap
import os
import threading
from collections.abc import Iterable
from dataclasses import dataclass

from vastcellar.bench.copying.buffers import Block
from vastcellar.bench.copying.journal import VerifiedFile
from vastcellar.bench.copying.past_memory import (
    PAGE_BYTES,
    ReadAt,
    digest_of,
    open_past_memory,
    whole_pages,
)
from vastcellar.bench.copying.source import Attributes, SourceFile
from vastcellar.bench.disk_errors import as_disk_error
from vastcellar.bench.held_folder import HeldFolder, Identity
from vastcellar.core.errors import DiskError

_FLUSH_EVERY_BYTES = 32 * 2**20


@dataclass(slots=True)
class Written:
    """A file on its way: being written, then flushed with others, then to be read back."""

    file: SourceFile
    folder: HeldFolder
    """Held until it has been read back, or dropped."""
    temporary: str
    handle: int
    is_direct: bool
    identity: Identity
    name: str
    """That it gets."""
    digest: str = ""
    ends_digest: str = ""
    """Of the source's first and last block."""
    size_bytes: int = 0
    end_bytes: int = 0
    """Of what was written so far, padding counted."""
    unflushed_bytes: int = 0
    changed_ns: int = 0
    aside: bool = False
    was_there: bool = False
    begun_s: float = 0.0
    is_held: bool = True

    @property
    def path(self) -> str:
        """Below the destination, with /."""
        return "/".join((*self.file.folder, self.name))


@dataclass(frozen=True, slots=True)
class Seen:
    """A copy as it lay there when it was read back."""

    name: str
    """Of the file alone, "" where it is called as the source's."""
    inode: int
    changed_ns: int


class FileWriter:
    """Writes the files of a copy and reads them back; where they go is said by who inherits."""

    where = ""
    """For sentences."""
    algorithm: str
    batches = True
    """Whether small files are flushed many at once, each with its name only then."""
    of_one_file = frozenset(
        (errno.EINVAL, errno.ENAMETOOLONG, errno.EILSEQ, errno.EEXIST, errno.EFBIG,
         errno.ENOTDIR, errno.EISDIR, errno.EACCES, errno.EPERM, errno.ELOOP, errno.ESTALE)
    )  # fmt: skip
    """What says something of the file, and not of the drive: the others go on."""

    # Where a file goes

    def place_of(self, file: SourceFile, number: int) -> tuple[HeldFolder, str, str]:
        """Return the folder of *file*, its name while it isn't whole, and the one it gets.

        The folder is held for it until ``let_go``. Raises OSError.
        """
        raise NotImplementedError

    def let_go(self, file: SourceFile) -> None:
        """Say that nothing is done in the folder of *file* for it any more."""
        raise NotImplementedError

    def is_direct(self, file: SourceFile) -> bool:
        """Whether *file* is written past the host's memory, as far as the file system lets."""
        raise NotImplementedError

    def sentence(self, error: OSError) -> DiskError:
        """Return what made it impossible to go on there."""
        return as_disk_error(error, self.where)

    def remove(self, folder: HeldFolder, name: str) -> None:
        """Remove what isn't whole. Raises OSError."""
        folder.remove(name)

    # What is there already

    def known(self, _file: SourceFile) -> VerifiedFile | None:
        """Return what is known of *file* there already: nothing."""
        return None

    def stands(self, _file: SourceFile) -> bool:
        """Whether something stands under the name of *file* already."""
        return False

    def found(self, file: SourceFile) -> Written:
        """Return what stands there, to be compared. Raises OSError."""
        raise FileNotFoundError(errno.ENOENT, os.strerror(errno.ENOENT), file.name)

    def asides(self, _written: Written) -> Iterable[Written]:
        """Return what stands aside already in the place of a file: nothing."""
        return ()

    def note(self, written: Written) -> None:
        """Note that it is verified, for whoever goes on with the copy."""

    def sync_notes(self) -> None:
        """Return when what was noted is on the drive."""

    # Writing

    def begin(self, file: SourceFile, number: int, *, aside: bool) -> Written:
        """Begin to write *file* under a name of ours. Raises OSError."""
        folder, temporary, name = self.place_of(file, number)
        direct = self.is_direct(file)
        try:
            flags = os.O_RDWR | (os.O_DIRECT if direct else 0)
            try:
                handle = folder.create(temporary, flags)
            except OSError as error:
                if not direct or error.errno != errno.EINVAL:
                    raise
                with contextlib.suppress(FileNotFoundError):  # some make it before they refuse
                    os.unlink(temporary, dir_fd=folder.handle)
                direct, handle = False, folder.create(temporary)
        except OSError:
            self.let_go(file)
            raise
        identity = folder.made_as(temporary)
        return Written(file, folder, temporary, handle, direct, identity, name, aside=aside)

    def write(self, written: Written, block: Block) -> None:
        """Write one block at its place; a hole stays one. Raises OSError."""
        if block.is_hole:
            return
        size = block.size_bytes
        with memoryview(block.buffer) as view:
            if written.is_direct and (size % PAGE_BYTES or block.at_bytes % PAGE_BYTES):
                is_end = block.at_bytes + size == written.file.size_bytes
                if is_end and not block.at_bytes % PAGE_BYTES:
                    # Direct writes take whole pages: what is too much is cut off at the end.
                    size = whole_pages(size)
                else:  # beside a hole it would fill it with what lies in our memory
                    self.leave_direct(written)
            self._write_all(written, view[:size], block.at_bytes)

    def _write_all(self, written: Written, view: memoryview, at_bytes: int) -> None:
        done = 0
        while done < len(view):
            try:
                count = os.pwritev(written.handle, [view[done:]], at_bytes + done)
            except OSError as error:
                if error.errno != errno.EINVAL or not written.is_direct:
                    raise
                self.leave_direct(written)
                continue
            if not written.is_direct:
                self.keep_up(written, at_bytes + done, count)
            done += count
            written.end_bytes = max(written.end_bytes, at_bytes + done)
            if done % PAGE_BYTES and done < len(view):
                self.leave_direct(written)  # a short write has put it off its pages

    def keep_up(
        self, written: Written, at_bytes: int, fresh_bytes: int
    ) -> None:  # fmt: skip
        """Flush what goes through the host's memory as it grows: no pile is left at the end."""
        written.unflushed_bytes += fresh_bytes
        if written.unflushed_bytes >= _FLUSH_EVERY_BYTES:
            os.fdatasync(written.handle)
            written.unflushed_bytes = 0

    def leave_direct(self, written: Written) -> None:
        """Go on through the host's memory."""
        if written.is_direct:
            flags = fcntl.fcntl(written.handle, fcntl.F_GETFL)
            fcntl.fcntl(written.handle, fcntl.F_SETFL, flags & ~os.O_DIRECT)
            written.is_direct = False

    def finish(self, written: Written, digest: str, attributes: Attributes) -> None:
        """Give the file its size, times, rights and *attributes*, as the card's has them.

        Raises OSError. It is on the drive after ``flush``.
        """
        file = written.file
        if written.end_bytes != file.size_bytes:  # padded, or ending in a hole
            os.ftruncate(written.handle, file.size_bytes)
        written.digest, written.size_bytes = digest, file.size_bytes
        if attributes:
            with contextlib.suppress(OSError):  # not every file system knows them
                for name, value in attributes:
                    os.setxattr(written.handle, name, value)
        try:
            os.fchmod(written.handle, file.mode)
            os.utime(written.handle, ns=(file.modified_ns, file.modified_ns))
        except PermissionError:  # no rights on a FAT: then the time alone
            with contextlib.suppress(PermissionError):
                os.utime(written.handle, ns=(file.modified_ns, file.modified_ns))

    def flush_one(self, written: Written) -> None:
        """Return when this file is on the drive. Raises OSError."""
        os.fsync(written.handle)

    @staticmethod
    def close_handle(written: Written) -> None:
        """Close the open file: a small one is flushed with others."""
        if written.handle >= 0:
            os.close(written.handle)
            written.handle = -1

    def flush_again(self, written: Written) -> None:
        """Flush a file whose descriptor was closed, where not all can be flushed at once."""
        handle = written.folder.open_file(written.temporary)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)

    def flush_all(self) -> bool:
        """Return when all that was written is on the drive; False where that can't be."""
        return False

    def publish(self, written: Written) -> None:
        """Give it its own name. Raises OSError."""
        self.close_handle(written)
        written.folder.rename(written.temporary, written.name)

    def drop(self, written: Written) -> None:
        """Remove what isn't whole."""
        with contextlib.suppress(OSError):
            self.close_handle(written)
        if written.temporary and not written.was_there:
            with contextlib.suppress(OSError):
                self.remove(written.folder, written.temporary)
        self.done_with(written)

    def done_with(self, written: Written) -> None:
        """Let go of what was held for it."""
        if written.is_held:
            written.is_held = False
            self.let_go(written.file)

    # Reading back

    def read_back(
        self, written: Written, buffer: mmap.mmap, stop: threading.Event, read: ReadAt | None = None
    ) -> bool | None:
        """Return whether what lies there is what was read; None where *stop* was set meanwhile.

        Past the host's memory, as far as the file system lets. Raises OSError.
        """
        handle, status = open_past_memory(written.folder, written.name)
        try:
            if status.st_size != written.file.size_bytes:
                return False
            # Before it is read: what is done to it from then on is seen by it. It is the file
            # system's own time, which nobody can set.
            written.changed_ns = status.st_ctime_ns
            written.identity = Identity.of(status)
            found = digest_of(handle, status, self.algorithm, buffer, stop, read)
            return None if found is None else found == written.digest
        finally:
            os.close(handle)
