"""The sums drawer: the arithmetic of the figures, with values, source and evidence."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from vastcellar.ui.look import Look, font
from vastcellar.ui.widgets.cards import label
from vastcellar.ui.widgets.marks import draw_evidence
from vastcellar.ui.widgets.picture import Picture, broken, text_width

if TYPE_CHECKING:
    # Loaded with the catalog, when the window is up.
    from vastcellar.services.sums.sum_lines import Sum
    from vastcellar.ui.models.workbench import Workbench

DRAWER_WIDTH_PX = 298
_HINT = "Click a figure to see how it is reckoned. F2 hides."
_SUM_WIDTH_PX = DRAWER_WIDTH_PX - 46.0
_TEXT_PX, _BETWEEN_PX = 17.0, 4.0
_HEAD_PX, _FOOT_PX = 30, 20


@dataclass(frozen=True, slots=True)
class _Row:
    """A step of a sum, broken into lines that fit."""

    label: list[str]
    value: str
    value_width: float
    reckoning: list[str]

    @property
    def height_px(self) -> float:
        lines = max(len(self.label), 1) + len(self.reckoning)
        return lines * _TEXT_PX + _BETWEEN_PX


class SumView(Picture):
    """One sum: each step with its reckoning under it and its value at the right."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._sum: Sum | None = None
        self._is_asked = False
        self._rows: list[_Row] = []
        self._source: list[str] = []

    def show_sum(self, entry: Sum, *, is_asked: bool) -> None:
        """Show *entry*, lit if it is the one that was asked for."""
        self._sum, self._is_asked = entry, is_asked
        self._break()
        self.setFixedHeight(self.sizeHint().height())
        steps = "; ".join(f"{line.label} {line.reckoning} = {line.value}" for line in entry.lines)
        self.setAccessibleName(f"{entry.title}: {steps}")
        self.setToolTip(f"{entry.evidence.value}: {entry.source}")
        self.update()

    def _break(self) -> None:
        """Break what is longer than a line: a sum is there to be read whole."""
        entry, width = self._sum, _SUM_WIDTH_PX
        if entry is None:
            return
        small = font(13, condensed=True)
        self._rows = []
        for line in entry.lines:
            value_width = text_width(line.value, font(15, 600)) + 6
            beside = width - value_width
            reckoning = broken(line.reckoning, width, small, 4) if line.reckoning else []
            self._rows.append(
                _Row(broken(line.label, beside, small, 3), line.value, value_width, reckoning)
            )
        self._source = broken(f"{entry.evidence.value} · {entry.source}", width - 20, small, 8)

    def sizeHint(self) -> QSize:
        height = _HEAD_PX + sum(each.height_px for each in self._rows)
        return QSize(int(_SUM_WIDTH_PX), int(height + len(self._source) * _TEXT_PX + _FOOT_PX))

    def paint(self, painter: QPainter) -> None:
        entry = self._sum
        if entry is None:
            return
        width = float(self.width())
        if self._is_asked:
            painter.fillRect(QRectF(0, 4, 3, 20), self.look.color("copper"))
        self.write(
            painter,
            QRectF(9 if self._is_asked else 0, 2, width - 9, 22),
            entry.title,
            size_px=15,
            weight=600,
            condensed=False,
            color="copper_text" if self._is_asked else "ink",
        )
        top = float(_HEAD_PX)
        for each in self._rows:
            self._row(painter, QRectF(0, top, width, each.height_px), each)
            top += each.height_px
        draw_evidence(painter, QRectF(0, top + 3, 13, 13), entry.evidence, self.look)
        source = QRectF(20, top + 1, width - 20, 0)
        self.write_lines(painter, source, self._source, _TEXT_PX, color="soft", size_px=13)

    def _row(self, painter: QPainter, box: QRectF, row: _Row) -> None:
        beside = QRectF(0, box.top(), box.width() - row.value_width, 0)
        ends = self.write_lines(painter, beside, row.label, _TEXT_PX, color="soft", size_px=13)
        self.write(
            painter,
            QRectF(box.width() - row.value_width, box.top(), row.value_width, 18),
            row.value,
            size_px=15,
            weight=600,
            condensed=False,
            align=Qt.AlignmentFlag.AlignRight,
        )
        under = QRectF(0, ends, box.width(), 0)
        self.write_lines(painter, under, row.reckoning, _TEXT_PX, size_px=13)
        painter.fillRect(QRectF(0, box.bottom() - 3, box.width(), 1), self.look.color("line"))


class SumsDrawer(QWidget):
    """The sums of the station that is open; the one last asked for comes first."""

    opened = Signal()
    """A sum was asked for: the drawer stands open."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._workbench: Workbench | None = None
        self._asked = ""
        self._keys: tuple[str, ...] = ()
        self._views: list[SumView] = []
        self.setObjectName("sums")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(DRAWER_WIDTH_PX)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 12, 8, 8)
        head = label("Sums", "title")
        self.hint = label(_HINT, "soft")
        layout.addWidget(head)
        layout.addWidget(self.hint)
        inside = QWidget()
        inside.setObjectName("inside")
        self._list = QVBoxLayout(inside)
        self._list.setContentsMargins(4, 0, 8, 0)
        self._list.setSpacing(4)
        self._list.addStretch(1)
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setWidget(inside)
        layout.addWidget(self._scroll, 1)
        look.changed.connect(self._restyle)
        self._restyle()

    def _restyle(self) -> None:
        palette = self._look.palette
        self.setStyleSheet(
            f"#sums {{ background: {palette.drawer}; border-left: 1px solid {palette.line}; }}"
        )

    def attach(self, workbench: Workbench) -> None:
        """Show the sums of *workbench*, now and at each change."""
        self._workbench = workbench
        workbench.judged.connect(self.refresh)
        workbench.sum_asked.connect(self.ask)
        workbench.units.chosen.connect(self.refresh)
        workbench.sums_changed.connect(self.refresh)
        self.refresh()

    def show_for(self, keys: tuple[str, ...]) -> None:
        """Show the sums *keys*, those of the station that opens."""
        if keys != self._keys:
            self._keys, self._asked = keys, ""
            self.refresh()

    def ask(self, key: str) -> None:
        """Bring the sum *key* to the top."""
        self._asked = key
        self.show()
        self.opened.emit()
        self.refresh()
        self._scroll.verticalScrollBar().setValue(0)

    def refresh(self) -> None:
        """Show the sums as they are now."""
        if self._workbench is None or self.isHidden():
            return
        sums = self._workbench.sums()
        keys = dict.fromkeys((self._asked, *self._keys))
        order = [sums[key] for key in keys if key in sums]
        self.hint.setText(_HINT if order else "No figure here yet.")
        while len(self._views) < len(order):
            view = SumView(self._look)
            self._list.insertWidget(len(self._views), view)
            self._views.append(view)
        for index, view in enumerate(self._views):
            view.setVisible(index < len(order))
            if index < len(order):
                view.show_sum(order[index], is_asked=order[index].key == self._asked)
