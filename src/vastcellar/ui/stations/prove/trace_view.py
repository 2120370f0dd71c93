"""The live trace: measured second by second against the need line, temperature under it."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from vastcellar.core.diagnosis.causes import Finding
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
    tell_time,
)

_MOST_POINTS = 900
_LEVEL = 1e-3
_STEP_UP = 1.3
_LEAST_PX = 190
_BLANK_BYTES_PER_S = 500e6
"""Height of a picture in which nothing is known yet."""


def _step_up(value: float) -> float:
    """Return the next of a ladder of values at or above *value*."""
    step: float = _STEP_UP ** np.ceil(np.log(value) / np.log(_STEP_UP))
    return step


class TraceView(QWidget):
    """Draws a run while it goes on, and afterwards."""

    axes_changed = Signal(str)
    """What the axes are, in words."""

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
        self.setMinimumHeight(_LEAST_PX)
        self._is_flat_out = False
        self._span = (0.0, 0.0)
        self._finding_items: list[object] = []
        self._curve = self._rates.plot([], [])
        self._expected = self._rates.plot([], [])
        self._expected_note = note("", look.color("soft"), (0.5, 1))
        self._warmth = self._heat.plot([], [])
        for curve in (self._curve, self._warmth):
            # Line by line takes half the time of one thick path.
            curve.curve.setSegmentedLineMode("on")
        self._need = pg.InfiniteLine(0, angle=0)
        self._sent = pg.InfiniteLine(0, angle=0)
        self._need_note = note("", look.color("copper_text"), (1, 1))
        self._sent_note = note("", look.color("soft"), (1, 0))
        self._drop_note = note("", look.color("brick_text"), (0, 1))
        self._drop_line = pg.InfiniteLine(0, angle=90)
        self._drop_line.hide()
        for item in (self._need, self._sent, self._drop_line):
            self._rates.addItem(item)
        for item in (self._need_note, self._sent_note, self._drop_note, self._expected_note):
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
        self._expected.setPen(line_pen(look.color("ink"), 1.4, dashed=True))
        self._expected_note.setColor(look.color("soft"))
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
        self.clear_run()
        self._is_flat_out = False
        self._sent.setVisible(sent > 0)
        self._expected.setData([], [])
        self._expected_note.setText("")
        self._need.setPos(needed / MB)
        self._sent.setPos(sent / MB)
        self._need.setVisible(needed > 0)
        self._need_note.setText(f"need {numbers.number(needed / MB, 0)} MB/s" if needed > 0 else "")
        said = f"sent {numbers.number(sent / MB)} MB/s on average, what a paced test asks for"
        self._sent_note.setText(said if sent > 0 else "")
        minutes = duration_s / 60
        self._need_note.setPos(minutes, needed / MB)
        self._sent_note.setPos(minutes, sent / MB)
        self._show_minutes(minutes)
        highest = max(needed, sent) or _BLANK_BYTES_PER_S
        self._rates.setYRange(0, highest / MB * 1.25, padding=0)

    def _show_minutes(self, minutes: float) -> None:
        self._rates.setXRange(0, minutes, padding=0.01)
        unit = tell_time(minutes, self._rates, self._heat)
        self.axes_changed.emit(f"MB/s over {unit}")

    def clear_run(self) -> None:
        """Take away what was measured and what was found in it; what is expected stays."""
        self._span = (0.0, 0.0)
        self._clear_findings()
        self._curve.setData([], [])
        self._warmth.setData([], [])
        self._drop_note.setText("")
        self._drop_line.hide()
        frame_heat(self._heat, 0, 0)
        self._heat_note.setText("")

    def begin_flat_out(self, needed: float) -> None:
        """Make ready for a flat-out run, which ends when it ends; *needed* in bytes per second."""
        self.begin(60.0, needed, needed)
        self._sent.hide()
        self._sent_note.setText("")
        self._is_flat_out = True

    def show_expected(self, minutes: np.ndarray, bytes_per_s: np.ndarray) -> None:
        """Draw what the model expects, dashed: the run is held against it."""
        turns = _turns(bytes_per_s)
        self._expected.setData(minutes[turns], bytes_per_s[turns] / MB)
        self._expected_note.setText("expected by the model" if minutes.size else "")
        if minutes.size:
            high = max(float(bytes_per_s.max()) / MB, self._need.value())
            self._show_minutes(float(minutes[-1]))
            self._rates.setYRange(0, high * 1.25, padding=0)
            self._need_note.setPos(float(minutes[-1]), self._need.value())
            self._expected_note.setPos(float(minutes[-1]) / 2, float(bytes_per_s[-1]) / MB)

    def show_findings(self, findings: tuple[Finding, ...], cause_words: dict[str, str]) -> None:
        """Write what was found at the places where it happened."""
        self._clear_findings()
        look = self._look
        top = self._rates.getViewBox().viewRange()[1][1]
        for number, finding in enumerate(findings):
            named = cause_words[finding.cause.value] if finding.cause else "can't tell yet"
            color = look.color("brick_text" if finding.cause else "ochre_text")
            line = pg.InfiniteLine(
                finding.at_s / 60, angle=90, pen=line_pen(color, 1.2, dashed=True)
            )
            text = note(named, color, (0, 0), look.color("panel"))
            text.setPos(finding.at_s / 60, top * (0.97 - 0.11 * (number % 4)))
            for item in (line, text):
                self._rates.addItem(item, ignoreBounds=True)
                self._finding_items.append(item)

    def _clear_findings(self) -> None:
        for item in self._finding_items:
            self._rates.removeItem(item)
        self._finding_items.clear()

    def _follow(self, duration_s: float, highest: float, *, is_final: bool) -> None:
        """Let the axes grow with a run whose end isn't known.

        They grow in steps while it runs: an axis drawn anew each time costs more than the curve.
        """
        minutes, expected = self._expected.getData()
        if minutes is not None and len(minutes):
            highest = max(highest, float(expected.max()))
        end = max(duration_s / 60, 0.1)
        if not is_final:
            end, highest = _step_up(end), _step_up(max(highest, 1.0))
        span = end, max(highest, self._need.value()) * 1.25
        if span == self._span:
            return
        self._span = span
        self._show_minutes(end)
        self._rates.setYRange(0, span[1], padding=0)
        self._need_note.setPos(end, self._need.value())
        if minutes is not None and len(minutes):
            at = float(np.interp(end / 2, minutes, expected))
            self._expected_note.setPos(end / 2, at)

    def show_trace(
        self,
        elapsed_s: list[float],
        written_bytes: list[float],
        temperature_c: list[float],
        *,
        is_final: bool = False,
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
        if self._is_flat_out and rate.size:
            highest = float(np.quantile(rate, 0.995)) / MB
            self._follow(trace.duration_s, highest, is_final=is_final)
        if is_final:
            self._show_warmth(trace)

    def show_warmth(self, elapsed_s: list[float], temperature_c: list[float]) -> None:
        """Draw the temperature as far as it goes; apart from the rate, so that neither waits."""
        if len(elapsed_s) >= 2:
            self._show_warmth(
                Trace(np.array(elapsed_s), np.zeros(len(elapsed_s)), np.array(temperature_c))
            )

    def _show_warmth(self, trace: Trace) -> None:
        known = np.isfinite(trace.temperature_c)
        if np.any(known):
            stride = max(1, trace.elapsed_s.size // _MOST_POINTS)
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


def _turns(values: np.ndarray) -> np.ndarray:
    """Return which points of a line that is mostly level must be drawn, shape (n,)."""
    if values.size < 3:
        return np.ones(values.size, dtype=bool)
    is_level = np.abs(np.diff(values)) <= _LEVEL * np.abs(values[:-1])
    keep = np.ones(values.size, dtype=bool)
    keep[1:-1] = ~(is_level[:-1] & is_level[1:])
    return keep
