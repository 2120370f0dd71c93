"""The one question before a unit's first real run: is the device in this folder that unit?"""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from vastcellar.services.proving.binding import BindingQuestion
from vastcellar.ui.widgets.cards import card, label, row


class BindingCard(QWidget):
    """Hidden until it is asked; the answer starts the test."""

    answered = Signal(object, bool)
    """The question, and whether the device is the unit."""

    def __init__(self) -> None:
        super().__init__()
        self._question: BindingQuestion | None = None
        self.text = label(kind="head", wraps=True)
        self.yes = QPushButton()
        self.yes.setObjectName("act")
        self.no = QPushButton("No, measure without keeping")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        frame, inside = card()
        line = row(self.text, spacing=8, stretch_last=True)
        line.addWidget(self.yes)
        line.addWidget(self.no)
        inside.addLayout(line)
        layout.addWidget(frame)
        self.yes.clicked.connect(lambda: self._answer(is_unit=True))
        self.no.clicked.connect(lambda: self._answer(is_unit=False))
        self.hide()

    def ask(self, question: BindingQuestion | None) -> None:
        """Show *question*; None hides the card."""
        self._question = question
        if question is not None:
            self.text.setText(f"{question.text}.")
            self.yes.setText(f"Yes, that is {question.unit_tag}")
        self.setVisible(question is not None)

    def _answer(self, *, is_unit: bool) -> None:
        question = self._question
        self.ask(None)
        if question is not None:
            self.answered.emit(question, is_unit)
