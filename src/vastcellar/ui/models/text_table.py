"""A table of texts to read: rows that are put together elsewhere."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt

_Index = QModelIndex | QPersistentModelIndex
_NO_PARENT = QModelIndex()


class TextTable(QAbstractTableModel):
    """Shows rows of as many texts as there are headers."""

    def __init__(self, headers: Sequence[str], *, figures_from: int | None = None) -> None:
        """Take *headers*; from the column *figures_from* on texts are figures, set to the right."""
        super().__init__()
        self._headers = tuple(headers)
        self._figures_from = len(self._headers) if figures_from is None else figures_from
        self._rows: list[tuple[str, ...]] = []

    def show_rows(self, rows: Sequence[Sequence[str]]) -> None:
        """Show *rows* in place of what was there."""
        self.beginResetModel()
        self._rows = [tuple(each) for each in rows]
        self.endResetModel()

    def rowCount(self, parent: _Index = _NO_PARENT) -> int:
        return 0 if parent.isValid() else len(self._rows)

    def columnCount(self, parent: _Index = _NO_PARENT) -> int:
        return 0 if parent.isValid() else len(self._headers)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if orientation is not Qt.Orientation.Horizontal:
            return None
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return self._side(section)
        return self._headers[section] if role == Qt.ItemDataRole.DisplayRole else None

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return self._side(index.column())
        if role != Qt.ItemDataRole.DisplayRole or not index.isValid():
            return None
        return self._rows[index.row()][index.column()]

    def _side(self, column: int) -> Qt.AlignmentFlag:
        is_figure = column >= self._figures_from
        side = Qt.AlignmentFlag.AlignRight if is_figure else Qt.AlignmentFlag.AlignLeft
        return side | Qt.AlignmentFlag.AlignVCenter
