"""The inputs of the whole shoot: name, days, room temperature, copies."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from PySide6.QtWidgets import QFormLayout, QWidget

from vastcellar.core.errors import BadValueError
from vastcellar.core.shoot import Shoot
from vastcellar.core.units import parse_temperature
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.widgets.cards import label
from vastcellar.ui.widgets.inputs import QuantityField, parse_whole, plain_text


class ShootForm(QWidget):
    """Shows the shoot and edits it."""

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self._bench = bench
        self._fields: list[tuple[QuantityField, Callable[[Shoot], Any]]] = []
        form = QFormLayout(self)
        form.setContentsMargins(0, 6, 0, 0)
        form.setVerticalSpacing(5)
        numbers = bench.look.numbers
        self._add(form, "Shoot", plain_text, str, lambda s: s.name, "name")
        self._add(form, "Days", parse_whole, str, lambda s: s.days, "days")
        self._add(
            form, "Room", parse_temperature, numbers.temperature, lambda s: s.ambient_c, "ambient_c"
        )
        self._add(form, "Copies", parse_whole, str, lambda s: s.copies, "copies")

    def _add(
        self,
        form: QFormLayout,
        name: str,
        parse: Callable[..., Any],
        show: Callable[[Any], str],
        read: Callable[[Shoot], Any],
        attribute: str,
    ) -> None:
        field = QuantityField(name, parse, show)
        field.decimal_point = self._bench.look.numbers.decimal_point
        form.addRow(label(name), field)
        self._fields.append((field, read))

        def take(value: Any) -> None:
            document = self._bench.document
            try:
                document.edit(replace(document.shoot, **{attribute: value}), name.lower())
            except BadValueError as error:
                field.refuse(error)

        field.entered.connect(take)

    def show_shoot(self, shoot: Shoot) -> None:
        """Show *shoot*."""
        for field, read in self._fields:
            field.show_value(read(shoot))
