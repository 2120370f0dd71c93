"""What somebody has to do before a test goes on, and the button that says it is done."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from vastcellar.ui.widgets.cards import card, label, row


class HandsCard(QWidget):
    """Hidden until something is asked."""

    done = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.text = label(kind="head", wraps=True)
        self.go_on = QPushButton("Done, go on")
        self.go_on.setObjectName("act")
        self.go_on.clicked.connect(self.done)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        frame, inside = card()
        line = row(label("Your turn:", "soft"), self.text, spacing=8, stretch_last=True)
        line.addWidget(self.go_on)
        inside.addLayout(line)
        layout.addWidget(frame)
        self.hide()

    def ask(self, instruction: str) -> None:
        """Show *instruction*; "" hides the card."""
        if instruction:
            self.text.setText(f"{instruction}.")
        self.setVisible(bool(instruction))
