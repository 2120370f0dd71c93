"""Classes of storage by how they write: what a measured drive may be, and what it can't be.

Source: typical ranges of each class, assumptions that the catalog's invented parts are made from.
"""

from __future__ import annotations

from dataclasses import dataclass

from vastcellar.core.parts.parts import DriveKind


@dataclass(frozen=True, slots=True)
class StorageClass:
    """A class of drives with its typical ranges."""

    key: str
    name: str
    kind: DriveKind
    medium: str
    burst_low_bytes_per_s: float
    burst_high_bytes_per_s: float
    after_low_bytes_per_s: float
    """Once the fast cache is full; of what has none, the slowest zone."""
    after_high_bytes_per_s: float
    fills: float
    """Rated endurance over capacity, the low end of what is usual; 0 where none is rated."""


STORAGE_CLASSES = (
    StorageClass("hdd-25", 'hard disk, 2.5"', DriveKind.HARD_DISK, "magnetic",
                 60e6, 150e6, 50e6, 150e6, 0),
    StorageClass("hdd-35", 'hard disk, 3.5"', DriveKind.HARD_DISK, "magnetic",
                 100e6, 285e6, 90e6, 285e6, 0),
    StorageClass("sata-tlc", "SATA SSD, TLC", DriveKind.SATA, "TLC",
                 400e6, 560e6, 300e6, 540e6, 150),
    StorageClass("sata-qlc", "SATA SSD, QLC", DriveKind.SATA, "QLC",
                 400e6, 560e6, 60e6, 180e6, 150),
    StorageClass("nvme-tlc-3", "NVMe SSD, PCIe 3, TLC", DriveKind.NVME, "TLC",
                 1200e6, 3400e6, 450e6, 1300e6, 300),
    StorageClass("nvme-qlc-3", "NVMe SSD, PCIe 3, QLC", DriveKind.NVME, "QLC",
                 1200e6, 3400e6, 70e6, 280e6, 100),
    StorageClass("nvme-tlc-4", "NVMe SSD, PCIe 4, TLC", DriveKind.NVME, "TLC",
                 3000e6, 7500e6, 900e6, 2300e6, 600),
    StorageClass("nvme-2230-4", "M.2 2230, PCIe 4, TLC", DriveKind.NVME, "TLC",
                 3000e6, 5500e6, 280e6, 950e6, 300),
)  # fmt: skip

# Measured levels lie a little beside what is typical without belonging to another class.
_SLACK = 0.12
_AT_LINK_SHARE = 0.85
_DROP_SHARE = 0.8


def classes_that_fit(
    burst_bytes_per_s: float,
    lasting_bytes_per_s: float,
    link_bytes_per_s: float = 0.0,
    *,
    is_rotational: bool | None = None,
) -> tuple[StorageClass, ...]:
    """Return the classes that a measured write doesn't contradict; () where it fits none.

    A drive at what its link carries may be any that is at least as fast. One that never slowed
    down may not have filled its cache yet: what it writes after it is then anybody's guess, and
    nothing is left out for it.

    Args:
        burst_bytes_per_s: the first level.
        lasting_bytes_per_s: the last one; as high as the first where it never slowed down.
        link_bytes_per_s: what the link carries in use, 0 where it isn't known.
        is_rotational: whether it says that it turns; bridges often say so of what doesn't, so
            only a clear no is believed.
    """
    if burst_bytes_per_s <= 0:
        return ()
    is_at_link = 0 < link_bytes_per_s * _AT_LINK_SHARE <= burst_bytes_per_s
    has_dropped = lasting_bytes_per_s < burst_bytes_per_s * _DROP_SHARE

    def fits(each: StorageClass) -> bool:
        if each.kind is DriveKind.HARD_DISK and is_rotational is False:
            return False
        reaches = burst_bytes_per_s <= each.burst_high_bytes_per_s * (1 + _SLACK)
        is_low = burst_bytes_per_s < each.burst_low_bytes_per_s * (1 - _SLACK)
        if not reaches or (is_low and not is_at_link):
            return False
        if not has_dropped:
            return True
        return (
            each.after_low_bytes_per_s * (1 - _SLACK)
            <= lasting_bytes_per_s
            <= each.after_high_bytes_per_s * (1 + _SLACK)
        )

    return tuple(each for each in STORAGE_CLASSES if fits(each))
