"""A set of fields that shows one frozen value and hands back the changed one."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFormLayout, QLabel, QToolButton, QVBoxLayout, QWidget

from vastcellar.core.errors import VastCellarError
from vastcellar.core.units import NumberFormat
from vastcellar.ui.widgets.cards import label
from vastcellar.ui.widgets.inputs import Choice, QuantityField

_CAPTION_PX = 96

Offers = Callable[[Any], Iterable[tuple[str, str]]]


class FieldSet(QWidget):
    """Fields under each other. A change that the value refuses is marked at its field."""

    edited = Signal(object, str)
    """The changed value, and what was changed."""
    refused = Signal(object)
    """The error at a field, or None once it is mended."""

    def __init__(self, numbers: NumberFormat) -> None:
        super().__init__()
        self.numbers = numbers
        self.value: Any = None
        self._fields: list[tuple[QuantityField, Callable[[Any], Any]]] = []
        self._choices: list[tuple[Choice, Offers, Callable[[Any], str]]] = []
        self.form = QFormLayout(self)
        self.form.setContentsMargins(0, 0, 0, 0)
        self.form.setHorizontalSpacing(8)
        self.form.setVerticalSpacing(5)

    def add(
        self,
        name: str,
        parse: Callable[..., Any],
        show: Callable[[Any], str],
        read: Callable[[Any], Any],
        put: Callable[[Any, Any], Any],
        tip: str = "",
    ) -> QuantityField:
        """Add a typed-in field: *read* takes it from the value, *put* returns the changed one."""
        field = QuantityField(name, parse, show)
        field.decimal_point = self.numbers.decimal_point
        self.form.addRow(_caption(name, tip), field)
        self._fields.append((field, read))
        field.refused.connect(self.refused)

        def take(entered: Any) -> None:
            try:
                self._hand_back(put(self.value, entered), name)
            except VastCellarError as error:
                field.refuse(error)

        field.entered.connect(take)
        return field

    def add_choice(
        self,
        name: str,
        offers: Offers,
        read: Callable[[Any], str],
        put: Callable[[Any, str], Any],
        tip: str = "",
    ) -> Choice:
        """Add a choice by key; what it offers may depend on the value."""
        choice = Choice(name)
        self.form.addRow(_caption(name, tip), choice)
        self._choices.append((choice, offers, read))

        def take(key: str) -> None:
            try:
                self._hand_back(put(self.value, key), name)
            except VastCellarError as error:
                self.refused.emit(error)
                self.show_value(self.value)

        choice.chosen.connect(take)
        return choice

    def show_row(self, field: QWidget, is_shown: bool) -> None:
        """Show or hide a field with its caption."""
        self.form.setRowVisible(field, is_shown)

    def _hand_back(self, changed: Any, name: str) -> None:
        if self.value is not None:
            self.refused.emit(None)
            self.edited.emit(changed, name.lower())

    @property
    def has_wrong_entry(self) -> bool:
        """Whether a field holds what can't be read or was refused."""
        return any(field.property("wrong") for field, _ in self._fields)

    def show_value(self, value: Any) -> None:
        """Show *value*; None leaves the fields empty."""
        self.value = value
        for field, read in self._fields:
            field.show_value(None if value is None else read(value))
        if value is not None:
            for choice, offers, read_key in self._choices:
                choice.offer(offers(value), read_key(value))


def _caption(name: str, tip: str) -> QLabel:
    caption = label(name)
    caption.setMinimumWidth(_CAPTION_PX)  # so that sets under each other align
    caption.setToolTip(tip)
    return caption


class Section(QWidget):
    """A heading that folds what stands under it."""

    def __init__(self, title: str, inside: QWidget, *, is_open: bool = True) -> None:
        super().__init__()
        self.head = QToolButton()
        self.head.setObjectName("section")
        self.head.setText(title)
        self.head.setCheckable(True)
        self.head.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.inside = inside
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 2)
        layout.setSpacing(4)
        layout.addWidget(self.head)
        layout.addWidget(inside)
        self.head.toggled.connect(self._fold)
        self.head.setChecked(is_open)
        self._fold(is_open)

    def _fold(self, is_open: bool) -> None:
        self.head.setArrowType(Qt.ArrowType.DownArrow if is_open else Qt.ArrowType.RightArrow)
        self.inside.setVisible(is_open)
