"""What is verified on a destination, line by line, so that a copy goes on where it was cut off.

A line is written only after the file was flushed, renamed and read back; lines that a crash cut
short, or that somebody else wrote, count for nothing. The first line holds a token of this copy:
whatever carries it in its name was being written by it, and nothing else is ever removed. It also
says which card it was: a journal vouches for nothing of another, nor does one from before journals
knew their card.
"""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import secrets
import stat
import threading
from dataclasses import dataclass

from vastcellar.bench.held_folder import HeldFolder
from vastcellar.core.errors import DiskError

_FORMAT = "vast-cellar/copy-journal"
_HEAD = b'{"format": "vast-cellar/copy-journal"'
_VERSION = 2
_MOST_BYTES = 2_000_000_000
_LINES_AT_ONCE = 64
"""A kill costs no more than reading so many small files once again."""


@dataclass(frozen=True, slots=True)
class VerifiedFile:
    """One file as it was verified: what it was read from, and what lies there."""

    path: str
    size_bytes: int
    modified_ns: int
    """Of the source."""
    digest: str
    inode: int
    """Of the copy: another file under its name is another file."""
    changed_ns: int
    """Of the copy, when it was read back: whatever was done to it since is seen by it."""
    name: str = ""
    """Below the destination, where it isn't as the source's."""
    card_inode: int = 0
    card_changed_ns: int = 0
    """Of the source, when it was read: another clip of its name, size and time has others."""
    ends_digest: str = ""
    """Of the source's first and last block: compared before this line counts."""


def journal_name(copy_name: str) -> str:
    """Return the name of the journal beside the copy *copy_name*."""
    return f".{copy_name}.vast-cellar-copy"


class Journal:
    """The journal of one copy on one destination, held so that no second copy writes to it."""

    def __init__(
        self, root: HeldFolder, copy_name: str, algorithm: str, where: str, card_id: str = ""
    ) -> None:
        self._card_id = card_id
        self.swept_tokens: tuple[str, ...] = ()
        """Of this copy and of one with another checksum before it: theirs is what was left."""
        self._name = journal_name(copy_name)
        self._root, self._lock = root, threading.Lock()
        self.verified: dict[str, VerifiedFile] = {}
        self._unwritten: list[bytes] = []
        flags = os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW | os.O_CLOEXEC | os.O_APPEND | os.O_NONBLOCK
        self._handle = os.open(self._name, flags, 0o600, dir_fd=root.handle)
        try:
            fcntl.flock(self._handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            os.close(self._handle)
            raise DiskError(
                f"another copy of {copy_name} is being made there",
                where=where,
                mend="Wait for it, or give this one another name",
            ) from error
        status = os.fstat(self._handle)
        if not stat.S_ISREG(status.st_mode) or status.st_nlink != 1:
            os.close(self._handle)
            raise _not_ours(f"{where}/{self._name}")
        self.is_resumed = False
        try:
            self.token = self._read(algorithm, where)
        except BaseException:
            os.close(self._handle)
            raise

    def _read(self, algorithm: str, where: str) -> str:
        """Take in what is there; return the token, a new one where the head was cut short."""
        content = b""
        while chunk := os.read(self._handle, 2**20):
            content += chunk
            if len(content) > _MOST_BYTES:
                break
        lines = content.split(b"\n")
        head = (_as_json(lines[0]) if content else None) or {}
        token = str(head.get("token", ""))
        if head.get("format") == _FORMAT and len(token) == 16 and token.isalnum():
            self.swept_tokens = (token,)
            if (head.get("algorithm"), head.get("version")) == (algorithm, _VERSION):
                self.is_resumed = True
                if head.get("card") == self._card_id:
                    for line in lines[1:-1]:  # what has no end of line was cut short
                        self._take(_as_json(line))
                    if lines[-1]:  # cut short: the next line begins on its own
                        os.write(self._handle, b"\n")
                    return token
        elif not (content.startswith(_HEAD) or _HEAD.startswith(content)):
            raise _not_ours(f"{where}/{self._name}")
        os.ftruncate(self._handle, 0)
        token = secrets.token_hex(8)
        self._append(
            {"format": _FORMAT, "version": _VERSION, "algorithm": algorithm, "token": token,
             "card": self._card_id}
        )  # fmt: skip
        self.sync()
        self._root.sync()
        return token

    def _take(self, row: dict[str, object] | None) -> None:
        try:
            found = VerifiedFile(**row) if row else None  # type: ignore[arg-type]
        except TypeError:
            return
        texts = (found.path, found.digest, found.ends_digest, found.name) if found else (None,)
        if found is not None and all(isinstance(each, str) for each in texts):
            self.verified[found.path] = found

    def _append(self, row: dict[str, object]) -> None:
        self._unwritten.append(json.dumps(row).encode("ascii") + b"\n")
        if len(self._unwritten) >= _LINES_AT_ONCE:
            self._write()

    def _write(self) -> None:
        if self._unwritten:
            lines, self._unwritten = b"".join(self._unwritten), []
            os.write(self._handle, lines)

    def add(self, found: VerifiedFile) -> None:
        """Note that a file is verified; it is on the drive after the next ``sync``."""
        with self._lock:
            self.verified[found.path] = found
            self._append({name: getattr(found, name) for name in VerifiedFile.__slots__})

    def sync(self) -> None:
        """Return when all lines are on the drive."""
        with self._lock:
            self._write()
        os.fdatasync(self._handle)

    def close(self) -> None:
        """Let it go: the copy can be gone on with."""
        if self._handle < 0:
            return
        with contextlib.suppress(OSError):
            self._write()
        with contextlib.suppress(OSError):
            os.close(self._handle)
        self._handle = -1

    def remove(self) -> None:
        """The copy is whole and its record stands: the journal isn't needed any more."""
        with contextlib.suppress(OSError):
            status = os.stat(self._name, dir_fd=self._root.handle, follow_symlinks=False)
            is_ours = status.st_ino == os.fstat(self._handle).st_ino
            self.close()  # some keep what is unlinked while it is open, under another name
            if is_ours:
                os.unlink(self._name, dir_fd=self._root.handle)


def _not_ours(where: str) -> DiskError:
    return DiskError(
        "something else stands under the name of the copy's journal",
        where=where,
        mend="Move it away, or give the copy another name",
    )


def _as_json(line: bytes) -> dict[str, object] | None:
    try:
        found = json.loads(line)
    except (ValueError, RecursionError):
        return None
    return found if isinstance(found, dict) else None
