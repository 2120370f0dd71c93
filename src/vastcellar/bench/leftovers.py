"""Test folders that must not outlive their test, even if the program is killed.

Before a test makes anything on a disk it writes a note of it into the program's state folder
and keeps that note locked. The kernel drops the lock with the process, however it ends; so a
note that can be locked belongs to a test that is gone, and its folder is removed at the next
start: only that folder, only with the test's own marker in it, only files of the test's names.
Those names carry a token that stands nowhere but in the note, so that nobody can lay a file
there beforehand that would pass for one of ours.
"""

from __future__ import annotations

import contextlib
import errno
import fcntl
import json
import os
import re
import secrets
import stat
import threading
import time
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

from vastcellar.bench.held_folder import PRIVATE_FILE_MODE, PRIVATE_FOLDER_MODE, HeldFolder
from vastcellar.core.errors import DiskError
from vastcellar.core.units import PLAIN

FOLDER_PREFIX = "vast-cellar-test-"
MARKER_NAME = "made-by-vast-cellar"
_STEM = r"((take|cam\d{2}|clip-\d{4})-\d{4}|item-\d{6})"
_LOOK_EVERY_S = 0.25
_ANSWERS_WITHIN_S = 3.0
"""A disk that sleeps may take longer: then its leftovers go at the start after this one."""
_NOTE_MOST_BYTES = 64 * 1024
_TOKEN = re.compile(r"[0-9a-f]{16}")
"""Of notes and markers: without one nobody can tell whose files those are."""


@dataclass(frozen=True, slots=True)
class Removed:
    """A leftover that was taken away."""

    folder: Path
    size_bytes: int

    @property
    def sentence(self) -> str:
        """Say what was done."""
        size = PLAIN.size(self.size_bytes)
        return f"Removed {size} that a killed test had left in {self.folder.parent}."


@dataclass(frozen=True, slots=True)
class SetAside:
    """A note that says of no test of ours what it made; it stands beside the others as *path*."""

    path: Path

    @property
    def sentence(self) -> str:
        """Say what was done with it."""
        return (
            f"A note of a test that was killed can't be understood, and stands as {self.path} "
            "now: nothing of that test was removed."
        )


class TestFolder:
    """A folder of a running test, with its locked note. Methods may raise OSError."""

    __test__ = False  # not a pytest class

    def __init__(self, parent: Path, notes_folder: Path) -> None:
        self.run_id = secrets.token_hex(8)
        self._token = secrets.token_hex(8)
        # Whoever clears up later may stand in another folder.
        self.parent = parent.absolute()
        self.path = self.parent / f"{FOLDER_PREFIX}{self.run_id}"
        self._note_path = notes_folder / f"{self.run_id}.json"
        self._note: IO[str] | None = None
        self._held_parent: HeldFolder | None = None
        self._held: HeldFolder | None = None
        self._looked_s = 0.0

    @property
    def held(self) -> HeldFolder:
        """The folder, once it is made."""
        assert self._held is not None, "make() comes first"
        return self._held

    @property
    def device(self) -> int:
        """The device number of the disk that it lies on."""
        return self.held.identity.device

    def name_of(self, stem: str, suffix: str = ".bin") -> str:
        """Return the name that the file *stem* has in this folder."""
        return f"{stem}.{self._token}{suffix}"

    def make(self) -> None:
        """Write and lock the note, then make the folder with its marker."""
        parent = self._held_parent = HeldFolder.open(self.parent)
        note = {
            "folder": str(self.path),
            "run_id": self.run_id,
            "token": self._token,
            "disk": _disk_of(parent),
        }
        try:
            self._note = _make_note(self._note_path, note)
            self._held = parent.make_folder(self.path.name)
            handle = self._held.create(MARKER_NAME, os.O_WRONLY)
            try:
                os.write(handle, self.run_id.encode())
                os.fsync(handle)
            finally:
                os.close(handle)
            # A disk unplugged from here on comes back with a folder that says whose it is.
            self._held.sync()
            parent.sync()
        except OSError:
            self.remove()
            raise

    def look_after(self) -> None:
        """Raise DiskError where the folder is no longer at its place; cheap if called often.

        All goes on in the folder that is held, wherever it was moved; but a take that goes on in
        a folder that somebody took away is none that anybody asked for.
        """
        now_s = time.monotonic()
        if now_s - self._looked_s < _LOOK_EVERY_S:
            return
        self._looked_s = now_s
        assert self._held_parent is not None, "make() comes first"
        found = self._held_parent.identity_of(self.path.name)
        if found != self.held.identity:
            what = "was taken away" if found is None else "was replaced by something else"
            raise DiskError(
                f"the test's own folder {what} while it ran",
                where=str(self.path),
                mend="Test where nobody else moves folders; what stands there now was not touched",
            )

    def remove(self) -> bool:
        """Remove what was made, and the note once that is on the drive; return whether it is."""
        done = self._remove_made()
        for held in (self._held, self._held_parent):
            if held is not None:
                held.close()
        self._held = self._held_parent = None
        if self._note is not None:
            if done:
                self._note_path.unlink(missing_ok=True)
            self._note.close()
            self._note = None
        return done

    def leave(self) -> None:
        """Ask nothing of a disk that doesn't answer: its note stays, for a later start."""
        if self._note is not None:
            self._note.close()
            self._note = None

    def _remove_made(self) -> bool:
        parent, held = self._held_parent, self._held
        if parent is None:
            return True
        try:
            if held is not None:
                # The marker goes last: until then a later start knows the rest for ours.
                for name in sorted(held.made(), key=lambda name: name == MARKER_NAME):
                    if held.is_ours(name):  # what was laid in its place stays
                        held.remove(name)
                held.sync()
                parent.remove_folder(self.path.name, held)
            # Unplugged before this, the disk would bring it all back, with no note left of it.
            parent.sync()
        except OSError:
            return False
        return True


def _disk_of(held: HeldFolder) -> dict[str, int]:
    """Return what tells this disk from another mounted at the same place later."""
    return {"device": held.identity.device, "file_system_id": os.fstatvfs(held.handle).f_fsid}


def _make_note(path: Path, content: dict[str, Any]) -> IO[str]:
    for folder in reversed([path.parent, *path.parent.parents]):
        if not folder.exists():  # each with its own mode: those above get what the umask leaves
            folder.mkdir(mode=PRIVATE_FOLDER_MODE, exist_ok=True)
    flags = os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC
    note = os.fdopen(os.open(path, flags, PRIVATE_FILE_MODE), "w", encoding="utf-8")
    fcntl.flock(note, fcntl.LOCK_EX)
    json.dump(content, note)
    note.flush()
    os.fsync(note.fileno())
    return note


def _remove_killed(folder: Path, run_id: str, token: str, disk: Any) -> int | None:
    """Remove what the killed test *run_id* made; bytes removed, or None if it can't be yet.

    Follows no link, and leaves whatever is not named with the test's token.
    """
    try:
        parent = HeldFolder.open(folder.parent)
    except OSError:
        return None  # on a disk that is not connected now
    with parent:
        try:
            if parent.identity_of(folder.name) is None:
                # Gone by itself; or another disk is mounted there, and ours may come back.
                same = not isinstance(disk, dict) or any(
                    disk.get(key) == value for key, value in _disk_of(parent).items()
                )
                return 0 if same else None
            held = parent.open_folder(folder.name)
        except OSError as error:
            return None if error.errno not in _NO_FOLDER else 0
        with held:
            try:
                return _remove_own_files(parent, held, folder.name, run_id, token)
            except OSError:
                return None


# The name stands for a link or a file now: whatever that is, it is not what the test made.
_NO_FOLDER = frozenset({errno.ENOTDIR, errno.ELOOP})


def _remove_own_files(
    parent: HeldFolder, held: HeldFolder, folder_name: str, run_id: str, token: str
) -> int:
    names = held.names()
    marker = _marker(held) if MARKER_NAME in names else None
    if marker not in (run_id, "", None):
        return 0
    if marker != run_id:
        # Killed before its marker was written, it had made nothing else: whatever lies there is
        # somebody's, whose folder only has the name that the note gives.
        if names == [MARKER_NAME]:
            os.unlink(MARKER_NAME, dir_fd=held.handle)
        parent.remove_folder(folder_name, held)
        return 0
    mine = re.compile(_STEM + rf"\.{re.escape(token)}" + r"\.(new|bin)")
    removed = 0
    for name in names:
        if mine.fullmatch(name):
            status = held.status(name)
            if stat.S_ISREG(status.st_mode):
                os.unlink(name, dir_fd=held.handle)
                removed += status.st_size
    os.unlink(MARKER_NAME, dir_fd=held.handle)
    held.sync()
    parent.remove_folder(folder_name, held)
    parent.sync()
    return removed


def _marker(held: HeldFolder) -> str:
    with os.fdopen(held.open_file(MARKER_NAME), encoding="utf-8", errors="replace") as file:
        return file.read(64)


def _answers(folder: Path) -> bool:
    """Whether the disk of *folder* answers: on a share that is gone a look hangs for ever."""
    has_answered = threading.Event()

    def look() -> None:
        with contextlib.suppress(OSError, ValueError):
            folder.stat()
        has_answered.set()

    threading.Thread(target=look, name="look for leftovers", daemon=True).start()
    return has_answered.wait(_ANSWERS_WITHIN_S)


def _set_aside(note_path: Path) -> tuple[SetAside, ...]:
    """Let a note that can't be understood be in nobody's way: an empty one goes, others are kept.

    One that is empty belongs to a test that was killed before it made anything.
    """
    with contextlib.suppress(OSError):
        if note_path.stat().st_size:
            return (SetAside(note_path.replace(note_path.with_suffix(".unread"))),)
        note_path.unlink()
    return ()


def remove_leftovers(notes_folder: Path) -> tuple[Removed | SetAside, ...]:
    """Remove the folders of tests that were killed; tests that still run are left alone.

    Notes that can't be understood are set aside, and told once.
    """
    removed: list[Removed | SetAside] = []
    for note_path in sorted(notes_folder.glob("*.json")):
        try:
            handle = os.open(note_path, os.O_RDWR | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC)
        except OSError:
            continue
        with os.fdopen(handle, "r+", encoding="utf-8", errors="replace") as note:
            try:
                fcntl.flock(note, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:
                continue  # its test is running
            try:
                content = json.loads(note.read(_NOTE_MOST_BYTES))
                folder, run_id = Path(content["folder"]), str(content["run_id"])
                token, disk = str(content["token"]), content.get("disk")
                os.fsencode(folder)  # a lone surrogate is no name of any file
                is_ours = _TOKEN.fullmatch(token) and _TOKEN.fullmatch(run_id)
            except (ValueError, KeyError, TypeError, AttributeError, RecursionError):
                is_ours = None
            if not is_ours or "\0" in str(folder):
                removed += _set_aside(note_path)
                continue
            if folder.name != f"{FOLDER_PREFIX}{run_id}":
                continue
            if not _answers(folder):
                continue
            try:
                existed = folder.is_dir()
            except (OSError, ValueError):
                continue
            size_bytes = _remove_killed(folder, run_id, token, disk)
            if size_bytes is None:
                continue
            note_path.unlink(missing_ok=True)
            if existed:
                removed.append(Removed(folder, size_bytes))
    return tuple(removed)
