"""Whether something was plugged, pulled or mounted: a mark to look at often, without asking a disk.

udev tells of devices, not of mounts, and lsblk takes a tenth of a second each time. What the
kernel says in its own files is read in a millisecond and covers both.
"""

from __future__ import annotations

from pathlib import Path

from vastcellar.devices.system import System, read_text

_MOST_BYTES = 4 * 2**20
_TEXTS = ("proc/self/mountinfo", "proc/swaps")
# Where a reader stays and its card goes, the disk's size changes and nothing else does.
_OF_EACH = ("size", "ro")


def plug_mark(system: System) -> tuple[object, ...]:
    """Return what changes when a device comes, goes, is mounted, or its card is changed.

    Never touches a disk, and never waits for one.
    """
    disks = _names(system.path("sys/block"))
    sizes = tuple(
        tuple(read_text(system.path(f"sys/block/{disk}/{each}")) for each in _OF_EACH)
        for disk in disks
    )
    usb = _names(system.path("sys/bus/usb/devices"))
    texts = tuple(hash(read_text(system.path(each), _MOST_BYTES)) for each in _TEXTS)
    return disks, sizes, usb, texts


def _names(folder: Path) -> tuple[str, ...]:
    try:
        return tuple(sorted(each.name for each in folder.iterdir()))
    except OSError:
        return ()
