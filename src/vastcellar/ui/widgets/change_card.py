"""A change that would help, on a card: hovering shows what comes of it, a click takes it."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from vastcellar.core.evidence import Verdict
from vastcellar.ui.look import Look, font, verdict_name
from vastcellar.ui.widgets.marks import draw_verdict
from vastcellar.ui.widgets.picture import Picture, broken

_CARD_PX = 92


@dataclass(frozen=True, slots=True)
class CardText:
    """What stands on a card."""

    title: str
    verdict: Verdict
    comes_to: str
    """Beside the verdict's mark, in its colour."""
    also: str
    is_gain: bool
    """Whether that is worth the accent."""
    price: str
    """What it costs, or risks."""
    is_warning: bool = False
    """Drawn as what one had better not do."""


class ChangeCard(Picture):
    """One change and what comes of it."""

    taken = Signal(object)
    """What the card is about."""
    hovered = Signal(object)
    """The same, or None when the pointer leaves."""

    def __init__(self, look: Look, about: object, text: CardText, *, can_take: bool) -> None:
        super().__init__(look)
        self.about, self.text, self._can_take = about, text, can_take
        self.setFixedHeight(_CARD_PX)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        lines = (text.comes_to, text.also, text.price)
        self.setAccessibleName(f"{text.title}: {'; '.join(lines)}")
        last = "Click to take it; undo brings it back" if can_take else "Nothing here takes it"
        self.setToolTip("\n".join((text.title, *lines, last)))

    def sizeHint(self) -> QSize:
        return QSize(158, _CARD_PX)

    def minimumSizeHint(self) -> QSize:
        return QSize(132, _CARD_PX)

    def paint(self, painter: QPainter) -> None:
        look, text = self.look, self.text
        frame = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        lit = self.hasFocus() or self.underMouse()
        pen = QPen(look.color("copper" if lit else "line"), 1.4 if lit else 1)
        if text.is_warning:
            pen = self.dashed("brick", 1.3)
        painter.setPen(pen)
        painter.setBrush(look.color("panel"))
        painter.drawRoundedRect(frame, 7, 7)
        inside = frame.adjusted(10, 5, -8, -4)
        self.write(painter, QRectF(inside.left(), inside.top(), inside.width(), 18), text.title,
                   size_px=14, weight=600, may_cut=True)  # fmt: skip
        mark = QRectF(inside.left() - 2, inside.top() + 20, 15, 15)
        draw_verdict(painter, mark, text.verdict, look)
        color = verdict_name(text.verdict, text=True)
        place = QRectF(inside.left() + 17, inside.top() + 19, inside.width() - 17, 17)
        self.write(painter, place, text.comes_to, color=color, size_px=13, weight=500,
                   may_cut=True)  # fmt: skip
        place = QRectF(inside.left(), inside.top() + 36, inside.width(), 17)
        self.write(painter, place, text.also, color="copper_text" if text.is_gain else "soft",
                   size_px=13, weight=500 if text.is_gain else 400, may_cut=True)  # fmt: skip
        top = inside.top() + 53
        for line in broken(text.price, inside.width(), font(12, condensed=True), 2):
            place = QRectF(inside.left(), top, inside.width(), 14)
            self.write(painter, place, line, color="brick_text" if text.is_warning else "soft",
                       size_px=12, may_cut=True)  # fmt: skip
            top += 14

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        event.accept()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() is Qt.MouseButton.LeftButton and self._can_take:
            self.taken.emit(self.about)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        is_enter = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space)
        if is_enter and self._can_take:
            self.taken.emit(self.about)
        else:
            QWidget.keyPressEvent(self, event)

    def enterEvent(self, event: object) -> None:
        self.hovered.emit(self.about)
        self.update()

    def leaveEvent(self, event: object) -> None:
        self.hovered.emit(None)
        self.update()
