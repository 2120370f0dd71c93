"""What every picture of a build has: a build, its mend to press, and callouts of misfits."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen

from vastcellar.core.evidence import Verdict
from vastcellar.core.parts.fitting import Fit, FitKind
from vastcellar.services.build.building import Build
from vastcellar.services.build.wording import FIT_WORDS, mend_words
from vastcellar.services.words.said_wording import said_words
from vastcellar.ui.look import Look, font
from vastcellar.ui.widgets.marks import draw_verdict
from vastcellar.ui.widgets.picture import Picture, broken, text_width

_MEND = "mend"
_LEAST_PX = 236
_PRESSED_AWAY = (FitKind.GAP, FitKind.PRESSED, FitKind.PLUG)
"""What another pad or cable mends: its callout can be pressed."""


class BuildPicture(Picture):
    """Draws a build; a misfit stands at its place, with what would mend it to press."""

    mend_asked = Signal()

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._made: Build | None = None
        self._mended: Build | None = None
        self._currency = ""
        self.setMinimumHeight(_LEAST_PX)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.asked.connect(self._on_asked)

    def sizeHint(self) -> QSize:
        return QSize(820, 290)

    def show_build(self, made: Build | None, mended: Build | None, currency: str) -> None:
        """Draw *made*, and dashed over it how it would be *mended*."""
        self._made, self._mended, self._currency = made, mended, currency
        if made is not None:
            said = [said_words(fit.said, self.look.numbers) for fit in made.checks]
            self.setAccessibleDescription("; ".join(said))
        self.update()

    def _on_asked(self, key: str) -> None:
        if key == _MEND:
            self.mend_asked.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._mended is not None:
            self.mend_asked.emit()
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        super().mousePressEvent(event)

    def callout(self, painter: QPainter, box: QRectF, fit: Fit) -> float:
        """Draw what is wrong at *box* and what mends it; return where it ends."""
        look, numbers = self.look, self.look.numbers
        made_font = font(12, condensed=True)
        words = f"{FIT_WORDS[fit.verdict]}: {said_words(fit.said, numbers)}"
        lines = broken(words, box.width() - 34, made_font, 3)
        mend = mend_words(fit, numbers, self._currency)
        can_press = self._mended is not None and fit.kind in _PRESSED_AWAY
        height = 6 + 15 * len(lines) + (24 if mend else 2)
        frame = QRectF(box.left(), box.top(), box.width(), height)
        frame.moveBottom(min(frame.bottom(), self.height() - 2))
        painter.setPen(QPen(look.verdict_color(fit.verdict), 1.2))
        painter.setBrush(look.color("panel", 235))
        painter.drawRoundedRect(frame, 5, 5)
        draw_verdict(painter, QRectF(frame.left() + 5, frame.top() + 4, 17, 16), fit.verdict, look)
        inside = QRectF(frame.left() + 27, frame.top() + 3, frame.width() - 32, 0)
        name = "brick_text" if fit.verdict is Verdict.FALLS_SHORT else "ink"
        ends = self.write_lines(painter, inside, lines, 15, color=name)
        if mend:
            text = mend[0].upper() + mend[1:]
            width = min(text_width(text, font(12, 600, condensed=True)) + 20, inside.width())
            pill = QRectF(inside.left(), ends + 2, width, 19)
            if can_press:
                painter.setPen(QPen(look.color("copper"), 1.4))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(pill, 5, 5)
                self.place(pill, _MEND)
            self.write(painter, pill.adjusted(8, 0, -6, 0), text, size_px=12, weight=600,
                       color="copper_text" if can_press else "soft")  # fmt: skip
        return frame.bottom()
