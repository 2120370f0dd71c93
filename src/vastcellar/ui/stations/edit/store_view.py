"""The store as its disks: bytes in use, free, protective and wasted; its links as sockets."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QBrush, QPainter, QPen

from vastcellar.core.edit.arrays import DiskShare
from vastcellar.services.edit.edit_planning import PlannedStore
from vastcellar.services.edit.edit_sums import JUMP_SUM, MONTHS_SUM, REBUILD_SUM, STORE_SUM
from vastcellar.services.edit.edit_wording import (
    jump_text,
    milliseconds,
    months_line,
    risk_text,
    streams_text,
)
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.picture import Picture

_TOP_PX, _DISKS_PX, _MOST_DISK_PX, _SOCKET_PX = 8.0, 80.0, 44.0, 44.0
_MOST_DRAWN = 12
_CENTRE = Qt.AlignmentFlag.AlignHCenter
_TB = 1e12


class StoreView(Picture):
    """A disk a box, as tall as it holds; below it what a failed one means, and when it is full."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._planned: PlannedStore | None = None
        self.setMinimumHeight(230)
        self.setAccessibleName("The store")

    def sizeHint(self) -> QSize:
        return QSize(262, 270)

    def show_store(self, planned: PlannedStore | None) -> None:
        """Show *planned*; None for nothing."""
        self._planned = planned
        if planned is not None:
            array, size = planned.store.array, self.look.numbers.size
            self.setAccessibleDescription(
                f"usable {size(array.usable_bytes)}, protective {size(array.protective_bytes)}, "
                f"wasted {size(array.wasted_bytes)}; {months_line(planned, self.look.numbers)}"
            )
        self.update()

    def paint(self, painter: QPainter) -> None:
        planned = self._planned
        if planned is None:
            return
        self._disks(painter, planned)
        top = self._key(painter, planned)
        self._facts(painter, planned, top)

    def _disks(self, painter: QPainter, planned: PlannedStore) -> None:
        look = self.look
        array, store = planned.store.array, planned.store
        shown = list(zip(array.disks, array.shares, strict=True))[:_MOST_DRAWN]
        sockets = bool(store.stages)
        room = self.width() - 8 - (_SOCKET_PX + 8 if sockets else 0)
        step = min(room / len(shown), _MOST_DISK_PX + 7)
        case = QRectF(2, _TOP_PX - 6, step * len(shown) + 8 + (_SOCKET_PX + 4 if sockets else 0),
                      _DISKS_PX + 12)  # fmt: skip
        painter.setPen(QPen(look.color("soft"), 1.3))
        painter.setBrush(look.color("drawer"))
        painter.drawRoundedRect(case, 5, 5)
        largest = max(disk.capacity_bytes for disk, _share in shown)
        for number, (disk, share) in enumerate(shown):
            height = _DISKS_PX * disk.capacity_bytes / largest
            box = QRectF(7 + number * step, _TOP_PX + _DISKS_PX - height, step - 6, height)
            self._disk(painter, box, disk.capacity_bytes, share, store.filled_share)
        if sockets:
            left = 7 + len(shown) * step + 2
            for number, stage in enumerate(store.stages[:4]):
                socket = QRectF(left, _TOP_PX + number * 26, _SOCKET_PX, 21)
                is_limit = (
                    stage.kind is planned.ladder.limit.kind
                    and stage.name == planned.ladder.limit.name
                )
                painter.setPen(QPen(look.color("ink"), 1))
                painter.setBrush(look.color("brick" if is_limit else "stone"))
                painter.drawRoundedRect(socket, 3, 3)
                self.write(painter, socket, stage.name, size_px=12, weight=600, align=_CENTRE,
                           color="panel" if is_limit else "ink", may_cut=True)  # fmt: skip
        self.place(case, STORE_SUM)

    def _disk(
        self, painter: QPainter, box: QRectF, capacity: float, share: DiskShare, filled: float
    ) -> None:
        look, numbers = self.look, self.look.numbers
        used = share.data_bytes * filled
        parts = (
            (used, "water", "used"),
            (share.data_bytes - used, "panel", "free"),
            (share.protective_bytes, "protective", "protective"),
            (share.wasted_bytes, "wasted", "wasted"),
        )
        bottom = box.bottom()
        for size, kind, _name in parts:
            height = box.height() * size / capacity
            if height < 0.5:
                continue
            part = QRectF(box.left(), bottom - height, box.width(), height)
            bottom -= height
            if kind == "protective":
                painter.fillRect(part, look.color("stone"))
                pattern = QBrush(look.color("ink", 110), Qt.BrushStyle.BDiagPattern)
                painter.fillRect(part, pattern)
            elif kind == "wasted":
                painter.setPen(self.dashed("brick", 1.2))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(part.adjusted(1, 1, -1, -1))
            else:
                painter.fillRect(part, look.color(kind, 220))
            if height >= 16 and box.width() >= 22:
                self.write(painter, part, numbers.number(size / _TB, 1), size_px=12, align=_CENTRE,
                           may_cut=True)  # fmt: skip
        painter.setPen(QPen(look.color("ink"), 1.1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)

    def _key(self, painter: QPainter, planned: PlannedStore) -> float:
        """Say what each part is, in TB; return where it ends."""
        look, numbers, array = self.look, self.look.numbers, planned.store.array
        used = array.usable_bytes * planned.store.filled_share
        entries = [
            ("water", f"used {numbers.number(used / _TB, 1)}"),
            ("panel", f"free {numbers.number((array.usable_bytes - used) / _TB, 1)}"),
            ("protective", f"protective {numbers.number(array.protective_bytes / _TB, 1)}"),
            ("wasted", f"wasted {numbers.number(array.wasted_bytes / _TB, 1)}"),
        ]
        top = _TOP_PX + _DISKS_PX + 14
        half = self.width() / 2
        for number, (kind, text) in enumerate(entries):
            left, row = number % 2 * half + 2, top + number // 2 * 18
            mark = QRectF(left, row + 3, 11, 11)
            if kind == "protective":
                painter.fillRect(mark, QBrush(look.color("ink"), Qt.BrushStyle.BDiagPattern))
            painter.setPen(self.dashed("brick", 1.1) if kind == "wasted"
                           else QPen(look.color("ink"), 1))  # fmt: skip
            painter.setBrush(look.color(kind) if kind in ("water", "panel")
                             else QBrush(Qt.BrushStyle.NoBrush))  # fmt: skip
            painter.drawRect(mark)
            self.write(painter, QRectF(left + 17, row, half - 20, 17), text, size_px=12)
        return top + 37

    def _facts(self, painter: QPainter, planned: PlannedStore, top: float) -> None:
        numbers, rebuild = self.look.numbers, planned.rebuild
        painter.setPen(QPen(self.look.color("line"), 1))
        painter.drawLine(QPointF(2, top), QPointF(self.width() - 2, top))
        top += 6
        if rebuild.is_possible:
            self._fact(painter, top, f"{numbers.number(rebuild.seconds / 3600, 1)} h",
                       f"to rebuild a disk; {streams_text(planned.rebuilding.held)} held",
                       "ink", REBUILD_SUM)  # fmt: skip
            color = "brick_text" if rebuild.unreadable_risk > 0.05 else "ink"
            self._fact(painter, top + 21, risk_text(rebuild.unreadable_risk, numbers),
                       "risk of a lost sector; no backup", color, REBUILD_SUM)  # fmt: skip
        else:
            self._fact(painter, top, "lost", "what is on a disk that fails", "brick_text",
                       REBUILD_SUM)  # fmt: skip
            self._fact(painter, top + 21, "0", "disks may fail", "brick_text", REBUILD_SUM)
        full = planned.months.full_after_months
        value = numbers.number(full, 1) if math.isfinite(full) else "—"
        words = "months until it is full" if math.isfinite(full) else "not full within ten years"
        self._fact(painter, top + 42, value, words, "ink", MONTHS_SUM)
        half_s, words = jump_text(planned, numbers)
        self._fact(painter, top + 63, milliseconds(half_s, numbers), words, "ink", JUMP_SUM)

    def _fact(
        self, painter: QPainter, top: float, value: str, words: str, color: str, key: str
    ) -> None:
        box = QRectF(2, top, 64, 20)
        self.write(painter, box, value, size_px=15, weight=600, color=color, may_cut=True)
        rest = QRectF(68, top + 2, self.width() - 70, 17)
        self.write(painter, rest, words, size_px=12, color="soft", may_cut=True)
        self.place(QRectF(2, top, self.width() - 4, 20), key)
