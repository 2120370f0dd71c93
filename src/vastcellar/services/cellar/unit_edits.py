"""What happens to a unit, noted: lent and back, moved, dropped, bought, retired, looked after."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time
from typing import Any

from vastcellar.core.cellar.findings import Finding
from vastcellar.core.cellar.story import EventKind, Incident, UnitEvent, require_known
from vastcellar.core.errors import BadValueError
from vastcellar.services.workplace.workplace import Workplace
from vastcellar.store.unit_log import add_event, keep_events, remove_event

_NOON = time(12)


@dataclass(frozen=True, slots=True)
class Noted:
    """Something that was noted, with what it takes to take it back."""

    event_id: int
    words: str


def note(
    workplace: Workplace, tag: str, kind: EventKind, *, on: date | None = None, said: str = "",
    **data: Any,
) -> Noted:  # fmt: skip
    """Note that *kind* happened to the unit *tag* on a day (today, at this moment, without one).

    Raises CellarError, UnknownPartError; BadValueError for what can't have happened, or not yet.
    """
    kept = {name: value for name, value in data.items() if value is not None}
    event = UnitEvent(tag, moment_on(on), kind, kept, said.strip())
    return Noted(add_event(workplace.cellar, event), f"{tag}: {kind.value}")


def take_back(workplace: Workplace, event_id: int) -> None:
    """Take what was noted back. Raises CellarError, UnknownPartError."""
    remove_event(workplace.cellar, event_id)


def lend(
    workplace: Workplace, tag: str, to: str, due_on: date | None, *, on: date | None = None,
    said: str = "",
) -> Noted:  # fmt: skip
    """Note that a unit was lent. Raises as ``note`` does, and for a day it is due on before."""
    begin = on or date.today()
    if due_on is not None and due_on < begin:
        raise BadValueError(
            f"it is due on {due_on}, before it is lent on {begin}", where=f"unit {tag}",
            mend="Give a day on or after that",
        )  # fmt: skip
    due = due_on.isoformat() if due_on else None
    return note(workplace, tag, EventKind.LENT, on=on, said=said, to=to.strip(), due_on=due)


def incident(
    workplace: Workplace, tag: str, what: str, *, on: date | None = None, said: str = ""
) -> Noted:
    """Note what went wrong with a unit. Raises as ``note`` does."""
    known = require_known(Incident, what, "incident")
    return note(workplace, tag, EventKind.INCIDENT, on=on, said=said, what=known.value)


def look_after(workplace: Workplace, finding: Finding, said: str = "") -> Noted:
    """Note that somebody looked after *finding*: it is quiet until there is something new to it.

    Raises CellarError, UnknownPartError.
    """
    return note(
        workplace, finding.tag, EventKind.LOOKED_AFTER, said=said,
        finding=finding.kind.value, mark=finding.mark,
    )  # fmt: skip


def labels_printed(workplace: Workplace, tags: Sequence[str]) -> None:
    """Note that labels of these units were printed, all or none. Raises CellarError."""
    now = datetime.now(UTC)
    keep_events(workplace.cellar, [UnitEvent(tag, now, EventKind.LABEL) for tag in tags])


def moment_on(on: date | None) -> datetime:
    """Return the moment that stands for a day: now for today, else its noon.

    Raises BadValueError for a day that is still to come.
    """
    now = datetime.now(UTC)
    today = now.astimezone().date()
    if on is None or on == today:
        return now
    if on > today:
        raise BadValueError(
            f"{on} is still to come", where="day", mend="Note it when it has happened"
        )
    return datetime.combine(on, _NOON).astimezone()
