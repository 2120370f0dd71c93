"""Somebody's list of units: what its columns are, and which drives its names mean."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from vastcellar.core.cellar.unit_lists import ListField
from vastcellar.core.errors import VastCellarError
from vastcellar.services.cellar.unit_lists import KnownDrives, ListDraft
from vastcellar.ui.widgets.cards import label
from vastcellar.ui.widgets.inputs import Choice

_OPEN = "?"
_WIDTH_PX, _HEIGHT_PX, _CHOICE_PX, _SAMPLE_LETTERS = 640, 560, 220, 34


class UnitListDialog(QDialog):
    """Asks what each column is; *keep* is called with columns and drives, and may refuse."""

    def __init__(
        self, parent: QWidget, draft: ListDraft, known: KnownDrives,
        keep: Callable[[Mapping[str, str], Mapping[str, str]], None],
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self.setWindowTitle("Units from a list")
        self._draft, self._known, self._keep = draft, known, keep
        self.columns: dict[str, Choice] = {}
        self.drives: dict[str, Choice] = {}
        self.message = label(kind="wrong", wraps=True)
        self.message.setMinimumHeight(34)
        self.buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Save | QDialogButtonBox.StandardButton.Cancel
        )
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        inside = QWidget()
        self._stack = QVBoxLayout(inside)
        self._below = QWidget()
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(inside)
        layout = QVBoxLayout(self)
        hint = (
            f"{draft.path.name}: say once what its columns are. It is remembered for the next list."
        )
        layout.addWidget(label(hint, "soft", wraps=True))
        layout.addWidget(area, 1)
        layout.addWidget(self.message)
        layout.addWidget(self.buttons)
        self.resize(_WIDTH_PX, _HEIGHT_PX)
        self._show_columns()
        self._show_drives()

    def _show_columns(self) -> None:
        fields = [each.value for each in ListField if each is not ListField.NOTHING]
        entries = [("", "left out"), *((name, name.replace("-", " ")) for name in fields)]
        rows = []
        for name, field in self._draft.columns.items():
            choice = Choice(name)
            is_open = [(_OPEN, "what is it?")] if field is None else []
            choice.offer([*is_open, *entries], _OPEN if field is None else field)
            choice.chosen.connect(self._show_drives)
            rows.append((name, self._draft.samples[name], choice))
            self.columns[name] = choice
        self._stack.addWidget(_table(rows))
        self._stack.addWidget(self._below)
        self._stack.addStretch(1)

    def _show_drives(self, _chosen: str = "") -> None:
        """Ask for the names of drives that mean nothing yet, below the columns."""
        drives = sorted(self._known.catalog.drives.values(), key=lambda each: each.name)
        entries = [(_OPEN, "which drive is it?"), *((each.key, each.name) for each in drives)]
        rows, self.drives = [], {}
        for name in self._draft.unknown_drives(self._fields(), self._known):
            choice = Choice(f"Drive {name}")
            choice.offer(entries, _OPEN)
            rows.append((name, "as the list calls a drive", choice))
            self.drives[name] = choice
        below = _table(rows)
        self._stack.replaceWidget(self._below, below)
        self._below.deleteLater()
        self._below = below

    def _fields(self) -> dict[str, str]:
        chosen = {name: str(each.currentData()) for name, each in self.columns.items()}
        return {name: field for name, field in chosen.items() if field != _OPEN}

    def accept(self) -> None:
        drives = {name: str(each.currentData()) for name, each in self.drives.items()}
        try:
            self._keep(self._fields(), {name: key for name, key in drives.items() if key != _OPEN})
        except VastCellarError as error:
            self.message.setText(str(error))
            return
        super().accept()


def _table(rows: Sequence[tuple[str, str, Choice]]) -> QWidget:
    """Return names, what stands under them, and a choice for each."""
    widget = QWidget()
    grid = QGridLayout(widget)
    grid.setContentsMargins(0, 0, 0, 0)
    grid.setColumnStretch(1, 1)
    for row, (name, sample, choice) in enumerate(rows):
        choice.setMinimumWidth(_CHOICE_PX)
        grid.addWidget(label(name[:_SAMPLE_LETTERS]), row, 0)
        grid.addWidget(label(sample[:_SAMPLE_LETTERS], "soft"), row, 1)
        grid.addWidget(choice, row, 2)
    return widget
