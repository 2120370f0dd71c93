"""A small file written beside a copy: whole and flushed under a name of its own, then renamed."""

from __future__ import annotations

import contextlib
import os

from vastcellar.bench.held_folder import HeldFolder


def write_temporary(root: HeldFolder, name: str, content: bytes) -> None:
    """Write *content* under *name*, which has a token in it and stands there only if it is ours.

    Raises OSError, FileExistsError where something stands there all the same.
    """
    handle = root.create(name)
    try:
        with os.fdopen(handle, "wb") as file:
            with contextlib.suppress(PermissionError):  # no rights on a FAT
                os.fchmod(handle, 0o644)
            file.write(content)
            file.flush()
            os.fsync(handle)
    except OSError:
        with contextlib.suppress(OSError):
            root.remove(name)
        raise
