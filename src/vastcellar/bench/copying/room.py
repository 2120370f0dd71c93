"""Copies that run at the same time know what room each of them still needs."""

from __future__ import annotations

import socket
import time
from collections.abc import Mapping
from pathlib import Path
from types import TracebackType
from typing import Self

from vastcellar.bench.announcing import announce, announced, own_token

_PREFIX = "vast-cellar-room"


def file_system_of(folder: Path) -> str:
    """Return what shares the room that *folder* has. Raises OSError."""
    return str(folder.stat().st_dev)


class RoomTaken:
    """What one copy still needs on each file system, told to the others while it is open."""

    def __init__(self) -> None:
        # Who came first keeps its room: announcements sort by when they were made.
        self.token = f"{time.monotonic_ns():020d}-{own_token()}"
        self._told: dict[str, tuple[int, socket.socket]] = {}

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        _kind: type[BaseException] | None,
        _error: BaseException | None,
        _trace: TracebackType | None,
    ) -> None:
        for _bytes, told in self._told.values():
            told.close()
        self._told.clear()

    def tell(self, needed_bytes: Mapping[str, int]) -> None:
        """Announce the bytes that are still to be written, by file system."""
        for file_system, count in needed_bytes.items():
            before = self._told.get(file_system)
            if before is not None and before[0] == count:
                continue
            told = announce(f"{_PREFIX}/{file_system}/{self.token}/{count}")
            self._told[file_system] = count, told
            if before is not None:
                before[1].close()


def room_taken(file_system: str, before: str = "") -> int:
    """Return the bytes that other copies still need on *file_system*.

    With *before* only those of copies count that announced themselves before that token.
    """
    needed: dict[str, int] = {}
    for each in announced(f"{_PREFIX}/{file_system}/"):
        token, _, count = each.partition("/")
        if count.isdecimal() and (not before or token < before):
            # While one is renewed both are there: the smaller one is the newer.
            needed[token] = min(int(count), needed.get(token, int(count)))
    return sum(needed.values())
