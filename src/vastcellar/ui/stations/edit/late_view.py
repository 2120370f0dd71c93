"""One late place of the cut, close up: which clips are read, what carries it, what is late."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QBrush, QPainter, QPen

from vastcellar.core.edit.demand import LateSpot
from vastcellar.services.edit.edit_planning import PlannedStore
from vastcellar.services.edit.edit_sums import LATE_SUM
from vastcellar.services.edit.edit_wording import position
from vastcellar.services.edit.timelines import TimelineDemand
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.picture import Picture

_LEFT_PX, _TOP_PX, _BOTTOM_PX = 34.0, 26.0, 20.0
_AROUND_S = 3.0
_NAME_PX, _NAME_HIGH_PX = 40.0, 14.0
Scale = Callable[[float], float]
_RIGHT, _CENTRE = Qt.AlignmentFlag.AlignRight, Qt.AlignmentFlag.AlignHCenter


class LateView(Picture):
    """Clips stacked over each other in the seconds around a late place."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._planned: PlannedStore | None = None
        self._cut: TimelineDemand | None = None
        self._spot: LateSpot | None = None
        self.setMinimumHeight(90)
        self.setAccessibleName("The late place")

    def sizeHint(self) -> QSize:
        return QSize(262, 150)

    def show_spot(
        self, planned: PlannedStore | None, cut: TimelineDemand | None, spot: LateSpot | None
    ) -> None:
        """Show *spot*; None where nothing is late."""
        self._planned, self._cut, self._spot = planned, cut, spot
        if spot is not None:
            self.setAccessibleDescription(
                f"{position(spot.start_s)}: {spot.frames:.0f} of {spot.of_frames:.0f} frames late; "
                f"{', '.join(spot.clips)}"
            )
        self.update()

    def paint(self, painter: QPainter) -> None:
        planned, cut, spot = self._planned, self._cut, self._spot
        if planned is None or cut is None:
            return
        look, numbers = self.look, self.look.numbers
        if spot is None:
            words = QRectF(4, 4, self.width() - 8, 20)
            self.write(painter, words, "Nothing of it comes late", weight=600, color="moss_text")
            return
        head = QRectF(2, 2, self.width() - 110, 20)
        self.write(painter, head, f"{position(spot.start_s)} comes late", size_px=15, weight=600,
                   color="brick_text", may_cut=True)  # fmt: skip
        told = f"{spot.frames:.0f} of {spot.of_frames:.0f} frames"
        self.write(painter, QRectF(self.width() - 112, 2, 108, 20), told, color="brick_text",
                   weight=600, align=_RIGHT)  # fmt: skip
        start_s = max(spot.from_s - _AROUND_S, 0.0)
        end_s = min(spot.end_s + _AROUND_S, cut.demand.duration_s)
        plot = QRectF(_LEFT_PX, _TOP_PX, self.width() - _LEFT_PX - 6,
                      self.height() - _TOP_PX - _BOTTOM_PX)  # fmt: skip
        most = max(cut.demand.peak_bytes_per_s, 1.0) * 1.04

        def x(at_s: float) -> float:
            share = (at_s - start_s) / (end_s - start_s)
            return plot.left() + plot.width() * min(max(share, 0.0), 1.0)

        def y(bytes_per_s: float) -> float:
            return plot.bottom() - plot.height() * min(bytes_per_s / most, 1.0)

        names = self._clips(painter, cut, start_s, end_s, x, y)
        given = planned.ladder.rung(max(len(spot.clips), 1)).limit.bytes_per_s
        peak = cut.demand.peak_bytes_per_s
        carried = QRectF(x(spot.from_s), y(peak), x(spot.start_s) - x(spot.from_s),
                         y(given) - y(peak))  # fmt: skip
        painter.fillRect(carried, QBrush(look.color("ink", 170), Qt.BrushStyle.BDiagPattern))
        late = QRectF(x(spot.start_s), y(peak), x(spot.end_s) - x(spot.start_s), y(given) - y(peak))
        painter.fillRect(late, look.color("brick", 220))
        painter.setPen(QPen(look.color("brick"), 1.6))
        painter.drawLine(QPointF(plot.left(), y(given)), QPointF(plot.right(), y(given)))
        self.write(painter, QRectF(0, y(given) - 8, _LEFT_PX - 4, 16),
                   numbers.number(given / 1e6, 0), size_px=12, weight=600, color="brick_text",
                   align=_RIGHT)  # fmt: skip
        painter.setPen(QPen(look.color("line"), 1))
        painter.drawLine(plot.bottomLeft(), plot.bottomRight())
        for at_s in (spot.from_s, spot.end_s):
            box = QRectF(x(at_s) - 26, plot.bottom() + 2, 52, 16)
            self.write(painter, box, position(at_s), size_px=12, color="soft", align=_CENTRE)
        for box, name in names:
            is_over = box.top() < y(given) - 1  # over the late part, where ink can't be read
            if is_over and box.left() < late.left() < box.right() - _NAME_PX:
                box.setLeft(late.left() + 4)
            self.write(painter, box, name, size_px=12, weight=600 if is_over else 400,
                       color="panel" if is_over else "ink", may_cut=True)  # fmt: skip
        self.place(QRectF(self.rect()), LATE_SUM)

    def _clips(
        self,
        painter: QPainter,
        cut: TimelineDemand,
        start_s: float,
        end_s: float,
        x: Scale,
        y: Scale,
    ) -> list[tuple[QRectF, str]]:
        """Stack what is read, clip by clip; return where there is room for their names."""
        look = self.look
        clips = cut.demand.clips_at(start_s, end_s)
        edges = sorted({start_s, end_s,
                        *(each.start_s for each in clips if each.start_s > start_s),
                        *(each.end_s for each in clips if each.end_s < end_s)})  # fmt: skip
        order = sorted(clips, key=lambda each: (each.track, each.start_s))
        names: dict[int, QRectF] = {}
        for begin_s, stop_s in pairwise(edges):
            below = 0.0
            for number, each in enumerate(order):
                if each.start_s >= stop_s or each.end_s <= begin_s:
                    continue
                box = QRectF(x(begin_s), y(below + each.bytes_per_s), x(stop_s) - x(begin_s),
                             y(below) - y(below + each.bytes_per_s))  # fmt: skip
                painter.fillRect(box, look.color("water", 230 if number % 2 else 150))
                painter.setPen(QPen(look.color("panel"), 1))
                painter.drawLine(box.topLeft(), box.bottomLeft())
                whole = x(each.end_s) - box.left()
                if whole > _NAME_PX and box.height() > _NAME_HIGH_PX:
                    names.setdefault(
                        number, QRectF(box.left() + 4, box.top(), whole - 6, box.height())
                    )
                below += each.bytes_per_s
        return [(box, order[number].name) for number, box in names.items()]
