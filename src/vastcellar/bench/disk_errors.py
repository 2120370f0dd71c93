"""What the system says of a disk, in sentences a technician can act on."""

from __future__ import annotations

import errno

from vastcellar.core.errors import DISK_IS_FULL, DiskError

_GONE = frozenset(
    {
        errno.EIO,
        errno.ENODEV,
        errno.ENXIO,
        errno.ENOTCONN,
        errno.ECONNABORTED,
        errno.ESHUTDOWN,
        errno.ENOENT,
        errno.ESTALE,
    }
)
_FULL = frozenset({errno.ENOSPC, errno.EDQUOT})


def as_disk_error(error: OSError, where: str) -> DiskError:
    """Translate *error*, met while testing in *where*."""
    number = error.errno or 0
    if number in _FULL:
        return DiskError(DISK_IS_FULL, where=where, mend="Make room, or test a shorter take")
    if number == errno.EROFS:
        return DiskError(
            "the disk is read-only",
            where=where,
            mend="Check its write lock and its file system, then mount it writable",
        )
    if number in (errno.EACCES, errno.EPERM):
        return DiskError(
            "there is no permission to write here",
            where=where,
            mend="Choose a folder that you may write to",
        )
    if number == errno.EFBIG:
        return DiskError(
            "the file grew larger than this file system allows",
            where=where,
            mend="Test with a file system of larger files",
        )
    if number in _GONE:
        return DiskError(
            f"the disk stopped answering ({error.strerror})",
            where=where,
            mend="Check plug, cable and power, then connect it again",
        )
    return DiskError(
        f"the disk refused ({error.strerror})", where=where, mend="Check the disk and its mount"
    )
