"""The sums drawer: the arithmetic of the figures, with values, source and evidence."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from vastcellar.ui.look import Look, font
from vastcellar.ui.widgets.cards import label
from vastcellar.ui.widgets.marks import draw_evidence
from vastcellar.ui.widgets.picture import Picture, text_width

if TYPE_CHECKING:
    # Loaded with the catalog, when the window is up.
    from vastcellar.services.sums.sum_lines import Sum
    from vastcellar.ui.models.workbench import Workbench

DRAWER_WIDTH_PX = 298
_LINE_PX = 38
_HEAD_PX = 30
_FOOT_PX = 40


class SumView(Picture):
    """One sum: each step with its reckoning under it and its value at the right."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._sum: Sum | None = None
        self._is_asked = False

    def show_sum(self, entry: Sum, *, is_asked: bool) -> None:
        """Show *entry*, lit if it is the one that was asked for."""
        self._sum, self._is_asked = entry, is_asked
        self.setFixedHeight(self.sizeHint().height())
        steps = "; ".join(f"{line.label} {line.reckoning} = {line.value}" for line in entry.lines)
        self.setAccessibleName(f"{entry.title}: {steps}")
        self.update()

    def sizeHint(self) -> QSize:
        lines = len(self._sum.lines) if self._sum else 0
        return QSize(DRAWER_WIDTH_PX - 40, _HEAD_PX + lines * _LINE_PX + _FOOT_PX)

    def paint(self, painter: QPainter) -> None:
        entry = self._sum
        if entry is None:
            return
        width = float(self.width())
        right = Qt.AlignmentFlag.AlignRight
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
        for line in entry.lines:
            value_width = text_width(line.value, font(15, 600)) + 6
            self.write(painter, QRectF(0, top, width - value_width, 17), line.label, color="soft")
            self.write(
                painter,
                QRectF(width - value_width, top, value_width, 18),
                line.value,
                size_px=15,
                weight=600,
                condensed=False,
                align=right,
            )
            self.write(painter, QRectF(0, top + 17, width, 16), line.reckoning)
            painter.fillRect(QRectF(0, top + _LINE_PX - 3, width, 1), self.look.color("line"))
            top += _LINE_PX
        draw_evidence(painter, QRectF(0, top + 3, 13, 13), entry.evidence, self.look)
        self.write(painter, QRectF(20, top + 1, width - 20, 17), entry.evidence.value, weight=500)
        source_left = 20 + text_width(entry.evidence.value, font(13, 500, condensed=True)) + 6
        self.write(
            painter,
            QRectF(source_left, top + 1, width - source_left, 17),
            f"· {entry.source}",
            color="soft",
        )
        self.setToolTip(f"{entry.evidence.value}: {entry.source}")


class SumsDrawer(QWidget):
    """All sums behind the subject; the one last asked for comes first."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._workbench: Workbench | None = None
        self._asked = ""
        self._views: list[SumView] = []
        self.setObjectName("sums")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(DRAWER_WIDTH_PX)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 12, 8, 8)
        head = label("Sums", "title")
        self.hint = label("Click a figure to see how it is reckoned. F2 hides.", "soft")
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
        self.refresh()

    def ask(self, key: str) -> None:
        """Bring the sum *key* to the top."""
        self._asked = key
        self.show()
        self.refresh()
        self._scroll.verticalScrollBar().setValue(0)

    def refresh(self) -> None:
        """Show the sums as they are now."""
        if self._workbench is None or self.isHidden():
            return
        sums = self._workbench.sums()
        order = sorted(sums.values(), key=lambda entry: entry.key != self._asked)
        while len(self._views) < len(order):
            view = SumView(self._look)
            self._list.insertWidget(len(self._views), view)
            self._views.append(view)
        for index, view in enumerate(self._views):
            view.setVisible(index < len(order))
            if index < len(order):
                view.show_sum(order[index], is_asked=order[index].key == self._asked)
