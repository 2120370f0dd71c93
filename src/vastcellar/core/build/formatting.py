"""Which file system a unit gets at its first format: by who must write it, and by how one works."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum

from vastcellar.core.parts.file_systems import CAMERA, FileSystem, file_systems_for
from vastcellar.core.said import Said, said

_EXFAT = "exfat"
_LARGE_BYTES = 256e9
_LARGE_CLUSTER_BYTES, _SMALL_CLUSTER_BYTES = 2**20, 2**17


class School(StrEnum):
    """Two ways of working, both with good reasons."""

    ONE_FOR_ALL = "one format for all"
    """What every camera and computer takes, whatever else would be faster here."""
    JOURNALED = "fastest and journaled"
    """What its own computers do best, where it never leaves them."""


@dataclass(frozen=True, slots=True)
class Advice:
    """A file system with the reasons for it and against it."""

    file_system: FileSystem
    reasons: tuple[Said, ...]
    allocation_bytes: int
    """Size of its clusters, where it has a choice that matters; 0 for its own default."""


def advise(
    writers: Iterable[str],
    known: Sequence[FileSystem],
    *,
    largest_file_bytes: float = 0.0,
    capacity_bytes: float = 0.0,
    is_encrypted: bool = False,
    school: School = School.ONE_FOR_ALL,
) -> tuple[Advice, ...]:
    """Return the file systems that all *writers* write, the one to take first; () for none.

    Args:
        writers: kinds of computer as the file systems name them, or "camera".
        known: every file system.
        largest_file_bytes: of a clip, 0 where that isn't known.
        capacity_bytes: of the unit.
        is_encrypted: whether what is on it has to be unreadable for others.
        school: how one works.
    """
    wanted = tuple(dict.fromkeys(writers))
    fitting = list(file_systems_for(wanted, known))
    if school is School.ONE_FOR_ALL:
        # A stable sort: among equals the better one stays in front.
        fitting.sort(key=lambda fs: -len(fs.writes_on))
        whole = [fs for fs in fitting if not fs.max_file_bytes]
        fitting = whole + [fs for fs in fitting if fs.max_file_bytes]
    return tuple(
        Advice(
            each,
            _reasons(each, wanted, largest_file_bytes, is_encrypted=is_encrypted),
            _allocation(each, capacity_bytes),
        )
        for each in fitting
    )


def _reasons(
    fs: FileSystem, writers: tuple[str, ...], largest_file_bytes: float, *, is_encrypted: bool
) -> tuple[Said, ...]:
    found = [said("written by all of them", writers=", ".join(writers) or "anybody")]
    if fs.max_file_bytes and (not largest_file_bytes or largest_file_bytes > fs.max_file_bytes):
        found.append(said("splits files", limit_bytes=fs.max_file_bytes))
    found.append(said("has a journal") if fs.has_journal else said("has no journal"))
    found.append(said("leaves of a write", left_share=fs.write_share))
    if is_encrypted and CAMERA in writers:
        found.append(said("cameras don't encrypt"))
    elif is_encrypted:
        found.append(said("encryption under it"))
    if CAMERA in writers and fs.key == _EXFAT:
        found.append(said("then in the camera"))
    return tuple(found)


def _allocation(fs: FileSystem, capacity_bytes: float) -> int:
    if fs.key != _EXFAT:
        return 0
    return _LARGE_CLUSTER_BYTES if capacity_bytes >= _LARGE_BYTES else _SMALL_CLUSTER_BYTES
