"""Replay: one flat-out run of a drive answers every camera of the shoot."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PySide6.QtWidgets import QVBoxLayout, QWidget

from vastcellar.core.evidence import Verdict
from vastcellar.core.trace import rates_bytes_per_s
from vastcellar.core.units import MB
from vastcellar.services.runs.measured_runs import (
    CameraReplay,
    Trace,
    measured_runs,
    replay_of_run,
    trace_of_run,
)
from vastcellar.services.runs.replaying import replay_sentence
from vastcellar.ui.models.background import Background
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.prove.run_picks import run_name
from vastcellar.ui.widgets.cards import card, label, row
from vastcellar.ui.widgets.inputs import Choice
from vastcellar.ui.widgets.marks import VerdictMark
from vastcellar.ui.widgets.plots import line_pen, make_plot, note, recolor_plot

_MOST_POINTS = 900
GB = 1e9


class ReplayPage(QWidget):
    """A run, the needs of all cameras drawn into it, and what each would have met."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._trace: Trace | None = None
        self._replays: tuple[CameraReplay, ...] = ()
        self.choice = Choice("Run")
        self.choice.setMinimumContentsLength(36)
        self.message = label(kind="soft", wraps=True)
        self.plot = make_plot(workbench.look)
        self.answers: list[tuple[VerdictMark, QWidget]] = []
        self._answers = QVBoxLayout()
        self._answers.setSpacing(3)
        self._reader = Background(self)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(label("One trace, every camera", "title"))
        layout.addLayout(row(label("Run"), self.choice, spacing=8, stretch_last=True))
        layout.addWidget(self.message)
        frame, inside = card()
        inside.addWidget(label("Written, MB/s over GB, with what each camera must have", "head"))
        inside.addWidget(self.plot, 1)
        layout.addWidget(frame, 1)
        frame, inside = card()
        inside.addLayout(self._answers)
        layout.addWidget(frame)
        self.choice.currentIndexChanged.connect(self._read)
        self._reader.done.connect(self._on_read)
        self._reader.failed.connect(self._on_failed)
        workbench.shelf_changed.connect(self._on_shelf)
        workbench.judged.connect(self._read)
        workbench.look.changed.connect(self._draw)

    def _on_shelf(self) -> None:
        if self.isVisible():  # else it is asked for when it is shown
            self.refresh()

    def refresh(self) -> None:
        """Offer the flat-out runs as the cellar has them now."""
        runs = [run for run in measured_runs(self._workbench.shelf.records) if run.kind != "burst"]
        chosen = self.choice.currentData()
        self.choice.blockSignals(True)
        self.choice.clear()
        for run in runs:
            self.choice.addItem(run_name(run, self._workbench.look.numbers), run.run_id)
        self.choice.setCurrentIndex(max(self.choice.findData(chosen), 0) if runs else -1)
        self.choice.blockSignals(False)
        self.message.setText(
            "The run is walked byte by byte: what the drive could take after so many bytes is "
            "asked when the camera has recorded as many."
            if runs
            else "No flat-out write yet. Run one under Measure: past the cache, and long enough "
            "for the longest take."
        )
        self._read()

    def _read(self) -> None:
        run_id = self.choice.currentData()
        if run_id is None or not self.isVisible():
            return
        workplace, shoot = self._workbench.workplace, self._workbench.document.shoot
        self._reader.request(
            lambda: (trace_of_run(workplace, run_id), replay_of_run(workplace, run_id, shoot))
        )

    def showEvent(self, event: object) -> None:
        self._read()

    def _on_failed(self, error: object) -> None:
        self.message.setText(str(error))

    def _on_read(self, found: object) -> None:
        if isinstance(found, tuple):
            self._trace, self._replays = found
            self._draw()

    def _draw(self) -> None:
        look, trace = self._workbench.look, self._trace
        self.plot.clear()
        recolor_plot(self.plot)
        if trace is None:
            return
        step_s = max(1.0, float(np.ceil(trace.duration_s / _MOST_POINTS)))
        middle_s, rate = rates_bytes_per_s(trace, step_s)
        along = np.interp(middle_s, trace.elapsed_s, trace.written_bytes) / GB
        self.plot.plot(
            along, rate / MB, pen=line_pen(look.color("water"), 2.0), fillLevel=0,
            brush=look.color("water", 70),
        )  # fmt: skip
        highest = float(np.quantile(rate, 0.99)) / MB if rate.size else 1.0
        for each in self._replays:
            self._draw_need(each)
            highest = max(highest, each.need.needed_write_bytes_per_s / MB)
        self.plot.setYRange(0, highest * 1.2, padding=0)
        ends = [each.need.longest_take_bytes / GB for each in self._replays]
        self.plot.setXRange(0, max([*ends, float(along[-1]) if along.size else 0.0]) * 1.08)
        self._show_answers()

    def _draw_need(self, each: CameraReplay) -> None:
        """The need as a line as long as the longest take is in bytes."""
        look = self._workbench.look
        needed = each.need.needed_write_bytes_per_s / MB
        end = each.need.longest_take_bytes / GB
        is_open = each.replay.verdict is Verdict.NOT_KNOWN
        pen = line_pen(look.color("copper"), 2.2, dashed=is_open)
        self.plot.addItem(pg.PlotDataItem([0, end], [needed, needed], pen=pen))
        text = note(f"{each.camera.key} {needed:.0f}", look.color("copper_text"), (0, 1))
        text.setPos(end, needed)
        self.plot.addItem(text, ignoreBounds=True)

    def _show_answers(self) -> None:
        while (item := self._answers.takeAt(0)) is not None:
            if (layout := item.layout()) is not None:
                while (inner := layout.takeAt(0)) is not None:
                    if (widget := inner.widget()) is not None:
                        widget.deleteLater()
        self.answers.clear()
        for each in self._replays:
            mark = VerdictMark(self._workbench.look, 18)
            mark.show_verdict(each.replay.verdict)
            text = label(replay_sentence(each, self._workbench.look.numbers))
            self._answers.addLayout(row(mark, text, spacing=8))
            self.answers.append((mark, text))
