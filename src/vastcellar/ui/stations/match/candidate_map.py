"""Candidates as a map: price against the rate that lasts, the need as the copper line across it."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QWidget

from vastcellar.core.candidates.picks import Pick
from vastcellar.core.evidence import VERDICT_ORDER, Verdict
from vastcellar.core.units import MB
from vastcellar.core.verdict.bottlenecks import verdict_ranks
from vastcellar.services.match.matching import Found
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.picture import Picture

_LEFT_PX, _RIGHT_PX, _TOP_PX, _BOTTOM_PX = 62.0, 20.0, 14.0, 40.0
_SHELF_PX = 64.0
"""Width of the strip for what costs nothing."""
_DOT_PX = 3.5
_NEAR_PX = 14.0
_CENTRE = Qt.AlignmentFlag.AlignHCenter
_SHORT = {
    Pick.NOTHING_TO_BUY: "shelf",
    Pick.CHEAPEST: "cheapest",
    Pick.FASTEST_OFFLOAD: "offload",
    Pick.LIGHTEST: "lightest",
    Pick.WORKS_ANYWHERE: "anywhere",
    Pick.BEST_KEPT: "kept for later",
}


class CandidateMap(Picture):
    """One mark a candidate, shaped by its verdict; click chooses, arrows walk along the front."""

    chosen = Signal(int)

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._found: Found | None = None
        self._needed = 0.0
        self._rows = np.empty(0, dtype=np.int64)
        self.row = -1
        self._pinned: tuple[int, ...] = ()
        self.setMinimumHeight(190)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Candidates: price against sustained rate; arrows walk the front")

    def sizeHint(self) -> QSize:
        return QSize(780, 330)

    def show_found(self, found: Found | None, rows: np.ndarray, needed_bytes_per_s: float) -> None:
        """Draw the candidates *rows* of *found*."""
        self._found, self._rows, self._needed = found, rows, needed_bytes_per_s
        self.row = -1
        self._pinned = ()
        self.update()

    def show_row(self, row: int, pinned: tuple[int, ...]) -> None:
        """Light the candidate *row*, and ring those that are compared."""
        self.row, self._pinned = row, pinned
        self.update()

    # Where things stand

    def _area(self) -> QRectF:
        return QRectF(self.rect()).adjusted(_LEFT_PX + _SHELF_PX, _TOP_PX, -_RIGHT_PX, -_BOTTOM_PX)

    def _scales(self) -> tuple[float, float, float]:
        """Return (highest price, lowest and highest decade of the rate)."""
        found = self._found
        assert found is not None  # asked for only with candidates
        table = found.table
        price = float(table.price[self._rows].max(initial=1.0))
        rates = table.sustained_write[self._rows]
        low = max(float(rates[rates > 0].min(initial=self._needed)), 1e6)
        high = max(float(rates.max(initial=self._needed)), self._needed)
        return price, math.log10(low * 0.8), math.log10(high * 1.25)

    def _points(self) -> np.ndarray:
        """Return where all shown candidates stand, shape (n, 2)."""
        found = self._found
        assert found is not None  # asked for only with candidates
        return self._place(found, self._rows)

    def _place(self, found: Found, rows: np.ndarray) -> np.ndarray:
        area, (most, low, high) = self._area(), self._scales()
        price = found.table.price[rows]
        rate = np.log10(np.maximum(found.table.sustained_write[rows], 10**low))
        y = area.bottom() - area.height() * (rate - low) / (high - low)
        # Square root: most candidates are cheap, and stand apart that way. Units of the shelf
        # that stand on the same figure move aside a little.
        bought = area.left() + 8 + (area.width() - 8) * np.sqrt(price / most)
        x = np.where(price <= 0, _LEFT_PX + 14 + (rows * 17) % 36, bought)
        return np.stack([x, y], axis=1)

    def place_of(self, row: int) -> QPointF:
        """Return where a candidate stands."""
        found = self._found
        assert found is not None  # asked for only with candidates
        x, y = self._place(found, np.array([row]))[0]
        return QPointF(float(x), float(y))

    # Drawing

    def paint(self, painter: QPainter) -> None:
        found = self._found
        if found is None or not self._rows.size:
            text = "Nothing connects there." if found is not None else "Looking …"
            self.write(painter, QRectF(self.rect()), text, color="soft", size_px=15, align=_CENTRE)
            return
        self._axes(painter)
        self._front(painter, found)
        places = self._points()
        margin = found.table.margin[self._rows]
        grade = -verdict_ranks(margin)  # the better lies on top
        # Of marks at one place only one is drawn; what holds lies on top.
        cells = np.concatenate([(places / 3).astype(int), grade[:, None]], axis=1)
        _, first = np.unique(cells, axis=0, return_index=True)
        for index in first[np.argsort(grade[first], kind="stable")].tolist():
            at = QPointF(float(places[index, 0]), float(places[index, 1]))
            self._mark(painter, at, VERDICT_ORDER[-int(grade[index])])
        self._picks(painter, found)
        for row in self._pinned:
            self._ring(painter, self.place_of(row), "ink")
        if self.row >= 0:
            self._ring(painter, self.place_of(self.row), "copper")

    def _axes(self, painter: QPainter) -> None:
        area, (most, low, high) = self._area(), self._scales()
        line = QPen(self.look.color("line"), 1)
        painter.fillRect(
            QRectF(_LEFT_PX, area.top(), _SHELF_PX - 8, area.height()), self.look.color("stone", 90)
        )
        for exponent in range(math.floor(low), math.ceil(high) + 1):
            for digit in (1, 2, 5):
                rate = digit * 10.0**exponent
                if not low <= math.log10(rate) <= high:
                    continue
                y = area.bottom() - area.height() * (math.log10(rate) - low) / (high - low)
                painter.setPen(line)
                painter.drawLine(QPointF(_LEFT_PX, y), QPointF(area.right(), y))
                box = QRectF(0, y - 8, _LEFT_PX - 8, 16)
                text = self.look.numbers.number(rate / MB)
                right = Qt.AlignmentFlag.AlignRight
                self.write(painter, box, text, color="soft", size_px=12, align=right)
        for price in _round_prices(most):
            x = area.left() + 8 + (area.width() - 8) * math.sqrt(price / most)
            painter.setPen(line)
            painter.drawLine(QPointF(x, area.bottom()), QPointF(x, area.bottom() + 4))
            box = QRectF(x - 30, area.bottom() + 5, 60, 15)
            text = self.look.numbers.number(price, 0)
            self.write(painter, box, text, color="soft", size_px=12, align=_CENTRE)
        shelf = QRectF(_LEFT_PX - 4, area.bottom() + 5, _SHELF_PX, 15)
        self.write(painter, shelf, "nothing", color="soft", size_px=12, align=_CENTRE)
        caption = QRectF(_LEFT_PX, area.bottom() + 20, area.width() + _SHELF_PX, 16)
        text = "what must be bought →    ↑ MB/s that last for the whole take"
        self.write(painter, caption, text, color="soft", size_px=12)
        y = area.bottom() - area.height() * (math.log10(self._needed) - low) / (high - low)
        painter.setPen(QPen(self.look.color("copper"), 2.4))
        painter.drawLine(QPointF(_LEFT_PX, y), QPointF(area.right(), y))
        text = f"need {self.look.numbers.number(self._needed / MB, 0)}"
        box = QRectF(area.right() - 70, y + 2, 70, 16)
        right = Qt.AlignmentFlag.AlignRight
        self.write(painter, box, text, color="copper_text", weight=600, align=right)

    def _front(self, painter: QPainter, found: Found) -> None:
        """The steps that nothing beats: cheaper and as fast there is none."""
        shown = set(self._rows.tolist())
        front = [row for row in found.front if row in shown]
        if len(front) < 2:
            return
        painter.setPen(QPen(self.look.color("ink"), 1.2))
        before = self.place_of(front[0])
        for row in front[1:]:
            at = self.place_of(row)
            painter.drawLine(before, QPointF(at.x(), before.y()))
            painter.drawLine(QPointF(at.x(), before.y()), at)
            before = at

    def _mark(self, painter: QPainter, at: QPointF, verdict: Verdict) -> None:
        """Full, half or open, as the verdict's vessel is; struck through where it falls short."""
        box = QRectF(at.x() - _DOT_PX, at.y() - _DOT_PX, 2 * _DOT_PX, 2 * _DOT_PX)
        color = self.look.verdict_color(verdict)
        pen = QPen(color, 1.2)
        if verdict is Verdict.NOT_KNOWN:
            pen.setStyle(Qt.PenStyle.DotLine)
        painter.setPen(pen)
        painter.setBrush(self.look.color("panel"))
        if verdict is Verdict.HOLDS:
            painter.setBrush(color)
        painter.drawRect(box)
        if verdict is Verdict.TIGHT:
            painter.fillRect(box.adjusted(0, _DOT_PX, 0, 0), color)
        elif verdict is Verdict.FALLS_SHORT:
            painter.drawLine(box.bottomLeft(), box.topRight())
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _ring(self, painter: QPainter, at: QPointF, color: str) -> None:
        painter.setPen(QPen(self.look.color(color), 2.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(at, 8.0, 8.0)

    def _picks(self, painter: QPainter, found: Found) -> None:
        """Names beside what stands out; several picks of one candidate share a line."""
        names: dict[int, list[str]] = {}
        for pick, row in found.picks.items():
            names.setdefault(row, []).append(_SHORT[pick])
        taken: list[QRectF] = []
        for row, words in names.items():
            at = self.place_of(row)
            text = ", ".join(words)
            width = 7.0 * len(text) + 10
            left = at.x() + 9 if at.x() + width < self.width() else at.x() - width - 9
            box = QRectF(left, at.y() - 19, width, 16)
            while any(box.intersects(other) for other in taken) and box.top() > 0:
                box.translate(0, -15)
            taken.append(QRectF(box))
            self._ring(painter, at, "moss")
            painter.fillRect(box, self.look.color("panel", 215))
            self.write(painter, box, text, color="moss_text", weight=600, size_px=12)

    # Choosing

    def nearest(self, point: QPointF) -> int:
        """Return the candidate next to *point*, -1 where none is near."""
        if self._found is None or not self._rows.size:
            return -1
        places = self._points()
        distance = np.hypot(places[:, 0] - point.x(), places[:, 1] - point.y())
        # Of several at one place, the one that holds by most.
        margin = self._found.table.margin[self._rows]
        order = np.lexsort((-margin, np.round(distance)))
        nearest = int(order[0])
        return int(self._rows[nearest]) if distance[nearest] <= _NEAR_PX else -1

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        row = self.nearest(event.position())
        if row >= 0 and event.button() is Qt.MouseButton.LeftButton:
            self.chosen.emit(row)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        found = self._found
        if step is None or found is None or not found.front:
            QWidget.keyPressEvent(self, event)
            return
        front = list(found.front)
        at = front.index(self.row) + step if self.row in front else 0
        self.chosen.emit(front[min(max(at, 0), len(front) - 1)])


def _round_prices(most: float) -> list[float]:
    """Return about five round prices up to *most*, evenly apart under a square root."""
    found: list[float] = []
    for share in (0.04, 0.16, 0.36, 0.64, 1.0):
        price = most * share
        step = 10 ** math.floor(math.log10(max(price, 1.0)))
        rounded = round(price / step) * step
        if 0 < rounded <= most and rounded not in found:
            found.append(rounded)
    return found
