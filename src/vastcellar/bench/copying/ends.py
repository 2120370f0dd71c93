"""A file's first and last block: by these it is known again without being read whole.

Two clips of one length begin and end otherwise, whatever their names and times say: a camera that
counts from one again, or whose clock was reset, still films something else.
"""

from __future__ import annotations

import mmap
import os
from collections.abc import Callable

import xxhash

from vastcellar.bench.copying.past_memory import open_past_memory, read_at, whole_pages
from vastcellar.bench.held_folder import HeldFolder

END_BYTES = 64 * 1024
"""More than any head of a clip: what differs between two takes lies within."""

ReadPart = Callable[[memoryview, int, int], int]
"""(view, place, bytes wanted) -> bytes that came, as ``OpenFile.read``."""


class Ends:
    """Taken in while a file of *size_bytes* goes by from its begin to its end."""

    def __init__(self, size_bytes: int) -> None:
        self._tail_from = max(size_bytes - END_BYTES, 0)
        self._head = xxhash.xxh3_128()
        # Of a small file both are one: there are many of them, and each costs.
        self._tail = xxhash.xxh3_128() if self._tail_from else self._head

    def take(self, data: memoryview, at_bytes: int) -> None:
        """Take in the part that begins at *at_bytes*."""
        if at_bytes < END_BYTES:
            self._head.update(data[: END_BYTES - at_bytes])
        if self._tail_from and at_bytes + len(data) > self._tail_from:
            self._tail.update(data[max(self._tail_from - at_bytes, 0) :])

    def hexdigest(self) -> str:
        """Return what they are known by."""
        return xxhash.xxh3_128_hexdigest(self._head.digest() + self._tail.digest())


def ends_digest(read: ReadPart, size_bytes: int, buffer: mmap.mmap) -> str:
    """Return the digest of the ends of a file that is read by *read*; "" where it is shorter.

    *buffer* holds two ends and a page at least. Raises OSError.
    """
    ends = Ends(size_bytes)
    # Both at once where they meet. Direct reads begin at whole pages.
    spans = [(0, min(size_bytes, END_BYTES))]
    tail_from = max(size_bytes - END_BYTES, 0)
    if tail_from <= END_BYTES:
        spans = [(0, size_bytes)]
    else:
        spans.append((tail_from // mmap.PAGESIZE * mmap.PAGESIZE, size_bytes))
    with memoryview(buffer) as view:
        for start, end in spans:
            wanted = end - start
            if not wanted:
                continue
            count = min(read(view[: whole_pages(wanted)], start, wanted), wanted)
            if count < wanted:
                return ""
            ends.take(view[:count], start)
    return ends.hexdigest()


def ends_of_name(folder: HeldFolder, name: str, size_bytes: int, buffer: mmap.mmap) -> str:
    """Return the digest of the ends of a file in *folder*, read from its drive.

    "" where it hasn't that size. Raises OSError.
    """
    handle, status = open_past_memory(folder, name)
    try:
        if status.st_size != size_bytes:
            return ""
        return ends_digest(
            lambda view, at, wanted: read_at(handle, view, at, wanted), size_bytes, buffer
        )
    finally:
        os.close(handle)


def ends_buffer() -> mmap.mmap:
    """Return memory that the ends of a file are read into."""
    return mmap.mmap(-1, 2 * END_BYTES + 2 * mmap.PAGESIZE)
