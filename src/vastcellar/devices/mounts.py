"""Which file system a folder lies on, and on what device."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path

from vastcellar.devices.behind import Behind, behind_handle, cant_be_reached, mount_of_handle
from vastcellar.devices.system import System

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
    """"major:minor" of the block device under the folder; of several, the first."""
    behind: Behind
    """What it lies on in the end."""

    @property
    def is_in_memory(self) -> bool:
        """Whether some of it lies in the computer's memory, through images and layers too."""
        return self.behind.is_in_memory

    @property
    def is_over_network(self) -> bool:
        """Whether another computer's drive lies behind it."""
        return self.file_system in OVER_NETWORK

    @property
    def block_path(self) -> str:
        """The block device by its number, "" where there is none: a mount's source is a text."""
        return "" if self.device_number.startswith("0:") else f"/dev/block/{self.device_number}"

    @property
    def file_system_key(self) -> str:
        """The file system as the catalog names it."""
        return catalog_name(self.file_system)


def mount_of(folder: Path) -> Mount:
    """Return the file system that *folder* lies on.

    Raises DiskError where the folder is missing or its disk doesn't answer.
    """
    system = System()
    try:
        handle = os.open(folder, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
        try:
            usage = os.fstatvfs(handle)
            line = mount_of_handle(handle, system)
            behind = behind_handle(handle, system)
        finally:
            os.close(handle)
    except (OSError, ValueError) as error:
        raise cant_be_reached(folder, error) from error
    return Mount(
        mount_point=line.mount_point if line else "",
        device=line.source if line else "",
        file_system=line.file_system if line else "",
        options=line.options if line else "",
        capacity_bytes=usage.f_blocks * usage.f_frsize,
        free_bytes=usage.f_bavail * usage.f_frsize,
        device_number=behind.device_number or (line.device_number if line else ""),
        behind=behind,
    )
