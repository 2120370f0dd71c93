"""pyqtgraph in our hand: axes, lines and fonts for every plot of a rate over time."""

from __future__ import annotations

import math

import pyqtgraph as pg
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor

from vastcellar.ui.look import Look, font

pg.setConfigOptions(antialias=True)

_LEAST_MINUTES = 2.0
_TICK_APART_PX, _TICK_ACROSS_PX = 30.0, 60.0
_TICK_APART = 0.4  # of the strip's span: closer numbers run into each other


class PlainAxis(pg.AxisItem):  # type: ignore[misc]
    """An axis in our type, its numbers with thin spaces, without SI prefixes."""

    def __init__(self, orientation: str, look: Look) -> None:
        super().__init__(orientation)
        self._look = look
        self.enableAutoSIPrefix(False)
        self.setStyle(tickLength=4, tickTextOffset=4)
        self.setTickFont(font(12, condensed=True))

    def tickValues(
        self,
        minVal: float,  # noqa: N803  the library's name
        maxVal: float,  # noqa: N803
        size: float,
    ) -> list[tuple[float, list[float]]]:
        """Return one level of ticks at 1, 2 or 5 times a power of ten.

        The library's own search for three levels takes most of a repaint.
        """
        if self._tickLevels is not None:
            return [(1.0, [value for value, _ in level]) for level in self._tickLevels]
        minVal, maxVal = minVal * self.scale, maxVal * self.scale  # noqa: N806
        span = maxVal - minVal
        apart = _TICK_APART_PX if self.orientation == "left" else _TICK_ACROSS_PX
        if span <= 0 or size <= 0:
            return []
        least = span / max(size / apart, 1.0)
        tens = 10.0 ** math.floor(math.log10(least))
        step = next(tens * each for each in (1, 2, 5, 10) if tens * each >= least * 0.999)
        first = math.ceil(minVal / step - 1e-9)
        last = math.floor(maxVal / step + 1e-9)
        values = [number * step / self.scale for number in range(first, last + 1)]
        return [(step / self.scale, values)]

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        return [self._look.numbers.number(value * scale) for value in values]

    def recolor(self) -> None:
        """Take up the palette in force."""
        self.setPen(pg.mkPen(self._look.color("line")))
        self.setTextPen(pg.mkPen(self._look.color("soft")))


def make_plot(look: Look, *, height: int | None = None) -> pg.PlotWidget:
    """Return an empty plot with our axes; the wheel zooms time only."""
    axes = {side: PlainAxis(side, look) for side in ("left", "bottom")}
    plot = pg.PlotWidget(axisItems=axes)
    plot.look = look
    plot.setMenuEnabled(False)
    plot.hideButtons()
    plot.setMouseEnabled(x=True, y=False)
    plot.showGrid(x=False, y=True, alpha=0.25)
    plot.getAxis("left").setWidth(46)
    plot.setFrameShape(plot.Shape.NoFrame)
    if height is not None:
        plot.setFixedHeight(height)
    recolor_plot(plot)  # else it is black until something is drawn
    return plot


def tell_time(minutes: float, *plots: pg.PlotWidget) -> str:
    """Number the time axes of *plots*, which are in minutes, as one speaks of so long a time.

    Returns the unit in words: under two minutes nobody counts in hundredths of a minute.
    """
    is_short = 0 < minutes < _LEAST_MINUTES
    for plot in plots:
        plot.getAxis("bottom").setScale(60.0 if is_short else 1.0)
    return "seconds" if is_short else "minutes"


def make_heat_strip(look: Look, under: pg.PlotWidget) -> pg.PlotWidget:
    """Return the temperature strip *under* a plot of rates; both share its time axis."""
    strip = make_plot(look, height=88)
    strip.setXLink(under)
    under.getAxis("bottom").setStyle(showValues=False)
    return strip


def frame_heat(
    strip: pg.PlotWidget, low_c: float, high_c: float, ticks_c: tuple[float, ...] = ()
) -> float:
    """Fit *strip* to low..high with a line of text above; return where that line begins.

    The strip is low: only *ticks_c* are numbered, from the last back, where they don't touch.
    """
    span = max(high_c - low_c, 4.0)
    top = high_c + 0.6 * span
    strip.setYRange(low_c - 0.25 * span, top, padding=0)
    shown: list[float] = []
    for value in reversed(ticks_c):
        if all(abs(value - other) > _TICK_APART * span for other in shown):
            shown.append(value)
    strip.getAxis("left").setTicks([[(value, f"{value:.0f}") for value in shown]])
    return top


def recolor_plot(plot: pg.PlotWidget) -> None:
    """Give the axes of *plot* the palette in force."""
    plot.setBackground(plot.look.color("panel"))
    for side in ("left", "bottom"):
        plot.getAxis(side).recolor()


def line_pen(color: QColor, width: float = 1.6, *, dashed: bool = False) -> object:
    """Return a cosmetic pen for a curve or line."""
    style = Qt.PenStyle.DashLine if dashed else Qt.PenStyle.SolidLine
    return pg.mkPen(color, width=width, style=style)


def note(
    text: str, color: QColor, anchor: tuple[float, float], fill: QColor | None = None
) -> pg.TextItem:
    """Return a text that stands at a place of the plot."""
    brush = pg.mkBrush(fill) if fill is not None else None
    item = pg.TextItem(text, color=color, anchor=anchor, fill=brush)
    item.setFont(font(13, 500, condensed=True))
    return item
