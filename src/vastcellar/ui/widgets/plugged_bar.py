"""Plugged-in devices as cards, each with its link drawn against what it could be."""

from __future__ import annotations

import math
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPen

from vastcellar.ui.look import Look, font
from vastcellar.ui.widgets.picture import Picture, text_width

_CARD_WIDTH_PX, _LEAST_WIDTH_PX, _CARD_HEIGHT_PX, _GAP_PX = 236, 200, 74, 8
_PIPE_WIDTH_PX, _WIDEST_PX, _THINNEST_PX = 64, 18.0, 2.0
_WIDEST_BYTES_PER_S = 5e9


@dataclass(frozen=True, slots=True)
class PluggedCard:
    """One device as it is drawn, in words and rates."""

    key: str
    title: str
    size: str
    link: str
    """"5G", or in words where the rate isn't told."""
    could: str
    """What the link could be, "" where it is as good as that or nobody knows."""
    link_bytes_per_s: float
    could_bytes_per_s: float
    line: str
    """What is suspected, else where it is mounted, else why nothing can be measured."""
    is_suspect: bool
    is_target: bool
    """Whether something can be measured on it as it is."""
    whole: str
    """All that is known of it, for the tool tip and for who can't see the drawing."""


class PluggedBar(Picture):
    """Cards side by side; arrows and clicks choose one, Enter takes it."""

    chosen = Signal(str)
    taken = Signal(str)

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self.cards: tuple[PluggedCard, ...] = ()
        self.key = ""
        self.setObjectName("inside")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Plugged in")
        self.setFixedHeight(_CARD_HEIGHT_PX + 2)
        self.asked.connect(self.choose)

    def show_cards(self, cards: tuple[PluggedCard, ...]) -> None:
        """Draw *cards*; what was chosen stays so while it is plugged in."""
        self.cards = cards
        if self.key and self.card(self.key) is None:
            self.key = ""
            self.chosen.emit("")
        self.setMinimumWidth(len(cards) * (_LEAST_WIDTH_PX + _GAP_PX))
        self.updateGeometry()
        self.update()

    def card(self, key: str) -> PluggedCard | None:
        """Return the card *key*, or None."""
        return next((each for each in self.cards if each.key == key), None)

    def choose(self, key: str) -> None:
        """Choose the device *key*."""
        if self.card(key) is None:
            return
        self.key = key
        found = self.card(key)
        self.setAccessibleDescription(found.whole if found else "")
        self.update()
        self.chosen.emit(key)

    def sizeHint(self) -> QSize:
        return QSize(max(len(self.cards), 1) * (_CARD_WIDTH_PX + _GAP_PX), _CARD_HEIGHT_PX + 2)

    def paint(self, painter: QPainter) -> None:
        width = self._card_width
        for number, each in enumerate(self.cards):
            box = QRectF(number * (width + _GAP_PX) + 1, 1, width - 2, _CARD_HEIGHT_PX - 2)
            self._card(painter, box, each)
            self.place(box, each.key)

    @property
    def _card_width(self) -> float:
        """Narrower where that lets all of them stand side by side."""
        shared = (self.width() + _GAP_PX) / max(len(self.cards), 1) - _GAP_PX
        return min(max(shared, _LEAST_WIDTH_PX), _CARD_WIDTH_PX)

    def _card(self, painter: QPainter, box: QRectF, card: PluggedCard) -> None:
        look, is_chosen = self.look, card.key == self.key
        pen = QPen(look.color("copper" if is_chosen else "line"), 2 if is_chosen else 1)
        if not card.is_target:
            pen.setStyle(Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.setBrush(look.color("panel"))
        painter.drawRoundedRect(box, 6, 6)
        inside = box.adjusted(10, 4, -10, -4)
        size_width = text_width(card.size, font(12, condensed=True))
        self.write(
            painter,
            QRectF(inside.left(), inside.top(), inside.width() - size_width - 8, 20),
            card.title,
            size_px=15,
            weight=600,
            condensed=False,
            color="ink" if card.is_target else "soft",
            may_cut=True,  # devices call themselves as they like
        )
        self.write(
            painter,
            QRectF(inside.right() - size_width, inside.top(), size_width, 20),
            card.size,
            size_px=12,
            color="soft",
        )
        self._link(painter, QRectF(inside.left(), inside.top() + 21, inside.width(), 22), card)
        self.write(
            painter,
            QRectF(inside.left(), inside.bottom() - 18, inside.width(), 18),
            card.line,
            size_px=12,
            color="brick_text" if card.is_suspect else "soft",
            weight=600 if card.is_suspect else 400,
        )

    def _link(self, painter: QPainter, box: QRectF, card: PluggedCard) -> None:
        """The link as a channel as wide as what it carries, what it could be as a ghost."""
        look, middle = self.look, box.center().y()
        is_lower = card.could_bytes_per_s > card.link_bytes_per_s * 1.001
        pipe = QRectF(box.left(), 0, _PIPE_WIDTH_PX, 0)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if is_lower:
            painter.setPen(self.dashed("brick", 1.2))
            painter.drawRect(_across(pipe, middle, card.could_bytes_per_s))
        if card.link_bytes_per_s > 0:
            painter.fillRect(_across(pipe, middle, card.link_bytes_per_s), look.color("water"))
        else:
            painter.setPen(self.dashed("soft"))
            painter.drawLine(QPointF(pipe.left(), middle), QPointF(pipe.right(), middle))
        left = pipe.right() + 8
        width = self.write(
            painter, QRectF(left, box.top(), box.right() - left, box.height()), card.link,
            weight=600 if card.link_bytes_per_s > 0 else 400,
        )  # fmt: skip
        if is_lower:
            left += width + 6
            self.write(
                painter,
                QRectF(left, box.top(), box.right() - left, box.height()),
                f"of {card.could}",
                color="brick_text",
            )

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        super().mouseMoveEvent(event)
        over = self.card(self.place_at(event.position()))
        self.setToolTip(over.whole if over else "")

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        super().mousePressEvent(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if key := self.place_at(event.position()):
            self.taken.emit(key)

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        if not self.key and self.cards and event.reason() is not Qt.FocusReason.MouseFocusReason:
            self.choose(self.cards[0].key)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        keys = [each.key for each in self.cards]
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.key:
            self.taken.emit(self.key)
        elif step is not None and keys:
            at = keys.index(self.key) + step if self.key in keys else 0
            self.choose(keys[min(max(at, 0), len(keys) - 1)])
        else:
            super().keyPressEvent(event)


def _across(pipe: QRectF, middle: float, bytes_per_s: float) -> QRectF:
    """Areas of channels are as their rates are; the widest is a link of 40 Gb/s or more."""
    share = math.sqrt(min(bytes_per_s / _WIDEST_BYTES_PER_S, 1.0))
    height = max(_WIDEST_PX * share, _THINNEST_PX)
    return QRectF(pipe.left(), middle - height / 2, pipe.width(), height)
