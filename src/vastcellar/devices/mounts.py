"""Which file system a folder lies on, and on what device."""

from __future__ import annotations

import os
import stat
from dataclasses import dataclass
from pathlib import Path

import psutil

from vastcellar.core.errors import DiskError

_IN_MEMORY = frozenset({"tmpfs", "ramfs", "devtmpfs", "rootfs"})
OVER_NETWORK = frozenset(
    {"nfs", "nfs4", "cifs", "smb3", "smbfs", "9p", "afs", "ceph", "glusterfs", "lustre", "davfs",
     "virtiofs", "vboxsf", "fuse.sshfs", "fuse.rclone", "fuse.davfs2", "fuse.gvfsd-fuse"}
)  # fmt: skip
# As the catalog names file systems; what isn't here keeps the system's own name.
_CATALOG_NAMES = {
    "vfat": "fat32",
    "msdos": "fat32",
    "ntfs3": "ntfs",
    "ntfs-3g": "ntfs",
    "fuse.exfat": "exfat",
    "hfsplus": "hfs-plus",
}


def catalog_name(file_system: str) -> str:
    """Return what the catalog calls the file system that the kernel calls *file_system*."""
    return _CATALOG_NAMES.get(file_system, file_system)


@dataclass(frozen=True, slots=True)
class Mount:
    """A mounted file system as seen from a folder on it."""

    mount_point: str
    device: str
    file_system: str
    options: str
    capacity_bytes: int
    free_bytes: int
    device_number: str
    """"major:minor" of the folder's device."""

    @property
    def is_in_memory(self) -> bool:
        """Whether no drive lies behind it."""
        return self.file_system in _IN_MEMORY

    @property
    def is_over_network(self) -> bool:
        """Whether another computer's drive lies behind it."""
        return self.file_system in OVER_NETWORK

    @property
    def file_system_key(self) -> str:
        """The file system as the catalog names it."""
        return catalog_name(self.file_system)


def mount_of(folder: Path) -> Mount:
    """Return the file system that *folder* lies on.

    Raises DiskError where the folder is missing or its disk doesn't answer.
    """
    try:
        place = folder.resolve(strict=True)
        status = place.stat()
        usage = psutil.disk_usage(str(place))
    except OSError as error:
        raise DiskError(
            f"the folder can't be reached ({error.strerror})",
            where=str(folder),
            mend="Choose a folder that exists on a connected disk",
        ) from error
    found = None
    for partition in psutil.disk_partitions(all=True):
        mount_point = Path(partition.mountpoint)
        is_deeper = found is None or len(partition.mountpoint) >= len(found.mountpoint)
        if (place == mount_point or mount_point in place.parents) and is_deeper:
            found = partition
    return Mount(
        mount_point=found.mountpoint if found else "",
        device=found.device if found else "",
        file_system=found.fstype if found else "",
        options=found.opts if found else "",
        capacity_bytes=usage.total,
        free_bytes=usage.free,
        device_number=_device_number(status.st_dev, found.device if found else ""),
    )


def _device_number(folder_device: int, source: str) -> str:
    """Return "major:minor" of the block device under a folder.

    Btrfs and what runs in user space (exFAT, NTFS) give their files a number that is no device's;
    the device that they were mounted from is.
    """
    number = folder_device
    if not os.major(number) and source.startswith("/dev/"):
        try:
            status = Path(source).stat()
        except OSError:
            status = None
        if status is not None and stat.S_ISBLK(status.st_mode):
            number = status.st_rdev
    return f"{os.major(number)}:{os.minor(number)}"
