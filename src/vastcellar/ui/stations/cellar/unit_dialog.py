"""A unit on the shelf: its tag, what it is, how far it is written, where it stands."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from PySide6.QtWidgets import QWidget

from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.units import Unit
from vastcellar.core.units import NumberFormat, parse_size
from vastcellar.services.workplace.own_units import UNIT_STATES
from vastcellar.ui.widgets.field_dialog import FieldDialog
from vastcellar.ui.widgets.inputs import plain_text


class UnitDialog(FieldDialog):
    """Asks for a unit; ``value`` is what was entered. The tag of a *known* one stays."""

    def __init__(
        self,
        parent: QWidget,
        numbers: NumberFormat,
        catalog: Catalog,
        known: Unit | None = None,
        keep: Callable[[Unit], None] | None = None,
    ) -> None:
        unit = known or Unit("NEW-01", next(iter(catalog.drives), ""))
        title = f"What is known of {known.tag}" if known else "A unit for the shelf"
        hint = (
            "The tag is what its label says. A drive that isn't listed: add it first, "
            "as “A drive of your own” in the menu."
        )
        super().__init__(parent, numbers, title, hint, unit, keep)
        self._catalog = catalog
        self._add("Tag", plain_text, str, "tag", "As on its label; its runs stay with it")
        self.fields.add_choice(
            "Drive",
            lambda _: [(drive.key, drive.name) for drive in catalog.drives.values()],
            lambda u: u.drive_key,
            lambda u, key: replace(u, drive_key=key, enclosure_key=""),
        )
        self.fields.add_choice(
            "Enclosure",
            self._cases,
            lambda u: u.enclosure_key,
            lambda u, key: replace(u, enclosure_key=key),
            tip="The case that it stays in",
        )
        tip = "Over its life so far, as the drive itself reports it"
        self._add("Written so far", parse_size, numbers.size, "written_bytes", tip)
        self._add("In use", parse_size, numbers.size, "used_bytes", "What lies on it now")
        self.fields.add_choice(
            "State",
            lambda _: [(state, state) for state in UNIT_STATES],
            lambda u: u.state,
            lambda u, key: replace(u, state=key),
        )
        self._add("Note", _any_text, str, "note")
        self.setMinimumWidth(420)
        self.show_value()

    def _add(self, name: str, parse: Any, show: Any, attribute: str, tip: str = "") -> Any:
        return self.fields.add(
            name,
            parse,
            show,
            lambda unit: getattr(unit, attribute),
            lambda unit, value: replace(unit, **{attribute: value}),
            tip,
        )

    def _cases(self, unit: Unit) -> list[tuple[str, str]]:
        drive = self._catalog.drives.get(unit.drive_key)
        if drive is None or not drive.needs_enclosure:
            return [("", "none: it has its own")]
        fitting = [(case.key, case.name) for case in self._catalog.enclosures_for(drive)]
        return [("", "none yet: a bare drive"), *fitting]


def _any_text(text: str, *, where: str = "", decimal_point: str = ".") -> str:
    return text.strip()
