"""What to do next, as a numbered list: what, how long it takes, and what each outcome means."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QPainter

from vastcellar.services.cellar.finding_wording import Step
from vastcellar.ui.look import Look, font
from vastcellar.ui.widgets.picture import Picture, broken, text_width

_LINE_PX = 16
_NUMBER_PX = 16
_GAP_PX = 4


class StepList(Picture):
    """Steps under each other, each with what it decides below it."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._steps: tuple[Step, ...] = ()
        self.setAccessibleName("What to do next")

    def show_steps(self, steps: Sequence[Step]) -> None:
        """Show *steps* in place of what was there."""
        self._steps = tuple(steps)
        self.setAccessibleDescription(" ".join(f"{each.what}: {each.means}." for each in steps))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(250, 160)

    def paint(self, painter: QPainter) -> None:
        top, made = 2.0, font(13, 600, condensed=True)
        for number, step in enumerate(self._steps, 1):
            took = self.look.numbers.duration(step.duration_s) if step.duration_s else ""
            beside = text_width(took, font(12, condensed=True)) + 8 if took else 0
            lines = broken(step.what, self.width() - _NUMBER_PX - beside, made, 2)
            if top + _LINE_PX * (len(lines) + 1) > self.height():
                break
            self.write(painter, QRectF(0, top, _NUMBER_PX, _LINE_PX), str(number),
                       color="copper_text", weight=600)  # fmt: skip
            self.write(painter, QRectF(0, top, self.width(), _LINE_PX), took, color="soft",
                       size_px=12, align=Qt.AlignmentFlag.AlignRight)  # fmt: skip
            for line in lines:
                self.write(painter, QRectF(_NUMBER_PX, top, self.width() - _NUMBER_PX, _LINE_PX),
                           line, weight=600)  # fmt: skip
                top += _LINE_PX
            room = self.width() - _NUMBER_PX
            for line in broken(step.means, room, font(12, condensed=True), 2) if step.means else ():
                self.write(painter, QRectF(_NUMBER_PX, top, room, _LINE_PX), line, color="soft",
                           size_px=12)  # fmt: skip
                top += _LINE_PX
            top += _GAP_PX
