"""What it costs beside what is sold: price by capacity, where building pays, per anything."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QHeaderView, QTableView, QVBoxLayout, QWidget

from vastcellar.services.build.price_wording import (
    TIER_COLUMNS,
    WAYS,
    tier_table,
    tiers_sentence,
)
from vastcellar.services.build.tiers import Offer, Tiers
from vastcellar.ui.look import Look
from vastcellar.ui.models.text_table import TextTable
from vastcellar.ui.widgets.cards import card, label
from vastcellar.ui.widgets.picture import Picture

_LEFT_PX, _RIGHT_PX, _TOP_PX, _BOTTOM_PX = 64.0, 130.0, 26.0, 26.0
_NOTHING = "Several drives at once: no single closed drive stands beside them."
_NONE = Tiers((), None, None)


class PriceChart(Picture):
    """Price against capacity: built in copper, ready-made in ink, an upgrade dashed."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._tiers, self._currency, self._own = _NONE, "", 0.0
        self.setMinimumHeight(150)

    def sizeHint(self) -> QSize:
        return QSize(820, 240)

    def show_tiers(self, tiers: Tiers, own_bytes: float, currency: str) -> None:
        """Draw *tiers*, the build's own capacity marked."""
        self._tiers, self._own, self._currency = tiers, own_bytes, currency
        self.setAccessibleDescription(tiers_sentence(tiers, self.look.numbers, currency))
        self.update()

    def paint(self, painter: QPainter) -> None:
        rows = self._tiers.rows
        if not rows:
            return
        look, numbers = self.look, self.look.numbers
        self._most_bytes = max(row.capacity_bytes for row in rows) * 1.04
        prices = [
            offer.worth.price for row in rows for name, _ in WAYS if (offer := getattr(row, name))
        ]
        self._most_price = max(prices) * 1.1
        plot = QRectF(_LEFT_PX, _TOP_PX, self.width() - _LEFT_PX - _RIGHT_PX,
                      self.height() - _TOP_PX - _BOTTOM_PX)  # fmt: skip
        self._plot = plot
        painter.setPen(QPen(look.color("line"), 1))
        painter.drawLine(plot.bottomLeft(), plot.bottomRight())
        for price in _round_prices(self._most_price):
            y = self._at(0, price).y()
            painter.setPen(QPen(look.color("line"), 0.7))
            painter.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y))
            self.write(painter, QRectF(0, y - 8, _LEFT_PX - 8, 16), numbers.number(price, 0),
                       size_px=12, color="soft", align=Qt.AlignmentFlag.AlignRight)  # fmt: skip
        self.write(painter, QRectF(0, plot.bottom() - 8, _LEFT_PX - 8, 16), self._currency,
                   size_px=12, color="soft", align=Qt.AlignmentFlag.AlignRight)  # fmt: skip
        right = -1.0
        for row in rows:
            x = self._at(row.capacity_bytes, 0).x()
            is_own = row.capacity_bytes == self._own
            box = QRectF(x - 34, plot.bottom() + 4, 68, 16)
            if box.left() < right and not is_own:
                continue  # sizes that lie close together would be written over each other
            right = box.right()
            self.write(painter, box, numbers.size(row.capacity_bytes), size_px=12,
                       weight=600 if is_own else 400, color="ink" if is_own else "soft",
                       align=Qt.AlignmentFlag.AlignHCenter)  # fmt: skip
        self._ends: list[float] = []
        for name, words in WAYS:
            self._line(painter, name, words)
        self._ring(painter)

    def _at(self, capacity: float, price: float) -> QPointF:
        plot = self._plot
        return QPointF(plot.left() + plot.width() * capacity / self._most_bytes,
                       plot.bottom() - plot.height() * price / self._most_price)  # fmt: skip

    def _line(self, painter: QPainter, name: str, words: str) -> None:
        offers: list[tuple[float, Offer]] = [
            (row.capacity_bytes, offer)
            for row in self._tiers.rows
            if (offer := getattr(row, name)) is not None
        ]
        if not offers:
            return
        color = "copper" if name == "built" else "ink"
        points = [self._at(capacity, offer.worth.price) for capacity, offer in offers]
        pen = self.dashed("soft") if name == "factory" else QPen(self.look.color(color), 1.8)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(points))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.look.color(color))
        for point in points:
            if name == "built":
                painter.drawRect(QRectF(point.x() - 4, point.y() - 4, 8, 8))
            else:
                painter.drawEllipse(point, 4, 4)
        last = points[-1]
        y = last.y() - 24  # over the last mark, where no line of its own goes
        while any(abs(y - taken) < 15 for taken in self._ends):
            y -= 15
        self._ends.append(y)
        self.write(painter, QRectF(last.x() - 50, y, 180, 16), words,
                   size_px=12, weight=600,
                   color="copper_text" if name == "built" else "ink")  # fmt: skip

    def _ring(self, painter: QPainter) -> None:
        if self._tiers.crossing is None:
            return
        capacity, price = self._tiers.crossing
        point = self._at(capacity, price)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(self.look.color("copper"), 2))
        painter.drawEllipse(point, 9, 9)
        numbers = self.look.numbers
        text = f"they cross at {numbers.size(capacity)}"
        self.write(painter, QRectF(point.x() - 150, point.y() - 30, 145, 16), text, size_px=12,
                   weight=600, color="copper_text", align=Qt.AlignmentFlag.AlignRight)  # fmt: skip


def _round_prices(most: float) -> list[float]:
    """Return prices of one figure that lie under *most*, three to six of them."""
    tens = 10.0 ** math.floor(math.log10(most))
    step = next(tens * each for each in (0.2, 0.5, 1.0, 2.0) if most / (tens * each) <= 6)
    return [step * number for number in range(1, int(most / step) + 1)]


class PricePage(QWidget):
    """The chart over a table of every way to every capacity."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self.sentence = label(wraps=True)
        self.chart = PriceChart(look)
        self.table = QTableView()
        self.table.setAccessibleName("Prices by capacity")
        self.table.verticalHeader().hide()
        self.table.setEditTriggers(QTableView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
        self.table.setShowGrid(False)
        self.model = TextTable(TIER_COLUMNS, figures_from=2)
        self.table.setModel(self.model)
        header = self.table.horizontalHeader()
        self.table.verticalHeader().setDefaultSectionSize(24)
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        frame, inside = card()
        inside.addWidget(self.sentence)
        inside.addWidget(self.chart, 1)
        layout.addWidget(frame, 3)
        frame, inside = card()
        inside.addWidget(self.table, 1)
        layout.addWidget(frame, 2)

    def show_tiers(self, tiers: Tiers, own_bytes: float, currency: str) -> None:
        """Show a build beside what is sold; *own_bytes* is its capacity."""
        numbers = self._look.numbers
        self.sentence.setText(tiers_sentence(tiers, numbers, currency) or _NOTHING)
        self.chart.show_tiers(tiers, own_bytes, currency)
        for widget in (self.chart, self.table):
            widget.setVisible(bool(tiers.rows))
        self.model.show_rows(tier_table(tiers, numbers))
