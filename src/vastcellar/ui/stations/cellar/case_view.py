"""How a set lies in its case: in layers from above, to scale, beside a vessel of litres."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPen

from vastcellar.core.cellar.packing import Packing, PackUnit, layers_of
from vastcellar.services.cellar.packing import PackedShoot
from vastcellar.services.cellar.packing_wording import mass_words
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.picture import Picture

TRAY_MM = (400.0, 260.0)
INSIDE_MM = 84.0
"""Height inside: a hand case as crews carry them (assumed)."""
CASE_LITRES = TRAY_MM[0] * TRAY_MM[1] * INSIDE_MM / 1e6
_FLAT_MM = 28.0
_VESSEL_PX = 12


class CaseView(Picture):
    """A click on a piece chooses its unit."""

    unit_chosen = Signal(str)

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._packed: PackedShoot | None = None
        self._packing: Packing | None = None
        self.tag = ""
        self.setMinimumSize(240, 250)
        self.setAccessibleName("In the case")
        self.asked.connect(self.unit_chosen)

    def show_set(self, packed: PackedShoot | None, packing: Packing | None, tag: str) -> None:
        """Show how *packing* lies in the case; *tag* is the chosen unit."""
        self._packed, self._packing, self.tag = packed, packing, tag
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(300, 300)

    def paint(self, painter: QPainter) -> None:
        packed, packing = self._packed, self._packing
        if packed is None or packing is None:
            return
        look, fmt = self.look, self.look.numbers
        head = QRectF(0, 0, self.width(), 18)
        self.write(painter, head, "In the case", weight=600)
        said = f"{mass_words(packing.mass_g, fmt)} · {fmt.number(packing.litres, 1)} of " \
               f"{fmt.number(CASE_LITRES, 1)} l"  # fmt: skip
        self.write(painter, head, said, color="soft", size_px=12,
                   align=Qt.AlignmentFlag.AlignRight)  # fmt: skip
        units = {unit.tag: unit for unit in packed.task.units}
        units = {unit.tag: unit for unit in packed.task.units}
        layers = layers_of([units[tag] for tag in packing.tags], TRAY_MM, _FLAT_MM)
        room = self.width() - _VESSEL_PX - 14
        count = max(len(layers), 2)
        scale = min(room / TRAY_MM[0], ((self.height() - 42) / count - 20) / TRAY_MM[1])
        top, deep_mm = 20.0, 0.0
        for number, layer in enumerate(layers):
            deep_mm += layer.high_mm
            is_over = deep_mm > INSIDE_MM
            said = "doesn't go in any more" if is_over else f"{layer.high_mm:.0f} mm high"
            self.write(painter, QRectF(2, top, room, 16), f"Layer {number + 1}, {said}",
                       color="brick_text" if is_over else "soft", size_px=12)  # fmt: skip
            tray = QRectF(1, top + 17, TRAY_MM[0] * scale, TRAY_MM[1] * scale)
            painter.setPen(QPen(look.color("soft"), 2.2))
            painter.setBrush(look.color("stone", 90))
            painter.drawRoundedRect(tray, 6, 6)
            inner = scale * 0.97  # of the frame, and a little between the pieces
            for each in layer.placed:
                box = QRectF(each.x_mm, each.y_mm, each.width_mm, each.depth_mm)
                box = QRectF(box.topLeft() * inner, box.size() * inner)
                box.translate(tray.left() + 3, tray.top() + 3)
                self._piece(painter, box, units[each.name])
            top = tray.bottom() + 4
        self._vessel(painter, QRectF(self.width() - _VESSEL_PX - 2, 37, _VESSEL_PX,
                                     max(top - 41, 20)), packing.litres / CASE_LITRES)  # fmt: skip

    def _piece(self, painter: QPainter, box: QRectF, unit: PackUnit) -> None:
        look = self.look
        is_chosen = unit.tag == self.tag
        if unit.price:
            painter.setPen(self.dashed("copper" if is_chosen else "soft", 1.4))
        else:
            painter.setPen(QPen(look.color("copper" if is_chosen else "soft"),
                                2 if is_chosen else 1))  # fmt: skip
        painter.setBrush(look.color("panel" if not unit.is_disk else "drawer"))
        painter.drawRoundedRect(box, 3, 3)
        self.place(box, unit.tag)
        if box.width() > 30 and box.height() > 13:
            name = unit.tag.removeprefix("new ")
            self.write(painter, box.adjusted(3, 0, -2, 0), name, size_px=12, may_cut=True,
                       align=Qt.AlignmentFlag.AlignHCenter)  # fmt: skip

    def _vessel(self, painter: QPainter, box: QRectF, share: float) -> None:
        look = self.look
        painter.fillRect(box, look.color("stone", 120))
        water = QRectF(box)
        water.setTop(box.bottom() - box.height() * min(share, 1.0))
        painter.fillRect(water, look.color("water" if share <= 1 else "brick"))
        painter.setPen(QPen(look.color("soft"), 1.4))
        painter.drawLine(box.topLeft(), box.bottomLeft())
        painter.drawLine(box.topRight(), box.bottomRight())
        painter.drawLine(box.bottomLeft(), box.bottomRight())
