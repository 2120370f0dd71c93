"""Compare: runs laid over each other by time or by bytes, and the table of their medians."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QHeaderView,
    QListView,
    QPushButton,
    QRadioButton,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from vastcellar.core.trace import rates_bytes_per_s
from vastcellar.core.units import MB
from vastcellar.services.runs.measured_runs import (
    MeasuredRun,
    Trace,
    compare_runs,
    differing_conditions,
    measured_runs,
    trace_of_run,
)
from vastcellar.services.runs.run_rows import MEDIAN_HEADERS, median_rows
from vastcellar.ui.models.background import Background
from vastcellar.ui.models.text_table import TextTable
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.prove.run_picks import MOST_TICKED, RunPicks
from vastcellar.ui.widgets.cards import card, label, row
from vastcellar.ui.widgets.plots import line_pen, make_plot, note, recolor_plot, tell_time

_COLORS = ("water", "moss", "brick", "ochre", "ink", "soft")  # copper is the need
_STYLES = (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine)
_MOST_POINTS = 900
_LABEL_APART = 0.06
GB = 1e9


class ComparePage(QWidget):
    """Ticked runs in one picture; what makes them hard to compare is said above it."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self.traces: list[tuple[MeasuredRun, Trace]] = []
        """What is drawn, once it is read."""
        numbers = workbench.look.numbers
        self.picks = RunPicks(numbers)
        self.list = QListView()
        self.list.setModel(self.picks)
        self.alike = QPushButton("Tick all like the one chosen")
        self.alike.setToolTip(
            f"Every run of the same test on the same unit, up to {MOST_TICKED} in all: a "
            "difference shows with four runs of each"
        )
        self.by_time, self.by_bytes = QRadioButton("by time"), QRadioButton("by GB written")
        self.by_bytes.setChecked(True)
        self.axes_line = label("over GB", "soft")
        self.message = label(kind="soft", wraps=True)
        self.plot = make_plot(workbench.look)
        self.medians = TextTable(MEDIAN_HEADERS)
        self.table = QTableView()
        self.table.setModel(self.medians)
        self._reader = Background(self)
        self._lay_out()
        self.picks.ticked_changed.connect(self._read)
        self.alike.clicked.connect(lambda: self.picks.tick_like(self.list.currentIndex()))
        self.by_time.toggled.connect(self._draw)
        self._reader.done.connect(self._on_traces)
        self._reader.failed.connect(workbench.trouble)
        workbench.shelf_changed.connect(self._on_shelf)
        workbench.look.changed.connect(self._draw)

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(label("Runs side by side", "title"))
        layout.addWidget(self.message)
        frame, inside = card()
        group = QButtonGroup(self)
        for button in (self.by_bytes, self.by_time):
            group.addButton(button)
        head = label("Written, MB/s", "head")
        inside.addLayout(row(head, self.axes_line, self.by_bytes, self.by_time, spacing=12))
        inside.addWidget(self.plot, 1)
        left, beside = card()
        beside.addWidget(label("Tick what is to be compared", "head"))
        beside.addWidget(self.list, 1)
        beside.addWidget(self.alike)
        left.setFixedWidth(330)
        top = QHBoxLayout()
        top.setSpacing(8)
        top.addWidget(left)
        top.addWidget(frame, 1)
        layout.addLayout(top, 1)
        self.table.verticalHeader().hide()
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setStretchLastSection(True)
        self.table.setFixedHeight(150)
        self.table.setSelectionMode(QTableView.SelectionMode.NoSelection)
        layout.addWidget(self.table)

    def _on_shelf(self) -> None:
        if self.isVisible():  # else it is asked for when it is shown
            self.refresh()

    def refresh(self) -> None:
        """Show the runs as the cellar has them now."""
        runs = measured_runs(self._workbench.shelf.records)
        self.picks.show_runs(runs)
        if not runs:
            self.message.setText(
                "No flat-out run yet. Choose “Flat-out write” or “Burst test” under Measure: "
                "each run of a unit is kept and can be compared here."
            )

    def _read(self) -> None:
        runs, workplace = self.picks.ticked, self._workbench.workplace
        self.medians.show_rows(median_rows(compare_runs(runs), self._workbench.look.numbers))
        differing = differing_conditions(runs)
        self.message.setText(
            f"Not the same conditions: they differ in {', '.join(differing)}."
            if differing
            else "Made under the same conditions, as far as they are known."
        )
        self._reader.request(lambda: [(run, trace_of_run(workplace, run.run_id)) for run in runs])

    def _on_traces(self, traces: object) -> None:
        if isinstance(traces, list):
            self.traces = traces
            self._draw()

    def _draw(self) -> None:
        look = self._workbench.look
        self.plot.clear()
        recolor_plot(self.plot)
        judgement = self._workbench.judgement
        highest = 0.0
        ends: list[float] = []
        if judgement is not None:
            needed = judgement.need.needed_write_bytes_per_s / MB
            self.plot.addItem(
                pg.InfiniteLine(needed, angle=0, pen=line_pen(look.color("copper"), 2.4))
            )
            highest = needed
        groups: dict[tuple[str, str], list[int]] = {}
        for run, _ in self.traces:
            groups.setdefault((run.unit_tag, run.kind), []).append(run.run_id)
        order = list(groups)
        for run, trace in self.traces:
            along, rate = self._curve(trace)
            if not rate.size:
                continue
            together = groups[run.unit_tag, run.kind]
            group = order.index((run.unit_tag, run.kind))
            color = look.color(_COLORS[group % len(_COLORS)])
            pen = pg.mkPen(color, width=2.0, style=_STYLES[group // len(_COLORS) % 2])
            self.plot.plot(along, rate, pen=pen)
            highest = max(highest, float(np.quantile(rate, 0.99)))
            if run.run_id != together[-1]:
                continue  # one name for all runs of a thing
            name = f"run {run.run_id}" if len(together) == 1 else f"{len(together)} runs"
            text = note(f"{run.unit_tag} {name}", look.color("ink"), (1, 1))
            at = float(np.median(rate[-max(rate.size // 20, 1) :]))
            while any(abs(at - other) < _LABEL_APART * highest for other in ends):
                at += _LABEL_APART * highest
            ends.append(at)
            text.setPos(float(along[-1]), at)
            self.plot.addItem(text, ignoreBounds=True)
        self.plot.setYRange(0, max(highest, 1.0) * 1.2, padding=0)
        self.plot.enableAutoRange(axis="x")
        self._name_axis()

    def _name_axis(self) -> None:
        longest_s = max((trace.duration_s for _, trace in self.traces), default=0.0)
        is_time = self.by_time.isChecked()
        unit = tell_time(longest_s / 60 if is_time else 0.0, self.plot)
        self.axes_line.setText(f"over {unit}" if is_time else "over GB")

    def _curve(self, trace: Trace) -> tuple[np.ndarray, np.ndarray]:
        """Return rate against minutes or GB, in steps that the eye can tell apart."""
        step_s = max(1.0, np.ceil(trace.duration_s / _MOST_POINTS))
        if trace.duration_s < 12:
            step_s = 0.5
        middle_s, rate = rates_bytes_per_s(trace, float(step_s))
        if self.by_time.isChecked():
            return middle_s / 60, rate / MB
        return np.interp(middle_s, trace.elapsed_s, trace.written_bytes) / GB, rate / MB
