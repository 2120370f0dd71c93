"""Shapes of the day that more than one row draws: hatch, ticks, and what can be taken hold of."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QPainter, QPen

from vastcellar.ui.look import Look

TIGHT_PX, WIDE_PX = 5.0, 11.0
"""Between the lines of a hatch: as fast as it was, and slowed."""
_TICK_PX = 3.2


def hatch(painter: QPainter, box: QRectF, look: Look, step_px: float = TIGHT_PX) -> None:
    """Fill *box* with slanted lines, so far apart: it is copied."""
    if box.width() < 1:
        return
    painter.save()
    painter.setClipRect(box)
    painter.setPen(QPen(look.color("ink", 150), 1.1))
    # From the picture's own edge on, so that the lines of neighbours meet.
    x = math.floor((box.left() - box.height()) / step_px) * step_px
    while x < box.right():
        painter.drawLine(QPointF(x, box.bottom()), QPointF(x + box.height(), box.top()))
        x += step_px
    painter.restore()


def ticks(painter: QPainter, box: QRectF, look: Look) -> None:
    """Fill *box* with upright ticks: it is read back."""
    painter.setPen(QPen(look.color("ink"), 1.3))
    x = box.left() + 1
    while x < box.right():
        painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
        x += _TICK_PX


def shaded(look: Look, color: str, alpha: int) -> QBrush:
    """Return a brush of slanted lines, for times in which nothing is done."""
    return QBrush(look.color(color, alpha), Qt.BrushStyle.BDiagPattern)


def chevron(painter: QPainter, centre: QPointF, look: Look) -> None:
    """Draw that something is carried."""
    painter.setPen(QPen(look.color("ink"), 1.5))
    painter.drawPolyline(
        [centre + QPointF(-1.5, -5), centre + QPointF(2, 0), centre + QPointF(-1.5, 5)]
    )


def ring(painter: QPainter, centre: QPointF, look: Look) -> None:
    """Draw that it is free."""
    painter.setPen(QPen(look.color("soft"), 1.2))
    painter.setBrush(look.color("panel"))
    painter.drawEllipse(centre, 2.8, 2.8)


def rising_water(painter: QPainter, points: list[QPointF], look: Look) -> None:
    """Fill what is under the line of *points*."""
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(look.color("water"))
    painter.drawPolygon(points)


def pill(painter: QPainter, centre: QPointF, look: Look, *, is_lying: bool = False) -> None:
    """Draw a handle: a pill with two bars, upright to be moved sideways, lying to be pulled."""
    width, height = (15.0, 11.0) if is_lying else (11.0, 15.0)
    box = QRectF(centre.x() - width / 2, centre.y() - height / 2, width, height)
    painter.setPen(QPen(look.color("ink"), 1.3))
    painter.setBrush(look.color("panel"))
    painter.drawRoundedRect(box, 5, 5)
    for off in (-1.8, 1.8):
        along, across = (QPointF(3, 0), QPointF(0, off)) if is_lying else (
            QPointF(0, 3), QPointF(off, 0))  # fmt: skip
        painter.drawLine(centre + across - along, centre + across + along)
