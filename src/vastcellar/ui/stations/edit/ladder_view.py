"""The stream ladder: channels on the left, their tops run on as limits that the rungs meet."""

from __future__ import annotations

import math
from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPen

from vastcellar.core.edit.edit_store import StageKind
from vastcellar.core.edit.ladder import Given, Ladder, Rung
from vastcellar.services.edit.edit_planning import PlannedStore
from vastcellar.services.edit.edit_sums import DISKS_SUM, HELD_SUM
from vastcellar.services.edit.edit_wording import given_name
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.picture import Picture, column

_HEAD_PX, _FOOT_PX, _CHANNELS_SHARE = 26.0, 24.0, 0.40
_MOST_COLUMN_PX, _GAP_PX, _BAR_PX = 92.0, 10.0, 8.0
_MOST_RUNGS = 8
_LABEL_PX, _LATE_PX = 86.0, 64.0
_CENTRE, _RIGHT = Qt.AlignmentFlag.AlignHCenter, Qt.AlignmentFlag.AlignRight
_MOST_THREADS = 14

Scale = Callable[[float], float]
"""Where a rate lies in the picture."""


class LadderView(Picture):
    """What is asked, against what each stage gives, on one axis of MB/s."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._planned: PlannedStore | None = None
        self._ghost: PlannedStore | None = None
        self._measured: dict[int, float] = {}
        self.setMinimumHeight(210)
        self.setAccessibleName("Stream ladder")

    def sizeHint(self) -> QSize:
        return QSize(560, 270)

    def show_store(self, planned: PlannedStore | None, measured: dict[int, float]) -> None:
        """Show a store; *measured* has late frames a minute of rungs that were played for real."""
        self._planned, self._ghost, self._measured = planned, None, measured
        if planned is not None:
            rate = self.look.numbers.rate
            told = [f"{rung.streams} streams ask {rate(rung.asked_bytes_per_s, 0)}"
                    f", {'held' if rung.is_held else 'late'}" for rung in self.rungs]  # fmt: skip
            self.setAccessibleDescription("; ".join(told))
        self.update()

    def show_ghost(self, planned: PlannedStore | None) -> None:
        """Show beside it what a change would give."""
        self._ghost = planned
        self.update()

    @property
    def rungs(self) -> tuple[Rung, ...]:
        """The rungs that are drawn: all of a short ladder, of a long one some, and its end."""
        planned = self._planned
        if planned is None:
            return ()
        ladder, top = planned.ladder, max(planned.ladder.held + 2, planned.streams)
        if self._ghost is not None:
            top = max(top, min(self._ghost.ladder.held + 1, planned.ladder.held + 6))
        step = max(math.ceil(top / _MOST_RUNGS), 1)
        wanted = {*range(step, top + 1, step), 1, max(ladder.held, 1), ladder.held + 1,
                  planned.streams}  # fmt: skip
        return tuple(ladder.rung(streams) for streams in sorted(wanted))

    def paint(self, painter: QPainter) -> None:
        planned, rungs = self._planned, self.rungs
        if planned is None or not rungs:
            return
        most = max(rung.asked_bytes_per_s for rung in rungs) * 1.1
        plot = QRectF(6, _HEAD_PX, self.width() - 12, self.height() - _HEAD_PX - _FOOT_PX)

        def y(bytes_per_s: float) -> float:
            return plot.bottom() - plot.height() * min(bytes_per_s / most, 1.0)

        self._channels(painter, planned, plot, y, most)
        self._ladder(painter, planned, plot, y, rungs)

    # Channels

    def _channels(
        self, painter: QPainter, planned: PlannedStore, plot: QRectF, y: Scale, most: float
    ) -> None:
        look, numbers = self.look, self.look.numbers
        above = planned.ladder.rung(planned.ladder.held + 1)
        used = min(planned.asked.asked_bytes_per_s, planned.asked.limit.bytes_per_s)
        count = len(above.given)
        room = plot.width() * _CHANNELS_SHARE
        width = min((room - (count - 1) * _GAP_PX) / count, _MOST_COLUMN_PX)
        for number, given in enumerate(above.given):
            left = plot.left() + number * (width + _GAP_PX)
            is_limit = given == above.limit
            top = y(given.bytes_per_s)
            box = QRectF(left, top, width, plot.bottom() - top)
            torn = given.bytes_per_s > most
            column(painter, box, look.color("stone"), torn=torn)
            used_top = y(used)
            color = "brick" if is_limit and not planned.asked.is_held else "water"
            painter.fillRect(QRectF(left, used_top, width, plot.bottom() - used_top),
                             look.color(color, 200))  # fmt: skip
            if given.kind is StageKind.DISKS and not torn:
                self._lost_to_seeks(painter, planned, box, y, given.bytes_per_s)
            label = QRectF(left - 4, top + (6 if torn else 3), width + 8, 18)
            if label.bottom() > plot.bottom():
                label.moveBottom(plot.bottom() - 2)
            self.write(painter, label, numbers.number(given.bytes_per_s / 1e6, 0), weight=600,
                       color="ink", align=_CENTRE, size_px=14)  # fmt: skip
            name = _short(given)
            foot = QRectF(left - 5, plot.bottom() + 3, width + 10, 16)
            self.write(painter, foot, name[:1].upper() + name[1:], align=_CENTRE, size_px=12,
                       weight=600, color="brick_text" if is_limit else "ink",
                       may_cut=True)  # fmt: skip
            self.place(QRectF(left, plot.top(), width, plot.height() + 20),
                       DISKS_SUM if given.kind is StageKind.DISKS else HELD_SUM)  # fmt: skip
        if self._ghost is not None:
            rate = self._ghost.asked.limit.bytes_per_s
            top = y(rate)
            painter.setPen(self.dashed("moss", 1.6))
            painter.drawLine(QPointF(plot.left(), top), QPointF(plot.left() + room, top))
        painter.setPen(QPen(look.color("line"), 1))
        painter.drawLine(plot.bottomLeft(), QPointF(plot.left() + room, plot.bottom()))
        head = QRectF(plot.left(), 4, room, 16)
        self.write(painter, head, "MB/s that each carries", size_px=12, color="soft")

    def _lost_to_seeks(
        self, painter: QPainter, planned: PlannedStore, box: QRectF, y: Scale, given: float
    ) -> None:
        alone = planned.ladder.rung(1).given[0].bytes_per_s
        lost = alone - given
        if lost < 0.03 * alone:
            return
        top = y(alone)
        piece = QRectF(box.left(), top, box.width(), box.top() - top)
        if piece.height() < 6:
            return
        painter.setPen(self.dashed("soft", 1.1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(piece)
        if piece.height() >= 16:
            told = f"{self.look.numbers.number(lost / 1e6, 0)} to seeks"
            self.write(painter, piece, told, size_px=12, color="soft", align=_CENTRE, may_cut=True)

    # The ladder

    def _ladder(
        self, painter: QPainter, planned: PlannedStore, plot: QRectF, y: Scale,
        rungs: tuple[Rung, ...],
    ) -> None:  # fmt: skip
        look, numbers = self.look, self.look.numbers
        left = plot.left() + plot.width() * _CHANNELS_SHARE + _LABEL_PX
        right = plot.right() - _LATE_PX - (46 if self._ghost else 0)
        for x in (left + 8, right - 12):
            painter.fillRect(QRectF(x, plot.top() - 4, 4, plot.height() + 4), look.color("line"))
        self.write(painter, QRectF(left - _LABEL_PX, 4, _LABEL_PX + 20, 16), "MB/s   streams",
                   size_px=12, color="soft")  # fmt: skip
        self.write(painter, QRectF(right + 2, 4, plot.right() - right - 2, 16),
                   "late a minute", size_px=12, color="soft", align=_RIGHT)  # fmt: skip
        self._limit_lines(painter, planned.ladder, plot, left, right, y)
        last_y = math.inf
        for rung in rungs:
            at = y(rung.asked_bytes_per_s)
            if last_y - at < 14 and rung.streams not in (planned.streams, planned.ladder.held):
                continue
            last_y = at
            self._rung(painter, planned, rung, at, left, right, plot)
        self._limit_names(painter, planned.ladder, left, right, y, rungs)
        wanted = y(planned.asked.asked_bytes_per_s)
        painter.setPen(QPen(look.color("copper"), 2.2))
        end = plot.left() + plot.width() * _CHANNELS_SHARE
        painter.drawLine(QPointF(plot.left(), wanted), QPointF(end, wanted))
        painter.drawLine(QPointF(left - 4, wanted), QPointF(right, wanted))
        told = f"wanted {numbers.number(planned.asked.asked_bytes_per_s / 1e6, 0)}"
        place = QRectF(end - 74, wanted - 18, 72, 16)
        self.write(painter, place, told, weight=600, color="copper_text", size_px=12,
                   align=_RIGHT)  # fmt: skip

    def _limit_lines(
        self, painter: QPainter, ladder: Ladder, plot: QRectF, left: float, right: float, y: Scale
    ) -> None:
        above = ladder.rung(ladder.held + 1)
        end = plot.left() + plot.width() * _CHANNELS_SHARE
        for given in above.given:
            top = y(given.bytes_per_s)
            if top <= plot.top() + 1:
                continue
            is_limit = given == above.limit
            painter.setPen(QPen(self.look.color("brick" if is_limit else "ink"),
                                1.8 if is_limit else 1.0))  # fmt: skip
            painter.drawLine(QPointF(plot.left(), top), QPointF(end, top))
            painter.drawLine(QPointF(left - 4, top), QPointF(right, top))

    def _limit_names(
        self, painter: QPainter, ladder: Ladder, left: float, right: float, y: Scale,
        rungs: tuple[Rung, ...],
    ) -> None:  # fmt: skip
        """Name each limit beside its line, on the side where no rung is."""
        above = ladder.rung(ladder.held + 1)
        bars = [y(rung.asked_bytes_per_s) for rung in rungs]
        for given in above.given:
            top = y(given.bytes_per_s)
            if top <= _HEAD_PX + 1:
                continue
            is_limit = given == above.limit
            told = f"{_short(given)} {'end' if given.kind is StageKind.DISKS else 'ends'} here"
            under, over = QRectF(left + 18, top + 1, right - left - 34, 15), None
            if any(under.top() - 2 < bar + _BAR_PX and bar < under.bottom() for bar in bars):
                over = under.translated(0, -17)
            self.write(painter, over or under, told, size_px=12, weight=600, align=_CENTRE,
                       color="brick_text" if is_limit else "soft", may_cut=True)  # fmt: skip

    def _rung(
        self, painter: QPainter, planned: PlannedStore, rung: Rung, at: float, left: float,
        right: float, plot: QRectF,
    ) -> None:  # fmt: skip
        look, numbers = self.look, self.look.numbers
        is_measured = rung.streams in self._measured
        bar = QRectF(left, at - 1, right - left - 2, _BAR_PX)
        painter.setPen(QPen(look.color("ink"), 1.3))
        painter.setBrush(look.color("ink") if is_measured else look.color("panel"))
        painter.drawRoundedRect(bar, 2, 2)
        asked = QRectF(left - _LABEL_PX, at - 7, 40, 17)
        self.write(painter, asked, numbers.number(rung.asked_bytes_per_s / 1e6, 0), size_px=12,
                   color="soft", align=_RIGHT)  # fmt: skip
        count = QRectF(left - 40, at - 9, 32, 20)
        self.write(painter, count, str(rung.streams), size_px=17, weight=600, align=_RIGHT,
                   condensed=False)  # fmt: skip
        late = self._measured.get(rung.streams, rung.late_frames_per_minute)
        edge = plot.right() - (46 if self._ghost else 0)
        words = QRectF(right + 2, at - 8, edge - right - 2, 18)
        if late > 0:
            self._frays(painter, rung, bar)
            self.write(painter, words, numbers.number(late, 0), weight=600, color="brick_text",
                       align=_RIGHT)  # fmt: skip
        else:
            self.write(painter, words, "0", color="moss_text", weight=600, align=_RIGHT)
        if self._ghost is not None:
            ghost = self._ghost.ladder.rung(rung.streams).late_frames_per_minute
            self.write(painter, QRectF(edge + 2, at - 8, 44, 18), numbers.number(ghost, 0),
                       color="moss_text", align=_RIGHT)  # fmt: skip
        self.place(QRectF(left - _LABEL_PX, at - 9, plot.right() - left + _LABEL_PX, 20), HELD_SUM)

    def _frays(self, painter: QPainter, rung: Rung, bar: QRectF) -> None:
        """Threads hang from a rung above the limit: as many as its share of late frames."""
        share = 1 - rung.limit.bytes_per_s / rung.asked_bytes_per_s
        count = max(round(_MOST_THREADS * share), 1)
        painter.setPen(QPen(self.look.color("brick"), 1.4))
        for number in range(count):
            x = bar.right() - 3 - number * 5
            length = 6 + (number * 7 % 5)
            painter.drawLine(QPointF(x, bar.bottom()), QPointF(x - 1, bar.bottom() + length))


def _short(given: Given) -> str:
    """Return a stage's name without whose it is: a picture shows that."""
    name = given_name(given)
    for whose in ("its ", "the hub's ", "the desk's ", "the "):
        name = name.removeprefix(whose)
    return name
