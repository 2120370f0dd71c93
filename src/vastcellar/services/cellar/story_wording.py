"""What happened to a unit, in words."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import date, datetime

from vastcellar.core.cellar.story import EventKind, Loan, Story, UnitEvent
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.units import NumberFormat


def day_words(day: date | datetime) -> str:
    """Return *day* as it is said: 12 Sep 2026."""
    local = day.astimezone() if isinstance(day, datetime) else day
    return f"{local.day} {local:%b %Y}"


def age_words(days: float) -> str:
    """Return how long ago that is, short: 6 d, 5 mo, 2 y."""
    whole = max(int(days), 0)
    if whole < 60:
        return f"{whole} d"
    return f"{round(days / 30.44)} mo" if days < 720 else f"{days / 365.25:.0f} y"


def event_words(event: UnitEvent, catalog: Catalog, fmt: NumberFormat) -> str:
    """Return what happened, without its day."""
    said = _WORDS[event.kind](event, catalog, fmt)
    return f"{said}: {event.note}" if event.note else said


def case_name(key: str, catalog: Catalog) -> str:
    """Return what the case *key* is called; that there is none for ""."""
    case = catalog.cases.get(key)
    return case.name if case else key or "no case"


def drive_name(key: str, catalog: Catalog) -> str:
    """Return what the drive *key* is called."""
    drive = catalog.drives.get(key)
    return drive.name if drive else key


def loan_words(loan: Loan, today: date) -> str:
    """Return with whom it is, and since or until when."""
    late = loan.days_overdue(today)
    if late:
        return f"with {loan.to}, {late} {'day' if late == 1 else 'days'} overdue"
    if loan.due_on is not None:
        return f"with {loan.to} until {day_words(loan.due_on)}"
    return f"with {loan.to} since {day_words(loan.since)}"


def whereabouts(story: Story, today: date) -> str:
    """Return where a unit is, in words; "" where nobody said."""
    return loan_words(story.loan, today) if story.loan else story.place


def _bought(event: UnitEvent, _catalog: Catalog, fmt: NumberFormat) -> str:
    price = event.data.get("price")
    parts = ["bought used" if event.data.get("is_used") else "bought"]
    if price:
        parts.append(f"for {fmt.number(float(price), 2)} {event.text('currency')}".rstrip())
    if event.text("seller"):
        parts.append(f"from {event.text('seller')}")
    if until := event.day_in("warranty_until"):
        parts.append(f"guarantee to {day_words(until)}")
    return ", ".join(parts)


def _moved(event: UnitEvent, catalog: Catalog, _fmt: NumberFormat) -> str:
    was, now = (case_name(event.text(name), catalog) for name in ("was", "now"))
    return f"moved from {was} to {now}"


def _drive(event: UnitEvent, catalog: Catalog, _fmt: NumberFormat) -> str:
    was, now = (drive_name(event.text(name), catalog) for name in ("was", "now"))
    return f"another module in it: {now} for {was}"


def _lent(event: UnitEvent, _catalog: Catalog, _fmt: NumberFormat) -> str:
    due = event.day_in("due_on")
    return f"lent to {event.text('to')}" + (f", due {day_words(due)}" if due else "")


def _retired(event: UnitEvent, _catalog: Catalog, _fmt: NumberFormat) -> str:
    wiped = event.text("wiped")
    return f"retired, {wiped}" if wiped else "retired, without a note on how it was wiped"


_WORDS: Mapping[EventKind, Callable[[UnitEvent, Catalog, NumberFormat], str]] = {
    EventKind.BOUGHT: _bought,
    EventKind.CASE: _moved,
    EventKind.DRIVE: _drive,
    EventKind.TAG: lambda e, _c, _f: f"called {e.text('now')}, was {e.text('was')}",
    EventKind.LABEL: lambda _e, _c, _f: "label printed",
    EventKind.PLACE: lambda e, _c, _f: f"put to {e.text('place')}",
    EventKind.LENT: _lent,
    EventKind.RETURNED: lambda _e, _c, _f: "came back",
    EventKind.INCIDENT: lambda e, _c, _f: e.text("what"),
    EventKind.STATE: lambda e, _c, _f: f"set to {e.text('now')}, was {e.text('was')}",
    EventKind.WEAR: lambda e, _c, f: (
        f"says itself that {f.percent(float(e.data['used_share']))} of its endurance is used"
    ),
    EventKind.LOOKED_AFTER: lambda e, _c, _f: f"looked after: {e.text('finding')}",
    EventKind.RETIRED: _retired,
    EventKind.PHOTO: lambda e, _c, _f: f"photo {e.text('file')}",
}
