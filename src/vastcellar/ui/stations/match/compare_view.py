"""Up to four candidates beside each other, their differences lit."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QRectF, QSize
from PySide6.QtGui import QPainter

from vastcellar.core.candidates.candidates import CandidateTable
from vastcellar.core.candidates.picks import price_per_delivered, price_per_endurance, price_per_tb
from vastcellar.core.evidence import Verdict
from vastcellar.core.units import NumberFormat
from vastcellar.services.match.matching import Found
from vastcellar.services.words.verdict_wording import SHORT_WORDS
from vastcellar.ui.look import Look, font
from vastcellar.ui.widgets.marks import draw_verdict
from vastcellar.ui.widgets.picture import Picture, broken

MOST_COMPARED = 4
_LABEL_PX, _ROW_PX, _HEAD_PX = 128.0, 16.0, 68.0
_APART = 0.10
"""A figure is lit where it is the best and at least so much better than the worst."""


class CompareView(Picture):
    """A column a candidate; in each row the best is lit where it matters."""

    def __init__(self, look: Look, currency: str) -> None:
        super().__init__(look)
        self._found: Found | None = None
        self._rows: tuple[int, ...] = ()
        self._currency = currency
        self.setMinimumHeight(int(_HEAD_PX + _ROW_PX * len(_LINES) + 6))

    def sizeHint(self) -> QSize:
        return QSize(780, self.minimumHeight())

    def show_rows(self, found: Found | None, rows: tuple[int, ...]) -> None:
        """Compare the candidates *rows*, at most four."""
        self._found, self._rows = found, rows[:MOST_COMPARED]
        self.setAccessibleName(self._in_words())
        self.update()

    def _in_words(self) -> str:
        found = self._found
        if found is None:
            return "nothing to compare"
        return "; ".join(found.table.name(row) for row in self._rows)

    def paint(self, painter: QPainter) -> None:
        found = self._found
        if found is None or not self._rows:
            text = "Click a mark: it stands here. Shift+click sets up to four beside each other."
            self.write(painter, QRectF(9, 4, self.width() - 18, 20), text, color="soft")
            return
        table, numbers = found.table, self.look.numbers
        width = (self.width() - _LABEL_PX) / MOST_COMPARED
        for column, row in enumerate(self._rows):
            left = _LABEL_PX + column * width
            self._head(painter, QRectF(left, 0, width - 10, _HEAD_PX), table, row)
        for line, (name, figure, is_more_better, show) in enumerate(_LINES):
            top = _HEAD_PX + line * _ROW_PX
            painter.fillRect(QRectF(0, top, self.width(), 1), self.look.color("line"))
            self.write(painter, QRectF(4, top, _LABEL_PX - 8, _ROW_PX), name, color="soft")
            values = [figure(table, row) for row in self._rows]
            lit = _lit(values, is_more_better)
            for column, value in enumerate(values):
                box = QRectF(_LABEL_PX + column * width, top, width - 10, _ROW_PX)
                self.write(
                    painter,
                    box,
                    show(value, numbers, self._currency),
                    color="moss_text" if column in lit else "ink",
                    weight=600 if column in lit else 400,
                )

    def _head(self, painter: QPainter, box: QRectF, table: CandidateTable, row: int) -> None:
        unit, way, enclosure = table.unit(row), table.way_of(row), table.enclosure(row)
        drive = table.drive(row).name
        title = f"{unit.tag} · {drive}" if unit else drive
        lines = broken(title, box.width() - 20, font(14, 600, condensed=True), 2)
        for number, text in enumerate(lines):
            line = QRectF(box.left() + 20, box.top() + 17 * number, box.width() - 20, 18)
            self.write(painter, line, text, size_px=14, weight=600)
        case = f"in {enclosure.name}" if enclosure else "closed"
        line = QRectF(box.left(), box.top() + 34, box.width(), 18)
        self.write(painter, line, case, color="soft", size_px=12)
        line.translate(0, 15)
        cable = f", {way.cable.name}" if way.cable else ""
        self.write(painter, line, f"{way.port.name}{cable}", color="soft", size_px=12)
        verdict = table.verdict(row)
        draw_verdict(painter, QRectF(box.left() - 1, box.top() + 1, 15, 15), verdict, self.look)


def _lit(values: list[float], is_more_better: bool) -> set[int]:
    """Return the columns whose figure is the best, where the worst is a good deal worse."""
    known = [value for value in values if np.isfinite(value)]
    if len(known) < 2:
        return set()
    best = max(known) if is_more_better else min(known)
    worst = min(known) if is_more_better else max(known)
    span = abs(best - worst)
    if span <= _APART * max(abs(best), abs(worst), 1e-12):
        return set()
    return {index for index, value in enumerate(values) if value == best}


_Figure = Callable[[CandidateTable, int], float]
_Show = Callable[[float, NumberFormat, str], str]


def _rate(value: float, numbers: NumberFormat, _currency: str) -> str:
    return numbers.rate(value)


def _size(value: float, numbers: NumberFormat, _currency: str) -> str:
    return numbers.size(value) if np.isfinite(value) else "–"


def _price(value: float, numbers: NumberFormat, currency: str) -> str:
    if not np.isfinite(value):
        return "–"
    return f"{numbers.number(value, 0)} {currency}" if value else "nothing to buy"


def _small_price(value: float, numbers: NumberFormat, currency: str) -> str:
    if not np.isfinite(value):
        return "–"
    return f"{numbers.number(value, 2)} {currency}" if value else "nothing"


def _share(value: float, numbers: NumberFormat, _currency: str) -> str:
    if not np.isfinite(value):
        return "not known"
    return numbers.percent(value, signed=True)


def _wasted(value: float, numbers: NumberFormat, _currency: str) -> str:
    return f"{numbers.percent(value)} of its rate can't pass" if value > 0.005 else "nothing"


def _mass(value: float, numbers: NumberFormat, _currency: str) -> str:
    return f"{numbers.number(value, 0)} g" if value > 0 else "–"


def _fills(value: float, numbers: NumberFormat, _currency: str) -> str:
    return numbers.number(value, 0) if np.isfinite(value) else "–"


_LINES: tuple[tuple[str, _Figure, bool, _Show], ...] = (
    ("margin", lambda t, r: float(t.margin[r]), True, _share),
    ("lasts the take at", lambda t, r: float(t.sustained_write[r]), True, _rate),
    ("writes at first", lambda t, r: float(t.at_first_write[r]), True, _rate),
    ("reads", lambda t, r: float(t.reading[r]), True, _rate),
    ("wasted", lambda t, r: float(t.wasted_share[r]), False, _wasted),
    ("left after the take", lambda t, r: float(t.free_bytes[r] - t.take_bytes), True, _size),
    ("price", lambda t, r: float(t.price[r]), False, _price),
    ("a TB", lambda t, r: float(price_per_tb(t)[r]), False, _small_price),
    ("a lasting MB/s", lambda t, r: float(price_per_delivered(t)[r]), False, _small_price),
    ("a TB of endurance", lambda t, r: float(price_per_endurance(t)[r]), False, _small_price),
    (
        "fills",
        lambda t, r: float(t.tbw_bytes[r] / t.capacity_bytes[r]) if t.tbw_bytes[r] else np.nan,
        True,
        _fills,
    ),
    ("mass", lambda t, r: float(t.mass_g[r]), False, _mass),
)


def outcome_words(table: CandidateTable, row: int, numbers: NumberFormat) -> str:
    """Return verdict, margin and limit of a candidate in a few words."""
    word = SHORT_WORDS[table.verdict(row)]
    if table.verdict(row) is Verdict.NOT_KNOWN:
        if table.drive(row).behaviour is not None:
            return "not known: a run of it was slower than this camera"
        return "not known: only its box says what it writes"
    margin = numbers.percent(float(table.margin[row]), signed=True)
    return f"{word} {margin}, limited by the {table.bottleneck(row).value}"
