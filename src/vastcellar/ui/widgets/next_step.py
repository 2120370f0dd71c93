"""What stands where nothing is yet: the next step, with its button."""

from __future__ import annotations

from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from vastcellar.ui.widgets.cards import label, row


class NextStep(QWidget):
    """A title, a sentence, and a button for each way to go on; the first is the usual one."""

    def __init__(self, title: str, sentence: str, *steps: str) -> None:
        super().__init__()
        self.buttons = [QPushButton(step) for step in steps]
        layout = QVBoxLayout(self)
        layout.addStretch(1)
        layout.addWidget(label(title, "title"))
        layout.addWidget(label(sentence, "soft", wraps=True))
        for number, button in enumerate(self.buttons):
            button.setObjectName("act" if number == 0 else "")
        layout.addLayout(row(*self.buttons, spacing=10))
        layout.addStretch(2)
