"""The log drawn: a row for each card that was copied, day by day, with its copies as bars."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QWidget

from vastcellar.services.roll.day_log import (
    CopyState,
    KeptCopy,
    WipeRule,
    day_of,
    place_name,
    state_of,
)
from vastcellar.ui.look import Look
from vastcellar.ui.stations.roll.shapes import hatch
from vastcellar.ui.widgets.marks import draw_verdict
from vastcellar.ui.widgets.picture import Picture

_ROW_PX, _DAY_PX, _BAR_PX = 50.0, 28.0, 15.0
_CARD_PX, _STATE_PX = 190.0, 250.0


class LogView(Picture):
    """Cards newest first; Up and Down choose one."""

    chosen = Signal(int)  # the copy's number

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._kept: tuple[KeptCopy, ...] = ()
        self._rule = WipeRule()
        self.copy_id = 0
        self._boxes: list[tuple[QRectF, int]] = []
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Cards that were copied; Up and Down choose one")

    def show_log(self, kept: Sequence[KeptCopy], rule: WipeRule, copy_id: int) -> None:
        """Show *kept*, newest first; *copy_id* is the one that is chosen."""
        self._kept, self._rule, self.copy_id = tuple(kept), rule, copy_id
        days = len({day_of(each) for each in kept})
        self.setMinimumHeight(int(days * _DAY_PX + len(kept) * _ROW_PX) + 8)
        told = (f"{each.card_name}: {state_of(each, rule)[1]}" for each in self._kept)
        self.setAccessibleDescription("; ".join(told))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(820, self.minimumHeight())

    def paint(self, painter: QPainter) -> None:
        self._boxes = []
        top, day = 2.0, date.min
        visible = self.visibleRegion().boundingRect()
        for each in self._kept:
            if day_of(each) != day:
                day = day_of(each)
                head = QRectF(8, top + 4, self.width() - 16, 20)
                self.write(painter, head, day.isoformat(), size_px=14, weight=600)
                painter.setPen(QPen(self.look.color("line"), 1))
                painter.drawLine(QPointF(8, top + _DAY_PX - 3),
                                 QPointF(self.width() - 8, top + _DAY_PX - 3))  # fmt: skip
                top += _DAY_PX
            box = QRectF(4, top, self.width() - 8, _ROW_PX - 3)
            self._boxes.append((box, each.copy_id))
            if box.bottom() >= visible.top() and box.top() <= visible.bottom():
                self._row(painter, box, each)
            top += _ROW_PX

    def _row(self, painter: QPainter, box: QRectF, copy: KeptCopy) -> None:
        look, numbers = self.look, self.look.numbers
        if copy.copy_id == self.copy_id:
            painter.fillRect(box, look.color("copper", 26))
            painter.fillRect(QRectF(box.left(), box.top(), 3, box.height()), look.color("copper"))
        verdict, state = state_of(copy, self._rule)
        draw_verdict(painter, QRectF(box.left() + 10, box.top() + 8, 20, 20), verdict, look)
        local = copy.made_at.astimezone()
        at = numbers.time_of_day(local.hour * 3600 + local.minute * 60)
        name = QRectF(box.left() + 38, box.top() + 3, _CARD_PX - 40, 20)
        self.write(painter, name, copy.card_name, size_px=15, weight=600, condensed=False,
                   may_cut=True)  # fmt: skip
        count = len(copy.outcome.files)
        told = f"{at} · {count} files, {numbers.size(copy.outcome.size_bytes)}"
        self.write(painter, name.translated(0, 19), told, color="soft", size_px=12, may_cut=True)
        bars = QRectF(box.left() + _CARD_PX, box.top() + 3,
                      max(box.width() - _CARD_PX - _STATE_PX, 60), box.height() - 6)  # fmt: skip
        self._bars(painter, bars, copy)
        side = QRectF(box.right() - _STATE_PX + 10, box.top() + 4, _STATE_PX - 14, 18)
        colors = {"holds": "moss_text", "falls short": "brick_text"}
        head, _, why = state.partition(": ")
        self.write(painter, side, head, color=colors.get(verdict.value, "soft"), weight=600,
                   may_cut=True)  # fmt: skip
        self.write(painter, side.translated(0, 18), why, color="soft", size_px=12, may_cut=True)

    def _bars(self, painter: QPainter, box: QRectF, copy: KeptCopy) -> None:
        """A bar for each destination: copied hatched, verified full, with its mark at the end."""
        files = copy.outcome.files
        whole = max(copy.outcome.size_bytes, 1)
        count = max(len(copy.outcome.destinations), 1)
        height = min((box.height() - 1) / count, _BAR_PX)
        for number, each in enumerate(copy.outcome.destinations):
            top = box.top() + number * height
            label_box = QRectF(box.left(), top, 96, height)
            name = place_name(copy, number).rstrip("/").rpartition("/")[2]
            self.write(painter, label_box, name, size_px=12, may_cut=True)
            bar = QRectF(box.left() + 100, top + 1.5, max(box.width() - 104, 20), height - 3)
            painter.fillRect(bar, self.look.color("stone"))
            shares = {
                state: sum(f.size_bytes for f in files if f.on[number].state is state) / whole
                for state in CopyState
            }
            there = shares[CopyState.COPIED] + shares[CopyState.VERIFIED]
            copied = QRectF(bar.left(), bar.top(), bar.width() * there, bar.height())
            painter.fillRect(copied, self.look.color("water", 120))
            hatch(painter, copied, self.look)
            good = QRectF(bar.left(), bar.top(), bar.width() * shares[CopyState.VERIFIED],
                          bar.height())  # fmt: skip
            painter.fillRect(good, self.look.color("water"))
            if shares[CopyState.VERIFIED] > 0:
                side = min(bar.height(), 8.0)
                mark = QRectF(good.right() - side - 2, 0, side, side)
                mark.moveTop(bar.center().y() - side / 2)
                painter.fillRect(mark, self.look.color("ink"))
            if each.counts_not_because or each.dropped_by:
                painter.setPen(self.dashed("brick", 1.2))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(bar)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        for box, copy_id in self._boxes:
            if box.contains(event.position()):
                self.chosen.emit(copy_id)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        move = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
        numbers = [each.copy_id for each in self._kept]
        if move is None or not numbers:
            QWidget.keyPressEvent(self, event)
            return
        at = numbers.index(self.copy_id) if self.copy_id in numbers else 0
        self.chosen.emit(numbers[min(max(at + move, 0), len(numbers) - 1)])
