"""Cards, labels and other small building blocks."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget


def label(text: str = "", kind: str = "", *, wraps: bool = False) -> QLabel:
    """Return a label of a *kind* that the style sheet knows: title, head, soft, wrong."""
    made = QLabel(text)
    made.setObjectName(kind)
    made.setWordWrap(wraps)
    made.setTextFormat(Qt.TextFormat.PlainText)
    return made


def card() -> tuple[QFrame, QVBoxLayout]:
    """Return a panel with a border, and the layout inside it."""
    frame = QFrame()
    frame.setObjectName("card")
    inside = QVBoxLayout(frame)
    inside.setContentsMargins(14, 10, 14, 10)
    inside.setSpacing(6)
    return frame, inside


def row(*widgets: QWidget, spacing: int = 8, stretch_last: bool = False) -> QHBoxLayout:
    """Return *widgets* side by side, the rest of the width empty or given to the last."""
    made = QHBoxLayout()
    made.setSpacing(spacing)
    made.setContentsMargins(0, 0, 0, 0)
    for widget in widgets:
        made.addWidget(widget)
    if stretch_last:
        widgets[-1].setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
    else:
        made.addStretch(1)
    return made
