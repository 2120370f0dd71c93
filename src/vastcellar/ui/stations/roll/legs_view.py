"""A copy as a channel that forks: card, buffer, a leg to each destination, and who limits."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QBrush, QPainter, QPainterPath, QPen

from vastcellar.core.roll.pace import Pace, PaceSetter
from vastcellar.services.roll.follow import CopyNow
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.picture import Picture

_CARD_PX, _ROW_PX, _FORK_PX = 190.0, 66.0, 70.0
_BUFFER_PX, _GAP_PX = 34.0, 14.0
_SETS = "sets the pace"


class LegsView(Picture):
    """The card on the left, each destination's written and verified share on the right."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._now: CopyNow | None = None
        self._pace: Pace | None = None
        self._names: tuple[str, ...] = ()
        self._card = ""
        self.setAccessibleName("Copy")

    def sizeHint(self) -> QSize:
        return QSize(820, 260)

    def begin(self, card: str, names: Sequence[str]) -> None:
        """Show a copy of *card* to *names* that hasn't begun yet."""
        self._card, self._names, self._now, self._pace = card, tuple(names), None, None
        self.setFixedHeight(int(_ROW_PX * len(self._names)) + 4)
        self.update()

    def follow(self, now: CopyNow, pace: Pace | None = None) -> None:
        """Show how far it has come, and who sets the pace of it."""
        self._now, self._pace = now, pace
        done = [self._share(leg.verified_bytes) for leg in now.legs]
        told = (f"{name}: {self.look.numbers.percent(share)} verified"
                for name, share in zip(self._names, done, strict=False))  # fmt: skip
        who = f"; {self.pace_text} {_SETS}" if self.pace_text else ""
        self.setAccessibleDescription("; ".join(told) + who)
        self.update()

    def _share(self, count: int) -> float:
        now = self._now
        return min(count / now.total_bytes, 1.0) if now and now.total_bytes else 0.0

    @property
    def pace_text(self) -> str:
        """Who sets the pace, "" before anybody can be told to."""
        pace = self._pace
        if pace is None:
            return ""
        if pace.hub is not None:
            return f"{pace.hub.name}, {self.look.numbers.rate(pace.hub.bytes_per_s, 0)}"
        if pace.leg is not None:
            return self._names[pace.leg]
        return self._card if pace.by is PaceSetter.CARD else "the checksum"

    def _is_held_at(self, leg: int) -> bool:
        """Whether the pace is set there: by the drive, or by the hub that it hangs on."""
        pace = self._pace
        if pace is None:
            return False
        return pace.leg == leg or (pace.hub is not None and leg in pace.hub.legs)

    def paint(self, painter: QPainter) -> None:
        if not self._names:
            return
        rows = len(self._names)
        row_px = min(_ROW_PX, self.height() / rows)
        middle = row_px * rows / 2
        self._source(painter, middle)
        self._buffer(painter, middle)
        left = _CARD_PX + _GAP_PX + _BUFFER_PX + _FORK_PX
        for number in range(rows):
            box = QRectF(left, number * row_px, self.width() - left - 4, row_px)
            self._fork(painter, middle, box.center().y(), number)
            self._leg(painter, box, number)

    def _source(self, painter: QPainter, middle: float) -> None:
        look, now, numbers = self.look, self._now, self.look.numbers
        box = QRectF(1, middle - 32, _CARD_PX - 2, 64)
        pace = self._pace
        is_limit = pace is not None and pace.leg is None and (pace.hub is None or pace.hub.has_card)
        painter.setPen(QPen(look.color("brick" if is_limit else "ink"), 2.4 if is_limit else 1.2))
        painter.setBrush(look.color("stone"))
        painter.drawRoundedRect(box, 4, 4)
        self.write(painter, box.adjusted(10, 4, -8, -36), self._card, weight=600, may_cut=True)
        if now is None:
            return
        told = f"{numbers.size(now.read_bytes)} of {numbers.size(now.total_bytes)} read"
        self.write(painter, box.adjusted(10, 24, -8, -20), told, size_px=12, may_cut=True)
        words = ""
        if pace is not None and is_limit:
            words = _SETS if pace.by is PaceSetter.CARD else f"{self.pace_text} {_SETS}"
        self.write(painter, box.adjusted(10, 42, -8, -3), words, size_px=12, color="brick_text",
                   may_cut=True)  # fmt: skip

    def _channel(self, color: str) -> QPen:
        """A stroke that ends where it is drawn to: Qt's own goes on by half its width."""
        flat = Qt.PenCapStyle.FlatCap
        return QPen(self.look.color(color), 7.0, Qt.PenStyle.SolidLine, flat)

    def _buffer(self, painter: QPainter, middle: float) -> None:
        """What is read and not yet on every drive: full, a drive holds the card up."""
        look, now, numbers = self.look, self._now, self.look.numbers
        box = QRectF(_CARD_PX + _GAP_PX, middle - 32, _BUFFER_PX, 46)
        painter.setPen(self._channel("water"))
        painter.drawLine(QPointF(_CARD_PX, middle), QPointF(box.left() - 2, middle))
        if now is not None and now.buffer_bytes:
            share = min(now.buffered_bytes / now.buffer_bytes, 1.0)
            filled = QRectF(box.left(), box.bottom() - box.height() * share, box.width(),
                            box.height() * share)  # fmt: skip
            painter.fillRect(filled, look.color("water"))
            words = QRectF(box.left() - 16, box.bottom() + 2, box.width() + 32, 16)
            told = numbers.size(now.buffered_bytes)
            self.write(painter, words, told, size_px=11, color="soft",
                       align=Qt.AlignmentFlag.AlignHCenter)  # fmt: skip
        painter.setPen(QPen(look.color("ink"), 1.4))
        for corner in (box.topLeft(), box.topRight()):
            painter.drawLine(corner, QPointF(corner.x(), box.bottom()))
        painter.drawLine(box.bottomLeft(), box.bottomRight())

    def _fork(self, painter: QPainter, middle: float, y: float, number: int) -> None:
        now = self._now
        leg = now.legs[number] if now else None
        left = _CARD_PX + _GAP_PX + _BUFFER_PX
        path = QPainterPath(QPointF(left + 2, middle))
        path.cubicTo(QPointF(left + _FORK_PX / 2, middle), QPointF(left + _FORK_PX / 2, y),
                     QPointF(left + _FORK_PX - 4, y))  # fmt: skip
        is_slowest = self._is_held_at(number)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if leg is not None and leg.dropped_by:
            painter.setPen(self.dashed("brick", 2.0))
        else:
            painter.setPen(self._channel("brick" if is_slowest else "water"))
        painter.drawPath(path)

    def _leg(self, painter: QPainter, box: QRectF, number: int) -> None:
        look, now, numbers = self.look, self._now, self.look.numbers
        leg = now.legs[number] if now else None
        head = QRectF(box.left() + 4, box.top() + 3, box.width() - 8, 18)
        self.write(painter, head, self._names[number], weight=600, may_cut=True)
        bar = QRectF(box.left() + 4, box.top() + 24, box.width() - 8, 16)
        painter.fillRect(bar, look.color("stone"))
        under = QRectF(bar.left(), bar.bottom() + 3, bar.width(), 16)
        if leg is None or now is None:
            return
        written = self._share(leg.written_bytes)
        verified = self._share(leg.verified_bytes)
        hatch = QRectF(bar.left(), bar.top(), bar.width() * max(written, verified), bar.height())
        painter.fillRect(hatch, QBrush(look.color("water"), Qt.BrushStyle.BDiagPattern))
        done = QRectF(bar.left(), bar.top(), bar.width() * verified, bar.height())
        painter.fillRect(done, look.color("water", 220))
        if leg.dropped_by:
            self.write(painter, under, leg.dropped_by, size_px=12, color="brick_text", may_cut=True)
            return
        told = [f"{numbers.percent(written)} written", f"{numbers.percent(verified)} verified"]
        if leg.busy_s > 0 and leg.written_bytes:
            told.append(f"{numbers.rate(leg.written_bytes / leg.busy_s, 0)} while it writes")
        if self._is_held_at(number):
            told.append(_SETS if self._pace and self._pace.hub is None
                        else f"{self.pace_text} {_SETS}")  # fmt: skip
        self.write(painter, under, " · ".join(told), size_px=12, may_cut=True,
                   color="brick_text" if self._is_held_at(number) else "soft")  # fmt: skip
