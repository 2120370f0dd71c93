"""The write profile of a take: what the drive can take, what is sent, the heat below."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from vastcellar.core.evidence import Verdict
from vastcellar.core.units import GB, MB
from vastcellar.core.verdict.judgement import Judgement
from vastcellar.core.writing.drive_in_use import EventKind
from vastcellar.core.writing.write_profile import Event, WriteProfile, sample
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.cards import label
from vastcellar.ui.widgets.plots import (
    frame_heat,
    line_pen,
    make_heat_strip,
    make_plot,
    note,
    recolor_plot,
)

_POINTS = 1600
_MOST_NOTES = 3


class ProfileView(QWidget):
    """Rates over minutes or gigabytes, temperature on the same axis under it."""

    asked = Signal(str)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._judgement: Judgement | None = None
        self._by_bytes = False
        self._rates = make_plot(look)
        self._heat = make_heat_strip(look, self._rates)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        self._nothing = label(
            "Nothing to draw: no drive is chosen, nothing connects it, or only its box is known.",
            "soft",
        )
        self._nothing.setAlignment(Qt.AlignmentFlag.AlignCenter)
        layout.addWidget(self._rates, 1)
        layout.addWidget(self._heat)
        layout.addWidget(self._nothing, 1)
        look.changed.connect(self._redraw)

    def show_judgement(self, judgement: Judgement | None) -> None:
        """Draw the profile of *judgement*."""
        self._judgement = judgement
        self._redraw()

    def show_by_bytes(self, by_bytes: bool) -> None:
        """Put gigabytes instead of minutes on the axis."""
        self._by_bytes = by_bytes
        self._redraw()

    def _redraw(self) -> None:
        for plot in (self._rates, self._heat):
            plot.clear()
            recolor_plot(plot)
        judgement = self._judgement
        is_drawn = judgement is not None and judgement.run is not None
        self._rates.setVisible(is_drawn)
        self._heat.setVisible(is_drawn)
        self._nothing.setVisible(not is_drawn)
        if judgement is None or judgement.run is None:
            return
        run = judgement.run
        at = sample(run, self._moments(run))
        across = at.written_bytes / GB if self._by_bytes else at.elapsed_s / 60
        self._draw_rates(judgement, across, at.ability_bytes_per_s, at.written_bytes_per_s)
        self._draw_heat(judgement, across, at.drive_c, at.case_c)
        self._rates.setXRange(0, max(float(across[-1]), 1e-3), padding=0.01)

    @staticmethod
    def _moments(run: WriteProfile) -> np.ndarray:
        """Even moments, plus both sides of each event so that steps stay steps."""
        edges = np.array([event.at_s for event in run.events[:_POINTS]])
        even = np.linspace(0, run.duration_s, _POINTS)
        moments = np.unique(np.concatenate([even, edges, np.maximum(edges - 1e-3, 0)]))
        clipped: np.ndarray = np.clip(moments, 0, run.duration_s)
        return clipped

    def _draw_rates(
        self, judgement: Judgement, across: np.ndarray, ability: np.ndarray, written: np.ndarray
    ) -> None:
        look, plot = self._look, self._rates
        needed = judgement.need.needed_write_bytes_per_s / MB
        water = look.color("water")
        plot.plot(
            across,
            ability / MB,
            pen=line_pen(water, 2.0),
            fillLevel=0,
            brush=look.color("water", 70),
        )
        plot.plot(across, written / MB, pen=line_pen(look.color("ink"), 1.4))
        line = pg.InfiniteLine(needed, angle=0, pen=line_pen(look.color("copper"), 2.4))
        plot.addItem(line)
        top = max(float(np.max(ability)) / MB, needed) * 1.12
        plot.setYRange(0, top, padding=0)
        text = note(
            f"need {look.numbers.number(needed, 0)} MB/s", look.color("copper_text"), (1, 1)
        )
        text.setPos(float(across[-1]), needed)
        plot.addItem(text, ignoreBounds=True)
        legend = note("what the drive can take", look.color("soft"), (0, 0))
        legend.setPos(float(across[0]), float(np.max(ability)) / MB)
        plot.addItem(legend, ignoreBounds=True)
        self._draw_cache_left(judgement, float(across[-1]))
        self._draw_events(judgement, top, float(across[-1]))

    def _draw_cache_left(self, judgement: Judgement, last: float) -> None:
        """Say at the end how much of the fast cache is left, where it lasts."""
        run, numbers = judgement.run, self._look.numbers
        assert run is not None  # drawn only with a run
        if run.cache_bytes <= 0 or run.first(EventKind.CACHE_FULL) is not None:
            return
        end = run.intervals[-1]
        filled = end.cached_at_start_bytes + end.net_fill_bytes_per_s * end.duration_s
        left = max(run.cache_bytes - filled, 0.0)
        text = note(
            f"cache left {numbers.size(left)} of {numbers.size(run.cache_bytes)}",
            self._look.color("soft"),
            (1, 0),
        )
        top = max(interval.ability_bytes_per_s for interval in run.intervals) / MB
        text.setPos(last, top)
        self._rates.addItem(text, ignoreBounds=True)

    def _draw_events(self, judgement: Judgement, top: float, last: float) -> None:
        run = judgement.run
        assert run is not None  # drawn only with a run
        shown = [event for event in run.events if event.kind in _WORDS][:_MOST_NOTES]
        for index, event in enumerate(shown):
            x = event.written_bytes / GB if self._by_bytes else event.at_s / 60
            fails = judgement.verdict is Verdict.FALLS_SHORT
            color = self._look.color("brick" if fails else "soft")
            self._rates.addItem(pg.InfiniteLine(x, angle=90, pen=line_pen(color, 1.2, dashed=True)))
            text = note(
                self._event_text(event),
                self._look.color("brick_text" if fails else "ink"),
                (1, 0) if x > 0.6 * last else (0, 0),
                self._look.color("panel", 225),
            )
            text.setPos(x, top * (0.76 - 0.17 * index))
            self._rates.addItem(text, ignoreBounds=True)

    def _event_text(self, event: Event) -> str:
        numbers = self._look.numbers
        after = f"after {numbers.size(event.written_bytes)}, {numbers.duration(event.at_s)}"
        if event.kind is EventKind.THROTTLE:
            return f" throttles at {numbers.temperature(event.drive_c)} {after} "
        return f" {_WORDS[event.kind]} {after} "

    def _draw_heat(
        self, judgement: Judgement, across: np.ndarray, drive: np.ndarray, case: np.ndarray
    ) -> None:
        look, plot, chain = self._look, self._heat, judgement.chain
        plot.plot(across, drive, pen=line_pen(look.color("copper"), 1.8))
        plot.plot(across, case, pen=line_pen(look.color("soft"), 1.2))
        low, high = float(np.min(case)), float(np.max(drive))
        marks = float(drive[0]), float(np.max(drive))
        throttle = chain.parts.drive.writes.throttle if chain else ()
        if throttle:
            high = max(high, throttle[0].on_c)
            limit = pg.InfiniteLine(
                throttle[0].on_c, angle=0, pen=line_pen(look.color("brick"), 1.2, dashed=True)
            )
            plot.addItem(limit)
            text = note(
                f"throttles at {look.numbers.temperature(throttle[0].on_c)}",
                look.color("brick_text"),
                (1, 1),
            )
            text.setPos(float(across[-1]), throttle[0].on_c)
            plot.addItem(text, ignoreBounds=True)
        text = note("°C, drive and case", look.color("soft"), (0, 0))
        text.setPos(float(across[0]), frame_heat(plot, low, high, marks))
        plot.addItem(text, ignoreBounds=True)


_WORDS = {
    EventKind.CACHE_FULL: "fast cache full",
    EventKind.THROTTLE: "throttles",
    EventKind.DRIVE_FULL: "drive full",
}
