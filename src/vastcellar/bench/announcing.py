"""What running processes tell each other: names of abstract Unix sockets.

The kernel takes such a name back with the process, however that ends, and shows all of them to
everybody. Nothing is written anywhere for it.
"""

from __future__ import annotations

import contextlib
import os
import secrets
import socket
from pathlib import Path

_LIST = Path("/proc/net/unix")


def own_token() -> str:
    """Return what the announcements of one piece of work are told apart by."""
    return f"{os.getpid()}-{secrets.token_hex(4)}"


def announce(name: str) -> socket.socket:
    """Announce *name* until what is returned is closed; where that can't be, nobody is told."""
    announced = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
    with contextlib.suppress(OSError):
        announced.bind(f"\0{name}")
    return announced


def announced(start: str) -> set[str]:
    """Return what is announced now by names that begin with *start*, without it."""
    try:
        lines = _LIST.read_text(encoding="utf-8", errors="replace").splitlines()
    except OSError:
        return set()
    parts = (line.partition(f"@{start}") for line in lines)
    return {rest for _, found, rest in parts if found}
