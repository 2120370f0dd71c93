"""Tests that run on one disk at the same time know of each other.

Each announces itself by an abstract Unix socket: the kernel takes that back with the process,
however it ends, and shows all of them to everybody. Nothing is written anywhere for it.
"""

from __future__ import annotations

import contextlib
import os
import secrets
import socket
from pathlib import Path

_PREFIX = "vast-cellar-test"
_LIST = Path("/proc/net/unix")


class RunningTest:
    """This test's announcement, for as long as it is open."""

    def __init__(self, disk_name: str) -> None:
        self._on_disk = f"@{_PREFIX}/{disk_name}/"
        self._token = f"{os.getpid()}-{secrets.token_hex(4)}"
        self._socket = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
        with contextlib.suppress(OSError):  # where there are no such sockets nobody can know
            self._socket.bind("\0" + (self._on_disk + self._token)[1:])

    def others(self) -> int:
        """Return how many other tests run on the same disk now."""
        return sum(not name.endswith(self._token) for name in _names(self._on_disk))

    def close(self) -> None:
        """Take the announcement back."""
        self._socket.close()


def count_running_tests(disk_name: str) -> int:
    """Return how many tests run on the disk *disk_name* now."""
    return len(_names(f"@{_PREFIX}/{disk_name}/"))


def _names(on_disk: str) -> set[str]:
    try:
        lines = _LIST.read_text(encoding="utf-8", errors="replace").splitlines()
    except OSError:
        return set()
    return {line[line.index(on_disk) :] for line in lines if on_disk in line}
