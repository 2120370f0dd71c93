"""Up to four stores side by side: what they hold, how safe they are, what they cost."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from vastcellar.services.edit.edit_planning import PlannedEdit
from vastcellar.services.edit.edit_wording import CompareRow, compare_rows, store_line
from vastcellar.ui.look import Look
from vastcellar.ui.models.edit_desk import EditDesk
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.widgets.cards import card
from vastcellar.ui.widgets.marks import draw_verdict
from vastcellar.ui.widgets.picture import Picture

_NAME_PX, _HEAD_PX, _ROW_PX, _BAR_PX = 190.0, 58.0, 29.0, 4.0
_RIGHT = Qt.AlignmentFlag.AlignRight


class CompareView(Picture):
    """A column a store, a row a measure; a thin bar beneath each figure, the best one filled."""

    store_chosen = Signal(str)

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._edit: PlannedEdit | None = None
        self._rows: tuple[CompareRow, ...] = ()
        self.setAccessibleName("Stores side by side")

    def sizeHint(self) -> QSize:
        return QSize(800, self.minimumHeight())

    def show_edit(self, edit: PlannedEdit | None) -> None:
        """Show the stores of *edit*."""
        self._edit = edit
        self._rows = compare_rows(edit, self.look.numbers) if edit else ()
        self.setMinimumHeight(int(_HEAD_PX + len(self._rows) * _ROW_PX) + 6)
        told = [f"{row.name}: {', '.join(row.values)}" for row in self._rows]
        self.setAccessibleDescription("; ".join(told))
        self.update()

    def _column(self, number: int) -> QRectF:
        count = max(len(self._edit.stores) if self._edit else 1, 1)
        width = (self.width() - _NAME_PX - 8) / count
        return QRectF(_NAME_PX + number * width, 0, width - 12, self.height())

    def paint(self, painter: QPainter) -> None:
        edit = self._edit
        if edit is None:
            return
        look, chosen = self.look, edit.chosen
        for number, each in enumerate(edit.stores):
            box = self._column(number)
            if each is chosen:
                painter.fillRect(box.adjusted(-6, 0, 6, 0), look.color("copper", 22))
                painter.fillRect(QRectF(box.left() - 6, 0, box.width() + 12, 3),
                                 look.color("copper"))  # fmt: skip
            draw_verdict(painter, QRectF(box.left(), 9, 18, 18), each.verdict, look)
            self.write(painter, QRectF(box.left() + 24, 8, box.width() - 24, 20), each.setup.name,
                       size_px=15, weight=600, condensed=False, may_cut=True)  # fmt: skip
            self.write(painter, QRectF(box.left(), 30, box.width(), 16), store_line(each),
                       size_px=12, color="soft", may_cut=True)  # fmt: skip
        for number, row in enumerate(self._rows):
            self._row(painter, row, _HEAD_PX + number * _ROW_PX)

    def _row(self, painter: QPainter, row: CompareRow, top: float) -> None:
        look = self.look
        painter.setPen(QPen(look.color("line"), 0.8))
        painter.drawLine(4, int(top - 2), self.width() - 4, int(top - 2))
        self.write(painter, QRectF(4, top, _NAME_PX - 14, 18), row.name, color="soft")
        best = row.best
        for number, text in enumerate(row.values):
            box = self._column(number)
            is_best = number in best
            self.write(painter, QRectF(box.left(), top, box.width(), 18), text,
                       weight=600 if is_best else 400, size_px=14,
                       color="moss_text" if is_best else "ink", may_cut=True)  # fmt: skip
            share = row.shares[number] if row.shares else None
            if share is None:
                continue
            track = QRectF(box.left(), top + 20, box.width(), _BAR_PX)
            painter.fillRect(track, look.color("stone"))
            bar = QRectF(track.left(), track.top(), track.width() * share, _BAR_PX)
            painter.fillRect(bar, look.color("moss" if is_best else "water"))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        edit = self._edit
        for number, each in enumerate(edit.stores if edit else ()):
            if self._column(number).contains(event.position()):
                self.store_chosen.emit(each.setup.name)


class ComparePage(QWidget):
    """The comparison, scrolled where there is more than fits."""

    def __init__(self, workbench: Workbench, desk: EditDesk) -> None:
        super().__init__()
        self._desk = desk
        self.view = CompareView(workbench.look)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        frame, inside = card()
        area = QScrollArea()
        area.setWidgetResizable(True)
        self.view.setObjectName("inside")
        area.setWidget(self.view)
        inside.addWidget(area)
        layout.addWidget(frame, 1)
        self.view.store_chosen.connect(desk.choose)

    def refresh(self) -> None:
        """Show the stores as they are planned."""
        self.view.show_edit(self._desk.planned)
