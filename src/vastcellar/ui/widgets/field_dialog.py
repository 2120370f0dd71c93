"""A dialog that asks for one value field by field, and only closes on one that can be kept."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QPushButton, QVBoxLayout, QWidget

from vastcellar.core.errors import VastCellarError
from vastcellar.core.units import NumberFormat
from vastcellar.ui.widgets.cards import label
from vastcellar.ui.widgets.field_set import FieldSet


class FieldDialog(QDialog):
    """Asks for ``value``; subclasses add its fields, then call :meth:`show_value`.

    *keep* is called with the value on Save: what it refuses is said, and the dialog stays.
    """

    def __init__(
        self,
        parent: QWidget,
        numbers: NumberFormat,
        title: str,
        hint: str,
        value: Any,
        keep: Callable[[Any], None] | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.value = value
        self._keep = keep
        self.fields = FieldSet(numbers)
        self.message = label(kind="wrong", wraps=True)
        self.message.setMinimumHeight(34)
        self.buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Save | QDialogButtonBox.StandardButton.Cancel
        )
        layout = QVBoxLayout(self)
        layout.addWidget(label(hint, "soft", wraps=True))
        layout.addWidget(self.fields)
        layout.addWidget(self.message)
        layout.addWidget(self.buttons)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        self.fields.edited.connect(self._on_edited)
        self.fields.refused.connect(self._say)

    def show_value(self) -> None:
        """Show the value as it is now."""
        self.fields.show_value(self.value)

    def showEvent(self, event: object) -> None:
        # Enter ends an entry; closing on it would take the dialog away at the first field.
        for button in self.buttons.findChildren(QPushButton):
            button.setAutoDefault(False)
            button.setDefault(False)
            button.setIcon(QIcon())  # whatever the desktop would put there

    def accept(self) -> None:
        if self.fields.has_wrong_entry:  # its sentence stands below already
            return
        if self._keep is not None:
            try:
                self._keep(self.value)
            except VastCellarError as error:
                self._say(error)
                return
        super().accept()

    def _on_edited(self, value: Any, _what: str) -> None:
        self.value = value
        self.show_value()

    def _say(self, error: VastCellarError | None) -> None:
        self.message.setText("" if error is None else str(error))
