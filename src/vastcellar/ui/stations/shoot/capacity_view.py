"""Capacity over the days: what is recorded, and what each copy holds against its units' room."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPen, QPolygonF

from vastcellar.core.evidence import Verdict
from vastcellar.core.shoot.shoot_plan import CopyPlan, copy_verdict
from vastcellar.services.shoot.planning import PlannedShoot
from vastcellar.services.words.verdict_wording import SHORT_WORDS
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.marks import draw_verdict
from vastcellar.ui.widgets.picture import Picture

_ROW_PX = 84
_AXIS_PX = 22
_LEFT_PX, _RIGHT_PX = 118.0, 118.0
_MOST_LABELS = 14
_CENTRE = Qt.AlignmentFlag.AlignHCenter


class CapacityView(Picture):
    """One strip for the material of each day, one for every copy."""

    copy_chosen = Signal(str)

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._planned: PlannedShoot | None = None
        self.chosen = ""
        self.setObjectName("inside")

    def show_plan(self, planned: PlannedShoot, chosen: str) -> None:
        """Draw the days of the plan, the copy *chosen* lit."""
        self._planned, self.chosen = planned, chosen
        self.setMinimumHeight(self.sizeHint().height())
        self.update()

    def sizeHint(self) -> QSize:
        rows = 1 + (len(self._planned.plan.copies) if self._planned else 0)
        return QSize(520, rows * _ROW_PX + _AXIS_PX)

    def paint(self, painter: QPainter) -> None:
        planned = self._planned
        if planned is None:
            return
        days = planned.shoot.days
        rows = 1 + len(planned.plan.copies)
        row_px = (self.height() - _AXIS_PX) / rows
        self._material(painter, self._area(0, row_px), planned)
        for index, plan in enumerate(planned.plan.copies, 1):
            self._copy(painter, self._area(index, row_px), plan, planned)
            box = QRectF(0, index * row_px, self.width(), row_px)
            self.place(box, f"copy:{plan.copy.name}")
        self.place(QRectF(0, 0, self.width(), row_px), "copies")
        self._axis(painter, rows * row_px, days)

    def _area(self, row: int, row_px: float) -> QRectF:
        return QRectF(_LEFT_PX, row * row_px + 8, self.width() - _LEFT_PX - _RIGHT_PX, row_px - 16)

    def _head(self, painter: QPainter, area: QRectF, title: str, *lines: str) -> None:
        self.write(
            painter,
            QRectF(9, area.top() - 2, _LEFT_PX - 14, 18),
            title,
            size_px=14,
            weight=600,
            condensed=False,
        )
        for index, text in enumerate(line for line in lines if line):
            box = QRectF(9, area.top() + 16 + index * 15, _LEFT_PX - 14, 15)
            self.write(painter, box, text, color="soft", size_px=12)

    def _material(self, painter: QPainter, area: QRectF, planned: PlannedShoot) -> None:
        plan, numbers = planned.plan, self.look.numbers
        self._head(painter, area, "Recorded", "a day, all cameras", "and media filled")
        most = max(plan.largest_day_bytes, 1.0)
        width = area.width() / planned.shoot.days
        media = sum((each.media for each in plan.cameras), np.zeros(planned.shoot.days, dtype=int))
        few = planned.shoot.days <= _MOST_LABELS
        body = area.adjusted(0, 14 if few else 2, 0, 0)
        for day, made in enumerate(plan.copied_bytes):
            high = body.height() * float(made) / most
            gap = min(2.0, width * 0.15)
            box = QRectF(
                area.left() + day * width + gap, body.bottom() - high, width - 2 * gap, high
            )
            painter.fillRect(box, self.look.color("water"))
            if few:
                text = numbers.size(float(made))
                self.write(
                    painter,
                    QRectF(box.left() - 4, box.top() - 15, box.width() + 8, 14),
                    text,
                    size_px=12,
                    weight=500,
                    align=_CENTRE,
                )
                if high > 18:
                    inside = QRectF(box.left(), box.bottom() - 17, box.width(), 15)
                    text = f"{int(media[day])} media"
                    self.write(painter, inside, text, size_px=12, align=_CENTRE)
        painter.setPen(QPen(self.look.color("line"), 1))
        painter.drawLine(area.bottomLeft(), area.bottomRight())
        right = QRectF(area.right() + 10, area.top() - 2, _RIGHT_PX - 10, 18)
        self.write(painter, right, numbers.size(plan.total_bytes), size_px=15, weight=600)
        low, high_text = numbers.size(plan.easy_bytes), numbers.size(plan.hard_bytes)
        for index, text in enumerate(("in all", f"{low} to {high_text}")):
            box = QRectF(right.left(), area.top() + 16 + 15 * index, right.width(), 15)
            self.write(painter, box, text, color="soft", size_px=12)

    def _copy(self, painter: QPainter, area: QRectF, plan: CopyPlan, planned: PlannedShoot) -> None:
        look, numbers, copy = self.look, self.look.numbers, plan.copy
        is_chosen = copy.name == self.chosen
        if is_chosen:
            painter.fillRect(QRectF(0, area.top() - 4, 3, area.height() + 8), look.color("copper"))
        kept = f"last {copy.keep_days} days" if copy.keep_days else "to the end"
        self._head(painter, area, copy.name, copy.kept_at, kept)
        free = planned.free_bytes.get(copy.name)
        verdict, margin = copy_verdict(plan, free)
        most = max(plan.needed_bytes, free or 0.0, 1.0) * 1.05
        step = area.width() / planned.shoot.days
        points = QPolygonF([area.bottomLeft()])
        for day, held in enumerate(plan.held_bytes):
            y = area.bottom() - area.height() * float(held) / most
            left = area.left() + day * step
            points.append(QPointF(left, y))
            points.append(QPointF(left + step, y))
        points.append(area.bottomRight())
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(look.color("water", 150))
        painter.drawPolygon(points)
        if free is not None:
            self._ceiling(painter, area, plan, free, most, step)
        painter.setPen(QPen(look.color("line"), 1))
        painter.drawLine(area.bottomLeft(), area.bottomRight())
        right = QRectF(area.right() + 10, area.top() - 2, _RIGHT_PX - 10, 18)
        needs = f"needs {numbers.size(plan.needed_bytes)}"
        self.write(painter, right, needs, size_px=14, weight=600)
        draw_verdict(painter, QRectF(right.left() - 1, area.top() + 17, 16, 15), verdict, look)
        word = "no unit named" if free is None else SHORT_WORDS[verdict]
        if margin is not None:
            word += f" {numbers.percent(margin, signed=True)}"
        name = {Verdict.HOLDS: "moss_text", Verdict.TIGHT: "ochre_text"}.get(verdict, "brick_text")
        self.write(
            painter,
            QRectF(right.left() + 19, area.top() + 16, right.width() - 19, 16),
            word,
            color="soft" if verdict is Verdict.NOT_KNOWN else name,
            weight=500,
        )
        units = ", ".join(copy.unit_tags)
        if free is not None:
            room = f"{numbers.size(free)} on {units}"
        else:
            room = f"shelf has {numbers.size(planned.shelf_free_bytes)}"
        box = QRectF(right.left(), area.top() + 33, right.width(), 15)
        self.write(painter, box, room, color="soft", size_px=12)

    def _ceiling(
        self,
        painter: QPainter,
        area: QRectF,
        plan: CopyPlan,
        free: float,
        most: float,
        step: float,
    ) -> None:
        """The room of the copy's units, and the day from which it is too little."""
        y = area.bottom() - area.height() * free / most
        over = (plan.held_bytes > free).nonzero()[0]
        painter.setPen(self.dashed("brick" if over.size else "moss", 1.8))
        painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
        if not over.size:
            return
        x = area.left() + int(over[0]) * step
        painter.setPen(QPen(self.look.color("brick"), 1.6))
        painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
        text = f"full on day {int(over[0]) + 1}"
        box = QRectF(x - 104, area.top() - 2, 100, 15)
        if box.left() < area.left():
            box.moveLeft(x + 4)
            align = Qt.AlignmentFlag.AlignLeft
        else:
            align = Qt.AlignmentFlag.AlignRight
        self.write(painter, box, text, color="brick_text", size_px=12, weight=600, align=align)

    def _axis(self, painter: QPainter, top: float, days: int) -> None:
        width = (self.width() - _LEFT_PX - _RIGHT_PX) / days
        step = next(s for s in (1, 2, 5, 10, 20, 50, 100, 200) if days / s <= _MOST_LABELS)
        shown = range(step, days + 1, step) if step > 1 else range(1, days + 1)
        for day in shown:
            box = QRectF(_LEFT_PX + (day - 0.5) * width - 30, top + 4, 60, 14)
            text = f"day {day}" if day == shown[0] else str(day)
            self.write(painter, box, text, color="soft", size_px=12, align=_CENTRE)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        key = self.place_at(event.position())
        if event.button() is not Qt.MouseButton.LeftButton or not key:
            return
        if key.startswith("copy:"):
            self.copy_chosen.emit(key.removeprefix("copy:"))
        self.asked.emit("copies")
