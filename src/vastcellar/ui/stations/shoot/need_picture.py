"""The need, drawn: how it builds up, what stands above it, and how media fill over a day."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPen

from vastcellar.core.guarantees import (
    VIDEO_PERFORMANCE_PROFILES,
    VIDEO_SPEED_CLASSES,
    Guarantee,
)
from vastcellar.core.links import LinkMode
from vastcellar.core.needs import Need, camera_need
from vastcellar.core.shoot import Camera
from vastcellar.core.units import MB
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.picture import Picture, column

_GUARANTEES = sorted(
    (*VIDEO_SPEED_CLASSES, *VIDEO_PERFORMANCE_PROFILES), key=lambda g: g.write_bytes_per_s
)
_LINK_KEYS = ("usb-5g", "usb-10g", "usb-20g")
_STEP_PX, _STEP_GAP_PX = 72.0, 4.0
_CENTRE = Qt.AlignmentFlag.AlignHCenter


class NeedPicture(Picture):
    """Steps from average to need on the left, guarantees and links to the right of them."""

    def __init__(self, look: Look, modes: dict[str, LinkMode]) -> None:
        super().__init__(look)
        self._camera: Camera | None = None
        self._links = [
            (modes[key].short.split()[0], modes[key].typical_bytes_per_s)
            for key in _LINK_KEYS
            if key in modes
        ]
        self.setMinimumHeight(210)

    def sizeHint(self) -> QSize:
        return QSize(560, 250)

    def show_camera(self, camera: Camera | None) -> None:
        """Draw the need of *camera*."""
        self._camera = camera
        self.update()

    def paint(self, painter: QPainter) -> None:
        if self._camera is None:
            return
        need = camera_need(self._camera)
        needed = need.needed_write_bytes_per_s
        area = QRectF(self.rect()).adjusted(0, 24, -4, -38)
        highest = needed * 2.1

        def at(rate: float) -> float:
            return area.bottom() - area.height() * min(rate / highest, 1.0)

        self._steps(painter, area, need, at(needed), at)
        self._what_stands_above(painter, area, needed, highest, at)
        line_y = at(needed)
        painter.setPen(QPen(self.look.color("copper"), 2.4))
        painter.drawLine(QPointF(area.left(), line_y), QPointF(area.right(), line_y))
        painter.setPen(QPen(self.look.color("line"), 1))
        painter.drawLine(area.bottomLeft(), area.bottomRight())

    def _steps(self, painter: QPainter, area: QRectF, need: Need, line_y: float, at) -> None:  # type: ignore[no-untyped-def]
        numbers = self.look.numbers
        steps = (
            ("average", need.average_bytes_per_s, "water"),
            ("worst second", need.peak_bytes_per_s, "water"),
            ("need", need.needed_write_bytes_per_s, "copper"),
        )
        width = _STEP_PX
        for index, (name, rate, color) in enumerate(steps):
            left = area.left() + index * (width + _STEP_GAP_PX)
            top = at(rate)
            box = QRectF(left, top, width, area.bottom() - top)
            fill = self.look.color(color, 255 if index == 0 else 150 if index == 1 else 70)
            painter.fillRect(box, fill)
            self.write(
                painter,
                QRectF(left, top - 24, width, 22),
                numbers.number(rate / MB),
                size_px=17,
                weight=600,
                condensed=False,
                color="copper_text" if name == "need" else "ink",
                align=_CENTRE,
            )
            self.write(
                painter,
                QRectF(left, area.bottom() + 3, width, 16),
                name,
                size_px=13,
                weight=500,
                align=_CENTRE,
            )
            self.place(QRectF(left, top - 24, width, area.bottom() - top + 40), "need")
        self.write(
            painter,
            QRectF(area.left(), area.bottom() + 18, 3 * (width + _STEP_GAP_PX), 16),
            "MB/s this camera asks for",
            color="soft",
            size_px=12,
        )

    def _what_stands_above(  # type: ignore[no-untyped-def]
        self, painter: QPainter, area: QRectF, needed: float, highest: float, at
    ) -> None:
        start = area.left() + 3 * (_STEP_PX + _STEP_GAP_PX) + 18
        guaranteed = guarantees_around(needed)
        rates = [(g.name, g.write_bytes_per_s) for g in guaranteed] + self._links
        each = (area.right() - start) / len(rates)
        for index, (name, rate) in enumerate(rates):
            left = start + index * each + 5
            width = each - 10
            top = at(rate) if rate <= highest else area.top() + 4
            holds = rate >= needed
            box = QRectF(left, top, width, area.bottom() - top)
            column(painter, box, self.look.color("stone"), torn=rate > highest)
            edge = self.look.color("moss" if holds else "brick")
            if rate <= highest:
                painter.fillRect(QRectF(left, top, width, 2.5), edge)
            self.write(
                painter,
                QRectF(left - 6, top - 19, width + 12, 17),
                self.look.numbers.number(rate / MB, 0),
                weight=600,
                color="moss_text" if holds else "brick_text",
                align=_CENTRE,
            )
            name_box = QRectF(left - 5, area.bottom() + 3, width + 10, 16)
            self.write(painter, name_box, name, weight=500, align=_CENTRE)
        captions = (
            (start, each * len(guaranteed), "guaranteed by card class"),
            (start + each * len(guaranteed), each * len(self._links), "link in use, typical"),
        )
        for left, width, text in captions:
            box = QRectF(left + 5, area.bottom() + 18, width - 6, 16)
            self.write(painter, box, text, color="soft", size_px=12)


def guarantees_around(needed_bytes_per_s: float) -> list[Guarantee]:
    """Return the three guarantees that matter for a need: the next below it and two above."""
    above = [g for g in _GUARANTEES if g.write_bytes_per_s >= needed_bytes_per_s]
    below = [g for g in _GUARANTEES if g.write_bytes_per_s < needed_bytes_per_s]
    shown_above = above[:2]
    return below[-(3 - len(shown_above)) :] + shown_above


class MediaRibbon(Picture):
    """A day's recording as a ribbon: media filling one after another, with the longest take."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._camera: Camera | None = None
        self.setFixedHeight(112)

    def show_camera(self, camera: Camera | None) -> None:
        """Draw the media of *camera*."""
        self._camera = camera
        self.update()

    def paint(self, painter: QPainter) -> None:
        camera = self._camera
        if camera is None:
            return
        need, numbers = camera_need(camera), self.look.numbers
        recorded_s = max(camera.hours_a_day * 3600, camera.longest_take_s)
        medium_s = need.seconds_per_medium
        fills = recorded_s / medium_s
        area = QRectF(self.rect()).adjusted(0, 30, -4, -40)
        scale = area.width() / recorded_s
        # Hundreds of media a day would be a grey smear: then only the count is said.
        shown = math.ceil(fills) if fills <= 60 else 0
        for index in range(shown):
            left = area.left() + index * medium_s * scale
            right = min(area.left() + (index + 1) * medium_s * scale, area.right())
            box = QRectF(left, area.top(), right - left - 2, area.height())
            painter.fillRect(box, self.look.color("stone"))
            self._filling(painter, box, (right - left) / (medium_s * scale))
            if box.width() > 54:
                name = f"medium {index + 1}"
                self.write(painter, box.adjusted(8, 0, -4, 0), name, weight=500)
        if not shown:
            painter.fillRect(area, self.look.color("water", 120))
        self._take(painter, area, camera, scale, medium_s)
        self.place(QRectF(self.rect()), "take")
        day = numbers.duration(camera.hours_a_day * 3600)
        day_fills = numbers.number(camera.hours_a_day * 3600 / medium_s)
        text = (
            f"{day} a day, {numbers.size(need.bytes_per_day)}, fill {day_fills} media of "
            f"{numbers.size(camera.medium_bytes)}, one every {numbers.duration(medium_s)}"
        )
        self.write(
            painter, QRectF(area.left(), area.bottom() + 18, area.width(), 18), text, color="soft"
        )

    def _filling(self, painter: QPainter, box: QRectF, share: float) -> None:
        """Water rises in a medium from empty to what it holds when it is changed."""
        painter.save()
        painter.setClipRect(box)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.look.color("water", 150))
        top = box.bottom() - box.height() * share
        painter.drawPolygon([box.bottomLeft(), QPointF(box.right(), top), box.bottomRight()])
        painter.restore()

    def _take(
        self, painter: QPainter, area: QRectF, camera: Camera, scale: float, medium_s: float
    ) -> None:
        width = min(camera.longest_take_s * scale, area.width())
        fits = camera.longest_take_s <= medium_s
        color = "copper" if fits else "brick"
        y = area.top() - 7
        painter.setPen(QPen(self.look.color(color), 2.2))
        left = area.left() + 1
        painter.drawLine(QPointF(left, y), QPointF(left + width - 2, y))
        for x in (left, left + width - 2):
            painter.drawLine(QPointF(x, y - 4), QPointF(x, y + 5))
        take = self.look.numbers.duration(camera.longest_take_s)
        text = f"longest take {take}"
        if not fits:
            text += ": more than one medium holds"
        self.write(
            painter,
            QRectF(left, y - 23, area.width(), 17),
            text,
            color=f"{color}_text",
            weight=500,
        )
        for minute in self._ticks(area.width() / scale):
            x = area.left() + minute * 60 * scale
            painter.setPen(QPen(self.look.color("line"), 1))
            painter.drawLine(QPointF(x, area.bottom()), QPointF(x, area.bottom() + 4))
            at = QRectF(x - 30 if minute else x, area.bottom() + 4, 60, 14)
            align = _CENTRE if minute else Qt.AlignmentFlag.AlignLeft
            text = str(minute) if minute else "0 min"
            self.write(painter, at, text, color="soft", size_px=12, align=align)

    @staticmethod
    def _ticks(total_s: float) -> range:
        minutes = total_s / 60
        for step in (1, 2, 5, 10, 20, 30, 60, 120, 240):
            if minutes / step <= 12:
                return range(0, int(minutes) + 1, step)
        return range(0, int(minutes) + 1, 480)
