"""Flat-out runs as a list to tick."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import (
    QAbstractListModel,
    QModelIndex,
    QPersistentModelIndex,
    Qt,
    Signal,
)

from vastcellar.core.units import NumberFormat
from vastcellar.services.runs.diagnosing import CAUSE_WORDS
from vastcellar.services.runs.measured_runs import MeasuredRun

_Index = QModelIndex | QPersistentModelIndex
_NO_PARENT = QModelIndex()
MOST_TICKED = 12
"""Enough for two drives with the runs that a difference needs, and few enough to be read."""


def run_name(run: MeasuredRun, numbers: NumberFormat, between: str = " · ") -> str:
    """Return a run in words: unit, test, rate, and after *between* its number and when."""
    day = run.measured_at.astimezone()
    simulated = ", simulated" if run.is_simulated else ""
    short = "" if run.is_complete else ", not finished"
    rate = numbers.rate(run.write_bytes_per_s)
    return (
        f"{run.unit_tag} · {run.kind} · {rate}{between}run {run.run_id}, {day.day} {day:%b %H:%M}"
        f"{simulated}{short}"
    )


class RunPicks(QAbstractListModel):
    """Runs with ticks; at most twelve are ticked, so that the picture can be read."""

    ticked_changed = Signal()

    def __init__(self, numbers: NumberFormat) -> None:
        super().__init__()
        self._numbers = numbers
        self._runs: tuple[MeasuredRun, ...] = ()
        self._ticked: list[int] = []
        self._is_touched = False

    def show_runs(self, runs: tuple[MeasuredRun, ...]) -> None:
        """Show *runs*; those ticked stay so; until one is, the newest three are."""
        if runs == self._runs:
            return
        self.beginResetModel()
        self._runs = runs
        known = {run.run_id for run in runs}
        self._ticked = [number for number in self._ticked if number in known]
        if not self._is_touched:
            self._ticked = [run.run_id for run in runs[:3]]
        self.endResetModel()
        self.ticked_changed.emit()

    @property
    def ticked(self) -> tuple[MeasuredRun, ...]:
        """The runs that are ticked, in the order of ticking."""
        by_number = {run.run_id: run for run in self._runs}
        return tuple(by_number[number] for number in self._ticked)

    def rowCount(self, parent: _Index = _NO_PARENT) -> int:
        return 0 if parent.isValid() else len(self._runs)

    def flags(self, index: _Index) -> Qt.ItemFlag:
        return super().flags(index) | Qt.ItemFlag.ItemIsUserCheckable

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid():
            return None
        run = self._runs[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return run_name(run, self._numbers, "\n")
        if role == Qt.ItemDataRole.CheckStateRole:
            is_on = run.run_id in self._ticked
            return Qt.CheckState.Checked if is_on else Qt.CheckState.Unchecked
        if role == Qt.ItemDataRole.ToolTipRole and run.causes:
            return ", ".join(CAUSE_WORDS[name] for name in run.causes)
        return None

    def setData(self, index: _Index, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        if role != Qt.ItemDataRole.CheckStateRole or not index.isValid():
            return False
        number = self._runs[index.row()].run_id
        self._is_touched = True
        if Qt.CheckState(value) == Qt.CheckState.Checked:
            if len(self._ticked) >= MOST_TICKED:
                return False
            self._ticked.append(number)
        else:
            self._ticked.remove(number)
        self.dataChanged.emit(index, index, [role])
        self.ticked_changed.emit()
        return True

    def tick_like(self, index: _Index) -> None:
        """Tick every run of the same test on the same unit as that at *index*, the newest first."""
        if not index.isValid():
            return
        chosen = self._runs[index.row()]
        alike = [
            run.run_id
            for run in self._runs
            if (run.unit_tag, run.kind) == (chosen.unit_tag, chosen.kind)
            and run.run_id not in self._ticked
        ]
        self._is_touched = True
        self._ticked += alike[: MOST_TICKED - len(self._ticked)]
        self.dataChanged.emit(self.index(0), self.index(len(self._runs) - 1))
        self.ticked_changed.emit()
