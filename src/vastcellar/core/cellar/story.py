"""What happened to a unit: bought, moved, lent, dropped, retired, and what follows for today."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from enum import StrEnum
from functools import cached_property
from typing import Any

from vastcellar.core.checks import require_not_negative
from vastcellar.core.errors import BadValueError


class EventKind(StrEnum):
    """What can happen to a unit."""

    BOUGHT = "bought"
    """seller, price, warranty_until"""
    CASE = "case"
    """Moved to another enclosure: was, now (keys; "" for none)"""
    DRIVE = "drive"
    """Another module in it: was, now"""
    TAG = "tag"
    """was, now"""
    LABEL = "label"
    """A label was printed."""
    PLACE = "place"
    """Where it is from then on: place"""
    LENT = "lent"
    """to, due_on"""
    RETURNED = "returned"
    INCIDENT = "incident"
    """what (an Incident)"""
    STATE = "state"
    """was, now, where it was set by hand"""
    WEAR = "wear"
    """What the drive itself says is used of its endurance: used_share"""
    LOOKED_AFTER = "looked after"
    """A finding was dealt with: finding, mark"""
    RETIRED = "retired"
    """wiped: how; "" where nobody noted it"""
    PHOTO = "photo"
    """file: what it was called; photo: the digest that it is kept by"""


class Incident(StrEnum):
    """What can go wrong with a unit."""

    DROPPED = "dropped"
    HOT = "got hot"
    FRAMES_LOST = "frames lost"
    BAD_PAIR = "bad pair"
    """It doesn't go together with a camera, case or port."""
    WET = "got wet"


DOUBTS_DUTY = frozenset({Incident.DROPPED, Incident.FRAMES_LOST, Incident.WET})
"""After one of these, what was proved before says nothing any more until it is proved again."""

_NEEDS: Mapping[EventKind, tuple[str, ...]] = {
    EventKind.CASE: ("was", "now"),
    EventKind.DRIVE: ("was", "now"),
    EventKind.TAG: ("was", "now"),
    EventKind.PLACE: ("place",),
    EventKind.LENT: ("to",),
    EventKind.INCIDENT: ("what",),
    EventKind.STATE: ("was", "now"),
    EventKind.WEAR: ("used_share",),
    EventKind.LOOKED_AFTER: ("finding", "mark"),
    EventKind.PHOTO: ("file", "photo"),
}


@dataclass(frozen=True)
class UnitEvent:
    """One thing that happened to a unit; ``event_id`` is 0 until it is stored."""

    unit_tag: str
    at: datetime
    kind: EventKind
    data: Mapping[str, Any] = field(default_factory=dict)
    note: str = ""
    event_id: int = 0

    def __post_init__(self) -> None:
        where = f"{self.kind.value} of unit {self.unit_tag!r}"
        if self.at.tzinfo is None:
            raise BadValueError(
                "its time has no time zone", where=where, mend="Give the time with its zone"
            )
        for name in _NEEDS.get(self.kind, ()):
            if name not in self.data:
                raise BadValueError(f"{name} is missing", where=where, mend=f"Give its {name}")
        if self.kind is EventKind.INCIDENT:
            require_known(Incident, str(self.data["what"]), "incident")
        if self.kind is EventKind.LENT and not str(self.data["to"]).strip():
            raise BadValueError(
                "nobody is named", where=where, mend="Say to whom: a role or a name"
            )
        if self.kind is EventKind.BOUGHT:
            require_not_negative(where, price=float(self.data.get("price") or 0.0))
        if self.kind is EventKind.WEAR:
            require_not_negative(where, used_share=float(self.data["used_share"]))
        for name in ("due_on", "warranty_until"):
            if self.data.get(name):
                day_of(str(self.data[name]), name, where)

    @property
    def day(self) -> date:
        """The day of it where the user is."""
        return self.at.astimezone().date()

    def day_in(self, name: str) -> date | None:
        """Return the day that ``data`` has under *name*; None where there is none."""
        kept = self.data.get(name)
        return day_of(str(kept), name, self.kind.value) if kept else None

    def text(self, name: str) -> str:
        """Return what ``data`` has under *name*, "" for nothing."""
        return str(self.data.get(name) or "")


def day_of(text: str, what: str, where: str) -> date:
    """Return the day that *text* names (ISO). Raises BadValueError."""
    try:
        return date.fromisoformat(text)
    except ValueError:
        raise BadValueError(
            f"{what} {text!r} is no day", where=where, mend="Give it as 2026-12-24"
        ) from None


def require_known(kinds: type[StrEnum], text: str, what: str) -> StrEnum:
    """Return the member of *kinds* called *text*. Raises BadValueError."""
    try:
        return kinds(text)
    except ValueError:
        known = ", ".join(each.value for each in kinds)
        raise BadValueError(
            f"there is no {what} {text!r}", where=what, mend=f"Use one of: {known}"
        ) from None


@dataclass(frozen=True, slots=True)
class Stay:
    """A time that the unit spent somewhere, or in something."""

    name: str
    since: datetime | None
    """None for since ever."""
    until: datetime | None
    """None for until now."""


@dataclass(frozen=True, slots=True)
class Loan:
    """The unit is, or was, with somebody."""

    to: str
    since: datetime
    due_on: date | None
    until: datetime | None
    """None while it is away."""

    def days_overdue(self, today: date) -> int:
        """Return by how many days it should have been back; 0 where it needn't, or is."""
        if self.until is not None or self.due_on is None:
            return 0
        return max((today - self.due_on).days, 0)


@dataclass(frozen=True)
class Story:
    """All that happened to a unit, oldest first."""

    events: tuple[UnitEvent, ...] = ()

    def of(self, *kinds: EventKind) -> tuple[UnitEvent, ...]:
        """Return the events of *kinds*."""
        return tuple(each for each in self.events if each.kind in kinds)

    def last(self, *kinds: EventKind) -> UnitEvent | None:
        """Return the newest event of *kinds*."""
        return next((each for each in reversed(self.events) if each.kind in kinds), None)

    @cached_property
    def loans(self) -> tuple[Loan, ...]:
        """Every loan, the newest last."""
        found: list[Loan] = []
        for event in self.events:
            # Somebody may say by hand that it is ready again, or retire it where it is.
            is_over = event.kind is EventKind.STATE and event.text("was") == "on loan"
            ends = (EventKind.LENT, EventKind.RETURNED, EventKind.RETIRED)
            if event.kind not in ends and not is_over:
                continue
            if found and found[-1].until is None:
                open_loan = found.pop()
                found.append(Loan(open_loan.to, open_loan.since, open_loan.due_on, event.at))
            if event.kind is EventKind.LENT:
                found.append(Loan(event.text("to"), event.at, event.day_in("due_on"), None))
        return tuple(found)

    @property
    def loan(self) -> Loan | None:
        """The loan that it is on; None where it is here."""
        return self.loans[-1] if self.loans and self.loans[-1].until is None else None

    @property
    def place(self) -> str:
        """Where it is when it isn't lent; "" where nobody said."""
        last = self.last(EventKind.PLACE)
        return last.text("place") if last else ""

    @property
    def bought(self) -> UnitEvent | None:
        """When and for how much it was bought, as was said last."""
        return self.last(EventKind.BOUGHT)

    @property
    def used_share(self) -> tuple[float, datetime] | None:
        """What the drive itself last said is used of its endurance, and when."""
        last = self.last(EventKind.WEAR)
        return (float(last.data["used_share"]), last.at) if last else None

    def stays(self, kind: EventKind, now_name: str) -> tuple[Stay, ...]:
        """Return where it was by the moves of *kind* (CASE, DRIVE, PLACE), oldest first.

        *now_name* is where it is by its record, whatever the moves say.
        """
        moves = self.of(kind)
        if not moves:
            return (Stay(now_name, None, None),) if now_name else ()
        found: list[Stay] = []
        since: datetime | None = None
        name = moves[0].text("was")
        for move in moves:
            if name or kind is not EventKind.PLACE:
                found.append(Stay(name, since, move.at))
            since, name = move.at, move.text("place" if kind is EventKind.PLACE else "now")
        return (*found, Stay(now_name or name, since, None))

    def between(self, since: datetime, until: datetime) -> tuple[UnitEvent, ...]:
        """Return what happened from *since* to *until*."""
        return tuple(each for each in self.events if since <= each.at <= until)

    def doubted_since(self) -> UnitEvent | None:
        """Return the newest incident after which nothing proved before counts; None for none."""
        return next(
            (
                each
                for each in reversed(self.of(EventKind.INCIDENT))
                if Incident(each.data["what"]) in DOUBTS_DUTY
            ),
            None,
        )


def stories(events: Sequence[UnitEvent]) -> dict[str, Story]:
    """Return what happened to each unit, by its tag."""
    by_tag: dict[str, list[UnitEvent]] = {}
    for event in sorted(events, key=lambda each: (each.at, each.event_id)):
        by_tag.setdefault(event.unit_tag, []).append(event)
    return {tag: Story(tuple(found)) for tag, found in by_tag.items()}


def worth_now(price: float, bought_on: date, today: date, years: float) -> float:
    """Return what is left of *price* when it is written off evenly over *years*.

    Raises BadValueError for years that are not above 0.
    """
    if years <= 0:
        raise BadValueError("it is written off over no time", where="worth", mend="Give years")
    gone = (today - bought_on).days / (365.25 * years)
    return price * min(max(1 - gone, 0.0), 1.0)
