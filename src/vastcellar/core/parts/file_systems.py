"""File systems: who reads and writes them, how large files may grow, what they cost."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from vastcellar.core.checks import require_between, require_not_negative

CAMERA = "camera"
"""Stands among the devices that must read a medium."""


@dataclass(frozen=True, slots=True)
class FileSystem:
    """A file system as one chooses it at the first format."""

    key: str
    name: str
    writes_on: tuple[str, ...]
    """Kinds of computer that write it, and "camera" where cameras usually take it."""
    has_journal: bool
    max_file_bytes: float = 0.0
    """0 where no clip comes near it."""
    write_share: float = 1.0
    """What is left of a large sequential write; typical."""
    note: str = ""

    def __post_init__(self) -> None:
        where = f"file system {self.key!r}"
        require_between(where, 0.05, 1.0, write_share=self.write_share)
        require_not_negative(where, max_file_bytes=self.max_file_bytes)


def file_systems_for(devices: Iterable[str], known: Iterable[FileSystem]) -> tuple[FileSystem, ...]:
    """Return the file systems that all of *devices* write, best first.

    Best: no split files, then a journal, then the faster. Devices are kinds of computer as the
    file systems name them, or "camera".
    """
    wanted = frozenset(devices)
    fitting = [each for each in known if wanted <= set(each.writes_on)]
    return tuple(
        sorted(
            fitting,
            key=lambda fs: (bool(fs.max_file_bytes), not fs.has_journal, -fs.write_share),
        )
    )
