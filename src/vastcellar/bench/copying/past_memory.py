"""Files read and hashed past the host's memory, so that what is read comes from the drive."""

from __future__ import annotations

import errno
import fcntl
import mmap
import os
import threading
from collections.abc import Callable

from vastcellar.bench.copying.buffers import BLOCK_BYTES
from vastcellar.bench.copying.digests import new_digest
from vastcellar.bench.copying.source import data_ranges
from vastcellar.bench.held_folder import HeldFolder

PAGE_BYTES = mmap.PAGESIZE
ReadAt = Callable[[int, memoryview, int, int], int]
"""(handle, view, place, bytes wanted) -> bytes that came, at most the view's."""


def digest_of(
    handle: int,
    status: os.stat_result,
    algorithm: str,
    buffer: mmap.mmap,
    stop: threading.Event,
    read: ReadAt | None = None,
) -> str | None:
    """Return the checksum of the open file of *status*; None where *stop* was set meanwhile.

    What is a hole counts as the zeros that it reads as, without being read. *read* stands for
    ``read_at`` where somebody wants to know how long it takes. Raises OSError.
    """
    read = read or read_at
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
                count = min(read(handle, view[: whole_pages(wanted)], at, wanted), wanted)
                digest.update(view[:count])
            if count == 0:
                break  # it has become shorter: another checksum, then
            at += count
    return digest.hexdigest()


def whole_pages(count: int) -> int:
    """Return the bytes of as many whole pages as *count* bytes begin."""
    return -(-count // PAGE_BYTES) * PAGE_BYTES


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


def open_past_memory(folder: HeldFolder, name: str) -> tuple[int, os.stat_result]:
    """Open a file so that what is read comes from the drive, as far as its file system lets.

    Returns its descriptor and its status. Raises OSError.
    """
    try:
        return folder.open_regular(name, os.O_RDONLY | os.O_DIRECT)
    except OSError as error:
        if error.errno != errno.EINVAL:
            raise
    handle, status = folder.open_regular(name)
    os.posix_fadvise(handle, 0, 0, os.POSIX_FADV_DONTNEED)
    return handle, status
