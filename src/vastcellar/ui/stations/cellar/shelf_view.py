"""The shelf: units as bays in groups, only those that are in sight drawn."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QEvent, QMimeData, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QDrag, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QApplication, QToolTip, QWidget

from vastcellar.services.cellar.bays import Bay, BayGroup
from vastcellar.ui.look import Look
from vastcellar.ui.stations.cellar.bay_drawing import BAY_HEIGHT_PX, draw_bay, draw_skyline
from vastcellar.ui.widgets.picture import UNIT_MIME, Picture

_BAY_WIDTH_PX = 66
_GAP_PX = 4
_HEAD_PX = 22
_FOLDED_FROM = 200
"""A group of more bays begins folded: as a skyline, with what is found in it."""


@dataclass(frozen=True, slots=True)
class _Row:
    """One row of the shelf: the head of a group, its skyline, or some of its bays."""

    top: float
    height: float
    group: int
    first: int = -1
    """Of the group's bays; -1 for a head."""
    count: int = 0


class ShelfView(Picture):
    """Bays in groups; arrows and clicks choose one, a click on a head folds its group."""

    chosen = Signal(str)

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._groups: tuple[BayGroup, ...] = ()
        self._rows: list[_Row] = []
        self._tops: list[float] = []
        self._folded: dict[str, bool] = {}
        self._laid_out_for = 0
        self._place_of: dict[str, tuple[int, int]] = {}
        self.tag = ""
        self._pressed_at = QPointF()
        # What it paints covers all of it: scrolled, only what comes into sight is drawn anew.
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self._exposed = QRectF()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Shelf")

    def show_groups(self, groups: Sequence[BayGroup]) -> None:
        """Draw *groups* in place of what was there."""
        self._groups = tuple(groups)
        for group in groups:
            self._folded.setdefault(group.name, len(group.bays) > _FOLDED_FROM)
        self._place_of = {
            bay.tag: (number, index)
            for number, group in enumerate(self._groups)
            for index, bay in enumerate(group.bays)
        }
        self._lay_out()

    def choose(self, tag: str) -> None:
        """Choose the bay of the unit *tag*; its group unfolds."""
        if not tag or tag == self.tag:
            return
        self.tag = tag
        if tag in self._place_of:
            group = self._groups[self._place_of[tag][0]]
            if self._folded.get(group.name):
                self._folded[group.name] = False
                self._lay_out()
        self.chosen.emit(tag)
        self.update()

    @property
    def tags(self) -> list[str]:
        """The tags of all bays that aren't folded away, in their order."""
        return [
            bay.tag
            for group in self._groups
            if not self._folded.get(group.name)
            for bay in group.bays
        ]

    def bay_box(self, tag: str) -> QRectF:
        """Return where the bay of *tag* stands; nowhere for one that is folded away."""
        number, index = self._place_of.get(tag, (-1, -1))
        for row in self._rows:
            if row.group == number and row.first >= 0 and 0 <= index - row.first < row.count:
                return self._box(row, index - row.first)
        return QRectF()

    # Layout

    @property
    def _columns(self) -> int:
        return max(1, int((self.width() + _GAP_PX) // (_BAY_WIDTH_PX + _GAP_PX)))

    def _lay_out(self) -> None:
        columns, top = self._columns, 0.0
        rows: list[_Row] = []
        for number, group in enumerate(self._groups):
            rows.append(_Row(top, _HEAD_PX, number))
            top += _HEAD_PX
            if self._folded.get(group.name):
                continue
            for first in range(0, len(group.bays), columns):
                count = min(columns, len(group.bays) - first)
                rows.append(_Row(top, BAY_HEIGHT_PX, number, first, count))
                top += BAY_HEIGHT_PX
            top += _GAP_PX
        self._rows, self._tops = rows, [row.top for row in rows]
        self._laid_out_for = self.width()
        self.setMinimumHeight(int(top))
        self.updateGeometry()
        self.update()

    def _box(self, row: _Row, place: int) -> QRectF:
        columns = self._columns
        width = (self.width() - _GAP_PX * (columns - 1)) / columns
        return QRectF(place * (width + _GAP_PX), row.top, width, row.height)

    def sizeHint(self) -> QSize:
        return QSize(840, self.minimumHeight())

    def resizeEvent(self, event: object) -> None:
        if self.width() != self._laid_out_for:
            self._lay_out()

    # Drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        self._exposed = QRectF(event.rect())
        super().paintEvent(event)

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self._exposed, self.look.color("ground"))
        first = max(bisect_right(self._tops, self._exposed.top()) - 1, 0)
        for row in self._rows[first:]:
            if row.top > self._exposed.bottom():
                break
            group = self._groups[row.group]
            if row.first < 0:
                self._head(painter, row, group)
                continue
            for place, bay in enumerate(group.bays[row.first : row.first + row.count]):
                draw_bay(self, painter, self._box(row, place), bay, is_chosen=bay.tag == self.tag)

    def _head(self, painter: QPainter, row: _Row, group: BayGroup) -> None:
        is_folded = bool(self._folded.get(group.name))
        box = QRectF(0, row.top, self.width(), row.height)
        mark = "▸" if is_folded else "▾"
        self.write(painter, QRectF(2, box.top(), 14, box.height()), mark, color="soft", size_px=12)
        wide = self.write(painter, box.adjusted(16, 0, 0, 0), group.name, weight=600, size_px=13)
        left = 16 + wide + 10
        note = group.note + (f" · {group.found} to look at" if group.found else "")
        wide = self.write(painter, box.adjusted(left, 0, 0, 0), note, color="soft", size_px=12)
        left += wide + 14
        painter.setPen(self.look.color("line"))
        if is_folded:
            draw_skyline(self, painter, box.adjusted(left, 3, -4, -2), group)
        else:
            middle = box.center().y() + 1
            painter.drawLine(QPointF(left, middle), QPointF(box.right(), middle))

    # Mouse and keys

    def _at(self, point: QPointF) -> tuple[BayGroup | None, Bay | None]:
        index = bisect_right(self._tops, point.y()) - 1
        row = self._rows[index] if index >= 0 else None
        if row is None or point.y() > row.top + row.height:
            return None, None
        group = self._groups[row.group]
        if row.first < 0:
            return group, None
        for place in range(row.count):
            if self._box(row, place).contains(point):
                return group, group.bays[row.first + place]
        return None, None

    def place_at(self, point: QPointF) -> str:
        group, bay = self._at(point)
        return bay.tag if bay else (group.name if group else "")

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            _group, bay = self._at(QPointF(event.pos()))
            QToolTip.showText(event.globalPos(), bay.tip if bay else "", self)
            return True
        return super().event(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        self._pressed_at = event.position()
        if event.button() is not Qt.MouseButton.LeftButton:
            return
        group, bay = self._at(event.position())
        if bay is not None:
            self.choose(bay.tag)
        elif group is not None:
            self._folded[group.name] = not self._folded.get(group.name)
            self._lay_out()

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
        tags, columns = self.tags, self._columns
        page = max(self.visibleRegion().boundingRect().height() // BAY_HEIGHT_PX, 1) * columns
        steps = {
            Qt.Key.Key_Left: -1,
            Qt.Key.Key_Right: 1,
            Qt.Key.Key_PageUp: -page,
            Qt.Key.Key_PageDown: page,
            Qt.Key.Key_Home: -len(tags),
            Qt.Key.Key_End: len(tags),
        }
        key = Qt.Key(event.key())
        if self.tag not in tags:
            QWidget.keyPressEvent(self, event)
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.choose(self._above_or_below(1 if key == Qt.Key.Key_Down else -1))
        elif key in steps:
            at = tags.index(self.tag) + steps[key]
            self.choose(tags[min(max(at, 0), len(tags) - 1)])
        else:
            QWidget.keyPressEvent(self, event)

    def _above_or_below(self, step: int) -> str:
        """Return the bay nearest to the chosen one in the row of bays above or below it."""
        number, index = self._place_of[self.tag]
        rows = [row for row in self._rows if row.first >= 0]
        mine = next(
            at for at, row in enumerate(rows)
            if row.group == number and 0 <= index - row.first < row.count
        )  # fmt: skip
        other = rows[min(max(mine + step, 0), len(rows) - 1)]
        place = min(index - rows[mine].first, other.count - 1)
        return self._groups[other.group].bays[other.first + place].tag
