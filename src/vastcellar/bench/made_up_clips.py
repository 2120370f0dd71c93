"""Clips that are made up as they are read: no other disk takes part."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import PurePosixPath

from vastcellar.bench.copying.source import Attributes, SourceFile
from vastcellar.bench.held_folder import Identity
from vastcellar.bench.payload import Payload

_POOL_BYTES = 8 * 2**20
_MODE = 0o600


def made_up_file(name: str, size_bytes: int) -> SourceFile:
    """Return a clip that lies nowhere."""
    return SourceFile(
        (), PurePosixPath(name).name, size_bytes, 0, _MODE, Identity(0, 0), size_bytes
    )


class _MadeUpFile:
    """A clip whose bytes are drawn when they are asked for, never twice the same."""

    was_as_before = True

    def __init__(self, file: SourceFile, run_number: int) -> None:
        self._file = file
        self._payload = Payload(run_number, _POOL_BYTES)

    def ranges(self) -> Iterator[tuple[int, int, bool]]:
        """Yield the whole of it."""
        yield 0, self._file.size_bytes, False

    def read(self, view: memoryview, at_bytes: int, wanted: int) -> int:
        """Make the next *wanted* bytes."""
        count = min(wanted, self._file.size_bytes - at_bytes)
        view[:count] = self._payload.take(count)[:count]
        return count

    def is_as_before(self) -> bool:
        """Nobody else can change it."""
        return True

    def attributes(self) -> Attributes:
        """It has none."""
        return ()

    def forget(self, at_bytes: int, count: int) -> None:
        """Nothing of it is kept."""

    def close(self) -> None:
        """Give its memory back."""
        self._payload.release()


class MadeUpClips:
    """A source of made-up clips."""

    where = "made-up clips"

    def __init__(self, run_number: int) -> None:
        """Begin; with another *run_number* no block is like one of another run."""
        self._run_number, self._opened = run_number, 0

    def open(self, file: SourceFile) -> _MadeUpFile:
        """Begin to make *file* up."""
        self._opened += 1
        return _MadeUpFile(file, self._run_number + self._opened)

    def is_gone(self) -> bool:
        """It can't be taken away."""
        return False
