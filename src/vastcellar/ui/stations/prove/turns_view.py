"""Two folders by turns: every turn at its place in the order, with each folder's median."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
import pyqtgraph as pg
from PySide6.QtWidgets import QVBoxLayout, QWidget

from vastcellar.core.units import MB
from vastcellar.services.proving.alternating import STREAMS
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.plots import line_pen, make_plot, note, recolor_plot

_SIDES = (("A", "o", "water"), ("B", "s", "brick"))
_SIZE_PX = 11
_NAMES_APART = 0.14


class TurnsView(QWidget):
    """Rates of A (round) and B (square), writing filled, reading back open; or streams in time."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._turns: list[tuple[int, Mapping[str, float]]] = []
        self._unit = float(MB)
        """That is drawn: MB a second, or a stream."""
        self._plot = make_plot(look)
        self._plot.getAxis("bottom").setLabel("")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self._plot)
        look.changed.connect(self._draw)
        self._draw()

    def show_turns(self, turns: Sequence[tuple[int, Mapping[str, float]]]) -> None:
        """Draw *turns*: the side and its rates in bytes per second, in the order measured."""
        if len(turns) != len(self._turns) or not turns:
            self._turns = list(turns)
            self._draw()

    def _draw(self) -> None:
        look, count = self._look, len(self._turns)
        self._plot.clear()
        recolor_plot(self._plot)
        plays = any(STREAMS in each for _, each in self._turns)
        self._unit = 1.0 if plays else float(MB)
        measures = (STREAMS,) if plays else ("write", "read")
        rates = [each[what] for _, each in self._turns for what in measures if what in each]
        top = max(rates, default=500 * MB) / self._unit * (1.8 if plays else 1.3)
        self._plot.setXRange(0.5, max(count, 5) + 1.5, padding=0)
        self._plot.setYRange(0, top, padding=0)
        self._plot.getAxis("bottom").setTicks(
            [[(n + 1, f"{n + 1} {'AB'[side]}") for n, (side, _) in enumerate(self._turns)]]
        )
        told = "streams in time" if plays else "MB/s: filled written, open read back"
        key = note(f"{told} · round A, square B · dashed: medians", look.color("soft"), (0, 0))
        key.setPos(0.6, top)
        self._plot.addItem(key, ignoreBounds=True)
        medians = [
            (median, f"{name} {what}")
            for side, (name, symbol, color) in enumerate(_SIDES)
            for what in measures
            if (median := self._draw_side(side, symbol, color, what)) is not None
        ]
        self._name_medians(sorted(medians), top)

    def _name_medians(self, medians: list[tuple[float, str]], top: float) -> None:
        """Write whose each line is, from below up; names keep clear of each other."""
        lowest = 0.0
        for median, name in medians:
            at = max(median, lowest)
            lowest = at + _NAMES_APART * top
            text = note(name, self._look.color("ink"), (0, 0.5))
            text.setPos(max(len(self._turns), 5) + 0.75, at)
            self._plot.addItem(text, ignoreBounds=True)

    def _draw_side(self, side: int, symbol: str, color: str, what: str) -> float | None:
        look = self._look
        found = [(n + 1, each[what] / self._unit) for n, (which, each) in enumerate(self._turns)
                 if which == side and what in each]  # fmt: skip
        if not found:
            return None
        places, rates = np.array(found).T
        brush = look.color("panel" if what == "read" else color)
        self._plot.plot(
            places, rates, pen=None, symbol=symbol, symbolSize=_SIZE_PX, symbolBrush=brush,
            symbolPen=pg.mkPen(look.color(color), width=2),
        )  # fmt: skip
        median = float(np.median(rates))
        end = max(len(self._turns), 5) + 0.7
        self._plot.plot([0.6, end], [median, median],
                        pen=line_pen(look.color(color), 1.2, dashed=True))  # fmt: skip
        return median
