"""Every check of a build, a line each: mark, what, why."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize
from PySide6.QtGui import QPainter

from vastcellar.core.evidence import Verdict
from vastcellar.services.build.building import Build
from vastcellar.services.build.wording import CHECK_NAMES, FIT_WORDS, mend_words
from vastcellar.services.words.said_wording import said_words
from vastcellar.ui.look import Look, font
from vastcellar.ui.widgets.marks import draw_verdict
from vastcellar.ui.widgets.picture import Picture, broken

_NAME_PX, _LINE_PX, _GAP_PX = 112.0, 15.0, 5.0
_MOST_LINES = 4


class CheckList(Picture):
    """What is in the way comes first."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._made: Build | None = None
        self._currency = ""
        self.setObjectName("inside")
        self.setMinimumWidth(300)

    def show_build(self, made: Build, currency: str) -> None:
        """Show the checks of *made*."""
        self._made, self._currency = made, currency
        words = [f"{CHECK_NAMES[fit.kind]} {FIT_WORDS[fit.verdict]}" for fit in made.checks]
        self.setAccessibleDescription("; ".join(words))
        self._fit()
        self.update()

    def _rows(self) -> list[tuple[Verdict, str, list[str]]]:
        made, numbers = self._made, self.look.numbers
        if made is None:
            return []
        order = (Verdict.FALLS_SHORT, Verdict.NOT_KNOWN, Verdict.TIGHT, Verdict.HOLDS)
        rows = []
        for fit in sorted(made.checks, key=lambda each: order.index(each.verdict)):
            words = said_words(fit.said, numbers)
            if mend := mend_words(fit, numbers, self._currency):
                words = f"{words}. {mend[0].upper()}{mend[1:]}"
            width = max(self.width() - _NAME_PX - 32, 120)
            lines = broken(words, width, font(12, condensed=True), _MOST_LINES)
            rows.append((fit.verdict, CHECK_NAMES[fit.kind], lines))
        return rows

    def _fit(self) -> None:
        lines = [max(len(lines), 1) for _, _, lines in self._rows()]
        self.setMinimumHeight(int(sum(n * _LINE_PX + _GAP_PX for n in lines)) + 4)

    def resizeEvent(self, event: object) -> None:
        self._fit()

    def sizeHint(self) -> QSize:
        return QSize(380, self.minimumHeight())

    def paint(self, painter: QPainter) -> None:
        top = 2.0
        for verdict, name, lines in self._rows():
            draw_verdict(painter, QRectF(2, top, 16, 15), verdict, self.look)
            color = "brick_text" if verdict is Verdict.FALLS_SHORT else "ink"
            self.write(painter, QRectF(24, top, _NAME_PX, _LINE_PX), name, size_px=12,
                       weight=600, color=color)  # fmt: skip
            box = QRectF(_NAME_PX + 28, top, self.width() - _NAME_PX - 30, 0)
            ends = self.write_lines(painter, box, lines, _LINE_PX, color=color)
            top = ends + _GAP_PX
