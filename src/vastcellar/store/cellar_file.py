"""A cellar in a file: opened, brought to the newest revision, its troubles put into sentences."""

from __future__ import annotations

import contextlib
import fcntl
import os
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from sqlalchemy import URL, Connection, Engine, create_engine, event, inspect, text
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from vastcellar.core.errors import CellarError
from vastcellar.data import data_path
from vastcellar.store.backups import back_up, newest_good
from vastcellar.store.json_cells import cell_as_json, cell_from_json
from vastcellar.store.private_files import PRIVATE_FILE_MODE, make_private_folder

NEWEST_REVISION = "0011"
_BUSY_MS = 5000
KIND, DEMO, OWN = "kind", "demo", "own"

DAMAGE = (ValueError, TypeError, LookupError, AttributeError, OverflowError, RecursionError)
"""What reading a damaged row can come to, besides what the database says itself."""


def open_engine(path: Path) -> Engine:
    """Return the engine on *path*, folder and file made where missing, for this user alone.

    Raises OSError, SQLAlchemyError.
    """
    make_private_folder(path.parent)
    if not path.exists():
        # Made here and not by SQLite, whose files have whatever mode the umask leaves.
        with contextlib.suppress(FileExistsError):
            os.close(os.open(path, os.O_CREAT | os.O_EXCL | os.O_WRONLY, PRIVATE_FILE_MODE))
    engine = create_engine(
        URL.create("sqlite", database=str(path)),  # a path may hold ?, % and #
        json_serializer=cell_as_json,
        json_deserializer=cell_from_json,
    )

    @event.listens_for(engine, "connect")
    def _prepare(connection: Any, _record: Any) -> None:
        # First of all: changing the journal waits for others, too.
        connection.execute(f"PRAGMA busy_timeout={_BUSY_MS}")
        # WAL lets the window read while a run is being saved.
        connection.execute("PRAGMA journal_mode=WAL")
        connection.execute("PRAGMA foreign_keys=ON")

    return engine


@contextlib.contextmanager
def alone_with(path: Path) -> Iterator[None]:
    """Keep other processes from opening the cellar meanwhile: three first starts at once."""
    handle = os.open(
        path.with_name(f"{path.name}.lock"),
        os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW | os.O_CLOEXEC,
        PRIVATE_FILE_MODE,
    )
    try:
        fcntl.flock(handle, fcntl.LOCK_EX)
        yield
    finally:
        os.close(handle)


def upgrade(connection: Connection, where: str, back_up_first: Callable[[], object]) -> None:
    """Bring the database to the newest revision. Alembic is only loaded where it has work.

    Raises CellarError for one of a newer version, which is left as it is.
    """
    revision = None
    if inspect(connection).has_table("alembic_version"):
        revision = connection.scalar(text("SELECT version_num FROM alembic_version"))
    if revision == NEWEST_REVISION:
        return
    if revision is not None and str(revision) > NEWEST_REVISION:
        raise CellarError(
            f"it was written by a newer Vast Cellar (revision {revision})",
            where=where,
            mend="Use that version, or start with another data folder",
        )
    if revision is not None:
        back_up_first()
    from alembic import command
    from alembic.config import Config

    config = Config()
    scripts = str(data_path().parent / "store" / "migrations")
    config.set_main_option("script_location", scripts.replace("%", "%%"))
    config.attributes["connection"] = connection
    command.upgrade(config, NEWEST_REVISION)


def mark_kind(connection: Connection, *, is_demo: bool) -> bool:
    """Write into a new cellar whether it is a demo; return what stands in it.

    A cellar made before that was noted is what it is opened as, once and for all.
    """
    kind = connection.scalar(text("SELECT value FROM cellar_facts WHERE key = :k"), {"k": KIND})
    if kind is None:
        kind = DEMO if is_demo else OWN
        connection.execute(
            text("INSERT INTO cellar_facts (key, value) VALUES (:k, :v)"), {"k": KIND, "v": kind}
        )
    return bool(kind == DEMO)


def damaged(path: Path) -> CellarError:
    """Return the sentence about a file that is no cellar any more."""
    return CellarError(
        "the cellar's file is damaged",
        where=str(path),
        mend=_mend_of(path),
    )


def _mend_of(path: Path) -> str:
    good = newest_good(path)
    if good is None:
        return "Restore it from a copy, or move it away to start an empty cellar"
    made = good.made_at.astimezone()
    return (
        f"A good backup of {made.day} {made:%b %Y, %H:%M} is there: “vast-cellar cellar restore” "
        "puts it in its place and keeps the damaged file beside it"
    )


def as_cellar_error(error: Exception, path: Path) -> CellarError:
    """Translate what the database or the system said."""
    if not isinstance(error, (SQLAlchemyError, OSError)):
        return damaged(path)
    reason = str(getattr(error, "orig", None) or error).strip()
    if "not a database" in reason or "malformed" in reason or "no such" in reason:
        return damaged(path)
    if "readonly" in reason or "read-only" in reason.lower():
        return CellarError(
            "the cellar's file is read-only", where=str(path), mend="Make it writable"
        )
    if "locked" in reason:
        return CellarError(
            "another program holds the cellar", where=str(path), mend="Close it and try again"
        )
    if "full" in reason or "No space" in reason:
        return CellarError(
            "the disk of the cellar is full", where=str(path), mend="Make room on it"
        )
    first = reason.splitlines()[0] if reason else type(error).__name__
    return CellarError(
        f"the cellar can't be used ({first})",
        where=str(path),
        mend="Check the folder and its permissions",
    )


class FileDatabase:
    """A cellar in a file of its own, for one desk."""

    def __init__(self, path: Path) -> None:
        self.path = path

    @property
    def where(self) -> str:
        """The file."""
        return str(self.path)

    def open_engine(self) -> Engine:
        """Return the engine on the file, which is made where it is missing."""
        return open_engine(self.path)

    @contextlib.contextmanager
    def opening(self, engine: Engine) -> Iterator[Connection]:
        """Yield the connection over which the tables are made: nobody else does so meanwhile."""
        with alone_with(self.path), engine.begin() as connection:
            yield connection

    def begin_write(self, session: Session) -> None:
        """A file lets one write at a time by itself."""

    def begin_read(self, session: Session) -> None:
        """A transaction reads of one moment by itself."""

    def require_there(self) -> None:
        """Raise CellarError where the file was taken away.

        SQLite would go on with the file that is open, and all would be lost with it.
        """
        if not self.path.exists():
            raise CellarError(
                "the cellar's file was taken away while it was open",
                where=self.where,
                mend="Put it back, then start again",
            )

    def migrate(self, connection: Connection) -> None:
        """Bring the tables to the newest revision, after a backup. Raises CellarError."""
        try:
            upgrade(connection, self.where, lambda: back_up(self.path, f"before{NEWEST_REVISION}"))
        except Exception as error:
            # Alembic's own error can't be named before it is loaded.
            if type(error).__name__ == "CommandError":
                raise damaged(self.path) from error
            raise

    def back_up(self, engine: Engine, why: str) -> Path:
        """Make a backup beside the file; return where it is. Raises CellarError."""
        return back_up(self.path, why)

    def after_numbers(self, session: Session) -> None:
        """New rows are numbered after the largest number by themselves."""

    def as_error(self, error: Exception) -> CellarError:
        """Translate what the database or the system said."""
        return as_cellar_error(error, self.path)
