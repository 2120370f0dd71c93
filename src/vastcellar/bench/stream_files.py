"""One stream of bytes laid over the files of a test folder, past the host's cache if it can be."""

from __future__ import annotations

import contextlib
import ctypes
import errno
import fcntl
import os
import threading
from collections.abc import Callable

from vastcellar.bench.leftovers import TestFolder

# FAT32 ends files at 4 GiB - 1; rolling over a little earlier costs nothing elsewhere.
_MOST_FILE_BYTES_ON_FAT = 4 * 2**30 - 64 * 2**20
_NO_LIMIT_BYTES = 2**62
_SYNC_AND_WAIT = 1 | 2 | 4  # SYNC_FILE_RANGE_WAIT_BEFORE | _WRITE | _WAIT_AFTER


def _libc_sync_file_range() -> Callable[[int, int, int], int] | None:
    """Return sync_file_range(fd, offset, size) -> errno, or None where the C library has none."""
    libc = ctypes.CDLL(None, use_errno=True)
    function = getattr(libc, "sync_file_range", None)
    if function is None:
        return None
    function.argtypes = [ctypes.c_int, ctypes.c_int64, ctypes.c_int64, ctypes.c_uint]

    def sync(handle: int, offset: int, size: int) -> int:
        return 0 if function(handle, offset, size, _SYNC_AND_WAIT) == 0 else ctypes.get_errno()

    return sync


class PushOut:
    """Brings what was just written through the host's memory onto the drive, and waits for it."""

    def __init__(self) -> None:
        self._sync = _libc_sync_file_range()

    @property
    def mode(self) -> str:
        """Say how."""
        if self._sync is not None:
            return "buffered, each write pushed out and waited for (sync_file_range)"
        return "buffered, each write followed by fdatasync"

    def __call__(self, handle: int, offset: int, size_bytes: int) -> None:
        """Return when so many bytes at *offset* are out. Raises OSError."""
        if self._sync is not None:
            number = self._sync(handle, offset, size_bytes)
            if number == 0:
                os.posix_fadvise(handle, offset, size_bytes, os.POSIX_FADV_DONTNEED)
                return
            if number not in (errno.ENOSYS, errno.EINVAL, errno.EOPNOTSUPP):
                raise OSError(number, os.strerror(number))
            self._sync = None
        os.fdatasync(handle)


class StreamFiles:
    """The files of one stream in one folder. Every method may raise OSError.

    Direct I/O where the file system allows it; else each write is pushed out and waited for,
    and reads drop what the host remembers first.
    """

    def __init__(self, folder: TestFolder, file_system: str, name: str = "take") -> None:
        self._folder, self._file_system, self._name = folder, file_system, name
        self._handles: dict[int, int] = {}
        self._lock = threading.Lock()
        self.push_out = PushOut()
        self.is_direct = True
        is_fat = file_system in ("vfat", "msdos")
        self.most_file_bytes = _MOST_FILE_BYTES_ON_FAT if is_fat else _NO_LIMIT_BYTES

    @property
    def write_mode(self) -> str:
        """Say how the host's cache was kept out of the way while writing."""
        if self.is_direct:
            through_fuse = self._file_system.startswith("fuse")
            return "direct I/O" + (
                " asked for, but a FUSE file system may cache" if through_fuse else ""
            )
        return self.push_out.mode

    @property
    def read_mode(self) -> str:
        """Say how the host's cache was kept out of the way while reading."""
        if self.is_direct:
            return self.write_mode
        return "buffered, the host's cache dropped before (posix_fadvise)"

    def _file_name(self, number: int) -> str:
        return self._folder.name_of(f"{self._name}-{number + 1:04d}")

    def _place(self, at_bytes: int) -> tuple[int, int]:
        return divmod(at_bytes, self.most_file_bytes)

    def _handle(self, number: int) -> int:
        with self._lock:
            if number not in self._handles:
                self._handles[number] = self._open(number)
            return self._handles[number]

    def _open(self, number: int) -> int:
        handle = self._folder.held.create(self._file_name(number))
        if self.is_direct:
            try:
                fcntl.fcntl(handle, fcntl.F_SETFL, os.O_RDWR | os.O_DIRECT)
            except OSError as error:
                if error.errno != errno.EINVAL:
                    raise
                self.is_direct = False
        return handle

    def probe(self, block: memoryview) -> None:
        """Find out whether direct I/O works: some refuse it only at the first write."""
        handle = self._handle(0)
        if self.is_direct:
            try:
                os.pwrite(handle, block, 0)
            except OSError as error:
                if error.errno != errno.EINVAL:
                    raise
                self.is_direct = False
                fcntl.fcntl(handle, fcntl.F_SETFL, os.O_RDWR)
        os.ftruncate(handle, 0)

    def write(self, at_bytes: int, data: memoryview) -> None:
        """Write *data* at a place of the stream; it may cross from file to file."""
        done = 0
        while done < len(data):
            number, offset = self._place(at_bytes + done)
            room = self.most_file_bytes - offset
            handle = self._handle(number)
            count = os.pwrite(handle, data[done : done + room], offset)
            if not self.is_direct:
                self.push_out(handle, offset, count)
            done += count

    def read(self, at_bytes: int, into: memoryview) -> int:
        """Read into *into* from a place of the stream; return the bytes that were there."""
        done = 0
        while done < len(into):
            number, offset = self._place(at_bytes + done)
            room = self.most_file_bytes - offset
            handle = self._handle(number)
            if not self.is_direct:
                wanted = min(room, len(into) - done)
                os.posix_fadvise(handle, offset, wanted, os.POSIX_FADV_DONTNEED)
            count = os.preadv(handle, [into[done : done + room]], offset)
            if count == 0:
                break
            done += count
        return done

    def cut(self, size_bytes: int) -> None:
        """End the stream there: a direct write fills its last block up."""
        number, offset = self._place(size_bytes)
        os.ftruncate(self._handle(number), offset)

    def flush(self) -> None:
        """Return when all that was written is on the drive."""
        for handle in list(self._handles.values()):
            os.fsync(handle)

    def start_over(self) -> None:
        """Remove the files, so that a new stream can be written in their place."""
        numbers = list(self._handles)
        self.close()
        for number in numbers:
            self._folder.held.remove(self._file_name(number))

    def close(self) -> None:
        """Close all files; a disk that is gone may complain once more, unheard."""
        for handle in self._handles.values():
            with contextlib.suppress(OSError):
                os.close(handle)
        self._handles.clear()
