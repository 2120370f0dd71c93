"""The months of a store: what is on it at the end of each, and when it is full."""

from __future__ import annotations

import math
from dataclasses import replace

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QVBoxLayout, QWidget

from vastcellar.core.errors import VastCellarError
from vastcellar.core.units import parse_share, parse_size
from vastcellar.services.edit.edit_planning import PlannedStore
from vastcellar.services.edit.edit_sums import MONTHS_SUM
from vastcellar.services.edit.edit_wording import months_line
from vastcellar.ui.look import Look
from vastcellar.ui.models.edit_desk import EditDesk
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.widgets.cards import OneLine, card, label, row
from vastcellar.ui.widgets.inputs import QuantityField, or_nothing, parse_whole
from vastcellar.ui.widgets.picture import Picture

_LEFT_PX, _TOP_PX, _BOTTOM_PX = 66.0, 30.0, 26.0
_LEAST_MONTHS, _MOST_SHOWN = 12, 60
_RIGHT, _CENTRE = Qt.AlignmentFlag.AlignRight, Qt.AlignmentFlag.AlignHCenter


class MonthsView(Picture):
    """A column a month against the room that may be used."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._planned: PlannedStore | None = None
        self.setMinimumHeight(220)
        self.setAccessibleName("Months of the store")

    def sizeHint(self) -> QSize:
        return QSize(820, 380)

    def show_store(self, planned: PlannedStore | None) -> None:
        """Show *planned*; None for nothing."""
        self._planned = planned
        if planned is not None:
            self.setAccessibleDescription(months_line(planned, self.look.numbers))
        self.update()

    def paint(self, painter: QPainter) -> None:
        planned = self._planned
        if planned is None:
            return
        look, numbers, months = self.look, self.look.numbers, planned.months
        full = months.full_after_months
        shown = _LEAST_MONTHS if math.isinf(full) else max(math.ceil(full) + 2, 6)
        shown = min(shown, _MOST_SHOWN, len(months.used_bytes) - 1)
        plot = QRectF(_LEFT_PX, _TOP_PX, self.width() - _LEFT_PX - 12,
                      self.height() - _TOP_PX - _BOTTOM_PX)  # fmt: skip
        most = max(months.usable_bytes, *months.used_bytes[: shown + 1]) * 1.06

        def y(size: float) -> float:
            return plot.bottom() - plot.height() * size / most

        step = plot.width() / (shown + 1)
        for number, used in enumerate(months.used_bytes[: shown + 1]):
            box = QRectF(plot.left() + number * step + 3, y(used), max(step - 6, 2),
                         plot.bottom() - y(used))  # fmt: skip
            is_over = used > months.room_bytes
            painter.fillRect(box, look.color("brick" if is_over else "water", 210))
            if step > 40 or number % 6 == 0:
                words = "now" if number == 0 else str(number)
                self.write(painter, QRectF(box.center().x() - 24, plot.bottom() + 3, 48, 16), words,
                           size_px=12, color="soft", align=_CENTRE)  # fmt: skip
            if step > 60:
                self.write(painter, QRectF(box.left() - 8, box.top() - 18, box.width() + 16, 16),
                           numbers.size(used), size_px=12, align=_CENTRE,
                           color="brick_text" if is_over else "ink")  # fmt: skip
        for size, text, color in (
            (months.usable_bytes, "usable", "ink"),
            (months.room_bytes, "kept free above", "copper"),
        ):
            painter.setPen(QPen(look.color(color), 1.6 if color == "copper" else 1.0))
            painter.drawLine(QPointF(plot.left(), y(size)), QPointF(plot.right(), y(size)))
            self.write(painter, QRectF(0, y(size) - 9, _LEFT_PX - 6, 17), numbers.size(size),
                       size_px=12, weight=600, align=_RIGHT,
                       color="copper_text" if color == "copper" else "ink")  # fmt: skip
            self.write(painter, QRectF(plot.left() + 4, y(size) - 18, 160, 16), text, size_px=12,
                       color="soft")  # fmt: skip
        if math.isfinite(full) and full <= shown:
            x = plot.left() + (full + 0.5) * step
            painter.setPen(QPen(look.color("copper"), 2.4))
            painter.drawLine(QPointF(x, plot.top() - 6), QPointF(x, plot.bottom()))
            told = f"full in {numbers.number(full, 1)} months"
            self.write(painter, QRectF(x - 150, 4, 146, 18), told, weight=600, align=_RIGHT,
                       color="copper_text")  # fmt: skip
        self.place(QRectF(self.rect()), MONTHS_SUM)


class MonthsPage(QWidget):
    """The months, and what they are reckoned from."""

    def __init__(self, workbench: Workbench, desk: EditDesk) -> None:
        super().__init__()
        self._workbench, self._desk = workbench, desk
        numbers = workbench.look.numbers
        self.view, self.told = MonthsView(workbench.look), OneLine()
        self.month = QuantityField(
            "A month brings", or_nothing(parse_size, "what the shoot records"),
            lambda size: numbers.size(size) if size else "what the shoot records",
        )  # fmt: skip
        self.grows = QuantityField("Grows by", parse_share, numbers.percent)
        self.archived = QuantityField("Archived after", parse_whole, str)
        self.kept = QuantityField("Kept all the same", parse_share, numbers.percent)
        fields = ((self.month, 150), (self.grows, 56), (self.archived, 44), (self.kept, 56))
        for field, width in fields:
            field.setFixedWidth(width)
            field.decimal_point = numbers.decimal_point
            field.refused.connect(self._on_refused)
        self.archived.setToolTip("Months after which a month's material is moved away; 0 for never")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        frame, inside = card()
        head = label("Months", "head")
        inside.addLayout(row(head, self.told, spacing=10, stretch_last=True))
        inside.addWidget(self.view, 1)
        layout.addWidget(frame, 1)
        layout.addLayout(
            row(label("a month brings", "soft"), self.month, label("each grows by", "soft"),
                self.grows, label("archived after", "soft"), self.archived,
                label("months, but", "soft"), self.kept, label("of it stays", "soft"), spacing=6)
        )  # fmt: skip
        self.month.entered.connect(lambda size: self._edit(month_bytes=size))
        self.grows.entered.connect(lambda share: self._edit(grows_by=share))
        self.archived.entered.connect(lambda count: self._edit(archived_after_months=count))
        self.kept.entered.connect(lambda share: self._edit(kept_share=share))
        self.view.asked.connect(workbench.sum_asked)

    def refresh(self) -> None:
        """Show the chosen store's months."""
        planned, growth = self._desk.planned, self._desk.plan.growth
        chosen = planned.chosen if planned else None
        self.view.show_store(chosen)
        self.told.setText(months_line(chosen, self._workbench.look.numbers) if chosen else "")
        self.month.show_value(growth.month_bytes)
        self.grows.show_value(growth.grows_by)
        self.archived.show_value(growth.archived_after_months)
        self.kept.show_value(growth.kept_share)

    def _on_refused(self, error: object) -> None:
        if error is not None:
            self._workbench.trouble.emit(error)

    def _edit(self, **changes: object) -> None:
        plan = self._desk.plan
        try:
            growth = replace(plan.growth, **changes)  # type: ignore[arg-type]
        except VastCellarError as error:
            self._workbench.trouble.emit(error)
            self.refresh()
            return
        self._desk.edit(replace(plan, growth=growth), "growth")
