"""A real folder on a real file system as target."""

from __future__ import annotations

import contextlib
import ctypes
import errno
import os
import threading
import time
from collections.abc import Callable
from pathlib import Path

from vastcellar.bench.disk_errors import as_disk_error
from vastcellar.bench.leftovers import TestFolder
from vastcellar.bench.payload import STAMP_EVERY_BYTES, Payload
from vastcellar.core.errors import DiskError

# FAT32 ends files at 4 GiB - 1; rolling over a little earlier costs nothing elsewhere.
_MOST_FILE_BYTES_ON_FAT = 4 * 2**30 - 8 * 2**20
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


class FolderTarget:
    """Writes take files into a test folder of its own below the chosen folder.

    Direct I/O where the file system allows it; else each write is pushed out and waited for,
    so that the host's memory flatters nothing. ``write_mode`` says which.
    """

    is_simulated = False
    block_bytes = STAMP_EVERY_BYTES

    def __init__(
        self,
        folder: Path,
        notes_folder: Path,
        *,
        file_system: str = "",
        read_temperature_c: Callable[[], float] | None = None,
    ) -> None:
        self.folder = folder
        self._test_folder = TestFolder(folder, notes_folder)
        self._file_system = file_system
        self._read_temperature_c = read_temperature_c
        self._payload: Payload | None = None
        self._handle = -1
        self._file_number = 0
        self._file_bytes = 0
        self._is_direct = True
        self._sync = _libc_sync_file_range()
        self._start_s = 0.0

    @property
    def _most_file_bytes(self) -> int:
        return _MOST_FILE_BYTES_ON_FAT if self._file_system in ("vfat", "msdos") else 2**62

    @property
    def write_mode(self) -> str:
        """Say how the host's cache was kept out of the way."""
        if self._is_direct:
            through_fuse = self._file_system.startswith("fuse")
            return "direct I/O" + (
                " asked for, but a FUSE file system may cache" if through_fuse else ""
            )
        if self._sync is not None:
            return "buffered, each write pushed out and waited for (sync_file_range)"
        return "buffered, each write followed by fdatasync"

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
            self._payload = Payload(int(self._test_folder.run_id, 16))
            self._open_next_file()
            self._probe_direct()
        except OSError as error:
            raise as_disk_error(error, str(self.folder)) from error
        self._start_s = time.monotonic()

    def _open_next_file(self) -> None:
        if self._handle >= 0:
            os.fsync(self._handle)
            os.close(self._handle)
            self._handle = -1
        self._file_number += 1
        self._file_bytes = 0
        path = self._test_folder.path / f"take-{self._file_number:04d}.bin"
        flags = os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC
        if self._is_direct:
            try:
                self._handle = os.open(path, flags | os.O_DIRECT, 0o600)
                return
            except OSError as error:
                if error.errno != errno.EINVAL:
                    raise
                self._is_direct = False
                path.unlink(missing_ok=True)  # some file systems create it before they refuse
        self._handle = os.open(path, flags, 0o600)

    def _probe_direct(self) -> None:
        """Some file systems take O_DIRECT at open and refuse it at the first write."""
        if not self._is_direct or self._payload is None:
            return
        try:
            os.pwrite(self._handle, self._payload.take(self.block_bytes), 0)
        except OSError as error:
            if error.errno != errno.EINVAL:
                raise
            self._is_direct = False
            os.close(self._handle)
            self._handle = -1
            (self._test_folder.path / f"take-{self._file_number:04d}.bin").unlink()
            self._file_number -= 1
            self._open_next_file()
            return
        os.ftruncate(self._handle, 0)

    def write(self, size_bytes: int) -> None:
        """Write so many new bytes; the last of a run is padded to a whole block."""
        assert self._payload is not None, "open() comes first"
        try:
            data = self._payload.take(size_bytes)
            if self._file_bytes + len(data) > self._most_file_bytes:
                self._open_next_file()
            written = 0
            while written < len(data):
                written += os.pwrite(self._handle, data[written:], self._file_bytes + written)
            if not self._is_direct:
                self._push_out(self._file_bytes, len(data))
            self._file_bytes += len(data)
        except OSError as error:
            raise as_disk_error(error, str(self.folder)) from error

    def _push_out(self, offset: int, size_bytes: int) -> None:
        if self._sync is not None:
            number = self._sync(self._handle, offset, size_bytes)
            if number == 0:
                os.posix_fadvise(self._handle, offset, size_bytes, os.POSIX_FADV_DONTNEED)
                return
            if number not in (errno.ENOSYS, errno.EINVAL, errno.EOPNOTSUPP):
                raise OSError(number, os.strerror(number))
            self._sync = None
        os.fdatasync(self._handle)

    def flush(self) -> None:
        """Return when all that was written is on the drive."""
        try:
            os.fsync(self._handle)
        except OSError as error:
            raise as_disk_error(error, str(self.folder)) from error

    def now_s(self) -> float:
        """Return the time since ``open``; a change of the wall clock does not touch it."""
        return time.monotonic() - self._start_s

    def wait_until(self, at_s: float, stop: threading.Event) -> None:
        """Return at *at_s*, or soon after *stop* is set."""
        wait_s = at_s - self.now_s()
        if wait_s > 0:
            stop.wait(wait_s)

    def temperature_c(self) -> float:
        """Return the drive's temperature, nan where there is no sensor."""
        return self._read_temperature_c() if self._read_temperature_c else float("nan")

    def close(self) -> None:
        """Remove the test folder; what a vanished disk still holds goes at a later start."""
        if self._handle >= 0:
            with contextlib.suppress(OSError):  # a disk that is gone may complain once more
                os.close(self._handle)
            self._handle = -1
        self._test_folder.remove()
        if self._payload is not None:
            self._payload.release()
            self._payload = None
