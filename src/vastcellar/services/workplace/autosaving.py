"""What was entered and not saved: kept for each window by itself, and found at the next start.

A window keeps its autosave locked for as long as it lives. One that can be locked belongs to a
window that is gone: then it is opened again by the next one. Nothing is ever deleted that can't be
read; it is set aside.
"""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import secrets
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from vastcellar.core.errors import BadFileError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.shoot.shoot import Shoot
from vastcellar.services.workplace.folders import Folders
from vastcellar.store.json_files import read_json, require_format, write_text_whole
from vastcellar.store.private_files import PRIVATE_FILE_MODE, make_private_folder

_FORMAT = "vast-cellar/unsaved"
_SET_ASIDE = ".damaged"


@dataclass(frozen=True, slots=True)
class Unsaved:
    """A shoot that was being worked on when its window went."""

    shoot: Shoot
    path: Path | None
    seen: str
    """The mark of its file as that window knew it; "" for none."""
    autosave: Autosave
    """The one that it was found in: whoever opens it goes on with that."""


class Autosave:
    """One window's autosave."""

    def __init__(self, places: Folders, name: str = "", lock: int | None = None) -> None:
        self._places = places
        self._name = name or secrets.token_hex(8)
        self._lock = lock

    @property
    def path(self) -> Path:
        """Where it is kept."""
        return self._places.unsaved_folder / f"{self._name}.json"

    def keep(self, shoot: Shoot, path: Path | None, seen: str) -> None:
        """Put the unsaved state of *shoot* where the next start finds it. Raises BadFileError."""
        from vastcellar.store.shoot_files import shoot_text  # loads what checks files, too

        content = {
            "format": _FORMAT,
            "version": 1,
            "path": str(path) if path else None,
            "seen": seen,
            "shoot": json.loads(shoot_text(shoot)),
        }
        try:
            make_private_folder(self._places.unsaved_folder)
            if self._lock is None:
                self._lock = _locked(self.path)
        except OSError as error:
            raise BadFileError(
                f"unsaved edits can't be kept ({error.strerror})",
                where=str(self._places.unsaved_folder),
                mend="Save the shoot, and look after that folder",
            ) from error
        text = json.dumps(content, indent=1, ensure_ascii=True)
        write_text_whole(self.path, text, is_private=True)

    def drop(self) -> None:
        """Drop the unsaved state: it is saved now, or given up."""
        with contextlib.suppress(OSError):
            self.path.unlink(missing_ok=True)

    def release(self) -> None:
        """Let go of it: the window closes; what stands there is found by the next start."""
        if self._lock is not None:
            # Under the lock still: no other window can be about to take it over.
            if not self.path.exists():
                with contextlib.suppress(OSError):
                    _lock_path(self.path).unlink(missing_ok=True)
            os.close(self._lock)
            self._lock = None


def _lock_path(path: Path) -> Path:
    return path.with_suffix(".lock")


def _locked(path: Path) -> int | None:
    """Return the lock of the autosave *path*, None where its window lives."""
    flags = os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW | os.O_CLOEXEC
    handle = os.open(_lock_path(path), flags, PRIVATE_FILE_MODE)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        os.close(handle)
        return None
    return handle


def has_unsaved(places: Folders) -> bool:
    """Whether any window left something, or has something that isn't saved yet."""
    return places.autosave_file.exists() or any(places.unsaved_folder.glob("*.json"))


def restore_unsaved(catalog: Catalog, places: Folders) -> Unsaved | None:
    """Return the newest that a window left; None where there is none.

    It stays on the disk, locked by us, until it is saved or given up: a crash in between loses
    nothing. A damaged or hostile one is set aside under another name, never deleted.
    """
    _move_older(places)
    for path in _newest_first(places):
        try:
            lock = _locked(path)
        except OSError:
            continue
        if lock is None:
            continue
        found = _read(path, catalog, Autosave(places, path.stem, lock))
        if found is not None:
            return found
        os.close(lock)
    return None


def _move_older(places: Folders) -> None:
    """Put the autosave of a version that knew one window only among the others."""
    if places.autosave_file.exists():
        with contextlib.suppress(OSError):
            make_private_folder(places.unsaved_folder)
            places.autosave_file.rename(places.unsaved_folder / f"{secrets.token_hex(8)}.json")


def _newest_first(places: Folders) -> list[Path]:
    stamped = []
    for path in places.unsaved_folder.glob("*.json"):
        with contextlib.suppress(OSError):
            stamped.append((path.lstat().st_mtime, path))
    return [path for _, path in sorted(stamped, reverse=True)]


def _read(path: Path, catalog: Catalog, autosave: Autosave) -> Unsaved | None:
    from vastcellar.store.shoot_files import shoot_from

    try:
        content: Any = read_json(path)
        require_format(content, path, _FORMAT, 1)
        shoot = shoot_from(content["shoot"], path, catalog)
        saved_to = content.get("path")
        if saved_to is not None and not (isinstance(saved_to, str) and "\0" not in saved_to):
            raise BadFileError("its path is none", where=path.name)
        seen = str(content.get("seen", ""))
        return Unsaved(shoot, Path(saved_to) if saved_to else None, seen, autosave)
    except (BadFileError, LookupError, TypeError, AttributeError, ValueError):
        aside = path.with_name(f"{path.stem}-{secrets.token_hex(4)}{_SET_ASIDE}")
        with contextlib.suppress(OSError):
            path.rename(aside)
        return None
