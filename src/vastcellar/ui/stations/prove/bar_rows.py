"""Bars beside each other with a sentence each; the need is a copper stroke through them."""

from __future__ import annotations

import math

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from vastcellar.services.proving.file_rows import ResultRow, ResultRows
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.picture import Picture

_ROW_PX, _TITLE_PX, _NAME_PX, _TEXT_PX = 34.0, 24.0, 180.0, 330.0
_BAR_PX = 16.0


class BarRows(Picture):
    """Parts of a result, each a bar; what fell short is brick and says so in words."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self.shown = ResultRows("", ())

    def show_rows(self, rows: ResultRows) -> None:
        """Draw *rows*."""
        self.shown = rows
        self.setAccessibleDescription("; ".join(f"{each.name}: {each.text}" for each in rows.rows))
        self.update()

    def paint(self, painter: QPainter) -> None:
        """Draw as many rows as there is room for."""
        width = float(self.width())
        self.write(painter, QRectF(0, 0, width, _TITLE_PX), self.shown.title, color="soft")
        fit = max(int((self.height() - _TITLE_PX) // _ROW_PX), 1)
        for number, row in enumerate(self.shown.rows[:fit]):
            self._paint_row(painter, row, _TITLE_PX + number * _ROW_PX, width)

    def _paint_row(self, painter: QPainter, row: ResultRow, top: float, width: float) -> None:
        look = self.look
        self.write(painter, QRectF(0, top, _NAME_PX - 8, _ROW_PX), row.name, weight=600)
        room = width - _NAME_PX - _TEXT_PX - 12
        bar = QRectF(_NAME_PX, top + (_ROW_PX - _BAR_PX) / 2, room, _BAR_PX)
        painter.fillRect(bar, look.color("line", 90))
        filled = QRectF(bar)
        filled.setWidth(room * min(max(row.share, 0.0), 1.0))
        painter.fillRect(filled, look.color("brick" if row.is_short else "water"))
        if not math.isnan(row.wanted):
            at = bar.left() + room * row.wanted
            painter.setPen(QPen(look.color("copper"), 2.4))
            painter.drawLine(int(at), int(top + 4), int(at), int(top + _ROW_PX - 4))
        self.write(
            painter,
            QRectF(width - _TEXT_PX, top, _TEXT_PX, _ROW_PX),
            row.text,
            color="brick_text" if row.is_short else "ink",
            align=Qt.AlignmentFlag.AlignLeft,
        )
