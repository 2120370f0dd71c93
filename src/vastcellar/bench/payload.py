"""Incompressible, unique, stamped blocks, made and checked faster than any disk moves them."""

from __future__ import annotations

import contextlib
import mmap

import numpy as np

STAMP_EVERY_BYTES = 4096
POOL_BYTES = 32 * 2**20

_WORDS = STAMP_EVERY_BYTES // 8
_CHECK_EVERY_WORDS = 1024 // 8


class Payload:
    """A pool of random bytes that is stamped anew for each block of a stream.

    Every 4 KiB carry the run's number and their own count, so that no two blocks of a run, nor
    of two runs, are alike and nothing on the way can fold them together. What stands at a place
    of the stream follows from the place, so that it can be checked later. The pool is
    page-aligned, as direct I/O wants it.
    """

    def __init__(self, run_number: int, pool_bytes: int = POOL_BYTES) -> None:
        self._map = mmap.mmap(-1, pool_bytes)
        pool = np.frombuffer(self._map, dtype=np.uint64)
        pool[:] = np.random.Generator(np.random.SFC64(run_number)).integers(
            0, 2**64, size=pool.size, dtype=np.uint64
        )
        self._blocks = pool.reshape(-1, STAMP_EVERY_BYTES // 8)
        self._blocks[:, 0] = run_number
        self._run_number = np.uint64(run_number)
        self._view = memoryview(self._map)
        self._next_block = 0
        self._offset_blocks = 0

    def at(self, at_bytes: int, size_bytes: int) -> memoryview:
        """Return what stands at *at_bytes* of the stream; both are whole 4 KiB.

        The stretch must not cross a multiple of the pool's size. The view is valid until a
        stretch is asked for that lies a pool further.
        """
        first = at_bytes // STAMP_EVERY_BYTES
        row = first % len(self._blocks)
        count = size_bytes // STAMP_EVERY_BYTES
        self._blocks[row : row + count, 1] = np.arange(first, first + count, dtype=np.uint64)
        begin = row * STAMP_EVERY_BYTES
        return self._view[begin : begin + size_bytes]

    def first_difference(self, at_bytes: int, data: mmap.mmap, size_bytes: int) -> int:
        """Return where in the stream *data* first differs from what was written there, or -1.

        Every 4 KiB are checked by their stamps and by 8 bytes of each KiB, taken from another
        place each time: a block that is missing, stale, blank or somebody else's can't agree.
        Single bits within a block are the drive's own error correction's affair, and comparing
        every byte would cost a quarter of a core for each GB/s.
        """
        first = at_bytes // STAMP_EVERY_BYTES
        row = first % len(self._blocks)
        count = size_bytes // STAMP_EVERY_BYTES
        offset = 2 + first % (_CHECK_EVERY_WORDS - 2)
        seen = np.frombuffer(data, dtype=np.uint64, count=size_bytes // 8).reshape(count, _WORDS)
        made = self._blocks[row : row + count]
        numbers = np.arange(first, first + count, dtype=np.uint64)
        # Slices look at the memory where it lies; picking places by a list would copy them, at
        # three times the cost.
        is_number = seen[:, 1] == numbers
        is_run = seen[:, 0] == self._run_number
        is_alike = seen[:, offset::_CHECK_EVERY_WORDS] == made[:, offset::_CHECK_EVERY_WORDS]
        if is_number.all() and is_run.all() and is_alike.all():
            return -1
        is_right = is_number & is_run & is_alike.all(axis=1)
        return at_bytes + int(np.argmin(is_right)) * STAMP_EVERY_BYTES

    def take(self, size_bytes: int) -> memoryview:
        """Return the next *size_bytes* of a stream that is never checked.

        Rounded up to whole blocks, at most the pool's size; valid until the next call.
        """
        blocks = -(-size_bytes // STAMP_EVERY_BYTES)
        if self._offset_blocks + blocks > len(self._blocks):
            self._offset_blocks = 0
        start = self._offset_blocks
        self._blocks[start : start + blocks, 1] = np.arange(
            self._next_block, self._next_block + blocks, dtype=np.uint64
        )
        self._next_block += blocks
        self._offset_blocks += blocks
        at = start * STAMP_EVERY_BYTES
        return self._view[at : at + blocks * STAMP_EVERY_BYTES]

    def release(self) -> None:
        """Give the memory back."""
        del self._blocks
        self._view.release()
        with contextlib.suppress(BufferError):  # an array still looks at it and takes it along
            self._map.close()
