"""Rows of the cellar read as what they stand for: what can't be is named."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from vastcellar.core.cellar.jobs import Job
from vastcellar.core.cellar.story import EventKind, UnitEvent
from vastcellar.core.errors import VastCellarError
from vastcellar.store.cellar_file import DAMAGE
from vastcellar.store.tables import JobRow, RunRow, UnitEventRow, UnitRow
from vastcellar.store.unit_rows import unit_of_row


def unreadable_rows(session: Session) -> list[str]:
    """Return the rows that can't be read, each with why; [] where all can."""
    found: list[str] = []
    for table, read in _READERS:
        for row in session.scalars(select(table)):
            try:
                read(row)
            except (VastCellarError, *DAMAGE) as error:
                found.append(f"{table.__tablename__} row {row.id}: {error}")
    return found


def _run(row: RunRow) -> None:
    for name in ("conditions", "figures"):
        if not isinstance(getattr(row, name), dict):
            raise TypeError(f"its {name} are no object")


def _event(row: UnitEventRow) -> None:
    UnitEvent("any", row.at.replace(tzinfo=UTC), EventKind(row.kind), row.data, row.note)


_READERS: tuple[tuple[Any, Callable[[Any], object]], ...] = (
    (UnitRow, lambda row: unit_of_row(row, None)),
    (RunRow, _run),
    (UnitEventRow, _event),
    (JobRow, lambda row: Job(row.name, row.first_day, row.last_day)),
)
