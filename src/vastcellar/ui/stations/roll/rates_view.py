"""A copy over its time: what each destination wrote, what is expected, and when it is over."""

from __future__ import annotations

import math
from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPen

from vastcellar.ui.look import Look, font
from vastcellar.ui.models.copy_history import CopyHistory
from vastcellar.ui.stations.roll.shapes import TIGHT_PX, WIDE_PX, hatch, ticks
from vastcellar.ui.widgets.picture import Picture, text_width

_ROW_PX, _AXIS_PX, _LABEL_PX, _TOP_PX, _CHECK_PX = 56.0, 22.0, 130.0, 24.0, 7.0
_SLOWED_SHARE = 0.7


class RatesView(Picture):
    """A row a destination: past as water, future hatched, the end as a copper upright."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._history = CopyHistory()
        self._names: tuple[str, ...] = ()
        self.setAccessibleName("The copy over its time")

    def begin(self, names: Sequence[str], history: CopyHistory) -> None:
        """Show *history*, which grows; *names* are the destinations."""
        self._names, self._history = tuple(names), history
        self.setFixedHeight(int(_TOP_PX + _ROW_PX * len(self._names) + _AXIS_PX))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(820, int(_TOP_PX + _ROW_PX * 2 + _AXIS_PX))

    @property
    def _end_s(self) -> float:
        now = self._history.now
        elapsed_s = now.elapsed_s if now else 0.0
        left_s = self._history.left_s
        return max(elapsed_s + (left_s if math.isfinite(left_s) else 0.0), 10.0) * 1.06

    def _x(self, at_s: float) -> float:
        return _LABEL_PX + (self.width() - _LABEL_PX - 14) * min(at_s / self._end_s, 1.0)

    @property
    def _top_rate(self) -> float:
        rates = [rate for each in self._history.samples for rate in each.written_bytes_per_s]
        return max(rates, default=0.0) or 1.0

    def paint(self, painter: QPainter) -> None:
        if not self._names:
            return
        for number, name in enumerate(self._names):
            box = QRectF(_LABEL_PX, _TOP_PX + number * _ROW_PX, self.width() - _LABEL_PX - 14,
                         _ROW_PX - 10)  # fmt: skip
            self._row(painter, box, number, name)
        self._axis(painter)
        self._uprights(painter)

    def _row(self, painter: QPainter, box: QRectF, number: int, name: str) -> None:
        look, numbers = self.look, self.look.numbers
        short = name.rstrip("/").rpartition("/")[2]
        self.write(painter, QRectF(8, box.top(), _LABEL_PX - 14, 18), short, weight=600,
                   condensed=False, may_cut=True)  # fmt: skip
        track = box.adjusted(0, 0, 0, -_CHECK_PX - 2)
        painter.fillRect(track, look.color("stone"))
        low = QRectF(box.left(), track.bottom() + 2, box.width(), _CHECK_PX)
        top = self._top_rate
        for each in self._history.samples:
            left, right = self._x(each.start_s), self._x(each.end_s)
            height = track.height() * min(each.written_bytes_per_s[number] / top, 1.0)
            painter.fillRect(
                QRectF(left, track.bottom() - height, right - left, height), look.color("water")
            )
            if each.verified_bytes_per_s[number] > 0:
                ticks(painter, QRectF(left, low.top(), right - left, low.height()), look)
        if self._history.samples:
            told = numbers.rate(self._history.samples[-1].written_bytes_per_s[number], 0)
            place = QRectF(8, box.top() + 18, _LABEL_PX - 14, 15)
            self.write(painter, place, f"{told} now", color="soft", size_px=12, may_cut=True)
        now = self._history.now
        if now is not None and not now.legs[number].dropped_by:
            self._future(painter, track, number)

    def _future(self, painter: QPainter, track: QRectF, number: int) -> None:
        """What is expected: hatched at its rate, wide where something slows it."""
        history, look = self._history, self.look
        expected, now = history.expected, history.now
        if expected is None or now is None:
            return
        # The expected copy has its own clock: what is left of it begins now.
        off_s = now.elapsed_s - expected.reached_s(history.copied_bytes)
        best = max((each.bytes_per_s for each in expected.stretches), default=1.0)
        for each in expected.stretches:
            start_s = max(each.start_s + off_s, now.elapsed_s)
            end_s = each.end_s + off_s
            if end_s <= start_s:
                continue
            height = track.height() * min(each.bytes_per_s / self._top_rate, 1.0)
            left = self._x(start_s)
            box = QRectF(left, track.bottom() - height, self._x(end_s) - left, height)
            painter.fillRect(box, look.color("water", 70))
            is_slowed = each.bytes_per_s < _SLOWED_SHARE * best
            hatch(painter, box, look, WIDE_PX if is_slowed else TIGHT_PX)
        going = [n for n, leg in enumerate(now.legs) if not leg.dropped_by]
        place = going.index(number)
        if place < len(expected.verified_s):
            left = self._x(max(expected.copied_s + off_s, now.elapsed_s))
            right = self._x(expected.verified_s[place] + off_s)
            ticks(painter, QRectF(left, track.bottom() + 2, right - left, _CHECK_PX), look)

    def _axis(self, painter: QPainter) -> None:
        minutes = self._end_s / 60
        step = next(s for s in (0.5, 1, 2, 5, 10, 20, 30, 60, 120, 1e9) if minutes / s <= 9)
        top = _TOP_PX + _ROW_PX * len(self._names)
        at = step
        while at < minutes:
            x = self._x(at * 60)
            painter.setPen(QPen(self.look.color("line"), 1))
            painter.drawLine(QPointF(x, _TOP_PX), QPointF(x, top))
            box = QRectF(x - 30, top + 3, 60, 14)
            self.write(painter, box, self.look.numbers.duration(at * 60), color="soft",
                       size_px=12, align=Qt.AlignmentFlag.AlignHCenter)  # fmt: skip
            at += step

    def _uprights(self, painter: QPainter) -> None:
        look, history, numbers = self.look, self._history, self.look.numbers
        now = history.now
        if now is None:
            return
        bottom = _TOP_PX + _ROW_PX * len(self._names)
        x = self._x(now.elapsed_s)
        painter.setPen(QPen(look.color("ink"), 1.4))
        painter.drawLine(QPointF(x, _TOP_PX - 6), QPointF(x, bottom))
        left_s = history.left_s
        if not math.isfinite(left_s):
            return
        end = self._x(now.elapsed_s + left_s)
        painter.setPen(QPen(look.color("copper"), 2.6))
        painter.drawLine(QPointF(end, _TOP_PX - 6), QPointF(end, bottom))
        told = f"verified in {numbers.duration(round(left_s))}"
        width = text_width(told, font(14, 600, condensed=True)) + 4
        box = QRectF(min(end - width, self.width() - width - 4), 1, width, 17)
        self.write(painter, box, told, color="copper_text", size_px=14, weight=600,
                   align=Qt.AlignmentFlag.AlignRight)  # fmt: skip
        by_rate_s = history.left_by_rate_s
        if math.isfinite(by_rate_s) and by_rate_s < 0.8 * left_s:
            at = self._x(now.elapsed_s + by_rate_s)
            painter.setPen(QPen(look.color("soft"), 1.2, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(at, _TOP_PX), QPointF(at, bottom))
            words = "copied, by the rate of now"
            wide = text_width(words, font(12, condensed=True)) + 4
            place = QRectF(at + 3, 3, wide, 15)
            if place.right() < box.left():
                self.write(painter, place, words, color="soft", size_px=12)
