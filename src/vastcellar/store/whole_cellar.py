"""A whole cellar as one JSON document, and back: every row of every table, without loss."""

from __future__ import annotations

import base64
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any

from sqlalchemy import (
    JSON,
    BigInteger,
    Column,
    Date,
    DateTime,
    LargeBinary,
    Table,
    func,
    insert,
    select,
)
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from vastcellar.core.errors import BadFileError, BadValueError
from vastcellar.store.cellar import CHANGES, Cellar
from vastcellar.store.cellar_file import NEWEST_REVISION
from vastcellar.store.json_cells import EXPORT_FORMAT, EXPORT_VERSION, json_value
from vastcellar.store.json_files import require_format
from vastcellar.store.reading_rows import unreadable_rows
from vastcellar.store.tables import Base, FactRow, UnitRow

_MOST_LINES = 20


def whole_as_json(cellar: Cellar, made_at: datetime) -> dict[str, Any]:
    """Return every row of *cellar*. Raises CellarError."""
    with cellar.reading() as session:
        tables = {
            table.name: [
                {
                    column.name: json_value(value)
                    for column, value in zip(table.columns, row, strict=True)
                }
                for row in session.execute(select(table).order_by(*table.primary_key.columns))
            ]
            for table in Base.metadata.sorted_tables
        }
    facts = tables[FactRow.__tablename__]
    # How often this one was written is no part of what it holds.
    tables[FactRow.__tablename__] = [each for each in facts if each["key"] != CHANGES]
    return {
        "format": EXPORT_FORMAT, "version": EXPORT_VERSION, "revision": NEWEST_REVISION,
        "made_at": made_at.astimezone(UTC).isoformat(), "tables": tables,
    }  # fmt: skip


def take_whole(cellar: Cellar, content: Any, path: Path) -> dict[str, int]:
    """Put every row of an export into *cellar*, which must be empty; return how many, by table.

    All or nothing. Raises CellarError; BadFileError with the lines that are wrong; BadValueError
    where the cellar has units already: those are merged.
    """
    require_format(content, path, EXPORT_FORMAT, EXPORT_VERSION)
    if content.get("revision") != NEWEST_REVISION:
        raise BadFileError(
            f"it was written by revision {content.get('revision')!r} of the cellar",
            where=str(path), mend=f"Export it anew with this version ({NEWEST_REVISION})",
        )  # fmt: skip
    tables = content.get("tables")
    if not isinstance(tables, dict):
        raise BadFileError("it has no tables", where=str(path), mend="Export it anew")
    wrong: list[str] = []
    with cellar.session() as session:
        if session.scalar(select(func.count(UnitRow.id))):
            raise BadValueError(
                "the cellar has units already", where="cellar",
                mend="Merge it instead: vast-cellar cellar merge",
            )  # fmt: skip
        counts = {
            table.name: _take_table(session, table, tables.get(table.name, []), wrong)
            for table in Base.metadata.sorted_tables
            if table.name != FactRow.__tablename__  # whether it is a demo is this cellar's own
        }
        if not wrong:
            session.flush()
            # Read as they will be, before anything is kept: less than nothing on a unit, an event
            # of a kind that nobody knows.
            wrong += unreadable_rows(session)
        if not wrong:
            cellar.database.after_numbers(session)
        if wrong:
            more = f", and {len(wrong) - _MOST_LINES} more" if len(wrong) > _MOST_LINES else ""
            raise BadFileError(
                f"{'; '.join(wrong[:_MOST_LINES])}{more}", where=str(path),
                mend="Nothing was taken over; mend these rows, or export anew",
            )  # fmt: skip
    return counts


def _take_table(session: Session, table: Table, rows: Any, wrong: list[str]) -> int:
    if not isinstance(rows, list):
        wrong.append(f"{table.name} is no list")
        return 0
    names = {column.name for column in table.columns}
    ready: list[dict[str, Any]] = []
    for number, row in enumerate(rows, 1):
        if not isinstance(row, dict) or set(row) != names:
            wrong.append(f"{table.name} row {number} has other columns")
            continue
        try:
            ready.append({c.name: _from_json(c, row[c.name]) for c in table.columns})
        except (ValueError, TypeError) as error:
            wrong.append(f"{table.name} row {number}: {error}")
    if ready and not wrong:
        try:
            session.execute(insert(table), ready)
        except IntegrityError as error:  # two of one number, or one that points to nothing
            wrong.append(f"{table.name}: {error.orig}")
    return len(ready)


def _from_json(column: Column[Any], value: Any) -> Any:
    if value is None:
        if not column.nullable and not column.primary_key:
            raise ValueError(f"{column.name} is missing")
        return None
    if isinstance(column.type, DateTime):
        moment = datetime.fromisoformat(_text(column, value))
        return moment if moment.tzinfo else moment.replace(tzinfo=UTC)
    if isinstance(column.type, Date):
        return date.fromisoformat(_text(column, value))
    if isinstance(column.type, LargeBinary):
        return base64.b64decode(_text(column, value), validate=True)
    if isinstance(column.type, JSON):
        if not isinstance(value, (dict, list)):
            raise ValueError(f"{column.name} is {value!r:.40}")
        return value
    wanted = column.type.python_type
    is_number = wanted is float and isinstance(value, int) and not isinstance(value, bool)
    if not is_number and type(value) is not wanted:
        raise ValueError(f"{column.name} is {value!r:.40}")
    if wanted is int and not isinstance(value, bool) and not fits_integer(column, value):
        raise ValueError(f"{column.name} is {value!s:.40}, more than a database holds")
    return value


def fits_integer(column: Column[Any], value: int) -> bool:
    """Whether a server's column of that type holds *value*; a file's would hold more."""
    most = 2**63 if isinstance(column.type, BigInteger) else 2**31
    return -most <= value < most


def _text(column: Column[Any], value: Any) -> str:
    if not isinstance(value, str):
        raise ValueError(f"{column.name} is {value!r:.40}")
    return value
