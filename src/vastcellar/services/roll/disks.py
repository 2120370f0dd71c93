"""Which drive a folder lies on: two copies on one drive fail together."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from vastcellar.devices.block_device import find_block_device
from vastcellar.devices.mounts import mount_of


@dataclass(frozen=True, slots=True)
class DiskBehind:
    """What a folder's bytes lie on."""

    key: str
    """The drive's name, or the other computer's; the same for all partitions and shares of it."""
    file_system: str
    is_in_memory: bool = False
    """Whether it is gone when the computer is switched off."""
    is_known: bool = True
    """Whether a drive, or a computer, was found behind it: a pool may lie on any."""
    is_by_program: bool = False
    """Whether a program, or another computer, reads and writes it for us."""


def disk_behind(folder: Path) -> DiskBehind:
    """Return the drive that *folder* lies on. Raises DiskError where it can't be reached."""
    mount = mount_of(folder)
    if mount.is_in_memory:
        return DiskBehind("memory", mount.file_system, is_in_memory=True)
    if mount.is_over_network:
        # "server:/share", "//server/share": shares of one computer lie in one box.
        host = mount.device.lstrip("/").partition("/")[0].partition(":")[0]
        key = f"network {host or mount.device}"
        return DiskBehind(key, mount.file_system, is_by_program=True)
    drive = find_block_device(mount.device_number)
    key = drive.name if drive else f"{mount.device_number} {mount.device}"
    is_by_program = mount.file_system.startswith("fuse")
    return DiskBehind(
        key, mount.file_system, is_known=drive is not None, is_by_program=is_by_program
    )
