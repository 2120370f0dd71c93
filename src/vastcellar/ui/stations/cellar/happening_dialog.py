"""Asks what happened to a unit: lent, put somewhere, dropped, bought, worn, retired."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import date
from typing import Any

from PySide6.QtWidgets import QWidget

from vastcellar.core.cellar.story import EventKind, Incident, day_of
from vastcellar.core.units import NumberFormat, parse_number, parse_share
from vastcellar.ui.widgets.field_dialog import FieldDialog
from vastcellar.ui.widgets.inputs import plain_text

HAPPENINGS: tuple[tuple[EventKind, str, str], ...] = (
    (EventKind.LENT, "Lend it …", "Who has it, and when it is to be back."),
    (EventKind.RETURNED, "It is back …", "From whoever had it."),
    (EventKind.PLACE, "Put it somewhere …", "Where it is kept from then on."),
    (EventKind.INCIDENT, "Something happened …",
     "After a fall, wet, or lost frames nothing counts that was proved before."),
    (EventKind.BOUGHT, "Bought …", "For its age, its guarantee and what it is worth."),
    (EventKind.WEAR, "What it says of its wear …", "As the drive itself reports it."),
    (EventKind.RETIRED, "Retire it …", "With a note on how it was wiped: nobody knows later."),
)  # fmt: skip
"""What can be noted of a unit: its kind, as an entry of a menu, and the hint of its dialog."""


@dataclass(frozen=True)
class Happening:
    """What was entered."""

    kind: EventKind
    on: date
    said: str = ""
    to: str = ""
    due_on: date | None = None
    place: str = ""
    what: str = Incident.DROPPED.value
    price: float = 0.0
    seller: str = ""
    warranty_until: date | None = None
    used_share: float = 0.0
    wiped: str = ""


class HappeningDialog(FieldDialog):
    """Asks for a Happening of one kind; ``value`` is what was entered."""

    def __init__(
        self, parent: QWidget, numbers: NumberFormat, kind: EventKind, tag: str,
        keep: Callable[[Happening], None] | None = None, *, worn_share: float | None = None,
    ) -> None:  # fmt: skip
        """*worn_share* is what the drive itself says, where it is plugged in."""
        title, hint = next((words, hint) for each, words, hint in HAPPENINGS if each is kind)
        begin = Happening(kind, date.today(), used_share=worn_share or 0.0)
        if worn_share is not None:
            hint = f"The drive is plugged in and says {numbers.percent(worn_share)}."
        super().__init__(parent, numbers, f"{tag}: {title.rstrip(' …')}", hint, begin, keep)
        if kind in _FIELDS:
            _FIELDS[kind](self)
        self.day("Day", "on", "When it happened")
        self.text("Note", "said", "Anything worth knowing", is_needed=False)
        self.show_value()

    def text(self, name: str, field: str, tip: str, *, is_needed: bool = True) -> None:
        """Add a field of text."""
        parse = plain_text if is_needed else _any_text
        self.fields.add(name, parse, str, lambda h: getattr(h, field), _put(field), tip)

    def day(self, name: str, field: str, tip: str, *, is_needed: bool = True) -> None:
        """Add a field of a day, as 2026-12-24."""
        self.fields.add(
            name, _day if is_needed else _day_or_none, lambda day: day.isoformat() if day else "",
            lambda h: getattr(h, field), _put(field), tip,
        )  # fmt: skip


def _put(field: str) -> Callable[[Happening, Any], Happening]:
    return lambda happening, value: replace(happening, **{field: value})


def _any_text(text: str, *, where: str = "", decimal_point: str = ".") -> str:
    return text.strip()


def _day(text: str, *, where: str = "", decimal_point: str = ".") -> date:
    return day_of(text.strip(), "the day", where or "day")


def _day_or_none(text: str, *, where: str = "", decimal_point: str = ".") -> date | None:
    return _day(text, where=where) if text.strip() else None


def _lent(dialog: HappeningDialog) -> None:
    dialog.text("To", "to", "A role or a name")
    dialog.day("Due", "due_on", "When it is to be back, as 2026-12-24", is_needed=False)


def _place(dialog: HappeningDialog) -> None:
    dialog.text("Place", "place", "As you call it: van, drawer 3, the office")


def _incident(dialog: HappeningDialog) -> None:
    dialog.fields.add_choice(
        "What", lambda _h: [(each.value, each.value) for each in Incident],
        lambda h: h.what, _put("what"),
    )  # fmt: skip


def _bought(dialog: HappeningDialog) -> None:
    fmt = dialog.fields.numbers
    dialog.fields.add(
        "Price", parse_number, lambda value: fmt.number(value, 2), lambda h: h.price, _put("price")
    )
    dialog.text("Seller", "seller", "Whom to ask when it fails", is_needed=False)
    dialog.day("Guarantee to", "warranty_until", "As 2029-11-26", is_needed=False)


def _wear(dialog: HappeningDialog) -> None:
    fmt = dialog.fields.numbers
    dialog.fields.add(
        "Used", parse_share, fmt.percent, lambda h: h.used_share, _put("used_share"),
        "Of its endurance",
    )  # fmt: skip


def _retired(dialog: HappeningDialog) -> None:
    dialog.text("Wiped", "wiped", "How: overwritten, erased by the drive itself, destroyed",
                is_needed=False)  # fmt: skip


_FIELDS: dict[EventKind, Callable[[HappeningDialog], None]] = {
    EventKind.LENT: _lent,
    EventKind.PLACE: _place,
    EventKind.INCIDENT: _incident,
    EventKind.BOUGHT: _bought,
    EventKind.WEAR: _wear,
    EventKind.RETIRED: _retired,
}
