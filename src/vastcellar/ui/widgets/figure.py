"""A figure that opens its own sum."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from vastcellar.ui.look import Look, font


class Figure(QWidget):
    """A large number with its unit and, small above it, what it is. Click or Enter opens it."""

    clicked = Signal(str)

    def __init__(self, look: Look, label: str, sum_key: str, color: str = "ink") -> None:
        super().__init__()
        self._look, self._label, self._sum_key, self._color = look, label, sum_key, color
        self._number, self._unit, self._ghost = "", "", ""
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Minimum, QSizePolicy.Policy.Fixed)
        self.setToolTip("Shows how this figure is reckoned (F2)")
        look.changed.connect(self.update)

    def show_text(self, text: str, unit: str = "") -> None:
        """Show *text*: a number, and the unit given or after its last space."""
        self._number, _, self._unit = (text, "", unit) if unit else text.rpartition(" ")
        if not self._number or not self._number[:1].isdigit():
            self._number, self._unit = text, ""
        self.setAccessibleName(f"{self._label}: {self.text}")
        self.updateGeometry()
        self.update()

    def show_ghost(self, text: str) -> None:
        """Show beside the label what the figure would be; "" takes it away."""
        if text != self._ghost:
            self._ghost = text
            self.updateGeometry()
            self.update()

    @property
    def ghost(self) -> str:
        """What the figure would be, "" for nothing."""
        return self._ghost

    @property
    def text(self) -> str:
        """What the user reads."""
        return f"{self._number} {self._unit}".strip()

    def sizeHint(self) -> QSize:
        number = QFontMetricsF(font(22, 600)).horizontalAdvance(self._number)
        unit = QFontMetricsF(font(13, condensed=True)).horizontalAdvance(self._unit)
        label = QFontMetricsF(font(13, condensed=True)).horizontalAdvance(self._label)
        if self._ghost:
            label += 6 + QFontMetricsF(font(13, 600, condensed=True)).horizontalAdvance(self._ghost)
        return QSize(int(max(number + unit + 6, label)) + 10, 46)

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setPen(self._look.color("soft"))
        painter.setFont(font(13, condensed=True))
        painter.drawText(0, 13, self._label)
        if self._ghost:
            left = QFontMetricsF(font(13, condensed=True)).horizontalAdvance(self._label) + 6
            painter.setPen(self._look.color("moss_text"))
            painter.setFont(font(13, 600, condensed=True))
            painter.drawText(int(left), 13, self._ghost)
        painter.setPen(self._look.color(self._color))
        painter.setFont(font(22, 600))
        painter.drawText(0, 37, self._number)
        width = QFontMetricsF(font(22, 600)).horizontalAdvance(self._number)
        painter.setPen(self._look.color("soft"))
        painter.setFont(font(13, condensed=True))
        painter.drawText(int(width) + 5, 37, self._unit)
        if self.hasFocus() or self.underMouse():
            painter.setPen(self._look.color("copper"))
            painter.drawLine(0, 43, int(width), 43)
        painter.end()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() is Qt.MouseButton.LeftButton:
            self.clicked.emit(self._sum_key)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.clicked.emit(self._sum_key)
        else:
            super().keyPressEvent(event)

    def enterEvent(self, event: object) -> None:
        self.update()

    def leaveEvent(self, event: object) -> None:
        self.update()
