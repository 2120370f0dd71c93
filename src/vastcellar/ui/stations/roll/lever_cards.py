"""What would help the day: a card a change, hovering shows its evening, a click takes it."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from vastcellar.core.roll.levers import Pulled
from vastcellar.services.roll.day_wording import lever_lines, lever_title, waits_verdict
from vastcellar.ui.look import Look, font
from vastcellar.ui.widgets.marks import draw_verdict
from vastcellar.ui.widgets.picture import Picture, broken

_CARD_PX = 92


class LeverCard(Picture):
    """One change and the day that comes of it."""

    taken = Signal(object)
    hovered = Signal(object)  # Pulled, or None when the pointer leaves

    def __init__(self, look: Look, pulled: Pulled, *, can_take: bool) -> None:
        super().__init__(look)
        self.pulled, self._can_take = pulled, can_take
        self.title = lever_title(pulled, look.numbers)
        self.lines = lever_lines(pulled, look.numbers)
        self.setFixedHeight(_CARD_PX)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"{self.title}: {'; '.join(self.lines)}")
        last = "Click to take it; undo brings it back" if can_take else "Nothing here takes it"
        self.setToolTip("\n".join((self.title, *self.lines, last)))

    def sizeHint(self) -> QSize:
        return QSize(158, _CARD_PX)

    def minimumSizeHint(self) -> QSize:
        return QSize(132, _CARD_PX)

    def paint(self, painter: QPainter) -> None:
        look, risk = self.look, self.pulled.is_a_risk
        frame = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        lit = self.hasFocus() or self.underMouse()
        pen = QPen(look.color("copper" if lit else "line"), 1.4 if lit else 1)
        if risk:
            pen = self.dashed("brick", 1.3)
        painter.setPen(pen)
        painter.setBrush(look.color("panel"))
        painter.drawRoundedRect(frame, 7, 7)
        inside = frame.adjusted(10, 5, -8, -4)
        self.write(painter, QRectF(inside.left(), inside.top(), inside.width(), 18), self.title,
                   size_px=14, weight=600, may_cut=True)  # fmt: skip
        waits, home, price = self.lines
        verdict = waits_verdict(self.pulled.run)
        draw_verdict(painter, QRectF(inside.left() - 2, inside.top() + 20, 15, 15), verdict, look)
        color = "moss_text" if not self.pulled.run.waits else "brick_text"
        place = QRectF(inside.left() + 17, inside.top() + 19, inside.width() - 17, 17)
        self.write(painter, place, waits, color=color, size_px=13, weight=500, may_cut=True)
        is_sooner = self.pulled.home_earlier_s >= 60
        place = QRectF(inside.left(), inside.top() + 36, inside.width(), 17)
        self.write(painter, place, home, color="copper_text" if is_sooner else "soft",
                   size_px=13, weight=500 if is_sooner else 400, may_cut=True)  # fmt: skip
        told = broken(price, inside.width(), font(12, condensed=True), 2)
        under = QRectF(inside.left(), inside.top() + 53, inside.width(), 28)
        top = under.top()
        for line in told:
            place = QRectF(under.left(), top, under.width(), 14)
            self.write(painter, place, line, color="brick_text" if risk else "soft", size_px=12,
                       may_cut=True)  # fmt: skip
            top += 14

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        event.accept()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() is Qt.MouseButton.LeftButton and self._can_take:
            self.taken.emit(self.pulled)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        is_enter = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space)
        if is_enter and self._can_take:
            self.taken.emit(self.pulled)
        else:
            QWidget.keyPressEvent(self, event)

    def enterEvent(self, event: object) -> None:
        self.hovered.emit(self.pulled)
        self.update()

    def leaveEvent(self, event: object) -> None:
        self.hovered.emit(None)
        self.update()
