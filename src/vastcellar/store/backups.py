"""Backups of the cellar: whole files beside it, made before each migration and on demand.

Made by SQLite's own backup, so that one is whole whoever writes meanwhile; checked before it gets
its name. Nothing ever overwrites a cellar: a good backup is opened beside a damaged one.
"""

from __future__ import annotations

import contextlib
import os
import re
import shutil
import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from vastcellar.core.errors import CellarError
from vastcellar.store.private_files import PRIVATE_FILE_MODE, make_private_folder

FOLDER = "backups"
_KEPT = 20
_NAME = re.compile(r"cellar-(\d{8}-\d{6})-([a-z0-9]+)\.(db|json)")


@dataclass(frozen=True, slots=True)
class Backup:
    """One backup."""

    path: Path
    made_at: datetime
    why: str
    size_bytes: int


def back_up(path: Path, why: str) -> Path:
    """Make a backup of the cellar at *path*, named after *why* (letters); return where it is.

    The oldest beyond twenty are removed. Raises CellarError; then there is no new one.
    """
    folder = path.parent / FOLDER
    now = datetime.now(UTC)
    target = folder / f"cellar-{now:%Y%m%d-%H%M%S}-{re.sub('[^a-z0-9]', '', why.lower())}.db"
    part = target.with_suffix(".part")
    try:
        make_private_folder(folder)
        with contextlib.suppress(FileNotFoundError):
            part.unlink()
        os.close(os.open(part, os.O_CREAT | os.O_EXCL | os.O_WRONLY, PRIVATE_FILE_MODE))
        with _opened(path) as source, _opened(part, is_written=True) as copy:
            source.backup(copy)
            copy.execute("PRAGMA journal_mode=DELETE")  # one file, with nothing beside it
        if trouble := integrity(part):
            raise CellarError(
                f"the cellar is damaged ({trouble[0]})", where=str(path),
                mend="Open the newest good backup: vast-cellar cellar check",
            )  # fmt: skip
        with part.open("rb+") as written:
            os.fsync(written.fileno())
        part.rename(target)
        folder_fd = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
        try:
            os.fsync(folder_fd)
        finally:
            os.close(folder_fd)
    except (OSError, sqlite3.Error) as error:
        with contextlib.suppress(OSError):
            part.unlink()
        raise CellarError(
            f"no backup could be made ({error})", where=str(folder), mend="Make room, or look at it"
        ) from error
    except CellarError:
        with contextlib.suppress(OSError):
            part.unlink()
        raise
    for old in backups(path)[_KEPT:]:
        with contextlib.suppress(OSError):
            old.path.unlink()
    return target


def backups(path: Path) -> list[Backup]:
    """Return the backups of the cellar at *path*, newest first; none where there is no folder."""
    return _in_folder(path.parent / FOLDER, "db")


def backups_of_server(folder: Path) -> list[Backup]:
    """Return the backups in *folder* of a cellar on a server, newest first."""
    return _in_folder(folder, "json")


def _in_folder(folder: Path, suffix: str) -> list[Backup]:
    found = []
    with contextlib.suppress(OSError):
        for each in folder.iterdir():
            named = _NAME.fullmatch(each.name)
            if named and named[3] == suffix and each.is_file():
                at = datetime.strptime(named[1], "%Y%m%d-%H%M%S").replace(tzinfo=UTC)
                found.append(Backup(each, at, named[2], each.stat().st_size))
    return sorted(found, key=lambda each: (each.made_at, each.path.name), reverse=True)


def newest_good(path: Path) -> Backup | None:
    """Return the newest backup that is whole; None for none."""
    return next((each for each in backups(path) if not integrity(each.path)), None)


def integrity(path: Path) -> list[str]:
    """Return what is wrong with the database at *path*, in the words of the database; [] is well.

    Whole pages, indices, and rows that point nowhere.
    """
    try:
        with _opened(path) as connection:
            found = [str(row[0]) for row in connection.execute("PRAGMA integrity_check(20)")]
            if found == ["ok"]:
                found = [
                    f"row {row[1]} of {row[0]} points to nothing in {row[2]}"
                    for row in connection.execute("PRAGMA foreign_key_check")
                ]
            return found
    except sqlite3.Error as error:
        return [str(error)]


def restored(path: Path) -> Path:
    """Put the newest good backup beside the damaged cellar at *path*, in its place.

    The damaged file keeps all its bytes under another name. Returns that name.
    Raises CellarError where there is no good backup, or it can't be done.
    """
    good = newest_good(path)
    if good is None:
        raise CellarError(
            "there is no good backup", where=str(path.parent / FOLDER),
            mend="Move the damaged file away to start an empty cellar",
        )  # fmt: skip
    now = datetime.now(UTC)
    aside = path.with_name(f"{path.stem}-damaged-{now:%Y%m%d-%H%M%S-%f}{path.suffix}")
    part = path.with_name(f"{path.name}.restored")
    try:
        with contextlib.suppress(FileNotFoundError):
            part.unlink()
        os.close(os.open(part, os.O_CREAT | os.O_EXCL | os.O_WRONLY, PRIVATE_FILE_MODE))
        with _opened(good.path) as source, _opened(part, is_written=True) as copy:
            source.backup(copy)
            copy.execute("PRAGMA journal_mode=DELETE")  # one file, with nothing beside it
        # First a second name for the damaged bytes: killed here, nothing is gone, and an empty
        # cellar never stands in its place.
        try:
            aside.hardlink_to(path)
        except OSError:  # a file system without links
            shutil.copy2(path, aside)
        for suffix in ("-wal", "-shm"):
            # What wasn't written into the damaged file yet goes aside with it.
            with contextlib.suppress(FileNotFoundError):
                path.with_name(path.name + suffix).rename(aside.with_name(aside.name + suffix))
        part.replace(path)
    except (OSError, sqlite3.Error) as error:
        raise CellarError(
            f"it can't be put in its place ({error})", where=str(path), mend="Look at the folder"
        ) from error
    return aside


@contextlib.contextmanager
def _opened(path: Path, *, is_written: bool = False) -> Iterator[sqlite3.Connection]:
    mode = "rw" if is_written else "ro"
    # A path may hold ?, % and #.
    uri = f"{path.absolute().as_uri()}?mode={mode}"
    connection = sqlite3.connect(uri, uri=True, timeout=5)
    try:
        yield connection
    finally:
        connection.close()
