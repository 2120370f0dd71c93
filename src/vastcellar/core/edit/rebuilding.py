"""A disk has failed: how long it takes until all is as safe as before, and what may go wrong."""

from __future__ import annotations

import math
from dataclasses import dataclass

from vastcellar.core.checks import require_between
from vastcellar.core.edit.arrays import Array

REBUILD_SHARE = 0.45
"""Of a disk's rate, typical while others work on it: 30 to 60 %."""


@dataclass(frozen=True, slots=True)
class Rebuild:
    """Putting another disk in the place of one that failed."""

    is_possible: bool
    """False where everything, or a volume, is lost with the disk."""
    seconds: float
    """Infinite where it isn't possible."""
    disk_bytes_per_s: float
    """What is read of each of the others, and written to the new one."""
    read_bytes: float
    """What has to be read without an error, for nothing to be lost."""
    unreadable_risk: float
    """Of a sector that can't be read, 0 to 1: then what lies on it is lost. 1 where a failed disk
    loses everything, 0 where another parity or copy stands in."""
    left_share: float
    """Of the time of the disks, what is left for those who work."""


def rebuild_of(array: Array, filled_share: float, rebuild_bytes_per_s: float = 0.0) -> Rebuild:
    """Return what putting in one new disk is like, with the others as full as they are.

    The whole disk is rebuilt, used or not.

    Args:
        array: before the failure.
        filled_share: of its disks.
        rebuild_bytes_per_s: a disk; 0 for the typical share of what the slowest reads or writes.

    References:
        time = capacity / rate; risk = 1 - (1 - p)^(bits read).

    """
    require_between("rebuild", 0.0, 1e11, rebuild_bytes_per_s=rebuild_bytes_per_s)
    if not array.survives:
        return Rebuild(False, math.inf, 0.0, 0.0, 1.0, 1.0)
    read = array.slowest_read_bytes_per_s(filled_share)
    best = min(read, array.slowest_write_bytes_per_s(filled_share))
    rate = min(rebuild_bytes_per_s or REBUILD_SHARE * best, best)
    size = max(each.capacity_bytes - share.wasted_bytes
               for each, share in zip(array.disks, array.shares, strict=True))  # fmt: skip
    sources = array.count - 1 if array.parity_disks else 1
    has_another = array.survives > 1
    per_bit = max(each.unreadable_per_bit for each in array.disks)
    read_bytes = sources * size
    risk = 0.0 if has_another else -math.expm1(read_bytes * 8 * math.log1p(-per_bit))
    # A stripe with parity needs all the others, and each is read; of mirrors one disk is gone, and
    # its partner is read.
    gone = 0 if array.parity_disks else 1
    shared = 1 if array.parity_disks else array.count
    left = (shared - gone - rate / read) / shared
    return Rebuild(True, size / rate, rate, read_bytes, risk, left)
