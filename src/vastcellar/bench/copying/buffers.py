"""The only memory that a copy uses: blocks that go round, each free when all have written it."""

from __future__ import annotations

import contextlib
import mmap
import queue
import threading
from dataclasses import dataclass, field

BLOCK_BYTES = 4 * 2**20
MOST_BLOCKS = 40
"""160 MB: what a slow destination may lag behind, and all that it holds the others up by."""
_LOOK_EVERY_S = 0.1


@dataclass(slots=True)
class Block:
    """Part of a file; all destinations read the same memory."""

    buffer: mmap.mmap
    size_bytes: int = 0
    at_bytes: int = 0
    is_hole: bool = False
    _left: int = 0
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def lend(self, readers: int) -> None:
        """Say by how many it will be given back."""
        self._left = readers

    def is_last(self) -> bool:
        """Give it back once; whether that was the last time."""
        with self._lock:
            self._left -= 1
            return self._left <= 0


class Pool:
    """As many blocks as there are; whoever wants one waits until one is free."""

    def __init__(self, blocks: int = MOST_BLOCKS) -> None:
        self._blocks = [Block(mmap.mmap(-1, BLOCK_BYTES)) for _ in range(blocks)]
        self._free: queue.SimpleQueue[Block] = queue.SimpleQueue()
        for each in self._blocks:
            self._free.put(each)

    @property
    def size_bytes(self) -> int:
        """Of all blocks."""
        return len(self._blocks) * BLOCK_BYTES

    @property
    def taken_bytes(self) -> int:
        """Of the blocks that somebody reads into or writes from at this moment."""
        return self.size_bytes - self._free.qsize() * BLOCK_BYTES

    def take(self, stop: threading.Event) -> Block | None:
        """Return a free block, None once *stop* is set."""
        while not stop.is_set():
            with contextlib.suppress(queue.Empty):
                return self._free.get(timeout=_LOOK_EVERY_S)
        return None

    def give_back(self, block: Block) -> None:
        """Take *block* back from one reader."""
        if block.is_last():
            self._free.put(block)

    def close(self) -> None:
        """Let the memory go; nobody may hold a block any more."""
        for each in self._blocks:
            with contextlib.suppress(BufferError):
                each.buffer.close()
