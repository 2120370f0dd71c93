"""What every drawn picture shares: palette, antialiasing, text helpers, clickable places."""

from __future__ import annotations

from functools import lru_cache

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFont,
    QFontMetricsF,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import QWidget

from vastcellar.ui.look import Look, font

UNIT_MIME = "application/x-vast-cellar-unit"
"""What is dragged when a unit of the shelf is: its tag."""


class Picture(QWidget):
    """A picture that is computed and drawn; places in it can open the sum behind them."""

    asked = Signal(str)
    """The key of the sum behind the place that was clicked."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self.look = look
        self._places: list[tuple[QRectF, str]] = []
        self.cut_texts: list[str] = []
        """What was shortened when it was last drawn."""
        self.setMouseTracking(True)
        look.changed.connect(self.update)

    def paint(self, painter: QPainter) -> None:
        """Draw; subclasses do."""
        raise NotImplementedError

    def paintEvent(self, _event: QPaintEvent) -> None:
        self._places.clear()
        self.cut_texts.clear()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.paint(painter)
        painter.end()

    def place(self, box: QRectF, key: str) -> None:
        """Let a click in *box* ask for *key*; to be called while painting."""
        self._places.append((box, key))

    def place_at(self, point: QPointF) -> str:
        """Return the key behind *point*, "" for none."""
        for box, key in reversed(self._places):
            if box.contains(point):
                return key
        return ""

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        over = self.place_at(event.position())
        shape = Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor
        self.setCursor(shape)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        key = self.place_at(event.position())
        if key and event.button() is Qt.MouseButton.LeftButton:
            self.asked.emit(key)

    def write(
        self,
        painter: QPainter,
        box: QRectF,
        text: str,
        *,
        color: str = "ink",
        size_px: int = 13,
        weight: int = 400,
        condensed: bool = True,
        align: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignLeft,
        may_cut: bool = False,
    ) -> float:
        """Write *text* into *box*, shortened where it doesn't fit; return its width.

        *may_cut* where the whole of it stands elsewhere, as in the tool tip.
        """
        made = font(size_px, weight, condensed=condensed)
        shown, wide = _fitted(text, box.width() + 1, size_px, weight, condensed=condensed)
        if shown != text and not may_cut:
            self.cut_texts.append(text)
        painter.setFont(made)
        painter.setPen(self.look.color(color))
        painter.drawText(box, int(align | Qt.AlignmentFlag.AlignVCenter), shown)
        return wide

    def write_lines(
        self,
        painter: QPainter,
        box: QRectF,
        lines: list[str],
        line_px: float,
        *,
        color: str = "ink",
        size_px: int = 12,
        align: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignLeft,
    ) -> float:
        """Write *lines* from the top of *box*, each shortened if need be; return where they end."""
        top = box.top()
        for line in lines:
            place = QRectF(box.left(), top, box.width(), line_px)
            self.write(painter, place, line, color=color, size_px=size_px, align=align)
            top += line_px
        return top

    def dashed(self, color: str, width: float = 1.4) -> QPen:
        """Return a dashed pen: a ghost, or what could be."""
        pen = QPen(self.look.color(color), width)
        pen.setDashPattern([4, 3])
        return pen


@lru_cache(maxsize=8192)
def _fitted(
    text: str, width: float, size_px: int, weight: int, *, condensed: bool
) -> tuple[str, float]:
    """Return *text* as far as it goes into *width*, and how wide that is.

    The same few words stand in a picture each time it is drawn: to measure them took as long as
    to draw them.
    """
    metrics = QFontMetricsF(font(size_px, weight, condensed=condensed))
    shown = metrics.elidedText(text, Qt.TextElideMode.ElideRight, width)
    return shown, metrics.horizontalAdvance(shown)


def text_width(text: str, made: QFont) -> float:
    """Return how wide *text* is in *made*."""
    return QFontMetricsF(made).horizontalAdvance(text)


def broken(text: str, width: float, made: QFont, most: int) -> list[str]:
    """Return *text* in lines of *width*, broken between words; the last of *most* has the rest."""
    lines: list[str] = []
    words = text.split(" ")
    while words:
        if len(lines) == most - 1:
            return [*lines, " ".join(words)]
        count = 1
        while count < len(words) and text_width(" ".join(words[: count + 1]), made) <= width:
            count += 1
        lines.append(" ".join(words[:count]))
        words = words[count:]
    return lines


def torn_column(box: QRectF) -> QPainterPath:
    """Return a column whose top is torn off: it goes on beyond the picture."""
    path = QPainterPath(box.bottomLeft())
    path.lineTo(box.left(), box.top() + 5)
    teeth = max(int(box.width() // 13), 2)
    step = box.width() / teeth
    for tooth in range(teeth):
        left = box.left() + tooth * step
        path.lineTo(left + step / 2, box.top())
        path.lineTo(left + step, box.top() + 5)
    path.lineTo(box.bottomRight())
    path.closeSubpath()
    return path


def column(painter: QPainter, box: QRectF, fill: QColor, *, torn: bool = False) -> None:
    """Fill a column that stands on the lower edge of *box*."""
    if torn:
        painter.fillPath(torn_column(box), fill)
    else:
        painter.fillRect(box, fill)
