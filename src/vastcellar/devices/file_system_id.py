"""A mounted file system's own identifier, where udev isn't there to tell its UUID."""

from __future__ import annotations

import os
import shutil
import subprocess
from pathlib import Path

from vastcellar.core.parts.identity import KERNEL_ID

_ASK_S = 3.0
# These make the identifier that the kernel hands out from their UUID; others from the number of
# the device, which the next one plugged in may get.
_FROM_UUID = ("ext2", "ext3", "ext4", "btrfs")


def file_system_uuid(mount_device: str, mount_point: str, file_system: str) -> str:
    """Return the UUID of the file system on *mount_device*, or what stands for it, else ""."""
    return _asked(mount_device) or _from_kernel(mount_point, file_system)


def _asked(mount_device: str) -> str:
    """Ask blkid, which reads a block device's first sectors: only root may.

    It is made to read them now: what it remembers of a device's name may be of the card before.
    """
    tool = shutil.which("blkid", path="/usr/sbin:/sbin:/usr/bin:/bin")
    if tool is None or not mount_device.startswith("/dev/") or not os.access(mount_device, os.R_OK):
        return ""
    try:
        done = subprocess.run(
            [tool, "-p", "-o", "value", "-s", "UUID", "--", mount_device],
            capture_output=True,
            timeout=_ASK_S,
            check=False,
        )
    except (OSError, subprocess.TimeoutExpired):
        return ""
    return done.stdout.decode("utf-8", errors="replace").strip()[:64]


def _from_kernel(mount_point: str, file_system: str) -> str:
    if file_system not in _FROM_UUID:
        return ""
    try:
        number = os.statvfs(Path(mount_point)).f_fsid
    except OSError:
        return ""
    return f"{KERNEL_ID}{number:016x}" if number else ""
