"""Keeping the computer awake while cards are copied, by the login service where there is one.

The service's own command holds the lock for as long as a process of ours lives that it began: it
reads from us and ends when we do, killed or not, so no lock is left behind.
"""

from __future__ import annotations

import contextlib
import shutil
import subprocess
from collections.abc import Iterator
from dataclasses import dataclass

_TOOL, _READER = "systemd-inhibit", "cat"
_TOOL_PATHS = "/usr/sbin:/sbin:/usr/bin:/bin"
_ENDS_WITHIN_S = 2.0


@dataclass
class Awake:
    """Whether the computer is kept from sleeping."""

    refused: str = ""
    """Why it isn't, as far as is known by now; "" where it is."""
    holder: subprocess.Popen[bytes] | None = None

    def look(self) -> str:
        """Return why it isn't kept awake, "" where it is.

        A service that isn't there refuses within moments; one that agrees says nothing.
        """
        if self.holder is not None and self.holder.poll() is not None:
            self.refused = "the login service doesn't keep it from sleeping"
        return self.refused


@contextlib.contextmanager
def kept_awake(why: str) -> Iterator[Awake]:
    """Keep the computer from sleeping meanwhile; what is yielded says whether it is kept."""
    tool = shutil.which(_TOOL, path=_TOOL_PATHS)
    reader = shutil.which(_READER, path=_TOOL_PATHS)
    if tool is None or reader is None:
        yield Awake("nothing on this computer keeps it from sleeping")
        return
    command = [tool, "--what=sleep:idle", "--who=Vast Cellar", f"--why={why}", "--mode=block",
               reader]  # fmt: skip
    try:
        holder = subprocess.Popen(
            command,
            stdin=subprocess.PIPE,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
    except OSError as error:
        yield Awake(f"it can't be kept from sleeping ({error.strerror})")
        return
    try:
        yield Awake(holder=holder)
    finally:
        if holder.stdin is not None:
            with contextlib.suppress(OSError):
                holder.stdin.close()
        try:
            holder.wait(_ENDS_WITHIN_S)
        except subprocess.TimeoutExpired:
            holder.kill()
            holder.wait()
