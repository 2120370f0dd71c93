"""How far a unit is worn, and how far it goes: fills, shooting days, the day it gets tight."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from vastcellar.core.checks import require_not_negative
from vastcellar.core.parts.parts import MAGNETIC, Drive, DriveKind
from vastcellar.core.parts.units import WATCH_WEAR_SHARE, Unit, worn_share

WRITE_AMPLIFICATION = 1.1
"""Bytes that the cells take for each one written: large files in order (typical)."""
_LEAST_DAYS = 30.0
"""A pace over less than a month is that of one job."""
_MONTH_DAYS = 365.25 / 12
RETENTION_DAYS = 365.0
"""A drive that has all of its endurance behind it keeps data so long without power, at 30 °C.

Source: JEDEC JESD218, client class. New cells keep it many times longer; the class says no figure.
"""


@dataclass(frozen=True, slots=True)
class WrittenAt:
    """What had been written to a unit on a day."""

    day: date
    written_bytes: float


@dataclass(frozen=True, slots=True)
class WearAhead:
    """How far a unit is worn and how it goes on."""

    used_share: float
    """Of its rated endurance: the larger of what was written and what the drive says itself."""
    is_by_drive: bool
    """Whether the drive itself says so."""
    fills_left: float
    bytes_left: float
    per_month_bytes: float | None
    """What it is written in a month; None where less than a month is known."""
    months_known: float
    watched_on: date | None
    """The day on which it passes 80 %; None where that isn't known, or too far to mean anything."""

    def days_left(self, day_bytes: float) -> float:
        """Return how many days of *day_bytes* it can still take.

        References:
            days = bytes left / (bytes a day x write amplification).

        """
        require_not_negative("day", day_bytes=day_bytes)
        return self.bytes_left / (day_bytes * WRITE_AMPLIFICATION) if day_bytes else math.inf


def wear_ahead(
    unit: Unit,
    drive: Drive,
    written: Sequence[WrittenAt],
    today: date,
    *,
    by_drive: float | None = None,
    planned_bytes: float = 0.0,
) -> WearAhead | None:
    """Return how far *unit* is worn and goes; None where its endurance isn't rated.

    Args:
        unit: as it stands now.
        drive: what it is.
        written: what had been written to it on earlier days, in any order.
        today: the day of ``unit``.
        by_drive: share of the endurance that the drive itself says is used.
        planned_bytes: what shoots ahead write besides.

    """
    stated = worn_share(unit, drive)
    if stated is None:
        return None
    used = max(stated, by_drive or 0.0)
    left = max((1 - used) * drive.tbw_bytes, 0.0)
    pace, months = _pace(unit, written, today)
    watched_on = None
    ahead = WATCH_WEAR_SHARE * drive.tbw_bytes - used * drive.tbw_bytes - planned_bytes
    if ahead <= 0:
        watched_on = today
    elif pace:
        days = ahead / pace * _MONTH_DAYS
        watched_on = today + timedelta(days=round(days)) if days < 100 * 365.25 else None
    return WearAhead(
        used, used > stated, left / drive.capacity_bytes, left, pace, months, watched_on
    )


def _pace(unit: Unit, written: Sequence[WrittenAt], today: date) -> tuple[float | None, float]:
    known = [each for each in written if each.written_bytes <= unit.written_bytes]
    first = min(known, key=lambda each: each.day, default=None)
    if first is None or (today - first.day).days < _LEAST_DAYS:
        return None, 0.0
    months = (today - first.day).days / _MONTH_DAYS
    return (unit.written_bytes - first.written_bytes) / months, months


def lies_too_long(unit: Unit, drive: Drive, seen_on: date | None, today: date) -> int | None:
    """Return for how many days a unit with something on it had no power; None where that is well.

    Disks keep theirs by magnetism; of those that have lain for less than ``RETENTION_DAYS`` none.
    """
    if (
        drive.kind is DriveKind.HARD_DISK
        or drive.medium == MAGNETIC
        or unit.used_bytes <= 0
        or seen_on is None
    ):
        return None
    days = (today - seen_on).days
    return days if days > RETENTION_DAYS else None
