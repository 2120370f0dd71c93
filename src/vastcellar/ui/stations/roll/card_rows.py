"""The cards of the day, drawn by what they do: fill, walk, wait, are copied, checked, free."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from vastcellar.core.roll.day_run import CardTrip
from vastcellar.core.roll.offloading import CopyStretch
from vastcellar.services.roll.day_planning import PlannedDay
from vastcellar.services.roll.day_wording import minutes, trip_sum_key
from vastcellar.ui.look import font
from vastcellar.ui.stations.roll.day_rows import CardRow, DayRows
from vastcellar.ui.stations.roll.shapes import (
    TIGHT_PX,
    WIDE_PX,
    chevron,
    hatch,
    ring,
    rising_water,
    ticks,
)
from vastcellar.ui.widgets.picture import Picture, text_width

_SLOWED_SHARE = 0.6
"""Below so much of what the same copy reached its hatch is wide: something slowed it."""


class CardPainter:
    """Draws the rows of the cards into the picture of the day."""

    def __init__(self, view: Picture) -> None:
        self._view = view
        self._look = view.look

    def paint(self, painter: QPainter, planned: PlannedDay, rows: DayRows) -> None:
        """Draw every card's row, its camera's letter beside them."""
        for camera in planned.day.cameras:
            mine = list(rows.cards_of(camera.key))
            if not mine:
                continue
            top, bottom = mine[0].box.top() + 3, mine[-1].box.bottom() - 3
            painter.setPen(QPen(self._look.color("soft"), 1.2))
            painter.drawLine(QPointF(22, top), QPointF(22, bottom))
            letter = QRectF(8, (top + bottom) / 2 - 9, 12, 18)
            self._view.write(painter, letter, camera.key, weight=600, condensed=False)
            for row in mine:
                self._row(painter, planned, rows, row)

    def _row(self, painter: QPainter, planned: PlannedDay, rows: DayRows, row: CardRow) -> None:
        look, box = self._look, row.box.adjusted(0, 3, 0, -3)
        name = QRectF(27, row.box.top() + 1, 44, row.box.height() - 2)
        self._view.write(painter, name, row.card_tag, size_px=13, weight=600, may_cut=True)
        room = QRectF(70, row.box.top() + 1, rows.left - 92, row.box.height() - 2)
        words = look.numbers.size(row.room_bytes) if row.is_on_shelf else "one more"
        self._view.write(painter, room, words, color="soft", size_px=12, may_cut=True)
        line = QPen(look.color("soft"), 1)
        line.setDashPattern([1, 4])
        free_s = rows.start_s
        for trip in row.trips:
            self._free(painter, rows, box, free_s, trip.recorded[0].start_s, line)
            self._trip(painter, planned, rows, box, row, trip)
            free_s = trip.free_s
        self._free(painter, rows, box, free_s, rows.end_s, line)

    def _free(
        self, painter: QPainter, rows: DayRows, box: QRectF, from_s: float, to_s: float, pen: QPen
    ) -> None:
        """A ring and dots: it could be recorded to."""
        if not math.isfinite(from_s) or rows.x(to_s) - rows.x(from_s) < 6:
            return
        y = box.center().y()
        left = rows.x(from_s)
        painter.setPen(pen)
        painter.drawLine(QPointF(left + 5, y), QPointF(rows.x(to_s), y))
        ring(painter, QPointF(left + 3, y), self._look)

    def _trip(
        self,
        painter: QPainter,
        planned: PlannedDay,
        rows: DayRows,
        box: QRectF,
        row: CardRow,
        trip: CardTrip,
    ) -> None:
        look = self._look
        self._filling(painter, rows, box, row, trip)
        out = rows.x(trip.out_s)
        painter.fillRect(QRectF(out - 1.5, box.top(), 3, box.height()), look.color("ink"))
        self._walk(painter, rows, box, trip.out_s, trip.arrives_s)
        end_s = trip.over_s if math.isfinite(trip.over_s) else rows.end_s
        self._view.place(rows.span(box, trip.recorded[0].start_s, end_s), trip_sum_key(trip))
        if not math.isfinite(trip.start_s):
            self._queue(painter, rows.span(box, trip.arrives_s, rows.end_s), math.inf)
            return
        swap_s = planned.day.swap_s
        if trip.queue_s > swap_s + 60:
            queue = rows.span(box, trip.arrives_s, trip.start_s - swap_s)
            self._queue(painter, queue, trip.queue_s)
        if math.isfinite(trip.copied_s):
            self._copying(painter, planned, rows, box, trip)
        if math.isfinite(trip.free_s):
            self._walk(painter, rows, box, trip.free_s - planned.day.walk_s, trip.free_s)

    def _filling(
        self, painter: QPainter, rows: DayRows, box: QRectF, row: CardRow, trip: CardTrip
    ) -> None:
        """Rising water: recorded bytes over the room of the card."""
        first = trip.recorded[0]
        painter.fillRect(
            rows.span(box, max(trip.in_s, first.start_s - 600), trip.out_s),
            self._look.color("stone"),
        )
        points = [QPointF(rows.x(first.start_s), box.bottom())]
        for piece in trip.recorded:
            for at_s, level in ((piece.start_s, piece.bytes_before),
                                (piece.end_s, piece.bytes_after)):  # fmt: skip
                height = box.height() * min(level / row.room_bytes, 1.0)
                points.append(QPointF(rows.x(at_s), box.bottom() - height))
        points += [QPointF(rows.x(trip.out_s), points[-1].y()),
                   QPointF(rows.x(trip.out_s), box.bottom())]  # fmt: skip
        rising_water(painter, points, self._look)

    def _walk(
        self, painter: QPainter, rows: DayRows, box: QRectF, from_s: float, to_s: float
    ) -> None:
        """A chevron: it is carried."""
        x = (rows.x(from_s) + rows.x(to_s)) / 2
        chevron(painter, QPointF(x, box.center().y()), self._look)

    def _queue(self, painter: QPainter, box: QRectF, queue_s: float) -> None:
        """A dashed box: it lies at the computer."""
        painter.setPen(self._view.dashed("ink", 1.1))
        painter.setBrush(self._look.color("panel"))
        painter.drawRect(box.adjusted(0, 1, 0, -1))
        words = f"queue {minutes(queue_s, self._look.numbers)}"
        if math.isinf(queue_s):
            words = "never copied"
        if text_width(words, font(12, condensed=True)) + 6 <= box.width():
            self._view.write(painter, box, words, size_px=12, align=Qt.AlignmentFlag.AlignHCenter)

    def _copying(
        self, painter: QPainter, planned: PlannedDay, rows: DayRows, box: QRectF, trip: CardTrip
    ) -> None:
        """A lane for each drive: hatch while it is copied, ticks for the rest of its check."""
        stretches = [
            each
            for each in planned.run.copies
            if each.card_tag == trip.card_tag
            and not each.is_reading_back
            and trip.start_s - 1 <= each.start_s < trip.copied_s
        ]
        lane_px = box.height() / len(trip.on)
        for number, done in enumerate(trip.on):
            lane = QRectF(box.left(), box.top() + number * lane_px + 0.5, 0, lane_px - 1.5)
            if done.has_no_room:
                self._view.write(
                    painter, rows.span(lane, trip.start_s, rows.end_s), f"no room on "
                    f"{done.drive_tag}", color="brick_text", size_px=12, may_cut=True,
                )  # fmt: skip
                continue
            self._hatched(painter, rows, lane, stretches)
            if not math.isfinite(done.done_s):
                continue
            if done.is_verified:
                ticks(painter, rows.span(lane, trip.copied_s, done.done_s), self._look)
                x = rows.x(done.done_s) + 2
                side = min(lane_px - 1, 5.5)
                mark = QRectF(x, lane.center().y() - side / 2, side, side)
                painter.fillRect(mark, self._look.color("ink"))

    def _hatched(
        self, painter: QPainter, rows: DayRows, lane: QRectF, stretches: list[CopyStretch]
    ) -> None:
        best = max((each.bytes_per_s for each in stretches), default=0.0)
        for each in stretches:
            box = rows.span(lane, each.start_s, each.end_s)
            is_slowed = each.bytes_per_s < _SLOWED_SHARE * best
            painter.fillRect(box, self._look.color("water", 70 if is_slowed else 120))
            hatch(painter, box, self._look, WIDE_PX if is_slowed else TIGHT_PX)
