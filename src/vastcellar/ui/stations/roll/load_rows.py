"""What readers and drives carry over the day, drawn inside what they can."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from vastcellar.core.roll.offloading import DriveStretch
from vastcellar.services.roll.day_planning import PlannedDay
from vastcellar.services.roll.day_wording import FILLS_SUM
from vastcellar.ui.look import font
from vastcellar.ui.stations.roll.day_rows import DayRows
from vastcellar.ui.stations.roll.shapes import chevron, hatch, ring, rising_water, ticks
from vastcellar.ui.widgets.picture import Picture, text_width

_CHECK_PX = 8.0
_FALLEN_SHARE = 0.8
"""Where a drive can take less than this share of its best, the stone falls away."""


class LoadPainter:
    """Draws the rows under the cards, and the legend."""

    def __init__(self, view: Picture) -> None:
        self._view = view
        self._look = view.look

    def paint(self, painter: QPainter, planned: PlannedDay, rows: DayRows) -> None:
        """Draw readers, each drive, and what the shapes mean."""
        self._reader(painter, planned, rows)
        for drive in planned.day.drives:
            mine = [each for each in planned.run.drives if each.drive_tag == drive.tag]
            top = min(
                max((each.ability_bytes_per_s for each in mine), default=0.0)
                or drive.behaviour.cache_write_bytes_per_s,
                drive.link_cap_bytes_per_s,
            )
            self._head(painter, rows.drives[drive.tag], drive.tag, self._told(drive.tag, mine, top))
            self._drive(painter, rows, rows.drives[drive.tag], mine, top)
            box = rows.drives[drive.tag]
            self._view.place(QRectF(0, box.top(), box.right(), box.height()), FILLS_SUM)
        self._legend(painter, rows)

    def _head(self, painter: QPainter, box: QRectF, name: str, told: list[str]) -> None:
        place = QRectF(9, box.top(), box.left() - 14, 16)
        self._view.write(painter, place, name, weight=600, condensed=False, may_cut=True)
        under = QRectF(9, box.top() + 15, box.left() - 14, 14)
        self._view.write_lines(painter, under, told, 13, color="soft")

    def _told(self, _tag: str, mine: list[DriveStretch], top: float) -> list[str]:
        rate = self._look.numbers.rate
        told = [rate(top, 0)]
        lasting = [each.ability_bytes_per_s for each in mine if each.is_past_cache]
        if lasting and min(lasting) < _FALLEN_SHARE * top:
            told.append(f"then {rate(min(lasting), 0)}")
        return told

    def _reader(self, painter: QPainter, planned: PlannedDay, rows: DayRows) -> None:
        box = rows.reader
        best = max(
            (rate for camera in planned.day.cameras for card in camera.cards
             for _key, rate in card.reads), default=1.0,
        )  # fmt: skip
        self._head(painter, box, "Readers", [self._look.numbers.rate(best, 0)])
        painter.fillRect(box, self._look.color("stone"))
        shown: dict[str, QRectF] = {}
        for each in planned.run.copies:
            if each.is_reading_back:
                continue
            span = rows.span(box, each.start_s, each.end_s)
            height = box.height() * min(each.bytes_per_s / best, 1.0)
            bar = QRectF(span.left(), box.bottom() - height, span.width(), height)
            painter.fillRect(bar, self._look.color("water"))
            known = shown.get(each.card_tag)
            touches = known is not None and abs(known.right() - span.left()) < 2
            shown[each.card_tag] = known.united(span) if known is not None and touches else span
            name = shown[each.card_tag]
            if text_width(each.card_tag, font(12, condensed=True)) + 4 <= name.width():
                place = QRectF(name.left() + 2, box.top(), name.width() - 2, 13)
                self._view.write(painter, place, each.card_tag, size_px=12)

    def _drive(
        self, painter: QPainter, rows: DayRows, box: QRectF, mine: list[DriveStretch], top: float
    ) -> None:
        look = self._look
        track = box.adjusted(0, 0, 0, -_CHECK_PX - 2)
        painter.fillRect(track, look.color("stone"))
        if top <= 0:
            return
        fallen: QRectF | None = None
        for each in mine:
            span = rows.span(track, each.start_s, each.end_s)
            can = min(each.ability_bytes_per_s / top, 1.0)
            if can < _FALLEN_SHARE and each.written_bytes_per_s > 0:
                gone = QRectF(span.left(), track.top(), span.width(), track.height() * (1 - can))
                painter.fillRect(gone, look.color("panel"))
                painter.setPen(QPen(look.color("brick"), 1.4))
                painter.drawLine(gone.bottomLeft(), gone.bottomRight())
                is_next = fallen is not None and abs(fallen.right() - gone.left()) < 2
                fallen = fallen.united(gone) if fallen is not None and is_next else gone
            height = track.height() * min(each.written_bytes_per_s / top, 1.0)
            bar = QRectF(span.left(), track.bottom() - height, span.width(), height)
            painter.fillRect(bar, look.color("water"))
            if each.read_bytes_per_s > 0:
                low = QRectF(span.left(), track.bottom() + 2, span.width(), _CHECK_PX)
                ticks(painter, low, look)
        if fallen is not None:
            self._say_fallen(painter, fallen, mine, track)

    def _say_fallen(
        self, painter: QPainter, gone: QRectF, mine: list[DriveStretch], track: QRectF
    ) -> None:
        is_hot = any(each.throttle_stage for each in mine)
        words = "too hot" if is_hot else "past its cache"
        if not is_hot and not any(each.is_past_cache for each in mine):
            words = "fuller, slower"  # a hard disk, further in
        width = text_width(words, font(12, condensed=True)) + 6
        if width <= gone.width() and gone.height() >= 13:
            place = QRectF(gone.left() + 3, track.top(), width, 14)
            self._view.write(painter, place, words, color="brick_text", size_px=12)

    def _legend(self, painter: QPainter, rows: DayRows) -> None:
        look, y = self._look, rows.height - 10
        x = 9.0
        for kind, words in (
            ("fill", "recording"),
            ("full", "full"),
            ("walk", "walks"),
            ("queue", "in the queue"),
            ("copy", "copying, a lane a drive"),
            ("check", "last file read back"),
            ("done", "verified"),
            ("free", "free"),
            ("wait", "camera waits"),
        ):
            width = text_width(words, font(12, condensed=True)) + 4
            if x + 24 + width > self._view.width():
                return
            self._sample(painter, QRectF(x, y - 6, 18, 12), kind)
            self._view.write(painter, QRectF(x + 23, y - 8, width, 16), words, color="soft",
                             size_px=12)  # fmt: skip
            x += 23 + width + 11
        painter.setPen(look.color("ink"))

    def _sample(self, painter: QPainter, box: QRectF, kind: str) -> None:
        look, middle = self._look, box.center()
        if kind == "fill":
            painter.fillRect(box, look.color("stone"))
            rising_water(painter, [box.bottomLeft(), box.topRight(), box.bottomRight()], look)
        elif kind == "full":
            painter.fillRect(QRectF(middle.x() - 1.5, box.top(), 3, 12), look.color("ink"))
        elif kind == "walk":
            chevron(painter, middle, look)
        elif kind == "queue":
            painter.setPen(self._view.dashed("ink", 1.1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box)
        elif kind == "copy":
            painter.fillRect(box, look.color("water", 120))
            hatch(painter, box, look)
        elif kind == "check":
            ticks(painter, box.adjusted(0, 2, 0, -2), look)
        elif kind == "done":
            painter.fillRect(QRectF(middle.x() - 3, middle.y() - 3, 6, 6), look.color("ink"))
        elif kind == "free":
            ring(painter, middle, look)
        else:
            painter.setPen(QPen(look.color("brick"), 1.4))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box)
