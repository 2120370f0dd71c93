"""A unit on the shelf: its tag, what it is, how far it is written, where it stands."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from PySide6.QtWidgets import QWidget

from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.parts import Drive
from vastcellar.core.parts.units import Unit
from vastcellar.core.units import NumberFormat, parse_rate, parse_size
from vastcellar.services.workplace.own_catalog import own_key
from vastcellar.services.workplace.own_drives import (
    DESCRIBED_KINDS,
    UNKNOWN_CLASS,
    classes_of,
    described_kind,
    is_own,
    new_own_drive,
    of_class,
    with_described_kind,
)
from vastcellar.services.workplace.own_units import UNIT_STATES
from vastcellar.ui.widgets.field_dialog import FieldDialog
from vastcellar.ui.widgets.inputs import plain_text

_DESCRIBED = "described"


@dataclass(frozen=True)
class UnitEntry:
    """What was entered: a unit, and its drive where that was described here."""

    unit: Unit
    own: Drive | None = None
    class_key: str = UNKNOWN_CLASS

    @property
    def kept(self) -> tuple[Unit, Drive | None]:
        """The unit with its drive's key, and that drive; both named by the tag."""
        if self.own is None:
            return self.unit, None
        key = own_key(f"{self.own.name} {self.unit.tag}")
        own = of_class(replace(self.own, key=key), self.class_key)
        return replace(self.unit, drive_key=key), own


class UnitDialog(FieldDialog):
    """Asks for a unit; ``value`` is what was entered. The tag of a *known* one stays.

    A new one on a shelf of one's own begins with a description of it: the catalog's parts are
    invented, and nobody has them.
    """

    def __init__(
        self,
        parent: QWidget,
        numbers: NumberFormat,
        catalog: Catalog,
        known: Unit | None = None,
        keep: Callable[[UnitEntry], None] | None = None,
        *,
        describes: bool = False,
    ) -> None:
        unit = known or Unit("NEW-01", next(iter(catalog.drives), ""))
        entry = UnitEntry(unit, new_own_drive() if describes and known is None else None)
        title = f"What is known of {known.tag}" if known else "A unit for the shelf"
        hint = (
            "The tag is what its label says. Or plug the drive in and measure it: what it is and "
            "what it does is then read from itself."
        )
        super().__init__(parent, numbers, title, hint, entry, keep)
        self._catalog = catalog
        self._add("Tag", plain_text, str, "tag", "As on its label; its runs stay with it")
        self.fields.add_choice("Drive", self._drives, _drive_key, _with_drive)
        self._own_fields: list[QWidget] = []
        self._add_own_fields(numbers)
        self._case = self.fields.add_choice(
            "Enclosure",
            self._cases,
            lambda e: e.unit.enclosure_key,
            lambda e, key: replace(e, unit=replace(e.unit, enclosure_key=key)),
            tip="The case that it stays in",
        )
        tip = "Over its life so far, as the drive itself reports it"
        self._add("Written so far", parse_size, numbers.size, "written_bytes", tip)
        self._add("In use", parse_size, numbers.size, "used_bytes", "What lies on it now")
        self.fields.add_choice(
            "State",
            lambda _: [(state, state) for state in UNIT_STATES],
            lambda e: e.unit.state,
            lambda e, key: replace(e, unit=replace(e.unit, state=key)),
        )
        self._add("Note", _any_text, str, "note")
        self.setMinimumWidth(440)
        self.show_value()

    def show_value(self) -> None:
        """Show the entry, with what describes a drive where one is described."""
        super().show_value()
        for field in self._own_fields:
            self.fields.show_row(field, self.value.own is not None)

    def _add(self, name: str, parse: Any, show: Any, attribute: str, tip: str = "") -> Any:
        return self.fields.add(
            name,
            parse,
            show,
            lambda entry: getattr(entry.unit, attribute),
            lambda entry, value: replace(entry, unit=replace(entry.unit, **{attribute: value})),
            tip,
        )

    def _add_own_fields(self, numbers: NumberFormat) -> None:
        self._own("Name", plain_text, str, "name", "What its box or label calls it")
        kinds = self.fields.add_choice(
            "It is a",
            lambda _: [(kind.key, kind.words) for kind in DESCRIBED_KINDS],
            lambda e: described_kind(e.own).key if e.own else "",
            lambda e, key: replace(
                e,
                own=with_described_kind(e.own, key),
                class_key=UNKNOWN_CLASS,
                unit=replace(e.unit, enclosure_key=""),
            ),
        )
        self._own_fields.append(kinds)
        self._own("Capacity", parse_size, numbers.size, "capacity_bytes", "As printed on it")
        tip = "From its box: a claim, until a run of it says more"
        self._own("Box: writes", parse_rate, numbers.rate, "claimed_write_bytes_per_s", tip)
        self._own("Box: reads", parse_rate, numbers.rate, "claimed_read_bytes_per_s", tip)
        classes = self.fields.add_choice(
            "Class",
            self._classes,
            lambda e: e.class_key,
            lambda e, key: replace(e, class_key=key),
            tip="How drives of it usually write once the fast cache is full; typical figures",
        )
        self._own_fields.append(classes)

    def _own(self, name: str, parse: Any, show: Any, attribute: str, tip: str) -> None:
        def put(entry: UnitEntry, value: Any) -> UnitEntry:
            if entry.own is None:
                return entry
            return replace(entry, own=replace(entry.own, **{attribute: value}))

        def read(entry: UnitEntry) -> Any:
            return getattr(entry.own, attribute) if entry.own else None

        self._own_fields.append(self.fields.add(name, parse, show, read, put, tip))

    def _classes(self, entry: UnitEntry) -> list[tuple[str, str]]:
        classes = classes_of(entry.own) if entry.own else ()
        return [(UNKNOWN_CLASS, "don't know"), *((each.key, each.name) for each in classes)]

    def _drives(self, _entry: UnitEntry) -> list[tuple[str, str]]:
        drives = self._catalog.drives.values()
        own = [(drive.key, drive.name) for drive in drives if is_own(drive)]
        others = [(drive.key, drive.name) for drive in drives if not is_own(drive)]
        return [(_DESCRIBED, "one of your own, described here"), *own, ("-", ""), *others]

    def _cases(self, entry: UnitEntry) -> list[tuple[str, str]]:
        drive = entry.own or self._catalog.drives.get(entry.unit.drive_key)
        if drive is None or not drive.needs_enclosure:
            return [("", "none: it has its own")]
        fitting = [(case.key, case.name) for case in self._catalog.enclosures_for(drive)]
        return [("", "none yet: a bare drive"), *fitting]


def _drive_key(entry: UnitEntry) -> str:
    return _DESCRIBED if entry.own is not None else entry.unit.drive_key


def _with_drive(entry: UnitEntry, key: str) -> UnitEntry:
    if key == _DESCRIBED:
        return UnitEntry(replace(entry.unit, enclosure_key=""), entry.own or new_own_drive())
    return UnitEntry(replace(entry.unit, drive_key=key, enclosure_key=""))


def _any_text(text: str, *, where: str = "", decimal_point: str = ".") -> str:
    return text.strip()
