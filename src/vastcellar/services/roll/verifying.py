"""A copy checked again by the lists that lie beside it."""

from __future__ import annotations

import re
import threading
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from vastcellar.bench.copying.checking import Checked, CheckedFile, check_files
from vastcellar.bench.copying.digests import ALGORITHMS
from vastcellar.bench.disk_errors import as_disk_error
from vastcellar.bench.held_folder import HeldFolder
from vastcellar.core.errors import BadFileError, VastCellarError
from vastcellar.services.roll.checksum_lists import LISTED, algorithm_of, read_list
from vastcellar.store.copy_files import read_copy_record
from vastcellar.store.reading import read_bytes

__all__ = ["Checked", "CheckedFile", "FoundLists", "ListToCheck", "check_list", "lists_in"]


@dataclass(frozen=True, slots=True)
class ListToCheck:
    """A list, how many files it names, and what the record beside it names otherwise."""

    path: Path
    algorithm: str
    wanted: tuple[tuple[str, str], ...]
    unlisted: tuple[CheckedFile, ...] = ()


@dataclass(frozen=True, slots=True)
class FoundLists:
    """The lists in a folder, and what has a list's name there and is none."""

    lists: tuple[ListToCheck, ...]
    refused: tuple[VastCellarError, ...] = ()


def lists_in(path: Path) -> FoundLists:
    """Return the lists in the folder *path*, or *path* itself where it is one.

    Those of a copy lie beside its folder, so that folder may be named, too.
    Raises BadFileError where there is none, or only such as are no lists; DiskError.
    """
    if not path.is_dir():
        return FoundLists((_read(path),))
    found = _named(path, path.iterdir())
    if not found:
        whole = path.resolve()
        own = re.compile(rf"{re.escape(whole.name)}(-\d+)?")
        found = [each for each in _named(whole, whole.parent.iterdir()) if own.fullmatch(each.stem)]
    lists: list[ListToCheck] = []
    refused: list[VastCellarError] = []
    for each in found:
        try:
            lists.append(_read(each))
        except VastCellarError as error:
            refused.append(error)
    if lists:
        return FoundLists(tuple(lists), tuple(refused))
    if refused:
        raise refused[0]
    raise BadFileError(
        "no list of checksums lies there",
        where=str(path),
        mend="Choose the folder that a card was copied into, or a list itself",
    )


def _named(folder: Path, entries: Iterable[Path]) -> list[Path]:
    try:
        return sorted(each for each in entries if each.suffix[1:] in ALGORITHMS)
    except OSError as error:
        raise as_disk_error(error, str(folder)) from error


def _read(path: Path) -> ListToCheck:
    content = read_bytes(path)
    listed = read_list(content.decode("utf-8", errors="surrogateescape"), path.name)
    if not listed:
        raise BadFileError(
            "the list names no file",
            where=str(path),
            mend="Take another list, or copy again: what lies there is compared",
        )
    wanted = tuple((each.digest, each.path) for each in listed)
    algorithm = algorithm_of(listed)
    return ListToCheck(path, algorithm, wanted, _unlisted(path, algorithm, wanted))


def _unlisted(
    path: Path, algorithm: str, wanted: Sequence[tuple[str, str]]
) -> tuple[CheckedFile, ...]:
    """Return what the record of the same name has whole, and the list hasn't so.

    Without a record of ours, or with one that can't be read, the list stands for itself.
    """
    beside = path.with_name(f"{path.stem}.copy.json")
    try:
        record = read_copy_record(beside) if beside.is_file() else None
    except (VastCellarError, OSError):
        record = None
    if record is None or record.algorithm != algorithm:
        return ()
    listed = {name: digest for digest, name in wanted}
    found = []
    for each in record.files:
        name = f"{record.name}/{each.copied_as}"
        if each.state not in LISTED or not each.digest or listed.get(name) == each.digest:
            continue
        said = "its record has another checksum" if name in listed else "its record has it"
        found.append(CheckedFile(name, Checked.UNLISTED, said=said))
    return tuple(found)


def check_list(found: ListToCheck, stop: threading.Event) -> Iterator[CheckedFile]:
    """Yield each file of the list as it reads back now. Raises DiskError where none can be read."""
    try:
        with HeldFolder.open(found.path.parent) as root:
            yield from found.unlisted
            yield from check_files(root, found.wanted, found.algorithm, stop)
    except OSError as error:
        raise as_disk_error(error, str(found.path.parent)) from error
