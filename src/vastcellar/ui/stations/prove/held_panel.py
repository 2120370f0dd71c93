"""Beside a flat-out trace: what the drive holds, camera by camera, the greatest need first."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from vastcellar.services.runs.holding import Held, held_sentence, held_words
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.cards import label
from vastcellar.ui.widgets.marks import draw_verdict
from vastcellar.ui.widgets.picture import Picture

_ROW_PX, _WIDTH_PX = 40, 292


class HeldRows(Picture):
    """A row for each camera: the verdict on its longest take, and how long it could record."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self.held: tuple[Held, ...] = ()
        self.setObjectName("inside")

    def show_held(self, held: tuple[Held, ...]) -> None:
        """Draw *held*."""
        self.held = held
        self.setMinimumHeight(len(held) * _ROW_PX)
        words = [f"{each.name}: {held_words(each, self.look.numbers)}" for each in held]
        self.setAccessibleDescription("; ".join(words))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(_WIDTH_PX - 12, len(self.held) * _ROW_PX)

    def paint(self, painter: QPainter) -> None:
        numbers = self.look.numbers
        for number, each in enumerate(self.held):
            top = number * _ROW_PX
            width = self.width() - 30
            draw_verdict(painter, QRectF(2, top + 8, 18, 18), each.verdict, self.look)
            need = numbers.rate(each.need.needed_write_bytes_per_s)
            self.write(painter, QRectF(26, top + 1, width, 18), f"{each.name} · needs {need}")
            self.write(
                painter,
                QRectF(26, top + 19, width, 16),
                held_words(each, numbers),
                size_px=12,
                color="brick_text" if each.could.loses_then else "soft",
            )


class HeldPanel(QWidget):
    """Hidden until a flat-out run has ended."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self.sentence = label(kind="soft", wraps=True)
        self.rows = HeldRows(look)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(self.rows)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(label("What it holds", "head"))
        layout.addWidget(self.sentence)
        layout.addWidget(area, 1)
        self.setFixedWidth(_WIDTH_PX)
        self.hide()

    def show_held(self, held: tuple[Held, ...]) -> None:
        """Show *held*; nothing hides the panel."""
        self.rows.show_held(held)
        self.sentence.setText(f"{held_sentence(held, self._look.numbers)}." if held else "")
        self.setVisible(bool(held))
