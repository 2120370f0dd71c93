"""Faults at the border to the system: disks that refuse, as real ones do."""

from __future__ import annotations

import errno
import fcntl
import os

import pytest


def refuse_direct_io(monkeypatch: pytest.MonkeyPatch) -> None:
    """Let direct I/O be refused, as some network and FUSE file systems do when it is asked for."""
    real = fcntl.fcntl

    def refusing(handle: int, command: int, argument: int = 0) -> int:
        if command == fcntl.F_SETFL and argument & os.O_DIRECT:
            raise OSError(errno.EINVAL, os.strerror(errno.EINVAL))
        return real(handle, command, argument)

    monkeypatch.setattr(fcntl, "fcntl", refusing)
