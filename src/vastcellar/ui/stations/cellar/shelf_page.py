"""The shelf: what to look at first, every unit as a bay, and the chosen one below."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QStringListModel, Qt
from PySide6.QtWidgets import (
    QCompleter,
    QFileDialog,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from vastcellar.core.errors import VastCellarError
from vastcellar.core.parts.units import Unit
from vastcellar.services.cellar.bays import GROUPINGS, Bay, grouped, numbered
from vastcellar.services.cellar.clips import units_with_clip
from vastcellar.services.cellar.unit_edits import labels_printed
from vastcellar.services.workplace.exports import save_bytes
from vastcellar.services.workplace.labels import label_of, label_size
from vastcellar.ui.models.cellar_desk import CellarDesk
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.cellar.label_dialog import LabelDialog, LabelWish
from vastcellar.ui.stations.cellar.look_first import LookFirst, LookFirstEntry
from vastcellar.ui.stations.cellar.shelf_view import ShelfView
from vastcellar.ui.stations.cellar.unit_card import UnitCard
from vastcellar.ui.stations.cellar.unit_dialog import UnitDialog, UnitEntry
from vastcellar.ui.stations.plugged_row import PluggedRow
from vastcellar.ui.widgets.cards import OneLine, row
from vastcellar.ui.widgets.inputs import Choice
from vastcellar.ui.widgets.next_step import NextStep

_TO_LOOK_AT = "to look at"


class ShelfPage(QWidget):
    """Find, look first, the shelf, the chosen unit."""

    def __init__(self, workbench: Workbench, desk: CellarDesk) -> None:
        super().__init__()
        self._workbench, self._desk = workbench, desk
        self.find_field = QLineEdit()
        self.find_field.setPlaceholderText("Find: tag, model, serial, note, “stalls”, “free 2 TB”")
        self.find_field.setClearButtonEnabled(True)
        self.find_field.setAccessibleName("Find")
        self._offers = QStringListModel(self)
        completer = QCompleter(self._offers, self)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.activated.connect(self._take_offer)
        self.find_field.setCompleter(completer)
        self.grouping = Choice("Grouped by")
        self.subtitle = OneLine()
        self.subtitle.setToolTip(
            "A bay: line = rate since it was accepted (dashed), water = how full, column = wear "
            "(tick at 80 %), solid square = tested, and how long ago; dashed body = away"
        )
        self.add_button = QPushButton("Add a unit …")
        self.plugged = PluggedRow(workbench, folds=True)
        self.look_first = LookFirst(workbench.look)
        self.shelf = ShelfView(workbench.look)
        self.card = UnitCard(workbench, desk)
        self._by = GROUPINGS[0]
        self._lay_out()
        self.find_field.textChanged.connect(lambda _text: self._show_bays())
        self.grouping.chosen.connect(self._group_by)
        self.add_button.clicked.connect(lambda: self.dialog().exec())
        self.look_first.asked.connect(self._open_found)
        self.shelf.chosen.connect(self._on_chosen)
        self.card.change_asked.connect(self._ask_change)
        self.card.label_asked.connect(self._ask_label)
        workbench.judged.connect(self._show_unit)
        workbench.unit_asked.connect(self._open_unit)
        workbench.shelf_changed.connect(self.refresh)
        desk.changed.connect(self.refresh)
        self.refresh()

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(5)
        self.find_field.setMinimumWidth(250)
        head = row(self.find_field, self.grouping, spacing=8)
        head.addWidget(self.subtitle, 1)
        head.addWidget(self.add_button)
        layout.addLayout(head)
        layout.addWidget(self.plugged)
        layout.addWidget(self.look_first)
        self._bays = QScrollArea()
        self._bays.setWidgetResizable(True)
        self._bays.setWidget(self.shelf)
        self._bays.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._bays.setMinimumHeight(120)
        layout.addWidget(self._bays, 1)
        self.next_step = NextStep(
            "No unit yet",
            "Plug a drive or card in and measure it: it becomes a unit with one click. Or describe "
            "one that you have. What is proved of it is kept here.",
            "Measure a drive",
            "Add a unit …",
        )
        measure, add = self.next_step.buttons
        measure.clicked.connect(lambda: self._workbench.station_asked.emit("prove"))
        add.clicked.connect(lambda: self.dialog().exec())
        layout.addWidget(self.next_step, 7)
        layout.addWidget(self.card)

    # Showing

    def refresh(self) -> None:
        """Show the shelf as it is now."""
        shelf, shown = self._workbench.shelf, self._desk.shown
        proved = len(shelf.standing_proofs)
        cellar = self._workbench.workplace.cellar
        shared = "" if cellar.path else f" · shared on {cellar.where}"
        self.subtitle.setText(f"{shelf.count_text}, {proved} with a test that counts{shared}")
        is_empty = not shelf.units
        self.next_step.setVisible(is_empty)
        for widget in (self._bays, self.card, self.find_field, self.grouping):
            widget.setVisible(not is_empty)
        self.grouping.offer([(each, f"by {each}") for each in GROUPINGS], self._by)
        if shown is not None:
            self._offers.setStringList(
                [f"{name}   {count}" for name, count in shown.search.offers()]
            )
        if shelf.units and shelf.unit(self.shelf.tag) is None:
            self.shelf.choose(shelf.units[0].tag)
        self._show_bays()
        self._show_unit()

    def _show_bays(self) -> None:
        shown = self._desk.shown
        if shown is None:
            self.look_first.show_entries((), "")
            return
        bays: tuple[Bay, ...] = shown.bays
        if wanted := self.find_field.text().strip():
            workplace = self._workbench.workplace
            left = set(shown.search.find(wanted, lambda clip: units_with_clip(workplace, clip)))
            bays = tuple(bay for bay in bays if bay.tag in left)
            of_all = f"{len(bays)} of {self._workbench.shelf.count_text}"
            self.subtitle.setText(of_all if bays else f"{of_all}: nothing is called that")
        groups = grouped(
            bays, shown.known, self._workbench.catalog, self._by, shown.planned.bookings,
            self._workbench.look.numbers,
        )  # fmt: skip
        self.shelf.show_groups(groups)
        self._show_look_first()

    def _show_look_first(self) -> None:
        shown = self._desk.shown
        if shown is None:
            return
        numbers = numbered(shown.known)
        entries: dict[int, LookFirstEntry] = {}
        for finding in shown.known.findings:
            number = numbers[finding.tag]
            words = self._desk.words(finding)
            if words is None:
                continue
            if number not in entries:
                entries[number] = LookFirstEntry(
                    finding.tag, number, int(finding.harm), finding.tag, words.short, words.line
                )
            elif entries[number].tag != finding.tag and finding.tag not in entries[number].title:
                first = entries[number]
                pair = f"{first.title}, {finding.tag}"
                entries[number] = LookFirstEntry(
                    first.tag, number, first.harm, pair, first.short, first.line
                )
        self.look_first.show_entries(list(entries.values()), self.shelf.tag)

    def _on_chosen(self, tag: str) -> None:
        self._show_unit()
        self._show_look_first()
        box = self.shelf.bay_box(tag)
        if not box.isNull():
            middle = box.center().toPoint()
            self._bays.ensureVisible(middle.x(), middle.y(), 0, int(box.height() / 2) + 24)

    def _show_unit(self) -> None:
        tag = self.shelf.tag
        self._workbench.units.choose(tag)
        self.card.show_unit(tag)

    def _group_by(self, by: str) -> None:
        self._by = by
        self._show_bays()

    def _take_offer(self, offered: str) -> None:
        self.find_field.setText(offered.rsplit("   ", 1)[0])

    def _open_found(self, tag: str) -> None:
        if tag == LookFirst.MORE:
            self.find_field.setText(_TO_LOOK_AT)
        else:
            self._open_unit(tag)

    def _open_unit(self, tag: str) -> None:
        if self.find_field.text():
            self.find_field.clear()
        self.shelf.choose(tag)

    # Editing

    def dialog(self, known: Unit | None = None) -> UnitDialog:
        """Return the dialog that asks for a unit, or for what is now known of one."""
        workbench = self._workbench

        def keep(entry: UnitEntry) -> None:
            unit, own = entry.kept
            workbench.units.keep(unit, known, own)
            self.shelf.tag = unit.tag.strip()

        is_demo = workbench.workplace.is_demo
        numbers, catalog = workbench.look.numbers, workbench.catalog
        return UnitDialog(self, numbers, catalog, known, keep, describes=not is_demo)

    def _ask_change(self) -> None:
        if unit := self._workbench.shelf.unit(self.shelf.tag):
            self.dialog(unit).exec()

    def label_dialog(self, keep: Callable[[LabelWish], None] | None = None) -> LabelDialog:
        """Return the dialog that asks what the chosen unit's label says."""
        workbench = self._workbench
        return LabelDialog(self, workbench.look.numbers, workbench.catalog, self.shelf.tag, keep)

    def _ask_label(self) -> None:
        dialog = self.label_dialog()
        if dialog.exec():
            kinds = "PDF (*.pdf)"
            name, _ = QFileDialog.getSaveFileName(self, "Save the labels", "labels.pdf", kinds)
            if name:
                self.save_labels(Path(name), dialog.value)

    def save_labels(self, path: Path, wish: LabelWish) -> None:
        """Save the labels that are wished for; what is in the way is announced."""
        from vastcellar.report.label_sheet import labels_pdf

        workbench = self._workbench
        shelf, chosen = workbench.shelf, workbench.shelf.unit(self.shelf.tag)
        units = shelf.units if wish.is_for_all else ((chosen,) if chosen else ())
        try:
            labels = [
                label_of(
                    unit, workbench.catalog, workbench.look.numbers,
                    file_system=wish.file_system, duty=wish.duty,
                )
                for unit in units
            ]  # fmt: skip
            save_bytes(path, labels_pdf(labels, label_size(wish.size_key), skip=wish.skip))
            labels_printed(workbench.workplace, [unit.tag for unit in units])
            workbench.units.reload()
        except VastCellarError as error:
            workbench.trouble.emit(error)
