"""The shelf: units as bays with fill, wear, evidence and state."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QMimeData, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QDrag, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QApplication, QWidget

from vastcellar.core.evidence import Evidence
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.units import Unit, filled_share, is_worn, worn_share
from vastcellar.core.verdict.proof import RecorderProof
from vastcellar.services.words.reach_wording import proof_word
from vastcellar.services.workplace.workplace import Shelf
from vastcellar.ui.look import Look, font
from vastcellar.ui.widgets.marks import draw_evidence
from vastcellar.ui.widgets.picture import UNIT_MIME, Picture, broken

_BAY_WIDTH_PX = 126
_BAY_HEIGHT_PX = 98
_NAME_LINE_PX = 14
_GAP_PX = 8


class ShelfView(Picture):
    """Bays in rows; arrows and clicks choose one."""

    chosen = Signal(str)

    def __init__(self, look: Look, catalog: Callable[[], Catalog]) -> None:
        super().__init__(look)
        self._catalog = catalog
        self._shelf = Shelf()
        self._proofs: dict[str, RecorderProof] = {}
        self.tag = ""
        self._pressed_at = QPointF()
        self.setObjectName("inside")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.asked.connect(self.choose)

    def show_shelf(self, shelf: Shelf) -> None:
        """Draw the units of *shelf*."""
        self._shelf = shelf
        self._proofs = shelf.standing_proofs
        if shelf.units and shelf.unit(self.tag) is None:
            self.choose(shelf.units[0].tag)
        self.updateGeometry()
        self.setMinimumHeight(self.heightForWidth(self.width()))
        self.update()

    def choose(self, tag: str) -> None:
        """Choose the bay of the unit *tag*."""
        if tag and tag != self.tag:
            self.tag = tag
            self.chosen.emit(tag)
            self.update()

    @property
    def _columns(self) -> int:
        return max(1, (self.width() + _GAP_PX) // (_BAY_WIDTH_PX + _GAP_PX))

    def heightForWidth(self, width: int) -> int:
        columns = max(1, (width + _GAP_PX) // (_BAY_WIDTH_PX + _GAP_PX))
        rows = -(-len(self._shelf.units) // columns)
        return rows * (_BAY_HEIGHT_PX + _GAP_PX)

    def sizeHint(self) -> QSize:
        return QSize(840, self.heightForWidth(840))

    def resizeEvent(self, event: object) -> None:
        self.setMinimumHeight(self.heightForWidth(self.width()))

    def paint(self, painter: QPainter) -> None:
        columns = self._columns
        width = (self.width() - _GAP_PX * (columns - 1)) / columns
        for index, unit in enumerate(self._shelf.units):
            box = QRectF(
                (index % columns) * (width + _GAP_PX),
                (index // columns) * (_BAY_HEIGHT_PX + _GAP_PX),
                width,
                _BAY_HEIGHT_PX,
            )
            self._bay(painter, box.adjusted(1, 1, -1, -1), unit)
            self.place(box, unit.tag)

    def _bay(self, painter: QPainter, box: QRectF, unit: Unit) -> None:
        look, drive = self.look, self._catalog().drives.get(unit.drive_key)
        is_chosen = unit.tag == self.tag
        painter.setPen(QPen(look.color("copper" if is_chosen else "line"), 2 if is_chosen else 1))
        painter.setBrush(look.color("panel"))
        painter.drawRoundedRect(box, 6, 6)
        share = filled_share(drive, unit) if drive else 0.0
        water = QRectF(box.left() + 2, 0, box.width() - 4, (box.height() - 4) * share)
        water.moveBottom(box.bottom() - 2)
        painter.fillRect(water, look.color("water", 60))
        inside = box.adjusted(9, 5, -9, -5)
        self.write(
            painter,
            QRectF(inside.left(), inside.top(), inside.width() - 22, 20),
            unit.tag,
            size_px=15,
            weight=600,
            condensed=False,
        )
        proof = self._proofs.get(unit.tag)
        evidence = Evidence.PROVED if proof else Evidence.COMPUTED
        mark = QRectF(inside.right() - 14, inside.top() + 3, 14, 14)
        draw_evidence(painter, mark, evidence, look)
        name = drive.name if drive else unit.drive_key
        lines = broken(name, inside.width(), font(12, condensed=True), 2)
        named = inside.adjusted(0, 21, 0, 0)
        ends = self.write_lines(painter, named, lines, _NAME_LINE_PX)
        self.write(
            painter,
            QRectF(inside.left(), ends, inside.width(), 16),
            self._state_text(unit, proof),
            size_px=12,
            color="soft" if unit.is_ready else "ochre_text",
            weight=400 if unit.is_ready else 600,
        )
        self._wear(painter, inside, worn_share(unit, drive) if drive else None)

    def _state_text(self, unit: Unit, proof: RecorderProof | None) -> str:
        if not unit.is_ready:
            return unit.state
        if proof is None or not proof.is_passed:
            return proof_word(proof)
        day = proof.measured_at.astimezone()
        return f"{proof_word(proof)} {day.day} {day:%b}"

    def _wear(self, painter: QPainter, inside: QRectF, share: float | None) -> None:
        if share is None:
            return
        bar = QRectF(inside.left(), inside.bottom() - 5, inside.width(), 4)
        is_nearly_worn = is_worn(share)
        text = f"{self.look.numbers.percent(share)} worn"
        self.write(
            painter,
            QRectF(inside.left(), bar.top() - 18, inside.width(), 16),
            text,
            size_px=12,
            color="brick_text" if is_nearly_worn else "soft",
            weight=600 if is_nearly_worn else 400,
        )
        painter.fillRect(bar, self.look.color("stone"))
        bar.setWidth(bar.width() * min(share, 1.0))
        painter.fillRect(bar, self.look.color("brick" if is_nearly_worn else "water"))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        self._pressed_at = event.position()
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if not event.buttons() & Qt.MouseButton.LeftButton or not self.tag:
            super().mouseMoveEvent(event)
            return
        moved = (event.position() - self._pressed_at).manhattanLength()
        if moved >= QApplication.startDragDistance():
            self._drag_unit()

    def _drag_unit(self) -> None:
        """Drag the chosen unit: a camera of the need bar takes it."""
        carried = QMimeData()
        carried.setData(UNIT_MIME, self.tag.encode())
        drag = QDrag(self)
        drag.setMimeData(carried)
        drag.exec(Qt.DropAction.CopyAction)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {
            Qt.Key.Key_Left: -1,
            Qt.Key.Key_Right: 1,
            Qt.Key.Key_Up: -self._columns,
            Qt.Key.Key_Down: self._columns,
        }
        tags = [unit.tag for unit in self._shelf.units]
        step = steps.get(Qt.Key(event.key()))
        if step is None or self.tag not in tags:
            QWidget.keyPressEvent(self, event)
            return
        self.choose(tags[min(max(tags.index(self.tag) + step, 0), len(tags) - 1)])
