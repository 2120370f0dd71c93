"""The runs of a unit as a Qt table model."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt

from vastcellar.core.proof import RecorderProof
from vastcellar.core.units import NumberFormat

_Index = QModelIndex | QPersistentModelIndex
_NO_PARENT = QModelIndex()
HEADERS = ("When", "What", "Written at", "Take", "Dropped", "Slowest second", "Run")


class RunTable(QAbstractTableModel):
    """Newest first, one row a run."""

    def __init__(self, numbers: NumberFormat) -> None:
        super().__init__()
        self._numbers = numbers
        self._runs: list[RecorderProof] = []

    def show_runs(self, runs: list[RecorderProof]) -> None:
        """Show *runs* in place of what was there."""
        self.beginResetModel()
        self._runs = sorted(runs, key=lambda run: run.measured_at, reverse=True)
        self.endResetModel()

    def rowCount(self, parent: _Index = _NO_PARENT) -> int:
        return 0 if parent.isValid() else len(self._runs)

    def columnCount(self, parent: _Index = _NO_PARENT) -> int:
        return 0 if parent.isValid() else len(HEADERS)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if orientation is not Qt.Orientation.Horizontal:
            return None
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        return HEADERS[section] if role == Qt.ItemDataRole.DisplayRole else None

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role != Qt.ItemDataRole.DisplayRole or not index.isValid():
            return None
        run, numbers = self._runs[index.row()], self._numbers
        day = run.measured_at.astimezone()
        kind = "recorder, simulated" if run.is_simulated else "recorder"
        cells = (
            f"{day.day} {day:%b %Y, %H:%M}",
            kind if run.is_complete else f"{kind}, not finished",
            numbers.rate(run.achieved_bytes_per_s, 1),
            numbers.duration(run.duration_s),
            numbers.number(run.frames_dropped, 0),
            numbers.rate(run.slowest_second_ability_bytes_per_s),
            str(run.run_id),
        )
        return cells[index.column()]
