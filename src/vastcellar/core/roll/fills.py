"""Which of a copy's drives takes which day, and what is left on it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class DayOnDrive:
    """A day's material on one drive of a copy."""

    day: int
    """From 1."""
    drive: int
    """Which of them, from 0."""
    free_bytes: float
    """Before the day."""
    day_bytes: float

    @property
    def fits(self) -> bool:
        """Whether the whole day goes onto it."""
        return self.day_bytes <= self.free_bytes


def days_on_drives(
    day_bytes: Sequence[float], rooms_bytes: Sequence[float], keep_days: int = 0
) -> tuple[DayOnDrive, ...]:
    """Return the drive of each day: the first of them that has room for the whole of it.

    Where none has, it is the one with the most room, and the day doesn't fit. () without a drive.

    Args:
        day_bytes: material of each day, from the first on.
        rooms_bytes: free on each drive before the first.
        keep_days: after so many days a day's material is let go; 0 keeps it.

    """
    if not rooms_bytes:
        return ()
    left = list(rooms_bytes)
    placed: list[DayOnDrive] = []
    for number, size in enumerate(day_bytes, start=1):
        if 0 < keep_days < number:
            gone = placed[number - 1 - keep_days]
            left[gone.drive] += min(gone.day_bytes, gone.free_bytes)
        fitting = (drive for drive, room in enumerate(left) if size <= room)
        drive = next(fitting, max(range(len(left)), key=lambda each: left[each]))
        placed.append(DayOnDrive(number, drive, left[drive], size))
        left[drive] -= min(size, left[drive])
    return tuple(placed)
