"""After a device was measured for itself: one click makes a unit of it."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLineEdit, QPushButton, QVBoxLayout, QWidget

from vastcellar.services.proving.new_unit import MeasuredDevice, class_choices
from vastcellar.ui.widgets.cards import card, label, row
from vastcellar.ui.widgets.inputs import Choice


class KeepCard(QWidget):
    """Tag and class, filled in already; hidden until there is something to keep."""

    asked = Signal(str, str)
    """The tag, and the key of the class."""

    def __init__(self) -> None:
        super().__init__()
        self.text = label(kind="head", wraps=True)
        self.tag = QLineEdit()
        self.tag.setObjectName("Tag")
        self.tag.setFixedWidth(96)
        self.tag.setToolTip("As on its label; its runs stay with it")
        self.classes = Choice("Class")
        self.classes.setMinimumContentsLength(18)
        self.classes.setToolTip("The classes that its trace doesn't contradict")
        self.button = QPushButton("Keep as a unit")
        self.button.setObjectName("act")
        self.message = label(kind="wrong", wraps=True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        frame, inside = card()
        line = row(self.text, spacing=8, stretch_last=True)
        for widget in (label("Tag", "soft"), self.tag, label("Class", "soft"), self.classes):
            line.addWidget(widget)
        line.addWidget(self.button)
        inside.addLayout(line)
        inside.addWidget(self.message)
        layout.addWidget(frame)
        self.button.clicked.connect(self._ask)
        self.tag.returnPressed.connect(self._ask)
        self.offer(None)

    def offer(self, measured: MeasuredDevice | None, tag: str = "") -> None:
        """Offer to keep *measured* under *tag*; None hides the card."""
        self.setVisible(measured is not None)
        self.message.hide()
        self.button.setEnabled(True)
        if measured is None:
            return
        self.text.setText(f"{measured.name or 'This device'}: no unit yet")
        self.text.setToolTip(measured.said)
        self.tag.setText(tag)
        self.classes.clear()
        for key, name in class_choices(measured):
            self.classes.addItem(name, key)

    def say(self, error: Exception) -> None:
        """Say why it can't be kept so."""
        self.message.setText(str(error))
        self.message.show()
        self.button.setEnabled(True)

    def _ask(self) -> None:
        if self.button.isEnabled():
            self.button.setEnabled(False)
            self.message.hide()
            self.asked.emit(self.tag.text(), self.classes.currentData() or "")
