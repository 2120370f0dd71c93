"""What measured copies say of a drive: how much faster or slower than its profile it was."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from statistics import median

from vastcellar.core.roll.day import CopyDrive
from vastcellar.core.roll.time_left import expected_copy

_NEWEST = 5
"""So many copies count: a drive is as it is now, not as it was a year ago."""
_LEAST_BYTES = 5e9
"""Below this the first file and the flushes are much of the time."""
_LOWEST, _HIGHEST = 0.2, 3.0
"""Further off it is another drive, or another thing that was measured."""
_NO_LIMIT = 1e15


@dataclass(frozen=True, slots=True)
class MeasuredCopy:
    """A copy onto one drive that set its pace, written and read back."""

    written_bytes: float
    files: int
    whole_s: float
    link_bytes_per_s: float
    """What the link carried that it hung on then; the day's may be another."""


@dataclass(frozen=True, slots=True)
class Learned:
    """How a drive's copies were beside its profile."""

    factor: float
    """Of its own rates; above 1 for faster."""
    copies: int


def learned_from(drive: CopyDrive, copies: Sequence[MeasuredCopy]) -> Learned | None:
    """Return what *copies*, newest first, say of *drive*; None where none says anything.

    Each is held against the same copy onto the rested drive, on the link that it had: where that
    was the limit the drive isn't blamed. The median of the newest five counts.
    """
    telling = [each for each in copies if each.written_bytes >= _LEAST_BYTES][:_NEWEST]
    if not telling:
        return None
    factor = median(_beside_profile(drive, each) for each in telling)
    return Learned(min(max(factor, _LOWEST), _HIGHEST), len(telling))


def _beside_profile(drive: CopyDrive, copy: MeasuredCopy) -> float:
    room = max(drive.free_bytes, copy.written_bytes * 1.01)
    there = replace(
        drive,
        uplink="",
        is_read_back=True,
        link_cap_bytes_per_s=copy.link_bytes_per_s,
        link_read_bytes_per_s=copy.link_bytes_per_s,
        free_bytes=room,
        capacity_bytes=max(drive.capacity_bytes, room),
    )
    expected = expected_copy(copy.written_bytes, copy.files, _NO_LIMIT, (there,))
    return expected.over_s / copy.whole_s


def at_speed(drive: CopyDrive, factor: float) -> CopyDrive:
    """Return *drive* so many times as fast by itself, writing, folding and reading."""
    writes = drive.behaviour
    behaviour = replace(
        writes,
        cache_write_bytes_per_s=writes.cache_write_bytes_per_s * factor,
        direct_write_bytes_per_s=writes.direct_write_bytes_per_s * factor,
        fold_bytes_per_s=writes.fold_bytes_per_s * factor,
    )
    return replace(
        drive,
        behaviour=behaviour,
        medium_read_bytes_per_s=drive.medium_read_bytes_per_s * factor,
    )
