"""Several drives at once: disks in mirrored pairs behind a network, magazines on one uplink."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QPainter, QPainterPath, QPen

from vastcellar.core.evidence import Verdict
from vastcellar.core.parts.fitting import Fit, FitKind
from vastcellar.services.build.building import Build
from vastcellar.ui.stations.build.build_picture import BuildPicture

_LABEL_PX, _SIDE_PX, _TOP_PX = 150.0, 290.0, 8.0
_MOST_ROW_PX = 52.0
_RIGHT = Qt.AlignmentFlag.AlignRight
_CENTRE = Qt.AlignmentFlag.AlignHCenter


class BaysView(BuildPicture):
    """A store's bytes by disk and pair; a dock's streams in scale, and the uplink they share."""

    def paint(self, painter: QPainter) -> None:
        made = self._made
        if made is None:
            return
        if made.layout.mirrors is not None:
            self._store(painter, made)
        elif made.layout.dock is not None:
            self._dock(painter, made)
        self._misfits(painter, made)

    # A store: each disk as long as it holds

    def _store(self, painter: QPainter, made: Build) -> None:
        look, numbers, mirrors = self.look, self.look.numbers, made.layout.mirrors
        if mirrors is None:
            return
        row_px = self._row_px(made.layout.bays)
        largest = max(size for pair in mirrors.pairs for size in pair)
        room = self.width() - _LABEL_PX - _SIDE_PX - 24
        for number, (larger, smaller) in enumerate(mirrors.pairs):
            top = _TOP_PX + 2 * number * row_px
            self.write(painter, QRectF(0, top, _LABEL_PX - 30, 17), f"Pair {number + 1}",
                       weight=600)  # fmt: skip
            self.write(painter, QRectF(0, top + 17, _LABEL_PX - 30, 15),
                       f"{numbers.size(smaller)} to use", size_px=12, color="soft")  # fmt: skip
            self._brace(painter, _LABEL_PX - 14, top + 4, 2 * row_px - 12)
            for place, (size, kind) in enumerate(((larger, "to use"), (smaller, "the same again"))):
                left, width = _LABEL_PX, room * smaller / largest
                bar = QRectF(left, top + place * row_px, width, row_px - 6)
                painter.fillRect(bar, look.color("water", 200 if place == 0 else 90))
                self.write(painter, bar.adjusted(8, 0, -8, 0), f"{numbers.size(smaller)} {kind}",
                           weight=600 if place == 0 else 400)  # fmt: skip
                if size > smaller:
                    wasted = QRectF(bar.right(), bar.top(), room * (size - smaller) / largest,
                                    bar.height())  # fmt: skip
                    painter.fillRect(wasted, QBrush(look.color("brick", 120),
                                                    Qt.BrushStyle.BDiagPattern))  # fmt: skip
                    painter.setPen(QPen(look.color("brick"), 1.2))
                    painter.setBrush(Qt.BrushStyle.NoBrush)
                    painter.drawRect(wasted)
                    self.write(painter, wasted.adjusted(8, 0, -4, 0),
                               f"{numbers.size(size - smaller)} wasted", color="brick_text",
                               weight=600)  # fmt: skip
        self._network(painter, made)

    def _brace(self, painter: QPainter, x: float, top: float, height: float) -> None:
        painter.setPen(QPen(self.look.color("soft"), 1.4))
        path = QPainterPath(QPointF(x + 8, top))
        path.lineTo(x, top)
        path.lineTo(x, top + height)
        path.lineTo(x + 8, top + height)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)

    def _network(self, painter: QPainter, made: Build) -> None:
        """The port and a mirror as two bars: the shorter one is the limit."""
        fit = made.of(FitKind.NETWORK)
        if fit is None or fit.verdict is Verdict.NOT_KNOWN:
            return
        values = dict(fit.said.values)
        network, disk = float(values["network_bytes_per_s"]), float(values["disk_bytes_per_s"])
        side = QRectF(self.width() - _SIDE_PX, _TOP_PX, _SIDE_PX - 12, 0)
        rows = (("A mirror writes as one disk", disk), (str(values["mode"]), network))
        most = max(disk, network)
        for number, (name, rate) in enumerate(rows):
            top = side.top() + number * 48
            self.write(painter, QRectF(side.left(), top, side.width(), 17), name, size_px=12,
                       color="soft")  # fmt: skip
            is_least = rate == min(disk, network)
            bar = QRectF(side.left(), top + 19, (side.width() - 96) * rate / most, 18)
            painter.fillRect(bar, self.look.color("brick" if is_least else "water", 200))
            self.write(painter, QRectF(bar.right() + 8, top + 18, 92, 20),
                       self.look.numbers.rate(rate, 0), size_px=15, weight=600,
                       color="brick_text" if is_least else "ink")  # fmt: skip

    # A dock: streams as wide as their rate

    def _dock(self, painter: QPainter, made: Build) -> None:
        fit, layout = made.of(FitKind.SHARED), made.layout
        if fit is None or layout.dock is None:
            return
        look, numbers, values = self.look, self.look.numbers, dict(fit.said.values)
        each, alone = float(values["each_bytes_per_s"]), float(values["alone_bytes_per_s"])
        row_px = self._row_px(layout.bays)
        slot_px = 150.0
        meet = self.width() - _SIDE_PX - 40
        thick = (row_px - 10) * each / alone
        middle = _TOP_PX + row_px * layout.bays / 2
        for number, drive in enumerate(layout.drives):
            top = _TOP_PX + number * row_px
            slot = QRectF(_LABEL_PX - 20, top, slot_px, row_px - 6)
            painter.setPen(QPen(look.color("ink"), 1.2))
            painter.setBrush(look.color("stone"))
            painter.drawRoundedRect(slot, 4, 4)
            head = QRectF(0, top + row_px / 2 - 21, _LABEL_PX - 30, 16)
            self.write(painter, head, f"Slot {number + 1}", size_px=12, color="soft")
            rate = head.translated(0, 16).adjusted(0, 0, 0, 3)
            self.write(painter, rate, numbers.rate(each, 0), size_px=15, weight=600)
            self.write(painter, slot.adjusted(8, 0, -6, 0), drive.name, size_px=12, may_cut=True)
            ghost = QRectF(slot.right() + 4, top + 2, 90, row_px - 10)
            painter.setPen(self.dashed("soft", 1.1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(ghost)
            y_at = ghost.center().y()
            y_end = middle + (number - (layout.bays - 1) / 2) * thick
            stream = QPainterPath(QPointF(ghost.left(), y_at - thick / 2))
            bend = QPointF(meet - 60, y_end - thick / 2)
            stream.lineTo(ghost.right(), y_at - thick / 2)
            stream.cubicTo(QPointF(ghost.right() + 60, y_at - thick / 2), bend,
                           QPointF(meet, y_end - thick / 2))  # fmt: skip
            stream.lineTo(meet, y_end + thick / 2)
            stream.cubicTo(QPointF(meet - 60, y_end + thick / 2),
                           QPointF(ghost.right() + 60, y_at + thick / 2),
                           QPointF(ghost.right(), y_at + thick / 2))  # fmt: skip
            stream.lineTo(ghost.left(), y_at + thick / 2)
            stream.closeSubpath()
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(look.color("water", 190))
            painter.drawPath(stream)
        whole = thick * layout.bays
        uplink = QRectF(meet, middle - whole / 2, 60, whole)
        painter.fillRect(uplink, look.color("brick", 190))
        side = QRectF(self.width() - _SIDE_PX + 34, 0, _SIDE_PX - 46, 18)
        side.moveTop(max(middle - 30, 0))
        self.write(painter, side, f"Uplink {numbers.rate(alone, 0)}", size_px=15, weight=600,
                   color="brick_text")  # fmt: skip
        side.translate(0, 20)
        self.write(painter, side, str(values["mode"]), size_px=12, color="soft")
        side.translate(0, 17)
        words = "dashed: what one alone would get"
        self.write(painter, side, words, size_px=12, color="soft")

    def _row_px(self, rows: int) -> float:
        room = self.height() - _TOP_PX - (66 if self._wrong() else 6)
        return min(room / rows, _MOST_ROW_PX)

    def _wrong(self) -> list[Fit]:
        """What doesn't go in; what is tight is in the drawing itself."""
        made = self._made
        return [fit for fit in made.checks if fit.verdict is Verdict.FALLS_SHORT] if made else []

    def _misfits(self, painter: QPainter, made: Build) -> None:
        for number, fit in enumerate(self._wrong()[:2]):
            box = QRectF(_LABEL_PX + number * 430, self.height() - 60, 420, 0)
            self.callout(painter, box, fit)
