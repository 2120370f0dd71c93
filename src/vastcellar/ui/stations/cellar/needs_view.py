"""What holds: each need scaled to itself, so that one line is what all of them ask."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPen

from vastcellar.core.cellar.packing import NeedMet, Packing, without
from vastcellar.core.evidence import Evidence, verdict_for_margin
from vastcellar.services.cellar.packing import PackedShoot
from vastcellar.services.cellar.packing_wording import evidence_of, need_words
from vastcellar.ui.look import Look, verdict_name
from vastcellar.ui.widgets.marks import draw_evidence, draw_verdict
from vastcellar.ui.widgets.picture import Picture, column

_ROW_PX = 32
_HEAD_PX = 18
_NAME_PX = 104
_VERDICT_PX = 128
_ELSE_PX = 92
_REACH = 1.35
"""How far beyond what is asked a bar is drawn; more is torn off."""


class NeedsView(Picture):
    """A row a need: its units as blocks, its spares dashed; a click on a block chooses the unit."""

    unit_chosen = Signal(str)

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._packed: PackedShoot | None = None
        self._packing: Packing | None = None
        self.tag = ""
        self.setAccessibleName("What holds")
        self.asked.connect(self.unit_chosen)

    def show_set(self, packed: PackedShoot | None, packing: Packing | None, tag: str) -> None:
        """Show how *packing* holds each need; *tag* is the chosen unit."""
        self._packed, self._packing, self.tag = packed, packing, tag
        rows = len(packing.needs) if packing else 0
        self.setMinimumHeight(_HEAD_PX + rows * _ROW_PX + 4)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(480, self.minimumHeight())

    def paint(self, painter: QPainter) -> None:
        if self._packing is None:
            return
        bars = QRectF(_NAME_PX, _HEAD_PX, self.width() - _NAME_PX - _VERDICT_PX - _ELSE_PX, 0)
        need_x = bars.left() + bars.width() / _REACH
        self.write(painter, QRectF(need_x - 40, 0, 80, _HEAD_PX), "need", color="copper_text",
                   size_px=12, weight=600, align=Qt.AlignmentFlag.AlignHCenter)  # fmt: skip
        self.write(painter, QRectF(self.width() - 180, 0, 180, _HEAD_PX), "without its largest",
                   color="soft", size_px=12, align=Qt.AlignmentFlag.AlignRight)  # fmt: skip
        for row, met in enumerate(self._packing.needs):
            self._row(painter, met, bars, need_x, _HEAD_PX + row * _ROW_PX)
        painter.setPen(QPen(self.look.color("copper"), 2))
        bottom = _HEAD_PX + len(self._packing.needs) * _ROW_PX
        painter.drawLine(QPointF(need_x, _HEAD_PX), QPointF(need_x, bottom))

    def _row(
        self, painter: QPainter, met: NeedMet, bars: QRectF, need_x: float, top: float
    ) -> None:
        look, fmt = self.look, self.look.numbers
        self.write(painter, QRectF(0, top, _NAME_PX - 6, 16), met.need.name, weight=600,
                   size_px=13, may_cut=True)  # fmt: skip
        asked = fmt.size(met.need.bytes_needed) + ("" if met.need.is_copy else " a day")
        self.write(painter, QRectF(0, top + 15, _NAME_PX - 6, 14), asked, color="soft",
                   size_px=12)  # fmt: skip
        self._blocks(painter, met, QRectF(bars.left(), top + 3, bars.width(), 11), need_x)
        names = " · ".join(met.tags) or "nothing"
        if met.spares:
            names += f" · spare {', '.join(met.spares)}"
        self.write(painter, QRectF(bars.left(), top + 15, bars.width(), 14), names, size_px=12,
                   may_cut=True)  # fmt: skip
        left = bars.right() + 10
        verdict = verdict_for_margin(met.margin)
        draw_verdict(painter, QRectF(left, top + 1, 15, 15), verdict, look)
        self.write(painter, QRectF(left + 20, top, _VERDICT_PX - 24, 16), need_words(met, fmt),
                   size_px=12, weight=600,
                   color=verdict_name(verdict, text=True))  # fmt: skip
        assert self._packed is not None
        evidence = evidence_of(self._packed, met)
        draw_evidence(painter, QRectF(left + 2, top + 17, 11, 11), Evidence(evidence), look)
        self.write(painter, QRectF(left + 20, top + 15, _VERDICT_PX - 24, 14), evidence,
                   color="soft", size_px=12)  # fmt: skip
        self.write(painter, QRectF(self.width() - _ELSE_PX, top, _ELSE_PX, 16), self._else(met),
                   size_px=12, align=Qt.AlignmentFlag.AlignRight, may_cut=True,
                   color="ink")  # fmt: skip

    def _blocks(self, painter: QPainter, met: NeedMet, box: QRectF, need_x: float) -> None:
        look, packed = self.look, self._packed
        assert packed is not None
        per_byte = (need_x - box.left()) / met.need.bytes_needed
        rooms = {unit.tag: unit.room_bytes for unit in packed.task.units}
        left = box.left()
        painter.fillRect(QRectF(box.left(), box.top(), need_x - box.left(), box.height()),
                         look.color("stone", 150))  # fmt: skip
        for tag in sorted(met.tags, key=lambda each: -rooms[each]):
            width = rooms[tag] * per_byte
            is_torn = left + width > box.right()
            block = QRectF(left, box.top(), max(min(width, box.right() - left) - 1.5, 3),
                           box.height())  # fmt: skip
            column(painter, block, look.color("copper" if tag == self.tag else "water"))
            self.place(block.adjusted(0, -2, 0, 16), tag)
            left += width
            if is_torn:
                break
        if not met.spares:
            return
        painter.setPen(self.dashed("soft", 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        start = min(max(left, need_x) + 4, box.right() - 18)
        spare = QRectF(start, box.top(), 16, box.height())
        painter.drawRect(spare)
        self.place(spare, met.spares[0])

    def _else(self, met: NeedMet) -> str:
        packed, packing = self._packed, self._packing
        if packed is None or packing is None or not met.tags:
            return ""
        rooms = {unit.tag: unit.room_bytes for unit in packed.task.units}
        largest = max(met.tags, key=lambda tag: rooms[tag])
        found = next(
            each for each in without(packing, packed.task, largest) if each.need == met.need.name
        )
        if found.steps_in:
            return f"{found.steps_in} steps in"
        if found.margin <= -1:
            return "none left"
        margin = self.look.numbers.percent(found.margin, signed=True)
        return f"short {margin}" if found.margin < 0 else margin
