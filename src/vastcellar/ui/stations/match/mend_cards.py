"""What would help: one card a change, cheapest first; hovering shows its ghost."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from vastcellar.core.candidates.mends import Mend
from vastcellar.services.words.verdict_wording import (
    mend_detail,
    mend_title,
    price_text,
    short_verdict,
)
from vastcellar.ui.look import Look, font
from vastcellar.ui.widgets.marks import draw_verdict
from vastcellar.ui.widgets.picture import Picture, broken

_CARD_PX = 80


class MendCard(Picture):
    """One single change and what it comes to. Click or Enter takes it."""

    taken = Signal(object)
    hovered = Signal(object)  # Mend, or None when the pointer leaves

    def __init__(self, look: Look, mend: Mend, currency: str) -> None:
        super().__init__(look)
        self.mend = mend
        self._currency = currency
        self.setFixedHeight(_CARD_PX)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.title = mend_title(mend)
        numbers = look.numbers
        self.outcome = short_verdict(mend.judgement, numbers)
        self.price = price_text(mend.price, currency, numbers)
        self.setAccessibleName(f"{self.title}: {self.outcome}, {self.price}")
        self.setToolTip(f"{self.title}\n{mend_detail(mend)}\nClick to take it; undo brings it back")

    def sizeHint(self) -> QSize:
        return QSize(240, _CARD_PX)

    def paint(self, painter: QPainter) -> None:
        look = self.look
        frame = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        lit = self.hasFocus() or self.underMouse()
        painter.setPen(QPen(look.color("copper" if lit else "line"), 1.4 if lit else 1))
        painter.setBrush(look.color("panel"))
        painter.drawRoundedRect(frame, 7, 7)
        inside = frame.adjusted(12, 6, -12, -5)
        self.write(
            painter,
            QRectF(inside.left(), inside.top(), inside.width(), 19),
            self.title,
            size_px=15,
            weight=600,
            condensed=False,
        )
        detail = broken(mend_detail(self.mend), inside.width(), font(12, condensed=True), 2)
        self.write_lines(painter, inside.adjusted(0, 20, 0, 0), detail, 14, color="soft")
        verdict = self.mend.judgement.verdict
        draw_verdict(painter, QRectF(inside.left() - 1, inside.top() + 50, 17, 17), verdict, look)
        painter.setFont(font(13, 600, condensed=True))
        painter.setPen(look.verdict_color(verdict, text=True))
        painter.drawText(QRectF(inside.left() + 22, inside.top() + 49, 140, 18), self.outcome)
        self.write(
            painter,
            QRectF(inside.left() + 110, inside.top() + 49, inside.width() - 110, 18),
            self.price,
            align=Qt.AlignmentFlag.AlignRight,
        )

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        event.accept()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() is Qt.MouseButton.LeftButton:
            self.taken.emit(self.mend)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.taken.emit(self.mend)
        else:
            QWidget.keyPressEvent(self, event)

    def enterEvent(self, event: object) -> None:
        self.hovered.emit(self.mend)
        self.update()

    def leaveEvent(self, event: object) -> None:
        self.hovered.emit(None)
        self.update()
