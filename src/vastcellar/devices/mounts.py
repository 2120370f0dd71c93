"""Which file system a folder lies on, and on what device."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path

import psutil

from vastcellar.core.errors import DiskError

_IN_MEMORY = frozenset({"tmpfs", "ramfs", "devtmpfs", "rootfs"})
_OVER_NETWORK = frozenset(
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
        return self.file_system in _OVER_NETWORK

    @property
    def file_system_key(self) -> str:
        """The file system as the catalog names it."""
        return _CATALOG_NAMES.get(self.file_system, self.file_system)


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
        device_number=f"{os.major(status.st_dev)}:{os.minor(status.st_dev)}",
    )
