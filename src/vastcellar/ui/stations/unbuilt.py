"""What stands where a station isn't built yet."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QVBoxLayout, QWidget

from vastcellar.ui.widgets.cards import label


class UnbuiltStation(QWidget):
    """Says in one line what the station will do, and that it does nothing yet."""

    def __init__(self, title: str, purpose: str) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.addStretch(1)
        for text, kind in ((title, "title"), (purpose, "head"), ("Not built yet.", "soft")):
            line = label(text, kind)
            line.setAlignment(Qt.AlignmentFlag.AlignHCenter)
            layout.addWidget(line)
        layout.addStretch(2)
