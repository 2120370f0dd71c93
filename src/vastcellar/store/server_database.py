"""A cellar on a PostgreSQL server, which several desks share at once."""

from __future__ import annotations

import contextlib
import json
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path

from sqlalchemy import URL, Connection, Engine, MetaData, create_engine, inspect, select, text
from sqlalchemy.engine import make_url
from sqlalchemy.exc import ArgumentError, DBAPIError, SQLAlchemyError
from sqlalchemy.orm import Session

from vastcellar.core.errors import BadValueError, CellarError
from vastcellar.store.backups import backups_of_server
from vastcellar.store.cellar_file import NEWEST_REVISION, upgrade
from vastcellar.store.json_cells import (
    EXPORT_FORMAT,
    EXPORT_VERSION,
    cell_as_json,
    cell_from_json,
    json_value,
)
from vastcellar.store.json_files import plain_for_json
from vastcellar.store.private_files import make_private_folder, replace_file
from vastcellar.store.tables import Base

SCHEME = "postgresql"
_LOCK = 0x7A57CE11A
"""Of all writing to one cellar: one desk after the other, as in a file."""
_KEPT = 20
_SECRET = ("password", "sslpassword", "passfile", "sslkey")
"""Options of an address that are nobody's to read."""
_CONNECT_S, _LOCK_WAIT_MS, _DEAD_AFTER_MS = 5, 5000, 10_000


def is_server(place: Path | str) -> bool:
    """Whether *place* is the address of a server, and no path."""
    return isinstance(place, str) and place.partition(":")[0].startswith(SCHEME)


class ServerDatabase:
    """A cellar on a server: opened, brought up to date, its troubles put into sentences."""

    path = None

    def __init__(self, address: str, backups: Path) -> None:
        """*address* as ``postgresql://user@host/database``; *backups* is a folder on this desk.

        Raises BadValueError for what is no such address.
        """
        try:
            self._url: URL = make_url(address).set(drivername="postgresql+psycopg")
            self._url.render_as_string()
        except (ArgumentError, ValueError) as error:
            raise _no_address() from error
        if not self._url.database or not is_server(address):
            raise _no_address()
        self._backups = backups
        said = (self._url.password, *(self._url.query.get(name) for name in _SECRET))
        self._secrets = [str(each) for each in said if each]

    @property
    def where(self) -> str:
        """The address as it is shown: without a password, wherever in it that stands."""
        shown = self._url.set(drivername=SCHEME, password=None)
        return shown.difference_update_query(_SECRET).render_as_string(hide_password=True)

    def require_no_password(self) -> None:
        """Raise BadValueError where the address has a password in it: it would be kept."""
        if self._secrets:
            raise BadValueError(
                "the address has a password in it, and that is kept nowhere",
                where=self.where,
                mend="Leave it out, and put it into a line of ~/.pgpass or into PGPASSWORD",
            )

    def open_engine(self) -> Engine:
        """Return the engine. Nothing is asked of the server yet."""
        return create_engine(
            self._url,
            json_serializer=cell_as_json,
            json_deserializer=cell_from_json,
            pool_pre_ping=True,  # a connection that the server has let go is made anew
            connect_args={
                "connect_timeout": _CONNECT_S,
                # Moments come back as UTC, as a file has them.
                "options": f"-c timezone=UTC -c lock_timeout={_LOCK_WAIT_MS}",
                "application_name": "vast-cellar",
                "tcp_user_timeout": _DEAD_AFTER_MS,
                "keepalives_idle": 5,
                "keepalives_interval": 2,
                "keepalives_count": 3,
            },
        )

    @contextlib.contextmanager
    def opening(self, engine: Engine) -> Iterator[Connection]:
        """Yield the connection over which the tables are made: no other desk does so meanwhile."""
        with engine.begin() as connection:
            _wait_for_others(connection)
            yield connection

    def begin_write(self, session: Session) -> None:
        """Let this desk be the only one that writes, until its transaction ends."""
        _wait_for_others(session.connection())

    def begin_read(self, session: Session) -> None:
        """Let all that is read be of one moment."""
        session.connection(execution_options={"isolation_level": "REPEATABLE READ"})

    def require_there(self) -> None:
        """A server that is gone says so when it is asked."""

    def migrate(self, connection: Connection) -> None:
        """Make the tables, or bring them to the newest revision after a backup.

        Raises CellarError for a cellar of a newer version.
        """
        if not inspect(connection).has_table("alembic_version"):
            Base.metadata.create_all(connection)
            connection.execute(text("CREATE TABLE alembic_version (version_num VARCHAR(32))"))
            connection.execute(
                text("INSERT INTO alembic_version (version_num) VALUES (:v)"),
                {"v": NEWEST_REVISION},
            )
            return
        upgrade(connection, self.where, lambda: self._dump(connection, f"before{NEWEST_REVISION}"))

    def back_up(self, engine: Engine, why: str) -> Path:
        """Write every row into a file on this desk; return where it is. Raises CellarError."""
        try:
            with engine.connect().execution_options(
                isolation_level="REPEATABLE READ"
            ) as connection:
                return self._dump(connection, why)
        except (SQLAlchemyError, OSError) as error:
            raise self.as_error(error) from error

    def _dump(self, connection: Connection, why: str) -> Path:
        """Write our tables as they are, whatever version made them, and no other program's."""
        found, ours = MetaData(), {*Base.metadata.tables, "alembic_version"}
        found.reflect(connection, only=lambda name, _metadata: name in ours)
        tables = {
            table.name: [
                {c.name: json_value(v) for c, v in zip(table.columns, row, strict=True)}
                for row in connection.execute(select(table).order_by(*table.primary_key.columns))
            ]
            for table in found.sorted_tables
        }
        versions = tables.pop("alembic_version", [])
        now = datetime.now(UTC)
        content = {
            "format": EXPORT_FORMAT,
            "version": EXPORT_VERSION,
            "revision": versions[0]["version_num"] if versions else None,
            "made_at": now.isoformat(),
            "tables": tables,
        }
        make_private_folder(self._backups)
        path = self._backups / f"cellar-{now:%Y%m%d-%H%M%S}-{why}.json"
        text_ = json.dumps(plain_for_json(content), indent=1) + "\n"
        replace_file(path, text_.encode("ascii"), is_private=True)
        for old in backups_of_server(self._backups)[_KEPT:]:
            old.path.unlink(missing_ok=True)
        return path

    def after_numbers(self, session: Session) -> None:
        """Let new rows be numbered after those that came with numbers of their own."""
        for table in Base.metadata.sorted_tables:
            if "id" in table.columns:
                session.execute(
                    text(
                        f"SELECT setval(pg_get_serial_sequence('{table.name}', 'id'), "
                        f"GREATEST((SELECT max(id) FROM {table.name}), 1))"
                    )
                )

    def as_error(self, error: Exception) -> CellarError:
        """Translate what the server or the network said."""
        original = getattr(error, "orig", None) or error
        reason = str(original).strip()
        first = reason.splitlines()[0] if reason else type(error).__name__
        for each in self._secrets:
            first = first.replace(each, "…")
        for part, what, mend in _SAID:
            if part in reason:
                return CellarError(what, where=self.where, mend=mend)
        is_gone = isinstance(error, DBAPIError) and (
            error.connection_invalidated or type(original).__name__ == "OperationalError"
        )
        if is_gone or isinstance(error, OSError):
            return CellarError(
                f"the cellar's server can't be reached ({first})",
                where=self.where,
                mend="Look at server and network. Nothing of this edit was kept; all goes on by "
                "itself when it is back",
            )
        return CellarError(
            f"the cellar's server refused it ({first})", where=self.where,
            mend="Look at its log, or ask whoever runs it",
        )  # fmt: skip


_SAID = (
    ("password authentication failed", "the server refuses user and password",
     "Check the address; a line in ~/.pgpass keeps the password"),
    ("no password supplied", "the server asks for a password",
     "Put a line into ~/.pgpass, or set PGPASSWORD"),
    ("does not exist", "the server has no such database, user or table",
     "Check the address; whoever runs the server makes a database by createdb"),
    ("permission denied", "the server lets this user not do that",
     "Let its user own the database, or grant it all on its schema"),
    ("lock timeout", "another desk is writing just now", "Do it again in a moment"),
    ("(0x00)", "a text has a NUL in it, which no server keeps", "Take it out of the text"),
    ("value too long", "a text is longer than the cellar keeps", "Make it shorter"),
)  # fmt: skip


def _no_address() -> BadValueError:
    # Not quoted: whatever is wrong with it, its password may stand anywhere in it.
    return BadValueError(
        "what was given is no address of a database",
        where="the cellar's address",
        mend="Give it as postgresql://user@host/database, without a password",
    )


def _wait_for_others(connection: Connection) -> None:
    connection.execute(text("SELECT pg_advisory_xact_lock(:key)"), {"key": _LOCK})
