"""A member of an array: what it reads and writes where it is filled to, what a seek costs."""

from __future__ import annotations

from dataclasses import dataclass

from vastcellar.core.candidates.assemblies import as_its_box_says
from vastcellar.core.checks import require_above_zero, require_between, require_not_negative
from vastcellar.core.parts.parts import Drive, DriveKind, WriteBehaviour
from vastcellar.core.writing.lasting_rate import zone_write_bytes_per_s

# Typical of their class: a mean seek, and half a turn at 7,200 and 5,400 turns a minute.
_SEEK_35_S, _HALF_TURN_35_S = 8.5e-3, 4.17e-3
_SEEK_25_S, _HALF_TURN_25_S = 12e-3, 5.6e-3
_SSD_ACCESS_S = 0.1e-3
_UNREADABLE_PER_BIT, _UNREADABLE_DESKTOP_PER_BIT = 1e-15, 1e-14
"""Bits that come back as an error for good: of disks for stores and, by JEDEC JESD218, of client
SSDs; and of desktop and portable disks. A maker's figure is a bound, and most do better."""


@dataclass(frozen=True, slots=True)
class Disk:
    """A disk or SSD, as a member of an array or by itself."""

    name: str
    capacity_bytes: float
    outer_read_bytes_per_s: float
    """Of a hard disk at its rim, of an SSD anywhere."""
    writes: WriteBehaviour
    seek_s: float = _SSD_ACCESS_S
    """Mean; of an SSD what an access takes before its first byte."""
    half_turn_s: float = 0.0
    """0 for one that doesn't turn."""
    unreadable_per_bit: float = _UNREADABLE_PER_BIT
    price: float = 0.0
    mass_g: float = 0.0

    def __post_init__(self) -> None:
        where = f"disk {self.name!r}"
        require_above_zero(
            where,
            capacity_bytes=self.capacity_bytes,
            outer_read_bytes_per_s=self.outer_read_bytes_per_s,
        )
        require_not_negative(
            where, seek_s=self.seek_s, half_turn_s=self.half_turn_s, price=self.price
        )
        require_between(where, 0.0, 1e-6, unreadable_per_bit=self.unreadable_per_bit)

    @property
    def is_spinning(self) -> bool:
        """Whether it has a head to move."""
        return self.half_turn_s > 0

    @property
    def access_s(self) -> float:
        """Until the first byte of another place: seek and half a turn."""
        return self.seek_s + self.half_turn_s

    def read_bytes_per_s(self, filled_share: float) -> float:
        """What it reads where it is filled to: a hard disk's zones slow reads as they do writes."""
        outer = self.writes.direct_write_bytes_per_s
        return self.outer_read_bytes_per_s * (
            zone_write_bytes_per_s(self.writes, filled_share) / outer
        )

    def lasting_write_bytes_per_s(self, filled_share: float) -> float:
        """What it writes once its fast cache is full."""
        return zone_write_bytes_per_s(self.writes, filled_share)

    def cache_bytes(self, filled_share: float) -> float:
        """What it takes at its fast rate; 0 without a cache."""
        free = self.capacity_bytes * (1 - filled_share)
        return min(self.writes.cache_static_bytes + self.writes.cache_share_of_free * free, free)


def disk_of(drive: Drive) -> Disk:
    """Return a drive of the catalog as a member: typical seeks by its size, 3.5 or 2.5 inches."""
    is_disk, is_large = drive.kind is DriveKind.HARD_DISK, drive.form == "3.5"
    seek_s, half_turn_s = _SSD_ACCESS_S, 0.0
    if is_disk:
        seek_s = _SEEK_35_S if is_large else _SEEK_25_S
        half_turn_s = _HALF_TURN_35_S if is_large else _HALF_TURN_25_S
    per_bit = _UNREADABLE_DESKTOP_PER_BIT if is_disk and not is_large else _UNREADABLE_PER_BIT
    return Disk(
        drive.name,
        float(drive.capacity_bytes),
        drive.claimed_read_bytes_per_s,
        drive.behaviour or as_its_box_says(drive),
        seek_s,
        half_turn_s,
        per_bit,
        drive.price,
        drive.mass_g,
    )
