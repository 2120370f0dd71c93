"""What was found by itself, numbered, the most harm first; a click opens its unit."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QHelpEvent, QKeyEvent, QPainter
from PySide6.QtWidgets import QToolTip

from vastcellar.ui.look import Look
from vastcellar.ui.stations.cellar.bay_drawing import draw_pennant, harm_color
from vastcellar.ui.widgets.picture import Picture

_WIDTH_PX = 132
_HEIGHT_PX = 42
_HEAD_PX = 76


@dataclass(frozen=True, slots=True)
class LookFirstEntry:
    """One finding as it stands in the strip."""

    tag: str
    number: int
    harm: int
    title: str
    """The tag, or both of a pair."""
    short: str
    line: str


class LookFirst(Picture):
    """As many as there is room for; the rest is a number that lists them."""

    MORE = "more"

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self.entries: tuple[LookFirstEntry, ...] = ()
        self.chosen_tag = ""
        self.setFixedHeight(_HEIGHT_PX)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName("Look first")

    def show_entries(self, entries: Sequence[LookFirstEntry], chosen_tag: str) -> None:
        """Show *entries*; the one of *chosen_tag* is open."""
        self.entries, self.chosen_tag = tuple(entries), chosen_tag
        self.setVisible(bool(entries))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(600, _HEIGHT_PX)

    @property
    def _shown(self) -> int:
        room = int((self.width() - _HEAD_PX) // _WIDTH_PX)
        if len(self.entries) <= room:
            return len(self.entries)
        return max(room - (self.width() - _HEAD_PX - room * _WIDTH_PX < 56), 1)

    def paint(self, painter: QPainter) -> None:
        head = QRectF(0, 0, _HEAD_PX - 6, _HEIGHT_PX / 2)
        self.write(painter, head, "Look first", weight=600, size_px=13)
        self.write(painter, head.translated(0, 19), "worst on top", color="soft", size_px=12)
        shown = self._shown
        rest = len(self.entries) - shown
        room = self.width() - _HEAD_PX - (56 if rest else 0)
        width = room / max(shown, 1) if self.entries else room
        for index, entry in enumerate(self.entries[:shown]):
            box = QRectF(_HEAD_PX + index * width, 0, width - 6, _HEIGHT_PX)
            self._entry(painter, box, entry)
            self.place(box, entry.tag)
        if rest:
            box = QRectF(self.width() - 52, 0, 52, _HEIGHT_PX)
            self.write(painter, box, f"+ {rest}", color="copper_text", weight=600)
            self.place(box, self.MORE)

    def _entry(self, painter: QPainter, box: QRectF, entry: LookFirstEntry) -> None:
        painter.setPen(self.look.color("line"))
        painter.drawLine(box.topLeft() + QPointF(0, 3), box.bottomLeft() - QPointF(0, 3))
        draw_pennant(self, painter, box.topLeft() + QPointF(17, 1), entry.number, entry.harm)
        top = QRectF(box.left() + 31, 0, box.width() - 31, 20)
        wide = self.write(painter, top, entry.title, weight=600, size_px=13, may_cut=True)
        color = harm_color(entry.harm)
        self.write(painter, top.adjusted(wide + 6, 0, 0, 0), entry.short, color=color, size_px=12,
                   weight=600, may_cut=True)  # fmt: skip
        below = QRectF(box.left() + 9, 21, box.width() - 9, 18)
        self.write(painter, below, entry.line, size_px=12, may_cut=True)
        if entry.tag == self.chosen_tag:
            painter.fillRect(QRectF(box.left() + 9, 39, box.width() - 12, 2),
                             self.look.color("copper"))  # fmt: skip

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            tag = self.place_at(QPointF(event.pos()))
            entry = next((each for each in self.entries if each.tag == tag), None)
            said = f"{entry.title}: {entry.line}" if entry else ""
            QToolTip.showText(event.globalPos(), said, self)
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        tags = [each.tag for each in self.entries]
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if step is None or not tags:
            super().keyPressEvent(event)
            return
        at = tags.index(self.chosen_tag) + step if self.chosen_tag in tags else 0
        self.asked.emit(tags[min(max(at, 0), len(tags) - 1)])
