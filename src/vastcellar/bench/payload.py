"""Incompressible, unique, stamped blocks, made faster than any disk takes them."""

from __future__ import annotations

import contextlib
import mmap

import numpy as np

STAMP_EVERY_BYTES = 4096
_POOL_BYTES = 32 * 2**20


class Payload:
    """A pool of random bytes that is stamped anew before each write.

    Every 4 KiB block carries the run's number and its own count, so that no two blocks of a
    run, nor of two runs, are alike and nothing on the way can fold them together. The pool is
    page-aligned, as direct I/O wants it.
    """

    def __init__(self, run_number: int) -> None:
        self._map = mmap.mmap(-1, _POOL_BYTES)
        pool = np.frombuffer(self._map, dtype=np.uint64)
        pool[:] = np.random.Generator(np.random.SFC64(run_number)).integers(
            0, 2**64, size=pool.size, dtype=np.uint64
        )
        self._blocks = pool.reshape(-1, STAMP_EVERY_BYTES // 8)
        self._blocks[:, 0] = run_number
        self._view = memoryview(self._map)
        self._next_block = 0
        self._offset_blocks = 0

    def take(self, size_bytes: int) -> memoryview:
        """Return *size_bytes* rounded up to whole blocks, at most the pool's size.

        The view is valid until the next call.
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
