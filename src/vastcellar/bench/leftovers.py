"""Test folders that must not outlive their test, even if the program is killed.

Before a test makes anything on a disk it writes a note of it into the program's state folder
and keeps that note locked. The kernel drops the lock with the process, however it ends; so a
note that can be locked belongs to a test that is gone, and its folder is removed at the next
start: only that folder, only with the test's own marker in it, only files of the test's names.
"""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import re
import secrets
from dataclasses import dataclass
from pathlib import Path
from typing import IO

FOLDER_PREFIX = "vast-cellar-test-"
MARKER_NAME = "made-by-vast-cellar"
_FILE_NAME = re.compile(r"(take|cam\d{2}|clip-\d{4})-\d{4}\.bin|item-\d{6}\.(new|bin)")


@dataclass(frozen=True, slots=True)
class Removed:
    """A leftover that was taken away."""

    folder: Path
    size_bytes: int


class TestFolder:
    """A folder of a running test, with its locked note."""

    __test__ = False  # not a pytest class

    def __init__(self, parent: Path, notes_folder: Path) -> None:
        self.run_id = secrets.token_hex(8)
        # Whoever clears up later may stand in another folder.
        self.path = parent.absolute() / f"{FOLDER_PREFIX}{self.run_id}"
        self._note_path = notes_folder / f"{self.run_id}.json"
        self._note: IO[str] | None = None

    def make(self) -> None:
        """Write and lock the note, then make the folder with its marker. Raises OSError."""
        self._note_path.parent.mkdir(parents=True, exist_ok=True)
        self._note = self._note_path.open("w", encoding="utf-8")
        fcntl.flock(self._note, fcntl.LOCK_EX)
        json.dump({"folder": str(self.path), "run_id": self.run_id}, self._note)
        self._note.flush()
        os.fsync(self._note.fileno())
        try:
            self.path.mkdir()
            (self.path / MARKER_NAME).write_text(self.run_id, encoding="utf-8")
        except OSError:
            self.remove()
            raise

    def remove(self) -> bool:
        """Remove the folder, and the note if that worked; return whether it did."""
        done = _remove_own_files(self.path, self.run_id) is not None
        if self._note is not None:
            if done:
                self._note_path.unlink(missing_ok=True)
            self._note.close()
            self._note = None
        return done


def _remove_own_files(folder: Path, run_id: str) -> int | None:
    """Remove what the test *run_id* made in *folder*; bytes removed, or None if it can't be yet.

    Follows no link, and leaves a folder that holds anything else.
    """
    try:
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW)
    except FileNotFoundError:
        # Gone by itself, or on a disk that is not connected now: then it may come back.
        return 0 if _is_there(folder.parent) else None
    except OSError:
        return None
    removed = 0
    try:
        names = os.listdir(handle)  # noqa: PTH208 - only this one can list an open folder
        if MARKER_NAME in names:
            marker = _read_at(handle, MARKER_NAME)
            if marker not in (run_id, ""):  # empty: killed while it was being written
                return 0
        elif names:
            return 0
        for name in sorted(names):
            if _FILE_NAME.fullmatch(name):
                removed += os.stat(name, dir_fd=handle, follow_symlinks=False).st_size
                os.unlink(name, dir_fd=handle)
        if MARKER_NAME in names:
            os.unlink(MARKER_NAME, dir_fd=handle)
        with contextlib.suppress(OSError):  # somebody put something of theirs into it
            folder.rmdir()
    except OSError:
        return None
    finally:
        os.close(handle)
    return removed


def _is_there(folder: Path) -> bool:
    try:
        return folder.is_dir()
    except OSError:
        return False


def _read_at(folder_handle: int, name: str) -> str:
    handle = os.open(name, os.O_RDONLY | os.O_NOFOLLOW, dir_fd=folder_handle)
    with os.fdopen(handle, encoding="utf-8", errors="replace") as file:
        return file.read(64)


def remove_leftovers(notes_folder: Path) -> tuple[Removed, ...]:
    """Remove the folders of tests that were killed; tests that still run are left alone."""
    removed = []
    for note_path in sorted(notes_folder.glob("*.json")):
        try:
            note = note_path.open("r+", encoding="utf-8")
        except OSError:
            continue
        with note:
            try:
                fcntl.flock(note, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:
                continue  # its test is running
            try:
                content = json.load(note)
                folder, run_id = Path(content["folder"]), str(content["run_id"])
            except (ValueError, KeyError, TypeError):
                note_path.unlink(missing_ok=True)  # killed before anything was made
                continue
            if folder.name != f"{FOLDER_PREFIX}{run_id}":
                continue
            existed = folder.is_dir()
            size_bytes = _remove_own_files(folder, run_id)
            if size_bytes is None:
                continue
            note_path.unlink(missing_ok=True)
            if existed:
                removed.append(Removed(folder, size_bytes))
    return tuple(removed)
