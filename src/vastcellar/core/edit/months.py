"""How long a store lasts: what each month adds, what is archived away, when it is full."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from vastcellar.core.checks import require_between, require_not_negative
from vastcellar.core.edit.edit_store import KEPT_FREE_SHARE

MOST_MONTHS = 120


@dataclass(frozen=True, slots=True)
class Growth:
    """What comes each month, and what goes."""

    month_bytes: float
    """In the first month."""
    grows_by: float = 0.0
    """Each month brings so much more than the one before, as a share."""
    archived_after_months: int = 0
    """A month's material is moved away after so many; 0 keeps it."""
    kept_share: float = 0.0
    """Of it, what stays all the same: projects, cut masters."""
    kept_free_share: float = KEPT_FREE_SHARE

    def __post_init__(self) -> None:
        where = "growth"
        require_not_negative(where, month_bytes=self.month_bytes)
        require_between(where, -1.0, 10.0, grows_by=self.grows_by)
        require_between(
            where, 0.0, 1.0, kept_share=self.kept_share, kept_free_share=self.kept_free_share
        )
        require_between(where, 0, MOST_MONTHS, archived_after_months=self.archived_after_months)


@dataclass(frozen=True)
class Months:
    """The bytes on a store at the end of each month, from now (month 0) on."""

    used_bytes: tuple[float, ...]
    usable_bytes: float
    room_bytes: float
    """What may be used: the rest is kept free."""
    full_after_months: float
    """From now; infinite where it never is within ``MOST_MONTHS``."""


def months_of(usable_bytes: float, used_bytes: float, growth: Growth) -> Months:
    """Return how a store of *usable_bytes* fills, of which *used_bytes* are in use now.

    What is on it now stays.
    """
    require_not_negative("months", usable_bytes=usable_bytes, used_bytes=used_bytes)
    room = usable_bytes * (1 - growth.kept_free_share)
    added = [growth.month_bytes * (1 + growth.grows_by) ** n for n in range(MOST_MONTHS)]
    used = [used_bytes]
    full = 0.0 if used_bytes > room else math.inf
    for month in range(MOST_MONTHS):
        gone = _archived(added, month, growth)
        before, after = used[-1], used[-1] + added[month] - gone
        if math.isinf(full) and after > room:
            # A month's material is archived before the next one comes: the room is there first.
            full = month + (room - (before - gone)) / added[month] if added[month] else month
        used.append(after)
        if math.isfinite(full) and month > full + 1:
            break
    return Months(tuple(used), usable_bytes, room, full)


def _archived(added: Sequence[float], month: int, growth: Growth) -> float:
    after = growth.archived_after_months
    if not after or month < after:
        return 0.0
    return added[month - after] * (1 - growth.kept_share)
