"""What the cut asks for, as a skyline over its time: carried hatched, late in brick."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QBrush, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from vastcellar.core.edit.demand import LateSpot
from vastcellar.services.edit.edit_planning import PlannedStore
from vastcellar.services.edit.edit_wording import position
from vastcellar.services.edit.timelines import TimelineDemand
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.picture import Picture

_LEFT_PX, _TOP_PX, _BOTTOM_PX = 34.0, 22.0, 20.0
_RIGHT, _CENTRE = Qt.AlignmentFlag.AlignRight, Qt.AlignmentFlag.AlignHCenter
_LEAST_PX = 3.0


class DemandView(Picture):
    """The cut from its beginning to its end; ← and → go from one late place to the next."""

    spot_chosen = Signal(int)

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._planned: PlannedStore | None = None
        self._cut: TimelineDemand | None = None
        self.spot = 0
        self.setMinimumHeight(90)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("What the cut asks for; ← and → choose a late place")

    def sizeHint(self) -> QSize:
        return QSize(560, 150)

    @property
    def late(self) -> tuple[LateSpot, ...]:
        """The places that come late."""
        played = self._planned.played if self._planned else None
        return played.late if played else ()

    def show_cut(self, planned: PlannedStore | None, cut: TimelineDemand | None) -> None:
        """Show a cut as a store plays it; its worst place is chosen."""
        self._planned, self._cut = planned, cut
        late = self.late
        self.spot = max(range(len(late)), key=lambda n: late[n].frames, default=0)
        told = [f"{position(each.start_s)}: {each.frames:.0f} late" for each in late]
        self.setAccessibleDescription("; ".join(told) or "nothing is late")
        self.update()

    def choose(self, number: int) -> None:
        """Look at another late place."""
        if 0 <= number < len(self.late):
            self.spot = number
            self.spot_chosen.emit(number)
            self.update()

    def _x(self, at_s: float) -> float:
        cut = self._cut
        whole = cut.demand.duration_s if cut else 1.0
        return _LEFT_PX + (self.width() - _LEFT_PX - 8) * at_s / whole

    def paint(self, painter: QPainter) -> None:
        planned, cut = self._planned, self._cut
        if planned is None or cut is None:
            return
        look, numbers, demand = self.look, self.look.numbers, cut.demand
        plot = QRectF(_LEFT_PX, _TOP_PX, self.width() - _LEFT_PX - 8,
                      self.height() - _TOP_PX - _BOTTOM_PX)  # fmt: skip
        most = demand.peak_bytes_per_s * 1.04

        def y(bytes_per_s: float) -> float:
            return plot.bottom() - plot.height() * min(bytes_per_s / most, 1.0)

        columns = demand.by_column(max(int(plot.width()), 1))
        points = [plot.bottomLeft()]
        for number, rate in enumerate(columns):
            x = plot.left() + number
            points += [QPointF(x, y(rate)), QPointF(x + 1, y(rate))]
        points.append(QPointF(points[-1].x(), plot.bottom()))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(look.color("water"))
        painter.drawPolygon(QPolygonF(points))
        given = planned.ladder.rung(max(int(demand.streams.max(initial=1)), 1)).limit.bytes_per_s
        self._spots(painter, planned, plot, y)
        painter.setPen(QPen(look.color("line"), 1))
        painter.drawLine(plot.bottomLeft(), plot.bottomRight())
        if given <= most:
            painter.setPen(QPen(look.color("brick"), 1.6))
            painter.drawLine(QPointF(plot.left(), y(given)), QPointF(plot.right(), y(given)))
            self.write(painter, QRectF(0, y(given) - 8, _LEFT_PX - 4, 16),
                       numbers.number(given / 1e6, 0), size_px=12, weight=600, color="brick_text",
                       align=_RIGHT)  # fmt: skip
        peak = y(demand.peak_bytes_per_s)
        painter.setPen(QPen(look.color("copper"), 1.6))
        painter.drawLine(QPointF(plot.left(), peak), QPointF(plot.right(), peak))
        self.write(painter, QRectF(0, peak - 8, _LEFT_PX - 4, 16),
                   numbers.number(demand.peak_bytes_per_s / 1e6, 0), size_px=12, weight=600,
                   color="copper_text", align=_RIGHT)  # fmt: skip
        for number in range(6):
            at_s = demand.duration_s * number / 5
            box = QRectF(self._x(at_s) - 30, plot.bottom() + 2, 60, 16)
            box.moveRight(min(box.right(), self.width() - 2.0))
            box.moveLeft(max(box.left(), _LEFT_PX - 8))
            self.write(painter, box, position(at_s), size_px=12, color="soft", align=_CENTRE)

    def _spots(
        self, painter: QPainter, planned: PlannedStore, plot: QRectF, y: Callable[[float], float]
    ) -> None:
        look, played, cut = self.look, planned.played, self._cut
        if played is None or cut is None:
            return
        for from_s, to_s in played.carried:
            left = self._x(from_s)
            box = QRectF(left, plot.top(), max(self._x(to_s) - left, _LEAST_PX), plot.height())
            painter.fillRect(box, look.color("panel", 120))
            painter.fillRect(box, QBrush(look.color("ink", 120), Qt.BrushStyle.BDiagPattern))
        right = -1e9
        for number, spot in enumerate(played.late):
            left = self._x(spot.from_s)
            box = QRectF(left, plot.top(), max(self._x(spot.end_s) - left, _LEAST_PX + 2),
                         plot.height())  # fmt: skip
            painter.fillRect(box, look.color("brick"))
            label = QRectF(box.center().x() - 22, 4, 44, 16)
            if label.left() > right:
                self.write(painter, label, f"{spot.frames:.0f}", size_px=12, weight=600,
                           color="brick_text", align=_CENTRE)  # fmt: skip
                right = label.right() - 16
            if number == self.spot:
                painter.setPen(QPen(look.color("copper" if self.hasFocus() else "ink"), 1.6))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(box.adjusted(-4, -20, 4, 2), 3, 3)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        late = self.late
        if late:
            x = event.position().x()
            self.choose(min(range(len(late)), key=lambda n: abs(self._x(late[n].start_s) - x)))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if step is None:
            QWidget.keyPressEvent(self, event)
        else:
            self.choose(self.spot + step)
