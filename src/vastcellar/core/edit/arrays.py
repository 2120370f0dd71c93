"""Disks put together: what can be used of them, what protects, what is wasted, what they give.

Rates are reckoned in the time that disks are busy: a visit of a stream keeps as many of them busy
as it touches, for an access and for its share of the bytes. What the array gives is full when its
disks have no time left.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property

from vastcellar.core.checks import require_above_zero, require_between
from vastcellar.core.edit.disks import Disk
from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.mirrors import mirrored_pairs

STRIPE_BYTES = 256 * 1024
"""Usual for an array of large files; a chunk on one disk before the next one follows."""


class Level(StrEnum):
    """How disks are put together."""

    SINGLE = "single"
    EACH = "each by itself"
    """Several at once, with a volume each."""
    STRIPE = "raid-0"
    MIRROR = "raid-1"
    PARITY = "raid-5"
    DOUBLE_PARITY = "raid-6"
    STRIPED_MIRRORS = "raid-10"


_FEWEST = {
    Level.SINGLE: 1, Level.EACH: 1, Level.STRIPE: 2, Level.MIRROR: 2, Level.PARITY: 3,
    Level.DOUBLE_PARITY: 4, Level.STRIPED_MIRRORS: 4,
}  # fmt: skip
_MOST_DISKS = 48


@dataclass(frozen=True, slots=True)
class DiskShare:
    """What becomes of the bytes of one disk."""

    data_bytes: float
    protective_bytes: float
    wasted_bytes: float


@dataclass(frozen=True)
class Array:
    """Disks at a level; the smallest of them counts for all."""

    level: Level
    disks: tuple[Disk, ...]
    stripe_bytes: int = STRIPE_BYTES

    def __post_init__(self) -> None:
        count, fewest = len(self.disks), _FEWEST[self.level]
        where = f"array {self.level.value}"
        if count < fewest:
            raise BadValueError(
                f"it has {count} {'disk' if count == 1 else 'disks'}, and needs {fewest}",
                where=where,
                mend="Give it more, or choose another level",
            )
        if self.level is Level.SINGLE and count > 1:
            raise BadValueError(
                f"it has {count} disks", where=where, mend="Choose how they are put together"
            )
        if self.level is Level.STRIPED_MIRRORS and count % 2:
            raise BadValueError(
                f"{count} disks can't be mirrored in pairs", where=where, mend="Give it one more"
            )
        require_between(where, 1, _MOST_DISKS, disks=count)
        require_above_zero(where, stripe_bytes=self.stripe_bytes)

    @property
    def count(self) -> int:
        """How many disks it has."""
        return len(self.disks)

    @property
    def parity_disks(self) -> int:
        """Of a stripe, those that hold parity."""
        return {Level.PARITY: 1, Level.DOUBLE_PARITY: 2}.get(self.level, 0)

    @property
    def width(self) -> int:
        """Disks with data in one stripe: what a large read has at once."""
        if self.level is Level.STRIPED_MIRRORS:
            return self.count // 2
        if self.level in (Level.SINGLE, Level.EACH, Level.MIRROR):
            return 1
        return self.count - self.parity_disks

    @property
    def lanes(self) -> int:
        """How many streams can be read at once without sharing a disk's head."""
        if self.level in (Level.MIRROR, Level.EACH):
            return self.count
        return 2 if self.level is Level.STRIPED_MIRRORS else 1

    @property
    def survives(self) -> int:
        """How many disks may fail, whichever they are, without anything being lost."""
        if self.level is Level.MIRROR:
            return self.count - 1
        return 1 if self.level is Level.STRIPED_MIRRORS else self.parity_disks

    @cached_property
    def shares(self) -> tuple[DiskShare, ...]:
        """What becomes of each disk's bytes, in their order."""
        sizes = [each.capacity_bytes for each in self.disks]
        if self.level in (Level.SINGLE, Level.EACH):
            return tuple(DiskShare(size, 0.0, 0.0) for size in sizes)
        used = min(sizes)
        if self.level is Level.STRIPED_MIRRORS:
            used = min(smaller for _larger, smaller in mirrored_pairs(sizes).pairs)
        # A mirror holds the same on all, a stripe of any kind its own on as many as it is wide.
        data = used * self.width / self.count
        return tuple(DiskShare(data, used - data, size - used) for size in sizes)

    @property
    def usable_bytes(self) -> float:
        """What can be written to it."""
        return sum(each.data_bytes for each in self.shares)

    @property
    def protective_bytes(self) -> float:
        """What holds copies or parity."""
        return sum(each.protective_bytes for each in self.shares)

    @property
    def wasted_bytes(self) -> float:
        """What of larger disks nothing is written to."""
        return sum(each.wasted_bytes for each in self.shares)

    # Rates

    def slowest_read_bytes_per_s(self, filled_share: float) -> float:
        """Of its disks where they are filled to; a stripe waits for the slowest."""
        return min(each.read_bytes_per_s(filled_share) for each in self.disks)

    def slowest_write_bytes_per_s(self, filled_share: float) -> float:
        """What the slowest of its disks writes in the long run."""
        return min(each.lasting_write_bytes_per_s(filled_share) for each in self.disks)

    @property
    def access_s(self) -> float:
        """The longest of its disks' accesses."""
        return max(each.access_s for each in self.disks)

    @property
    def disk_seconds_per_s(self) -> int:
        """Disks' time that there is in a second of reading."""
        return self.width * self.lanes

    def touched(self, block_bytes: float) -> int:
        """Disks that a read of *block_bytes* touches: few for one below a stripe's width."""
        return min(self.width, max(math.ceil(block_bytes / self.stripe_bytes), 1))

    def read_visit_s(self, block_bytes: float, filled_share: float, *, seeks: bool) -> float:
        """Return how long a visit that reads *block_bytes* takes.

        References:
            rate of k interleaved streams of a hard disk = b / (b/r + seek + half a turn).

        """
        share = block_bytes / self.touched(block_bytes)
        access_s = self.access_s if seeks else 0.0
        return share / self.slowest_read_bytes_per_s(filled_share) + access_s

    def read_disk_seconds(self, block_bytes: float, filled_share: float, *, seeks: bool) -> float:
        """Return the time of disks that a visit takes, summed over those that it touches."""
        visit_s = self.read_visit_s(block_bytes, filled_share, seeks=seeks)
        return visit_s * self.touched(block_bytes)

    def read_bytes_per_s(self, streams: int, block_bytes: float, filled_share: float) -> float:
        """Return what all of it reads with so many *streams* of *block_bytes* in turn.

        Without seeks as long as each stream has disks of its own.
        """
        seeks = streams > self.lanes
        cost = self.read_disk_seconds(block_bytes, filled_share, seeks=seeks) / block_bytes
        return self.disks_at_work(streams, block_bytes) / cost

    def disks_at_work(self, streams: int, block_bytes: float) -> float:
        """Return how many disks so many streams keep busy until the first of them has no time left.

        A large visit has a lane's whole width; the lane with most of the streams is full first. Of
        small ones each has few disks, beside others'.
        """
        there, touched = self.disk_seconds_per_s, self.touched(block_bytes)
        if touched < self.width:
            return float(min(there, streams * touched))
        fullest = math.ceil(streams / self.lanes)
        return there * min(streams / (self.lanes * fullest), 1.0)

    def write_disk_seconds(self, block_bytes: float, filled_share: float) -> float:
        """Return the time of disks that writing *block_bytes* somewhere takes.

        A whole stripe is written at once. Less than that has to read what stands there first: old
        data and old parity are read, and both are written a turn later; each chunk so costs each
        of its disks an access, a turn, and its bytes twice.
        """
        write = self.slowest_write_bytes_per_s(filled_share)
        read, access_s = self.slowest_read_bytes_per_s(filled_share), self.access_s
        copies = {Level.MIRROR: self.count, Level.STRIPED_MIRRORS: 2}.get(self.level, 1)
        if not self.parity_disks:
            touched = self.touched(block_bytes)
            return copies * (block_bytes / write + touched * access_s)
        stripe = self.width * self.stripe_bytes
        whole, rest = divmod(block_bytes, stripe)
        seconds = 0.0
        if whole:
            per_disk = whole * self.stripe_bytes
            seconds += self.count * (per_disk / write + access_s)
        if rest > 0:
            chunks = max(math.ceil(rest / self.stripe_bytes), 1)
            disks = chunks + self.parity_disks
            per_disk = rest / chunks
            turn_s = 2 * max(each.half_turn_s for each in self.disks)
            seconds += disks * (per_disk / read + per_disk / write + access_s + turn_s)
        return seconds

    def write_bytes_per_s(self, filled_share: float) -> float:
        """Return what it writes in one go in the long run."""
        return self._at_once_bytes_per_s(self.slowest_write_bytes_per_s(filled_share))

    def cached_write_bytes_per_s(self, filled_share: float) -> tuple[float, float]:
        """Return what it writes at first, and how many bytes that lasts for; (rate, 0) without.

        The first disk whose cache is full slows the stripe.
        """
        with_cache = [each for each in self.disks if each.writes.has_cache]
        if len(with_cache) < self.count:
            return self.write_bytes_per_s(filled_share), 0.0
        rate = min(each.writes.cache_write_bytes_per_s for each in self.disks)
        room = min(each.cache_bytes(filled_share) for each in self.disks)
        if self.level is Level.EACH:
            return rate, room
        return self._at_once_bytes_per_s(rate), room * self.width

    def _at_once_bytes_per_s(self, disk_bytes_per_s: float) -> float:
        return disk_bytes_per_s * self.width

    def small_writes_per_s(self, block_bytes: float, filled_share: float) -> float:
        """Return how many scattered writes of *block_bytes* it does a second."""
        return self.count / self.write_disk_seconds(block_bytes, filled_share)


def array_of(level: Level, disks: Sequence[Disk], stripe_bytes: int = STRIPE_BYTES) -> Array:
    """Return *disks* at *level*. Raises BadValueError for too few of them."""
    return Array(level, tuple(disks), stripe_bytes)
