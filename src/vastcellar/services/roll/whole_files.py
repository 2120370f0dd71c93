"""A small file written beside a copy: whole and flushed under a name of its own, then renamed."""

from __future__ import annotations

import contextlib
import os
import stat

from vastcellar.bench.held_folder import HeldFolder


def write_temporary(root: HeldFolder, name: str, content: bytes) -> None:
    """Write *content* under *name*, which is ours; what a killed one left there is taken away.

    Raises OSError.
    """
    with contextlib.suppress(FileNotFoundError):  # of one that was killed in this moment
        if stat.S_ISREG(root.status(name).st_mode):
            os.unlink(name, dir_fd=root.handle)
    handle = root.create(name)
    with os.fdopen(handle, "wb") as file:
        with contextlib.suppress(PermissionError):  # no rights on a FAT
            os.fchmod(handle, 0o644)
        file.write(content)
        file.flush()
        os.fsync(handle)
