"""The live trace: measured second by second against the need line, temperature under it."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PySide6.QtWidgets import QVBoxLayout, QWidget

from vastcellar.core.trace import Trace, rates_bytes_per_s
from vastcellar.core.units import MB
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.plots import (
    frame_heat,
    line_pen,
    make_heat_strip,
    make_plot,
    note,
    recolor_plot,
)

_MOST_POINTS = 1500


class TraceView(QWidget):
    """Draws a run while it goes on, and afterwards."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._rates = make_plot(look)
        self._heat = make_heat_strip(look, self._rates)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        layout.addWidget(self._rates, 1)
        layout.addWidget(self._heat)
        self._curve = self._rates.plot([], [])
        self._warmth = self._heat.plot([], [])
        self._need = pg.InfiniteLine(0, angle=0)
        self._sent = pg.InfiniteLine(0, angle=0)
        self._need_note = note("", look.color("copper_text"), (1, 1))
        self._sent_note = note("", look.color("soft"), (1, 0))
        self._drop_note = note("", look.color("brick_text"), (0, 1))
        self._drop_line = pg.InfiniteLine(0, angle=90)
        self._drop_line.hide()
        for item in (self._need, self._sent, self._drop_line):
            self._rates.addItem(item)
        for item in (self._need_note, self._sent_note, self._drop_note):
            self._rates.addItem(item, ignoreBounds=True)
        self._heat_note = note("°C", look.color("soft"), (0, 0))
        self._heat.addItem(self._heat_note, ignoreBounds=True)
        look.changed.connect(self._recolor)
        self._recolor()

    def _recolor(self) -> None:
        look = self._look
        for plot in (self._rates, self._heat):
            recolor_plot(plot)
        self._curve.setPen(line_pen(look.color("water"), 2.0))
        self._curve.setFillLevel(0)
        self._curve.setBrush(look.color("water", 70))
        self._warmth.setPen(line_pen(look.color("copper"), 1.8))
        self._need.setPen(line_pen(look.color("copper"), 2.4))
        self._sent.setPen(line_pen(look.color("ink"), 1.2, dashed=True))
        self._drop_line.setPen(line_pen(look.color("brick"), 1.2, dashed=True))
        self._need_note.setColor(look.color("copper_text"))
        self._sent_note.setColor(look.color("ink"))
        self._drop_note.setColor(look.color("brick_text"))
        self._heat_note.setColor(look.color("soft"))

    def begin(self, duration_s: float, needed: float, sent: float) -> None:
        """Make ready for a run of *duration_s*; rates in bytes per second."""
        numbers = self._look.numbers
        self._curve.setData([], [])
        self._warmth.setData([], [])
        self._drop_note.setText("")
        self._drop_line.hide()
        self._need.setPos(needed / MB)
        self._sent.setPos(sent / MB)
        self._need_note.setText(f"need {numbers.number(needed / MB, 0)} MB/s")
        self._sent_note.setText(
            f"sent {numbers.number(sent / MB)} MB/s, what a paced test asks for"
        )
        minutes = duration_s / 60
        self._need_note.setPos(minutes, needed / MB)
        self._sent_note.setPos(minutes, sent / MB)
        self._rates.setXRange(0, minutes, padding=0.01)
        self._rates.setYRange(0, max(needed, sent) / MB * 1.25, padding=0)

    def show_trace(
        self, elapsed_s: list[float], written_bytes: list[float], temperature_c: list[float]
    ) -> None:
        """Draw the trace as far as it goes; long ones in coarser steps."""
        if len(elapsed_s) < 2:
            return
        trace = Trace(np.array(elapsed_s), np.array(written_bytes), np.array(temperature_c))
        step_s = max(1.0, np.ceil(trace.duration_s / _MOST_POINTS))
        if trace.duration_s < 8:
            step_s = 0.5
        middle_s, rate = rates_bytes_per_s(trace, step_s)
        self._curve.setData(middle_s / 60, rate / MB)
        known = np.isfinite(trace.temperature_c)
        if np.any(known):
            stride = max(1, len(elapsed_s) // _MOST_POINTS)
            celsius = trace.temperature_c[known][::stride]
            self._warmth.setData(trace.elapsed_s[known][::stride] / 60, celsius)
            low, high = float(celsius.min()), float(celsius.max())
            top = frame_heat(self._heat, low, high, (low, high))
            self._heat_note.setPos(0, top)
            self._heat_note.setText("°C, drive")
        else:
            self._heat_note.setText("no temperature sensor")
            self._heat_note.setPos(0, frame_heat(self._heat, 0, 0))

    def mark_first_drop(self, at_s: float, rate_bytes_per_s: float) -> None:
        """Write at the place where the first frame was lost."""
        numbers = self._look.numbers
        self._drop_note.setText(f"first frame lost after {numbers.duration(at_s)}")
        self._drop_note.setPos(at_s / 60, rate_bytes_per_s / MB * 1.02)
        self._drop_line.setPos(at_s / 60)
        self._drop_line.show()
