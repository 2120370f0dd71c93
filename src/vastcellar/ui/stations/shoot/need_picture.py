"""The need, drawn: how it builds up, and what stands above it."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPen

from vastcellar.core.evidence import Evidence
from vastcellar.core.links.links import LinkMode
from vastcellar.core.shoot.guarantees import guarantees_around
from vastcellar.core.shoot.needs import Need
from vastcellar.core.units import MB
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.picture import Picture, column

_LINK_KEYS = ("usb-5g", "usb-10g", "usb-20g")
_WIDE_PX = 42
_STEP_PX, _STEP_GAP_PX = 64.0, 10.0
_CENTRE = Qt.AlignmentFlag.AlignHCenter


@dataclass(frozen=True, slots=True)
class _Frame:
    """Where rates stand in the picture."""

    area: QRectF
    highest: float

    def y(self, rate: float) -> float:
        return self.area.bottom() - self.area.height() * min(rate / self.highest, 1.0)


class NeedPicture(Picture):
    """Steps from average to need on the left, guarantees and links to the right of them."""

    def __init__(self, look: Look, modes: dict[str, LinkMode]) -> None:
        super().__init__(look)
        self._need: Need | None = None
        self._ghost: Need | None = None
        self._in_use = ""
        self._links = [
            (modes[key].short.split()[0], modes[key].typical_bytes_per_s)
            for key in _LINK_KEYS
            if key in modes
        ]
        self.setMinimumHeight(150)

    def sizeHint(self) -> QSize:
        return QSize(560, 200)

    def show_need(self, need: Need | None, ghost: Need | None = None, in_use: str = "") -> None:
        """Draw *need*, dashed beside it the *ghost*, and light the class *in_use*."""
        self._need, self._ghost, self._in_use = need, ghost, in_use
        self.update()

    def paint(self, painter: QPainter) -> None:
        need, ghost = self._need, self._ghost
        if need is None:
            return
        needed = need.needed_write_bytes_per_s
        highest = needed * 2.1
        if ghost is not None:
            highest = max(highest, ghost.needed_write_bytes_per_s * 1.25)
        frame = _Frame(QRectF(self.rect()).adjusted(0, 22, -4, -36), highest)
        self._steps(painter, frame, need)
        self._what_stands_above(painter, frame, needed)
        if ghost is not None:
            self._ghost_steps(painter, frame, ghost)
        area = frame.area
        painter.setPen(QPen(self.look.color("copper"), 2.4))
        y = frame.y(needed)
        painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
        painter.setPen(QPen(self.look.color("line"), 1))
        painter.drawLine(area.bottomLeft(), area.bottomRight())

    def _steps(self, painter: QPainter, frame: _Frame, need: Need) -> None:
        numbers, area = self.look.numbers, frame.area
        needed = need.needed_write_bytes_per_s
        steps = (
            ("average", need.average_bytes_per_s, "water", 255),
            ("worst second", need.peak_bytes_per_s, "water", 150),
            ("need", needed, "copper", 70),
        )
        for index, (name, rate, color, alpha) in enumerate(steps):
            left = area.left() + index * (_STEP_PX + _STEP_GAP_PX)
            top = frame.y(rate)
            box = QRectF(left, top, _STEP_PX, area.bottom() - top)
            painter.fillRect(box, self.look.color(color, alpha))
            above = QRectF(left, top - 22, _STEP_PX, 20)
            if name != "need" and above.top() < frame.y(needed) + 4:  # never across the need line
                above.moveTop(top + 1)
            self.write(
                painter,
                above,
                numbers.number(rate / MB),
                size_px=17,
                weight=600,
                condensed=False,
                color="copper_text" if name == "need" else "ink",
                align=_CENTRE,
            )
            caption = QRectF(left - 5, area.bottom() + 3, _STEP_PX + 10, 16)
            self.write(painter, caption, name, weight=500, align=_CENTRE)
            self.place(QRectF(left, top - 24, _STEP_PX, area.bottom() - top + 40), "need")
        if need.is_range:
            self._range(painter, frame, need)
        said = "measured" if need.evidence is Evidence.PROVED else "asked for"
        box = QRectF(area.left(), area.bottom() + 18, 3 * (_STEP_PX + _STEP_GAP_PX), 16)
        spread = ""
        if need.is_range:
            low = numbers.number(need.easy_bytes_per_s / MB, 0)
            high = numbers.number(need.hard_bytes_per_s / MB, 0)
            spread = f"; average {low} to {high}"
        self.write(painter, box, f"MB/s {said}{spread}", color="soft", size_px=12)

    def _range(self, painter: QPainter, frame: _Frame, need: Need) -> None:
        """A bracket at the average: from the easy to the hard picture."""
        x = frame.area.left() + _STEP_PX + _STEP_GAP_PX / 2
        low, high = frame.y(need.easy_bytes_per_s), frame.y(need.hard_bytes_per_s)
        painter.setPen(QPen(self.look.color("ink"), 1.2))
        painter.drawLine(QPointF(x, low), QPointF(x, high))
        for y in (low, high):
            painter.drawLine(QPointF(x - 4, y), QPointF(x + 4, y))

    def _ghost_steps(self, painter: QPainter, frame: _Frame, ghost: Need) -> None:
        area, numbers = frame.area, self.look.numbers
        rates = (
            ghost.average_bytes_per_s,
            ghost.peak_bytes_per_s,
            ghost.needed_write_bytes_per_s,
        )
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for index, rate in enumerate(rates):
            left = area.left() + index * (_STEP_PX + _STEP_GAP_PX)
            top = frame.y(rate)
            painter.setPen(self.dashed("moss", 1.8))
            painter.drawRect(QRectF(left + 1, top, _STEP_PX - 2, area.bottom() - top))
        y = frame.y(ghost.needed_write_bytes_per_s)
        painter.setPen(self.dashed("copper", 2.0))
        painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
        text = f"what if: {numbers.number(ghost.needed_write_bytes_per_s / MB)}"
        box = QRectF(area.left() + 2, y - 17, 2 * _STEP_PX, 16)
        self.write(painter, box, text, color="moss_text", weight=600)

    def _what_stands_above(self, painter: QPainter, frame: _Frame, needed: float) -> None:
        area = frame.area
        start = area.left() + 3 * (_STEP_PX + _STEP_GAP_PX) + 8
        guaranteed = guarantees_around(needed)
        rates = [(g.name, g.write_bytes_per_s) for g in guaranteed] + self._links
        each = (area.right() - start) / len(rates)
        for index, (name, rate) in enumerate(rates):
            self._bar(painter, frame, start + index * each + 5, each - 10, name, rate, needed)
        split = start + each * len(guaranteed)
        self.place(QRectF(start, 0, split - start, self.height()), "guarantee")
        captions = (
            (start, split - start, "guaranteed by card class"),
            (split, each * len(self._links), "link in use, typical"),
        )
        for left, width, text in captions:
            box = QRectF(left + 5, area.bottom() + 18, width - 6, 16)
            self.write(painter, box, text, color="soft", size_px=12)

    def _bar(
        self,
        painter: QPainter,
        frame: _Frame,
        left: float,
        width: float,
        name: str,
        rate: float,
        needed: float,
    ) -> None:
        """A class or link as a column; what reaches the need is edged in moss."""
        area = frame.area
        is_torn = rate > frame.highest
        holds = rate >= needed
        top = area.top() + 4 if is_torn else frame.y(rate)
        box = QRectF(left, top, width, area.bottom() - top)
        column(painter, box, self.look.color("stone"), torn=is_torn)
        if not is_torn:
            edge = self.look.color("moss" if holds else "brick")
            painter.fillRect(QRectF(left, top, width, 2.5), edge)
        above = QRectF(left - 6, top - 19, width + 12, 17)
        if not holds and above.top() < frame.y(needed) + 4:  # never across the need line
            above.moveTop(top + 3)
        self.write(
            painter,
            above,
            self.look.numbers.number(rate / MB, 0),
            weight=600,
            color="moss_text" if holds else "brick_text",
            align=_CENTRE,
        )
        is_in_use = name == self._in_use
        caption = QRectF(left - 5, area.bottom() + 3, width + 10, 16)
        self.write(
            painter,
            caption,
            name,
            size_px=13 if width >= _WIDE_PX else 12,
            weight=600 if is_in_use else 500,
            color="copper_text" if is_in_use else "ink",
            align=_CENTRE,
        )
