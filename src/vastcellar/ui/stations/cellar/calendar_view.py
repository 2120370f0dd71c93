"""Jobs over the days, what is booked for them, who is away, and where that clashes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPen

from vastcellar.ui.look import Look
from vastcellar.ui.widgets.picture import Picture

_NAME_PX = 132
_ROW_PX = 24
_HEAD_PX = 34
_BEFORE_DAYS = 10


@dataclass(frozen=True, slots=True)
class CalendarBar:
    """A stretch of days in a row."""

    first: date
    last: date
    text: str
    kind: str
    """"job", "booked", "clash" or "lent"."""
    key: str = ""


@dataclass(frozen=True)
class CalendarRow:
    """A job, or a unit with what it is booked for."""

    name: str
    bars: tuple[CalendarBar, ...]
    is_job: bool = False


class CalendarView(Picture):
    """A click on a job chooses it, one on a unit opens it."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._rows: tuple[CalendarRow, ...] = ()
        self._today = date.today()
        self.chosen = ""
        self.setAccessibleName("Calendar")
        self.setObjectName("inside")

    def show_rows(self, rows: Sequence[CalendarRow], today: date, chosen: str) -> None:
        """Show *rows*; the job *chosen* is marked."""
        self._rows, self._today, self.chosen = tuple(rows), today, chosen
        self.setMinimumHeight(_HEAD_PX + _ROW_PX * max(len(rows), 1) + 8)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(800, self.minimumHeight())

    def _span(self) -> tuple[date, int]:
        last = max((bar.last for row in self._rows for bar in row.bars), default=self._today)
        days = max((last - self._today).days + 3, 35)
        return self._today - timedelta(days=_BEFORE_DAYS), min(days, 400) + _BEFORE_DAYS

    def paint(self, painter: QPainter) -> None:
        begin, days = self._span()
        room = QRectF(_NAME_PX, _HEAD_PX, self.width() - _NAME_PX - 4, self.height() - _HEAD_PX)
        per_day = room.width() / days
        self._days(painter, room, begin, days, per_day)
        for number, row in enumerate(self._rows):
            self._row(painter, row, room, begin, days, per_day, _HEAD_PX + number * _ROW_PX)
        x = room.left() + (self._today - begin).days * per_day
        painter.setPen(QPen(self.look.color("copper"), 2))
        painter.drawLine(QPointF(x, _HEAD_PX - 6), QPointF(x, self.height()))

    def _days(
        self, painter: QPainter, room: QRectF, begin: date, days: int, per_day: float
    ) -> None:
        step = next(each for each in (1, 2, 7, 14, 28) if each * per_day >= 24 or each == 28)
        for number in range(days):
            day = begin + timedelta(days=number)
            x = room.left() + number * per_day
            if day.weekday() >= 5:
                painter.fillRect(QRectF(x, _HEAD_PX, per_day, room.height()),
                                 self.look.color("stone", 90))  # fmt: skip
            if day.day == 1 or number == 0:
                self.write(painter, QRectF(x, 0, 90, 16), f"{day:%b %Y}", size_px=12, weight=600)
            if number % step == 0:
                self.write(painter, QRectF(x, 15, max(per_day * step, 18), 16), str(day.day),
                           size_px=12, color="soft")  # fmt: skip

    def _row(
        self, painter: QPainter, row: CalendarRow, room: QRectF, begin: date, days: int,
        per_day: float, top: float,
    ) -> None:  # fmt: skip
        look = self.look
        name = QRectF(0 if row.is_job else 14, top, _NAME_PX - 18, _ROW_PX)
        self.write(painter, name, row.name, weight=600 if row.is_job else 400, size_px=13,
                   may_cut=True)  # fmt: skip
        self.place(QRectF(0, top, _NAME_PX, _ROW_PX), row.name)
        painter.setPen(look.color("line"))
        painter.drawLine(QPointF(0, top + _ROW_PX), QPointF(room.right(), top + _ROW_PX))
        lanes = _lanes(row.bars)
        high = (_ROW_PX - 8) / (max(lanes, default=0) + 1)
        for bar, lane in zip(row.bars, lanes, strict=True):
            first = max((bar.first - begin).days, 0)
            last = min((bar.last - begin).days + 1, days)
            if last <= first:
                continue
            box = QRectF(room.left() + first * per_day, top + 4 + lane * high,
                         (last - first) * per_day - 1, high - (1 if lane else 0))  # fmt: skip
            fill, ink = {
                "job": ("copper", "on_copper"), "booked": ("water", "ink"),
                "clash": ("brick", "panel"), "lent": ("", "soft"),
            }[bar.kind]  # fmt: skip
            painter.setPen(
                QPen(look.color("copper_text"), 2) if row.is_job and row.name == self.chosen
                else (self.dashed("soft") if not fill else Qt.PenStyle.NoPen)
            )  # fmt: skip
            painter.setBrush(look.color(fill) if fill else Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box, 3, 3)
            self.place(box, bar.key or row.name)
            if box.width() > 26 and high >= 12:
                self.write(painter, box.adjusted(5, 0, -3, 0), bar.text, size_px=12, color=ink,
                           weight=600 if row.is_job else 400, may_cut=True)  # fmt: skip


def _lanes(bars: Sequence[CalendarBar]) -> list[int]:
    """Return a lane for each bar of a row, so that none lies over another."""
    found: list[int] = []
    for number, bar in enumerate(bars):
        taken = {
            found[other]
            for other in range(number)
            if bars[other].first <= bar.last and bar.first <= bars[other].last
        }
        found.append(next(lane for lane in range(number + 1) if lane not in taken))
    return found
