"""A card as the source of a copy: its files opened by descriptors, never written to."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

from vastcellar.bench.copying.folders import OpenFolders
from vastcellar.bench.copying.past_memory import open_past_memory, read_at
from vastcellar.bench.copying.source import (
    Attributes,
    SourceFile,
    data_ranges,
    open_source,
    user_attributes,
)
from vastcellar.bench.held_folder import HeldFolder


class CardFile:
    """One file of the card, open for reading."""

    def __init__(self, handle: int, status: os.stat_result, file: SourceFile) -> None:
        self._handle, self._status, self._file = handle, status, file
        self.was_as_before = file.is_as(status)

    def ranges(self) -> Iterator[tuple[int, int, bool]]:
        """Yield (start, end, is_hole) over the whole file. Raises OSError."""
        return data_ranges(self._handle, self._status)

    def read(self, view: memoryview, at_bytes: int, wanted: int) -> int:
        """Read at least *wanted* bytes into *view*, as far as the file goes. Raises OSError."""
        return read_at(self._handle, view, at_bytes, wanted)

    def is_as_before(self) -> bool:
        """Whether it still is as it was looked at. Raises OSError."""
        return self._file.is_as(os.fstat(self._handle))

    def attributes(self) -> Attributes:
        """Return the user's extended attributes."""
        return user_attributes(self._handle)

    def forget(self, at_bytes: int, count: int) -> None:
        """Read once: others need the memory."""
        os.posix_fadvise(self._handle, at_bytes, count, os.POSIX_FADV_DONTNEED)

    def close(self) -> None:
        """Close it."""
        os.close(self._handle)


class Card:
    """What a copy reads from: a folder that is held, and those below it."""

    def __init__(self, held: HeldFolder, path: Path, *, past_memory: bool = False) -> None:
        self._path, self._past_memory = path, past_memory
        self.where = str(path)
        self._folders = OpenFolders(held)

    def open(self, file: SourceFile) -> CardFile:
        """Open *file*. Raises OSError."""
        folder = self._folders.take(file.folder)
        try:
            if self._past_memory:  # what the host remembers of it is no speed of the card's
                handle, status = open_past_memory(folder, file.name)
            else:
                handle, status = open_source(folder, file)
        finally:
            self._folders.give_back(file.folder)
        return CardFile(handle, status, file)

    def is_gone(self) -> bool:
        """Whether nothing stands at its place any more."""
        return not self._path.exists()

    def close(self) -> None:
        """Let all folders go."""
        self._folders.close()
