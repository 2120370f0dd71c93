"""Letting a device go: unmounted and powered off by the desktop's own disk service.

The command line of UDisks is asked, which speaks to it over D-Bus as the user who runs this: it
flushes what is still cached, and nothing here needs to be root.
"""

from __future__ import annotations

import os
import shutil
import subprocess
from collections.abc import Sequence

from vastcellar.core.errors import DiskError

_TOOL = "udisksctl"
_TOOL_PATHS = "/usr/sbin:/sbin:/usr/bin:/bin"
_FLUSH_S = 300.0
"""A slow card may take minutes to get what a fast computer has cached for it."""


def can_let_go() -> bool:
    """Return whether there is a disk service to ask."""
    return shutil.which(_TOOL, path=_TOOL_PATHS) is not None


def let_go(device_path: str, mounted_paths: Sequence[str], *, powers_off: bool) -> None:
    """Unmount every one of *mounted_paths*, then power *device_path* off where that is wanted.

    Raises DiskError with what the service says, as where a file is still open.
    """
    for path in mounted_paths:
        _ask("unmount", path)
    if powers_off:
        _ask("power-off", device_path)


def _ask(what: str, path: str) -> None:
    tool = shutil.which(_TOOL, path=_TOOL_PATHS)
    if tool is None:
        raise DiskError(
            "there is no disk service on this computer", where=path, mend="Eject it by hand"
        )
    try:
        done = subprocess.run(
            [tool, what, "--no-user-interaction", "-b", path],
            capture_output=True,
            timeout=_FLUSH_S,
            check=False,
            env={**os.environ, "LC_ALL": "C.UTF-8"},
        )
    except (OSError, subprocess.TimeoutExpired) as error:
        raise DiskError(
            f"it didn't {what} ({type(error).__name__})", where=path, mend="Eject it by hand"
        ) from error
    if done.returncode:
        said = done.stderr.decode("utf-8", errors="replace").strip().splitlines()
        raise DiskError(
            f"it didn't {what}: {said[-1][:200] if said else 'no reason was given'}",
            where=path,
            mend="Close what is open on it, and try again",
        )
