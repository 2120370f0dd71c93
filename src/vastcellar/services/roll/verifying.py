"""A copy checked again by the lists that lie beside it."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from vastcellar.bench.copying.checking import Checked, CheckedFile, check_files
from vastcellar.bench.copying.digests import ALGORITHMS
from vastcellar.bench.disk_errors import as_disk_error
from vastcellar.bench.held_folder import HeldFolder
from vastcellar.core.errors import BadFileError
from vastcellar.services.roll.checksum_lists import algorithm_of, read_list
from vastcellar.store.reading import read_bytes

__all__ = ["Checked", "CheckedFile", "ListToCheck", "check_list", "lists_in"]


@dataclass(frozen=True, slots=True)
class ListToCheck:
    """A list, and how many files it names."""

    path: Path
    algorithm: str
    wanted: tuple[tuple[str, str], ...]


def lists_in(path: Path) -> tuple[ListToCheck, ...]:
    """Return the lists in the folder *path*, or *path* itself where it is one.

    Raises BadFileError where there is none, or one that is no list.
    """
    if path.is_dir():
        found = sorted(each for each in path.iterdir() if each.suffix[1:] in ALGORITHMS)
    else:
        found = [path]
    if not found:
        raise BadFileError(
            "no list of checksums lies there",
            where=str(path),
            mend="Choose the folder that a card was copied into, or a list itself",
        )
    return tuple(_read(each) for each in found)


def _read(path: Path) -> ListToCheck:
    content = read_bytes(path)
    listed = read_list(content.decode("utf-8", errors="surrogateescape"), path.name)
    wanted = tuple((each.digest, each.path) for each in listed)
    return ListToCheck(path, algorithm_of(listed), wanted)


def check_list(found: ListToCheck, stop: threading.Event) -> Iterator[CheckedFile]:
    """Yield each file of the list as it reads back now. Raises DiskError where none can be read."""
    try:
        with HeldFolder.open(found.path.parent) as root:
            yield from check_files(root, found.wanted, found.algorithm, stop)
    except OSError as error:
        raise as_disk_error(error, str(found.path.parent)) from error
