"""Cards, labels and other small building blocks."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget


def label(text: str = "", kind: str = "", *, wraps: bool = False) -> QLabel:
    """Return a label of a *kind* that the style sheet knows: title, head, soft, wrong."""
    made = QLabel(text)
    made.setObjectName(kind)
    made.setWordWrap(wraps)
    made.setTextFormat(Qt.TextFormat.PlainText)
    return made


class OneLine(QLabel):
    """A line of soft text that gives way to what is beside it: cut short with an ellipsis.

    Its tool tip, where it has one, is the whole of it.
    """

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("soft")
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def paintEvent(self, _event: QPaintEvent) -> None:
        shown = self.fontMetrics().elidedText(
            self.text(), Qt.TextElideMode.ElideRight, self.contentsRect().width()
        )
        painter = QPainter(self)
        painter.setPen(self.palette().color(self.foregroundRole()))
        line = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft
        painter.drawText(self.contentsRect(), line, shown)


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
        if not isinstance(widgets[-1], OneLine):  # which takes what is left, and never more
            widgets[-1].setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        made.setStretchFactor(widgets[-1], 1)
    else:
        made.addStretch(1)
    return made
