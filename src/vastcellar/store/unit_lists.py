"""Units of a list, added all at once with what is known to have happened to them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import UTC

from sqlalchemy import delete

from vastcellar.core.cellar.story import UnitEvent
from vastcellar.core.parts.units import Unit
from vastcellar.store.cellar import Cellar, require_free_tag, require_unit_row, require_unknown
from vastcellar.store.tables import UnitEventRow, UnitRow
from vastcellar.store.unit_rows import stated


def add_units(cellar: Cellar, listed: Iterable[tuple[Unit, Sequence[UnitEvent]]]) -> int:
    """Add units with their events, all or none, and return how many.

    Raises CellarError; BadValueError for a tag that is taken.
    """
    count = 0
    with cellar.session() as session:
        for unit, events in listed:
            require_free_tag(session, unit.tag)
            row = UnitRow(tag=unit.tag, **stated(unit))
            session.add(row)
            session.flush()
            for each in events:
                session.add(
                    UnitEventRow(
                        unit_id=row.id, at=each.at.astimezone(UTC), kind=each.kind.value,
                        data=dict(each.data), note=each.note,
                    )
                )  # fmt: skip
            count += 1
    return count


def remove_units(cellar: Cellar, listed: Iterable[tuple[Unit, Sequence[UnitEvent]]]) -> None:
    """Take the units of a list off the shelf again, all or none.

    Raises CellarError, UnknownPartError; BadValueError where more is known of one by now than the
    list had.
    """
    with cellar.session() as session:
        for unit, events in listed:
            row = require_unit_row(session, unit.tag)
            require_unknown(session, row, len(events))
            session.execute(delete(UnitEventRow).where(UnitEventRow.unit_id == row.id))
            session.delete(row)
