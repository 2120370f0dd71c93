"""One computer as its own trees and tools tell it: this one, or a made-up one below a folder."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from vastcellar.core.printable import printable

_MOST_READ_BYTES = 64 * 1024
_MOST_ANSWER_BYTES = 8 * 2**20
_MOST_TEXT = 200
# smartctl waits for a disk that sleeps; lsblk never takes a tenth of a second.
_ASK_S = 6.0
_TOOL_PATHS = "/usr/sbin:/sbin:/usr/bin:/bin"


@dataclass(frozen=True, slots=True)
class System:
    """A computer whose ``/sys``, ``/proc`` and ``/run`` lie below *root*.

    Below any other folder than ``/`` what its tools would answer lies in ``tools``, a file for
    each question: nothing of this computer gets into a made-up one.
    """

    root: Path = Path("/")

    @property
    def is_made_up(self) -> bool:
        """Whether it is a tree in a folder."""
        return self.root != Path("/")

    def path(self, inside: str) -> Path:
        """Return where a path of that computer lies here."""
        return self.root / inside.lstrip("/")

    def ask(self, tool: str, arguments: Sequence[str], *, made_up_as: str) -> dict[str, Any]:
        """Return what *tool* answers as JSON; empty where it is missing or says no object.

        A tool's exit code is left alone: smartctl sets bits of it for old errors of a disk.
        """
        if self.is_made_up:
            return as_object(read_text(self.path(f"tools/{made_up_as}.json"), _MOST_ANSWER_BYTES))
        found = shutil.which(tool, path=_TOOL_PATHS)
        if found is None:
            return {}
        try:
            done = subprocess.run(
                [found, *arguments],
                capture_output=True,
                timeout=_ASK_S,
                check=False,
                env={**os.environ, "LC_ALL": "C.UTF-8"},
            )
        except (OSError, ValueError, subprocess.TimeoutExpired):
            return {}
        return as_object(done.stdout[:_MOST_ANSWER_BYTES].decode("utf-8", errors="replace"))

    def has(self, tool: str) -> bool:
        """Return whether *tool* can be asked."""
        if self.is_made_up:
            return self.path(f"tools/{tool}").exists() or self.path(f"tools/{tool}.json").exists()
        return shutil.which(tool, path=_TOOL_PATHS) is not None


def as_object(text: str) -> dict[str, Any]:
    """Return a JSON object as a dictionary; empty for everything else."""
    try:
        found = json.loads(text)
    except (ValueError, RecursionError):
        return {}
    return found if isinstance(found, dict) else {}


def read_text(path: Path, most_bytes: int = _MOST_READ_BYTES) -> str:
    """Return a small file's text without blanks around it, "" where it can't be read."""
    try:
        # A pipe in its place would hold us up for ever.
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
        with os.fdopen(handle, encoding="utf-8", errors="replace") as file:
            return file.read(most_bytes).strip()
    except (OSError, ValueError):
        return ""


def one_line(text: object) -> str:
    """Return what a device says of itself as one line that may be shown, cut where it is long."""
    if not isinstance(text, str):
        return ""
    # A lone half of a surrogate pair, which JSON can spell, would end every print.
    whole = text.encode("utf-8", errors="replace").decode("utf-8")
    return printable(" ".join(whole.split()))[:_MOST_TEXT].strip()


def whole_number(found: object) -> int:
    """Return a count that a file or tool gives as number or digits; 0 for everything else."""
    if isinstance(found, bool):
        return int(found)
    if isinstance(found, int):
        return found if 0 <= found < 2**64 else 0
    if isinstance(found, str) and found.strip().isascii() and found.strip().isdigit():
        return whole_number(int(found.strip()[:20]))
    return 0
