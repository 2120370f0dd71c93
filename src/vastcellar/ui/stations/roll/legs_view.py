"""A copy as a channel that forks: one reading, a leg to each destination, and which one limits."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QBrush, QPainter, QPainterPath, QPen

from vastcellar.services.roll.follow import CopyNow
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.picture import Picture

_CARD_PX, _ROW_PX, _FORK_PX = 190.0, 66.0, 70.0
_HELD_SHARE = 0.3
"""Waiting for so much of the time says that a destination, and not the card, sets the pace."""


class LegsView(Picture):
    """The card on the left, each destination's written and verified share on the right."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._now: CopyNow | None = None
        self._names: tuple[str, ...] = ()
        self._card = ""
        self.setAccessibleName("Copy")

    def sizeHint(self) -> QSize:
        return QSize(820, 260)

    def begin(self, card: str, names: Sequence[str]) -> None:
        """Show a copy of *card* to *names* that hasn't begun yet."""
        self._card, self._names, self._now = card, tuple(names), None
        self.setFixedHeight(int(_ROW_PX * len(self._names)) + 4)
        self.update()

    def follow(self, now: CopyNow) -> None:
        """Show how far it has come."""
        self._now = now
        done = [self._share(leg.verified_bytes) for leg in now.legs]
        told = (f"{name}: {self.look.numbers.percent(share)} verified"
                for name, share in zip(self._names, done, strict=False))  # fmt: skip
        self.setAccessibleDescription("; ".join(told))
        self.update()

    def _share(self, count: int) -> float:
        now = self._now
        return min(count / now.total_bytes, 1.0) if now and now.total_bytes else 0.0

    @property
    def slowest(self) -> int | None:
        """The destination that holds the others up; None where the card itself sets the pace."""
        now = self._now
        if now is None or now.waited_s < _HELD_SHARE * now.elapsed_s:
            return None
        going = [(leg.written_bytes, at) for at, leg in enumerate(now.legs) if not leg.dropped_by]
        return min(going)[1] if going else None

    def paint(self, painter: QPainter) -> None:
        if not self._names:
            return
        rows = len(self._names)
        row_px = min(_ROW_PX, self.height() / rows)
        middle = row_px * rows / 2
        self._source(painter, middle)
        left = _CARD_PX + _FORK_PX
        for number in range(rows):
            box = QRectF(left, number * row_px, self.width() - left - 4, row_px)
            self._fork(painter, middle, box.center().y(), number)
            self._leg(painter, box, number)

    def _source(self, painter: QPainter, middle: float) -> None:
        look, now, numbers = self.look, self._now, self.look.numbers
        box = QRectF(1, middle - 32, _CARD_PX - 2, 64)
        is_limit = now is not None and now.read_bytes > 0 and self.slowest is None
        painter.setPen(QPen(look.color("brick" if is_limit else "ink"), 2.4 if is_limit else 1.2))
        painter.setBrush(look.color("stone"))
        painter.drawRoundedRect(box, 4, 4)
        self.write(painter, box.adjusted(10, 4, -8, -36), self._card, weight=600, may_cut=True)
        if now is None:
            return
        told = f"{numbers.size(now.read_bytes)} of {numbers.size(now.total_bytes)} read"
        self.write(painter, box.adjusted(10, 24, -8, -20), told, size_px=12, may_cut=True)
        words = "sets the pace" if is_limit else ""
        self.write(painter, box.adjusted(10, 42, -8, -3), words, size_px=12, color="brick_text")

    def _fork(self, painter: QPainter, middle: float, y: float, number: int) -> None:
        look, now = self.look, self._now
        leg = now.legs[number] if now else None
        path = QPainterPath(QPointF(_CARD_PX, middle))
        path.cubicTo(QPointF(_CARD_PX + _FORK_PX / 2, middle), QPointF(_CARD_PX + _FORK_PX / 2, y),
                     QPointF(_CARD_PX + _FORK_PX - 4, y))  # fmt: skip
        is_slowest = number == self.slowest
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if leg is not None and leg.dropped_by:
            painter.setPen(self.dashed("brick", 2.0))
        else:
            painter.setPen(QPen(look.color("brick" if is_slowest else "water"), 7.0))
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
        if number == self.slowest:
            told.append("sets the pace")
        self.write(painter, under, " · ".join(told), size_px=12, may_cut=True,
                   color="brick_text" if number == self.slowest else "soft")  # fmt: skip
