"""The history of one unit on one time axis: runs against the baseline, stays, marks, wear."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QHelpEvent, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QToolTip

from vastcellar.core.parts.units import WATCH_WEAR_SHARE
from vastcellar.services.cellar.story_wording import day_words
from vastcellar.services.cellar.unit_axis import AxisStay, UnitAxis
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.picture import Picture

_LEFT_PX = 46
_RIGHT_PX = 92
_BAND_PX = 15
_WEAR_PX = 26
_FOOT_PX = 16
_SOFT_BAND_ALPHA = 40
_DOT_PX = 6.0


class HistoryView(Picture):
    """Rates above, what the unit was in and where below them, its wear at the foot."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._axis: UnitAxis | None = None
        self._needs: tuple[tuple[str, float], ...] = ()
        self._tips: list[tuple[QRectF, str]] = []
        self.setMinimumHeight(150)
        self.setAccessibleName("History")

    def show_axis(self, axis: UnitAxis | None, needs: Sequence[tuple[str, float]] = ()) -> None:
        """Show *axis*; *needs* are the rates that cameras ask of the unit, each with its name."""
        self._axis, self._needs = axis, tuple(needs)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(520, 190)

    def paint(self, painter: QPainter) -> None:
        self._tips.clear()
        axis = self._axis
        if axis is None:
            return
        bands = [each for each in (("case", axis.cases), ("place", axis.places)) if each[1]]
        foot = self.height() - _FOOT_PX
        wear_top = foot - (_WEAR_PX if axis.wear else 0)
        marks_top = wear_top - (_BAND_PX if axis.marks else 0)
        bands_top = marks_top - _BAND_PX * len(bands)
        plot = QRectF(_LEFT_PX, 6, self.width() - _LEFT_PX - _RIGHT_PX, bands_top - 14)
        self._years(painter, axis, plot, foot)
        if axis.points:
            self._rates(painter, axis, plot)
        else:
            self.write(painter, plot, "No run yet: what it writes isn't known.", color="soft")
        for number, (name, stays) in enumerate(bands):
            self._band(painter, axis, plot, bands_top + number * _BAND_PX, name, stays)
        if axis.marks:
            self._marks(painter, axis, plot, marks_top)
        if axis.wear:
            self._wear(painter, axis, plot, QRectF(plot.left(), wear_top + 3, plot.width(), 20))

    def _x(self, axis: UnitAxis, plot: QRectF, at: datetime) -> float:
        whole = max((axis.until - axis.since).total_seconds(), 1.0)
        return plot.left() + plot.width() * (at - axis.since).total_seconds() / whole

    def _years(self, painter: QPainter, axis: UnitAxis, plot: QRectF, foot: float) -> None:
        for year in range(axis.since.year, axis.until.year + 1):
            for month in (1, 7):
                at = datetime(year, month, 1, tzinfo=axis.until.tzinfo)
                x = self._x(axis, plot, at)
                if not plot.left() + 8 <= x <= plot.right() - 30:
                    continue
                text = str(year) if month == 1 else "July"
                painter.setPen(self.look.color("line"))
                painter.drawLine(QPointF(x, plot.top()), QPointF(x, foot))
                self.write(painter, QRectF(x - 22, foot, 44, _FOOT_PX), text, color="soft",
                           size_px=12, align=Qt.AlignmentFlag.AlignHCenter)  # fmt: skip
        self.write(painter, QRectF(plot.right() - 26, foot, 40, _FOOT_PX), "today", size_px=12,
                   weight=600)  # fmt: skip
        painter.setPen(QPen(self.look.color("soft"), 1.2))
        painter.drawLine(QPointF(plot.right(), plot.top()), QPointF(plot.right(), foot))

    def _rates(self, painter: QPainter, axis: UnitAxis, plot: QRectF) -> None:
        look, fmt = self.look, self.look.numbers
        rates = [each.bytes_per_s for each in axis.points]
        rates += [need for _name, need in self._needs]
        top = max(rates) * 1.08

        def y(rate: float) -> float:
            return plot.bottom() - plot.height() * rate / top

        self.write(painter, QRectF(0, plot.top() - 4, _LEFT_PX - 6, 14), "MB/s", color="soft",
                   size_px=12)  # fmt: skip
        painter.setPen(look.color("line"))
        painter.drawLine(plot.bottomLeft(), plot.bottomRight())
        self.write(painter, QRectF(0, plot.bottom() - 8, _LEFT_PX - 8, 14), "0", color="soft",
                   size_px=12, align=Qt.AlignmentFlag.AlignRight)  # fmt: skip
        if axis.between:
            left, right = (self._x(axis, plot, each) for each in axis.between)
            band = QRectF(left, plot.top(), max(right - left, 2.0), plot.height())
            painter.fillRect(band, look.color("brick", _SOFT_BAND_ALPHA))
            since, until = (day_words(each) for each in axis.between)
            self._tips.append((band, f"It changed between {since} and {until}."))
        said: list[tuple[float, str, str, int]] = []
        if axis.baseline_bytes_per_s:
            level = y(axis.baseline_bytes_per_s)
            end = self._x(axis, plot, axis.between[1]) if axis.between else plot.right()
            painter.setPen(self.dashed("ink", 1.3))
            painter.drawLine(QPointF(plot.left(), level), QPointF(end, level))
            word = "as accepted" if axis.between else "as it was"
            rate = fmt.number(axis.baseline_bytes_per_s / 1e6, 0)
            said.append((level, f"{rate} {word}", "ink", 400))
        if axis.now_bytes_per_s and axis.between:
            level = y(axis.now_bytes_per_s)
            said.append((level, f"{fmt.number(axis.now_bytes_per_s / 1e6, 0)} now", "brick_text",
                         600))  # fmt: skip
        for name, need in self._needs:
            level = y(need)
            painter.setPen(QPen(look.color("copper"), 2))
            painter.drawLine(QPointF(plot.left(), level), QPointF(plot.right(), level))
            said.append((level, f"{name} needs {fmt.number(need / 1e6, 0)}", "copper_text", 600))
        self._beside(painter, plot, said)
        for each in axis.points:
            dot = QRectF(0, 0, _DOT_PX, _DOT_PX)
            dot.moveCenter(QPointF(self._x(axis, plot, each.at), y(each.bytes_per_s)))
            name = "brick" if each.is_after else ("ink" if each.is_like else "rail_soft")
            painter.fillRect(dot, look.color(name))
            like = "" if each.is_like else ", not like the others: not compared"
            self._tips.append((
                dot.adjusted(-3, -3, 3, 3),
                f"Run {each.run_id}, {day_words(each.at)}: {fmt.rate(each.bytes_per_s)}{like}",
            ))  # fmt: skip

    def _beside(
        self, painter: QPainter, plot: QRectF, said: list[tuple[float, str, str, int]]
    ) -> None:
        """Write beside the levels, apart from each other."""
        bottom = plot.top() - 14
        for level, text, color, weight in sorted(said):
            top = max(level - 8, bottom + 14)
            bottom = top
            self.write(painter, QRectF(plot.right() + 6, top, _RIGHT_PX - 6, 16), text,
                       color=color, size_px=12, weight=weight)  # fmt: skip

    def _band(
        self, painter: QPainter, axis: UnitAxis, plot: QRectF, top: float, name: str,
        stays: Sequence[AxisStay],
    ) -> None:  # fmt: skip
        self.write(painter, QRectF(0, top, _LEFT_PX - 6, _BAND_PX), name, color="soft", size_px=12)
        for number, stay in enumerate(stays):
            left, right = (self._x(axis, plot, each) for each in (stay.since, stay.until))
            box = QRectF(left, top + 1, max(right - left - 1, 2.0), _BAND_PX - 2)
            color = "soft" if stay.is_away else ("water" if number % 2 else "stone")
            painter.fillRect(box, self.look.color(color, 255 if stay.is_away else 120))
            self._tips.append((box, f"{stay.name}, {day_words(stay.since)} to "
                                    f"{day_words(stay.until)}"))  # fmt: skip
            if box.width() > 44 and not stay.is_away:
                self.write(painter, box.adjusted(4, 0, -2, 0), stay.name, size_px=12, may_cut=True)

    def _marks(self, painter: QPainter, axis: UnitAxis, plot: QRectF, top: float) -> None:
        self.write(painter, QRectF(0, top, _LEFT_PX - 6, _BAND_PX), "marks", color="soft",
                   size_px=12)  # fmt: skip
        free = plot.left() - 1
        for number, mark in enumerate(axis.marks):
            x = self._x(axis, plot, mark.at)
            middle = top + _BAND_PX / 2
            shape = QPolygonF([QPointF(x, middle - 4), QPointF(x + 4, middle),
                               QPointF(x, middle + 4), QPointF(x - 4, middle)])  # fmt: skip
            painter.setPen(QPen(self.look.color("soft"), 1.2))
            painter.setBrush(self.look.color("ochre") if mark.is_bad else Qt.BrushStyle.NoBrush)
            painter.drawPolygon(shape)
            self._tips.append((QRectF(x - 6, top, 12, _BAND_PX), mark.words))
            ends = (
                self._x(axis, plot, axis.marks[number + 1].at) - 8
                if number + 1 < len(axis.marks) else plot.right() - 4
            )  # fmt: skip
            if x >= free and ends - x > 60:
                words = mark.words.rpartition(", ")[0]
                wide = self.write(painter, QRectF(x + 8, top, ends - x - 10, _BAND_PX), words,
                                  size_px=12, may_cut=True)  # fmt: skip
                free = x + wide + 12

    def _wear(self, painter: QPainter, axis: UnitAxis, plot: QRectF, box: QRectF) -> None:
        look, fmt = self.look, self.look.numbers
        self.write(painter, QRectF(0, box.top() + 4, _LEFT_PX - 6, _BAND_PX), "wear", color="soft",
                   size_px=12)  # fmt: skip
        line = [
            QPointF(self._x(axis, plot, at), box.bottom() - box.height() * min(share, 1.0))
            for at, share in axis.wear
        ]
        area = QPolygonF([QPointF(line[0].x(), box.bottom()), *line,
                          QPointF(line[-1].x(), box.bottom())])  # fmt: skip
        painter.setPen(Qt.PenStyle.NoPen)
        used = axis.wear[-1][1]
        painter.setBrush(look.color("brick" if used >= WATCH_WEAR_SHARE else "water"))
        painter.drawPolygon(area)
        tick = box.bottom() - box.height() * WATCH_WEAR_SHARE
        painter.setPen(self.dashed("ochre", 1.1))
        painter.drawLine(QPointF(box.left(), tick), QPointF(box.right(), tick))
        told = f"{fmt.percent(used)} used"
        self.write(painter, QRectF(plot.right() + 6, box.top() - 4, _RIGHT_PX - 6, 14), told,
                   size_px=12, weight=600)  # fmt: skip
        self.write(painter, QRectF(plot.right() + 6, box.top() + 9, _RIGHT_PX - 6, 14),
                   _watched(axis.watched_on), size_px=12, color="soft")  # fmt: skip

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            point = QPointF(event.pos())
            said = next((text for box, text in reversed(self._tips) if box.contains(point)), "")
            QToolTip.showText(event.globalPos(), said, self)
            return True
        return super().event(event)


def _watched(day: date | None) -> str:
    return f"80 % {day:%b %Y}" if day else ""
