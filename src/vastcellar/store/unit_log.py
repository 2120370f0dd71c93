"""The stories of units in the cellar: what happened, kept with the state that follows from it."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import func, select

from vastcellar.core.cellar.story import EventKind, UnitEvent
from vastcellar.core.errors import BadValueError, UnknownPartError
from vastcellar.store.cellar import Cellar, require_unit_row
from vastcellar.store.tables import UnitEventRow, UnitRow

_STATE_AFTER = {
    EventKind.LENT: "on loan",
    EventKind.RETURNED: "ready",
    EventKind.RETIRED: "retired",
}
_STATE_BEFORE = "state_before"
"""Kept with an event that changed the unit's state, so that undoing it brings that back."""


def add_event(cellar: Cellar, event: UnitEvent) -> int:
    """Keep *event* with the state that follows from it, and return its number.

    Raises CellarError, UnknownPartError; BadValueError for one that can't have happened: a unit
    that is back without having been away, or lent while it is.
    """
    with cellar.session() as session:
        unit = require_unit_row(session, event.unit_tag)
        data = dict(event.data)
        state = _STATE_AFTER.get(event.kind)
        if event.kind is EventKind.RETURNED and unit.state != "on loan":
            raise BadValueError(
                f"it is {unit.state}, and not away", where=f"unit {unit.tag}",
                mend="Choose the unit that came back",
            )  # fmt: skip
        if event.kind is EventKind.LENT and unit.state in ("on loan", "retired"):
            raise BadValueError(
                f"it is {unit.state}", where=f"unit {unit.tag}",
                mend="Note that it is back first" if unit.state == "on loan" else "Lend another",
            )  # fmt: skip
        if state is not None:
            data[_STATE_BEFORE], unit.state = unit.state, state
        row = UnitEventRow(
            unit_id=unit.id, at=event.at.astimezone(UTC), kind=event.kind.value, data=data,
            note=event.note,
        )  # fmt: skip
        session.add(row)
        session.flush()
        return row.id


def keep_events(cellar: Cellar, events: Sequence[UnitEvent]) -> None:
    """Keep what happened elsewhere or long ago, all or none; the units' states stay.

    Raises CellarError, UnknownPartError.
    """
    with cellar.session() as session:
        for event in events:
            unit = require_unit_row(session, event.unit_tag)
            session.add(
                UnitEventRow(
                    unit_id=unit.id, at=event.at.astimezone(UTC), kind=event.kind.value,
                    data=dict(event.data), note=event.note,
                )
            )  # fmt: skip


def remove_event(cellar: Cellar, event_id: int) -> UnitEvent:
    """Take an event back, with the state that followed from it, and return it.

    Raises CellarError, UnknownPartError.
    """
    with cellar.session() as session:
        row = session.get(UnitEventRow, event_id)
        if row is None:
            raise UnknownPartError(
                f"there is no event {event_id}", where="cellar", mend="Choose one of the unit's"
            )
        unit = session.get(UnitRow, row.unit_id)
        assert unit is not None, "a foreign key holds it"
        taken = _event(row.id, unit.tag, row.at, row.kind, row.data, row.note)
        before = row.data.get(_STATE_BEFORE)
        # Only where nothing else changed it since.
        if before is not None and unit.state == _STATE_AFTER.get(taken.kind):
            unit.state = str(before)
        session.delete(row)
        return taken


def unit_events(cellar: Cellar, after_id: int = 0) -> tuple[UnitEvent, ...]:
    """Return what happened to all units, oldest first; with *after_id* what was kept since.

    A row that can't be read is left out. Raises CellarError.
    """
    wanted = (
        select(
            UnitEventRow.id, UnitRow.tag, UnitEventRow.at, UnitEventRow.kind, UnitEventRow.data,
            UnitEventRow.note,
        )
        .join(UnitRow, UnitRow.id == UnitEventRow.unit_id)
        .order_by(UnitEventRow.at, UnitEventRow.id)
    )  # fmt: skip
    if after_id:
        wanted = wanted.where(UnitEventRow.id > after_id)
    return cellar.read("unit event", UnitEventRow.id, wanted, lambda row: _event(*row))


def events_mark(cellar: Cellar) -> tuple[int, int]:
    """Return how many events there are, and the newest one's number."""
    with cellar.reading() as session:
        count, newest = session.execute(
            select(func.count(UnitEventRow.id), func.max(UnitEventRow.id))
        ).one()
    return count, newest or 0


def _event(
    number: int, tag: str, at: datetime, kind: str, data: dict[str, Any], note: str
) -> UnitEvent:
    return UnitEvent(tag, at.replace(tzinfo=UTC), EventKind(kind), data, note, number)
