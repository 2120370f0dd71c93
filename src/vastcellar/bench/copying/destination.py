"""One destination: files are written under a name of ours, flushed, renamed, then read back.

Nothing that stands there already is overwritten or removed. A file gets its own name only when it
is whole and on the drive; a rename that would replace something is refused by the kernel.
"""

from __future__ import annotations

import contextlib
import ctypes
import errno
import fcntl
import mmap
import os
import stat
import threading
from dataclasses import dataclass, field
from pathlib import Path, PurePath

from vastcellar.bench.copying.buffers import BLOCK_BYTES, Block
from vastcellar.bench.copying.digests import new_digest
from vastcellar.bench.copying.folders import OpenFolders
from vastcellar.bench.copying.journal import Journal, VerifiedFile
from vastcellar.bench.copying.source import SourceFile, data_ranges, folder_below
from vastcellar.bench.disk_errors import as_disk_error
from vastcellar.bench.held_folder import HeldFolder, Identity
from vastcellar.core.errors import DiskError

_syncfs = getattr(ctypes.CDLL(None, use_errno=True), "syncfs", None)
DIRECT_FROM_BYTES = 8 * 2**20
"""Smaller files are as quick through the host's memory, and are flushed together."""
_PAGE = mmap.PAGESIZE
Attributes = tuple[tuple[str, bytes], ...]
_FLUSH_EVERY_BYTES = 32 * 2**20
_MOST_ASIDE = 1000
OF_ONE_FILE = frozenset(
    (errno.EINVAL, errno.ENAMETOOLONG, errno.EILSEQ, errno.EEXIST, errno.EFBIG, errno.ENOTDIR,
     errno.EISDIR, errno.EACCES, errno.EPERM, errno.ELOOP, errno.ESTALE)
)  # fmt: skip
"""What says something of the file, and not of the drive."""


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
    size_bytes: int = 0
    unflushed_bytes: int = 0
    changed_ns: int = 0
    aside: bool = False
    was_there: bool = False

    @property
    def path(self) -> str:
        """Below the destination, with /."""
        return "/".join((*self.file.folder, self.name))


@dataclass
class Destination:
    """A folder that a card is copied into, as a folder of its own name in it."""

    path: Path
    copy_name: str
    algorithm: str
    flushes_each: bool = False
    where: str = ""
    is_fresh: bool = False
    """Whether the card's folder was made just now: nothing can stand in it."""
    _made: set[tuple[str, ...]] = field(default_factory=set)

    def open(self) -> None:
        """Hold the destination, make or take up the card's folder and its journal.

        Raises OSError, or DiskError where another copy is at it.
        """
        self.where = str(self.path)
        self.root = HeldFolder.open(self.path)
        try:
            self.journal = Journal(self.root, self.copy_name, self.algorithm, self.where)
            self.tree = self._take_folder(self.root, self.copy_name)
            self.folders = OpenFolders(self.tree)
        except BaseException:
            self.root.close()
            raise
        self._sweep()

    def close(self) -> None:
        """Let everything go."""
        self.journal.close()
        self.folders.close()
        self.tree.close()
        self.root.close()

    def _take_folder(self, parent: HeldFolder, name: str) -> HeldFolder:
        """Hold the folder *name*, made if it isn't there; a link in its place is refused."""
        try:
            os.mkdir(name, 0o777, dir_fd=parent.handle)
            self.is_fresh = True
        except FileExistsError:
            pass
        return parent.open_folder(name)

    def _sweep(self) -> None:
        """Remove what this very copy was writing when it was cut off: its token is in the name."""
        if not self.journal.is_resumed:
            return
        mark = self._mark
        waiting: list[tuple[str, ...]] = [()]
        while waiting:
            path = waiting.pop()
            with folder_below(self.tree, path) as folder, os.scandir(folder.handle) as entries:
                for each in entries:
                    status = each.stat(follow_symlinks=False)
                    if stat.S_ISDIR(status.st_mode):
                        waiting.append((*path, each.name))
                    elif each.name.startswith(mark) and stat.S_ISREG(status.st_mode):
                        os.unlink(each.name, dir_fd=folder.handle)

    @property
    def _mark(self) -> str:
        return f".{self.journal.token}-"

    # What is there already

    def known(self, file: SourceFile) -> VerifiedFile | None:
        """Return what the journal says of *file*, where both it and its copy are as they were."""
        found = self.journal.verified.get(file.path)
        if found is None or found.size_bytes != file.size_bytes:
            return None
        if found.modified_ns != file.modified_ns:
            return None
        try:
            with folder_below(self.tree, file.folder) as folder:
                status = folder.status(found.name.rpartition("/")[2] or file.name)
        except OSError:
            return None
        now = status.st_ino, status.st_ctime_ns, status.st_size
        is_same = stat.S_ISREG(status.st_mode) and now == (
            found.inode, found.changed_ns, file.size_bytes
        )  # fmt: skip
        return found if is_same else None

    def stands(self, file: SourceFile) -> bool:
        """Whether something stands under the name of *file* already."""
        if self.is_fresh:
            return False
        try:
            folder = self.folders.take(file.folder)
        except OSError:
            return False  # not there, or a link in its place: making it tells
        try:
            return folder.identity_of(file.name) is not None
        finally:
            self.folders.give_back(file.folder)

    def found(self, file: SourceFile) -> Written:
        """Return what stands there, to be compared. Raises OSError where it is no regular file."""
        folder = self.folders.take(file.folder)
        try:
            handle = folder.open_file(file.name)
            status = os.fstat(handle)
            os.close(handle)
        except OSError:
            self.folders.give_back(file.folder)
            raise
        return Written(
            file, folder, "", -1, False, Identity.of(status), file.name,
            size_bytes=status.st_size, was_there=True,
        )  # fmt: skip

    # Writing

    def make_folder(self, path: tuple[str, ...]) -> None:
        """Make the folder *path* and those above it, where they aren't there yet."""
        for depth in range(1, len(path) + 1):
            part = path[:depth]
            if part in self._made:
                continue
            with folder_below(self.tree, part[:-1]) as parent:
                with contextlib.suppress(FileExistsError):
                    os.mkdir(part[-1], 0o777, dir_fd=parent.handle)
                    parent.sync()
                parent.open_folder(part[-1]).close()  # a link or a file in its place is refused
            self._made.add(part)

    def begin(self, file: SourceFile, number: int, *, aside: bool) -> Written:
        """Begin to write *file* under a name of ours. Raises OSError."""
        self.make_folder(file.folder)
        folder = self.folders.take(file.folder)
        temporary = f"{self._mark}{number}.part"
        direct = file.size_bytes >= DIRECT_FROM_BYTES
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
            self.folders.give_back(file.folder)
            raise
        identity = folder.made_as(temporary)
        return Written(file, folder, temporary, handle, direct, identity, file.name, aside=aside)

    def write(self, written: Written, block: Block) -> None:
        """Write one block at its place; a hole stays one. Raises OSError."""
        if block.is_hole:
            return
        size = block.size_bytes
        with memoryview(block.buffer) as view:
            if written.is_direct and (size % _PAGE or block.at_bytes % _PAGE):
                is_end = block.at_bytes + size == written.file.size_bytes
                if is_end and not block.at_bytes % _PAGE:
                    # Direct writes take whole pages: what is too much is cut off at the end.
                    size = _whole(size)
                else:  # beside a hole it would fill it with what lies in our memory
                    self._leave_direct(written)
            self._write_all(written, view[:size], block.at_bytes)

    def _write_all(self, written: Written, view: memoryview, at_bytes: int) -> None:
        done = 0
        while done < len(view):
            try:
                done += os.pwritev(written.handle, [view[done:]], at_bytes + done)
            except OSError as error:
                if error.errno != errno.EINVAL or not written.is_direct:
                    raise
                self._leave_direct(written)
            self._keep_up(written, len(view))
            if done % _PAGE and done < len(view):
                self._leave_direct(written)  # a short write has put it off its pages

    @staticmethod
    def _keep_up(written: Written, fresh_bytes: int) -> None:
        """Flush what goes through the host's memory as it grows: no pile is left at the end."""
        if written.is_direct:
            return
        written.unflushed_bytes += fresh_bytes
        if written.unflushed_bytes >= _FLUSH_EVERY_BYTES:
            os.fdatasync(written.handle)
            written.unflushed_bytes = 0

    @staticmethod
    def _leave_direct(written: Written) -> None:
        if written.is_direct:
            flags = fcntl.fcntl(written.handle, fcntl.F_GETFL)
            fcntl.fcntl(written.handle, fcntl.F_SETFL, flags & ~os.O_DIRECT)
            written.is_direct = False

    def finish(self, written: Written, digest: str, attributes: Attributes) -> None:
        """Give the file its size, times, rights and *attributes*, as the card's has them.

        Raises OSError. It is on the drive after ``flush``.
        """
        file = written.file
        if os.fstat(written.handle).st_size != file.size_bytes:  # padded, or ending in a hole
            os.ftruncate(written.handle, file.size_bytes)
        written.digest, written.size_bytes = digest, file.size_bytes
        with contextlib.suppress(OSError):  # not every file system knows them
            for name, value in attributes:
                os.setxattr(written.handle, name, value)
        with contextlib.suppress(PermissionError):  # no rights on a FAT
            os.fchmod(written.handle, file.mode)
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
        """Return when everything on the destination is on the drive; False where that can't be."""
        if _syncfs is None or self.flushes_each:
            return False
        if _syncfs(self.tree.handle) != 0:
            number = ctypes.get_errno()
            raise OSError(number, os.strerror(number), self.where)
        return True

    def publish(self, written: Written) -> None:
        """Give it its own name, or one aside where that is taken. Raises OSError."""
        self.close_handle(written)
        name = written.file.name
        # One by one: nearly every file gets its own name, and the others cost time to think of.
        for number in range(1 if written.aside else 0, _MOST_ASIDE):
            written.name = _aside_name(name, number) if number else name
            try:
                written.folder.rename(written.temporary, written.name)
                return
            except FileNotFoundError as error:
                if written.folder.identity_of(written.temporary):  # it is there: its new name isn't
                    raise OSError(errno.EINVAL, "its name can't be held there", name) from error
                raise
            except FileExistsError:
                # Somebody put it there meanwhile: theirs stays, ours stands beside it.
                written.aside = True
        raise OSError(errno.EEXIST, "a thousand files stand beside it already", name)

    def drop(self, written: Written) -> None:
        """Remove what isn't whole."""
        with contextlib.suppress(OSError):
            self.close_handle(written)
        if written.temporary and not written.was_there:
            with contextlib.suppress(OSError):
                self._remove(written.folder, written.temporary)
        self.done_with(written)

    def _remove(self, folder: HeldFolder, temporary: str) -> None:
        try:
            folder.remove(temporary)
        except OSError as error:
            # Some file systems give a file another number once nobody has it open: then the token
            # in its name, which nobody else can know, says whose it is.
            if error.errno != errno.ESTALE or not temporary.startswith(self._mark):
                raise
            if stat.S_ISREG(folder.status(temporary).st_mode):
                os.unlink(temporary, dir_fd=folder.handle)

    def done_with(self, written: Written) -> None:
        """Let go of what was held for it."""
        self.folders.give_back(written.file.folder)

    # Reading back

    def read_back(self, written: Written, buffer: mmap.mmap, stop: threading.Event) -> bool | None:
        """Return whether what lies there is what was read; None where *stop* was set meanwhile.

        Past the host's memory, as far as the file system lets. Raises OSError.
        """
        handle = open_past_memory(written.folder, written.name)
        try:
            status = os.fstat(handle)
            if status.st_size != written.file.size_bytes:
                return False
            # Before it is read: what is done to it from then on is seen by it. It is the file
            # system's own time, which nobody can set.
            written.changed_ns = status.st_ctime_ns
            written.identity = Identity.of(status)
            found = digest_of(handle, self.algorithm, buffer, stop)
            return None if found is None else found == written.digest
        finally:
            os.close(handle)

    def note(self, written: Written) -> None:
        """Note in the journal that it is verified."""
        file = written.file
        self.journal.add(
            VerifiedFile(
                file.path, file.size_bytes, file.modified_ns, written.digest,
                written.identity.inode, written.changed_ns,
                written.path if written.name != file.name else "",
            )
        )  # fmt: skip

    def end_folder(self, path: tuple[str, ...], modified_ns: int) -> None:
        """Give a folder the time that the source's has; rights stay as they are here."""
        with contextlib.suppress(OSError), folder_below(self.tree, path) as folder:
            os.utime(folder.handle, ns=(modified_ns, modified_ns))
            folder.sync()


def digest_of(handle: int, algorithm: str, buffer: mmap.mmap, stop: threading.Event) -> str | None:
    """Return the checksum of the open file; None where *stop* was set meanwhile. Raises OSError.

    What is a hole counts as the zeros that it reads as, without being read.
    """
    status = os.fstat(handle)
    digest, size = new_digest(algorithm), status.st_size
    zeros = bytes(BLOCK_BYTES) if size > BLOCK_BYTES else b""
    for start, end, is_hole in data_ranges(handle, status):
        at = start
        while at < end:
            if stop.is_set():
                return None
            wanted = min(BLOCK_BYTES, end - at)
            if is_hole:
                digest.update(memoryview(zeros or bytes(wanted))[:wanted])
                at += wanted
                continue
            with memoryview(buffer) as view:
                count = min(read_at(handle, view[: _whole(wanted)], at, wanted), wanted)
                digest.update(view[:count])
            if count == 0:
                break  # it has become shorter: another checksum, then
            at += count
    return digest.hexdigest()


def _whole(count: int) -> int:
    return -(-count // _PAGE) * _PAGE


def read_at(handle: int, view: memoryview, at_bytes: int, wanted: int) -> int:
    """Read at least *wanted* bytes into *view*, as far as the file goes; return how much came.

    *view* may be larger, as direct reads take whole pages. Raises OSError.
    """
    done = 0
    while done < wanted:
        try:
            count = os.preadv(handle, [view[done:]], at_bytes + done)
        except OSError as error:
            if error.errno != errno.EINVAL or not _left_direct(handle):
                raise
            continue
        if count == 0:
            break
        done += count
    return done


def _left_direct(handle: int) -> bool:
    """Read on through the host's memory; whether it was past it before."""
    flags = fcntl.fcntl(handle, fcntl.F_GETFL)
    if not flags & os.O_DIRECT:
        return False
    fcntl.fcntl(handle, fcntl.F_SETFL, flags & ~os.O_DIRECT)
    os.posix_fadvise(handle, 0, 0, os.POSIX_FADV_DONTNEED)
    return True


def open_past_memory(folder: HeldFolder, name: str) -> int:
    """Open a file so that what is read comes from the drive, as far as its file system lets."""
    try:
        return folder.open_file(name, os.O_RDONLY | os.O_DIRECT)
    except OSError as error:
        if error.errno != errno.EINVAL:
            raise
    handle = folder.open_file(name)
    os.posix_fadvise(handle, 0, 0, os.POSIX_FADV_DONTNEED)
    return handle


def user_attributes(handle: int) -> Attributes:
    """Return the user's extended attributes of an open file; none where there are no such."""
    try:
        names = [name for name in os.listxattr(handle) if name.startswith("user.")]
        return tuple((name, os.getxattr(handle, name)) for name in names)
    except OSError:
        return ()


def _aside_name(name: str, number: int) -> str:
    pure = PurePath(name)
    return f"{pure.stem}.other-{number}{pure.suffix}"


def drive_error(error: OSError, where: str) -> DiskError:
    """Return what took a destination out of a copy, as a sentence."""
    found = as_disk_error(error, where)
    if found.is_full:
        mend = "Make room: what is verified isn't copied again"
        return DiskError(found.what, where=where, mend=mend)
    return found
