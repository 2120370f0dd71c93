"""The kinds of build as silhouettes, each with what its best case would come to."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPen, QResizeEvent

from vastcellar.core.build.kinds import BuildKind
from vastcellar.services.build.variants import KindChoice
from vastcellar.services.build.wording import KIND_WORDS, kind_verdict
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.marks import draw_verdict
from vastcellar.ui.widgets.picture import Picture

_HEIGHT_PX, _SHAPE_PX = 76, 30.0
_LEAST_PX = 82.0
"""Narrower than this the name of a kind is cut: they then stand in two lines."""
_CENTRE = Qt.AlignmentFlag.AlignHCenter


class KindRow(Picture):
    """Clicks and arrows choose a kind: its best case is then laid out."""

    chosen = Signal(object)
    """KindChoice."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self.choices: tuple[KindChoice, ...] = ()
        self.kind: BuildKind | None = None
        self.setFixedHeight(_HEIGHT_PX)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Kinds of build")
        self.asked.connect(self._on_asked)

    def sizeHint(self) -> QSize:
        return QSize(820, _HEIGHT_PX)

    def show_choices(self, choices: tuple[KindChoice, ...], kind: BuildKind | None) -> None:
        """Draw *choices*, the *kind* that is laid out lit."""
        self.choices, self.kind = choices, kind
        words = [f"{KIND_WORDS[each.kind]}: {kind_verdict(each, self.look.numbers)}"
                 for each in choices]  # fmt: skip
        self.setAccessibleDescription("; ".join(words))
        self._take_height()
        self.update()

    @property
    def _in_line(self) -> int:
        count = max(len(self.choices), 1)
        lines = 1 if self.width() / count >= _LEAST_PX else 2
        return -(-count // lines)

    def _take_height(self) -> None:
        lines = -(-max(len(self.choices), 1) // self._in_line)
        self.setFixedHeight(_HEIGHT_PX * lines)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._take_height()

    def _on_asked(self, key: str) -> None:
        choice = next((each for each in self.choices if each.kind == key), None)
        if choice is not None:
            self.setFocus()
            self.chosen.emit(choice)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        kinds = [each.kind for each in self.choices]
        if step is None or not kinds:
            super().keyPressEvent(event)
            return
        at = kinds.index(self.kind) + step if self.kind in kinds else 0
        self._on_asked(kinds[min(max(at, 0), len(kinds) - 1)])

    def paint(self, painter: QPainter) -> None:
        if not self.choices:
            return
        in_line = self._in_line
        width = self.width() / in_line
        for number, each in enumerate(self.choices):
            line, place = divmod(number, in_line)
            box = QRectF(place * width, line * _HEIGHT_PX, width, _HEIGHT_PX)
            self._kind(painter, box.adjusted(2, 1, -2, -1), each)
            self.place(box, each.kind)

    def _kind(self, painter: QPainter, box: QRectF, choice: KindChoice) -> None:
        look = self.look
        if choice.kind is self.kind:
            painter.fillRect(box, look.color("chosen"))
            painter.fillRect(QRectF(box.left(), box.bottom() - 3, box.width(), 3),
                             look.color("copper"))  # fmt: skip
        shape = QRectF(box.center().x() - 30, box.top() + 5, 60, _SHAPE_PX - 6)
        painter.setPen(QPen(look.color("ink"), 1.3))
        painter.setBrush(look.color("stone"))
        _SHAPES[choice.kind](painter, shape)
        name = QRectF(box.left(), box.top() + _SHAPE_PX + 3, box.width(), 16)
        self.write(painter, name, KIND_WORDS[choice.kind], weight=600, align=_CENTRE)
        # The mark beside it tells the verdict: of a take there is only room for its margin.
        words = kind_verdict(choice, look.numbers)
        if choice.margin is not None:
            words = look.numbers.percent(choice.margin, signed=True)
        self.write(
            painter,
            QRectF(box.left() + 22, box.top() + _SHAPE_PX + 20, box.width() - 24, 16),
            words,
            size_px=12,
            align=_CENTRE,
        )
        mark = QRectF(box.left() + 4, box.top() + _SHAPE_PX + 19, 16, 15)
        draw_verdict(painter, mark, choice.verdict, look)


def _case(painter: QPainter, box: QRectF) -> None:
    painter.drawRoundedRect(box, 3, 3)
    for x in (box.left() + 6, box.right() - 6):
        painter.drawEllipse(QPointF(x, box.center().y()), 1.6, 1.6)


def _slide(painter: QPainter, box: QRectF) -> None:
    painter.drawRoundedRect(box.adjusted(0, 4, -14, -2), 5, 5)
    painter.drawRoundedRect(QRectF(box.right() - 24, box.top() + 6, 24, box.height() - 10), 3, 3)


def _fins(painter: QPainter, box: QRectF) -> None:
    painter.drawRect(QRectF(box.left(), box.bottom() - 10, box.width(), 10))
    for number in range(8):
        x = box.left() + 3 + number * 7.4
        painter.drawRect(QRectF(x, box.top(), 3, box.height() - 10))


def _flat(painter: QPainter, box: QRectF) -> None:
    painter.drawRoundedRect(box.adjusted(4, 0, -4, 0), 3, 3)
    painter.drawRect(box.adjusted(11, 5, -18, -5))


def _tall(painter: QPainter, box: QRectF) -> None:
    painter.drawRoundedRect(box.adjusted(16, 0, -16, 0), 3, 3)
    painter.drawLine(QPointF(box.left() + 20, box.bottom() - 5),
                     QPointF(box.right() - 20, box.bottom() - 5))  # fmt: skip


def _card(painter: QPainter, box: QRectF) -> None:
    painter.drawRoundedRect(box.adjusted(14, 0, -14, 0), 2, 2)
    for number in range(5):
        painter.drawLine(QPointF(box.left() + 20 + number * 5, box.bottom()),
                         QPointF(box.left() + 20 + number * 5, box.bottom() - 6))  # fmt: skip


def _magazine(painter: QPainter, box: QRectF) -> None:
    painter.drawRoundedRect(box.adjusted(8, 3, -8, -3), 3, 3)
    painter.drawLine(box.bottomLeft(), box.bottomRight())
    painter.drawRect(QRectF(box.right() - 7, box.top(), 5, box.height()))


def _box(painter: QPainter, box: QRectF) -> None:
    painter.drawRoundedRect(box, 3, 3)
    painter.drawLine(QPointF(box.left() + 8, box.bottom() - 8),
                     QPointF(box.right() - 22, box.bottom() - 8))  # fmt: skip
    painter.drawRect(QRectF(box.left() + 12, box.bottom() - 14, 22, 6))
    painter.drawEllipse(QPointF(box.right() - 12, box.center().y()), 7, 7)


def _dock(painter: QPainter, box: QRectF) -> None:
    painter.drawRect(QRectF(box.left() + 2, box.bottom() - 7, box.width() - 4, 7))
    for number in range(4):
        painter.drawRoundedRect(QRectF(box.left() + 5 + number * 13, box.top(), 9, 16), 2, 2)


def _store(painter: QPainter, box: QRectF) -> None:
    painter.drawRoundedRect(box.adjusted(12, 0, -12, 0), 3, 3)
    for number in range(2):
        painter.drawRect(QRectF(box.left() + 16 + number * 15, box.top() + 4, 12, 16))


_SHAPES = {
    BuildKind.SCREWED: _case,
    BuildKind.TOOL_LESS: _slide,
    BuildKind.FAST: _fins,
    BuildKind.SATA_CASE: _flat,
    BuildKind.DISK_CASE: _tall,
    BuildKind.CARD_SHELL: _card,
    BuildKind.MAGAZINE: _magazine,
    BuildKind.CARRIER_BOX: _box,
    BuildKind.DOCK: _dock,
    BuildKind.STORE: _store,
}
