"""The station Cellar: every unit on the shelf, and what is known of the chosen one."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import (
    QFileDialog,
    QHeaderView,
    QPushButton,
    QScrollArea,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from vastcellar.core.errors import VastCellarError
from vastcellar.core.parts.units import Unit, free_bytes_on
from vastcellar.services.proving.binding import identity_words, twins
from vastcellar.services.runs.calibration_wording import calibration_words
from vastcellar.services.runs.run_rows import RUN_HEADERS, run_rows
from vastcellar.services.words.acceptance_wording import acceptance_words
from vastcellar.services.workplace.exports import save_bytes
from vastcellar.services.workplace.labels import label_of, label_size
from vastcellar.ui.models.text_table import TextTable
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.cellar.label_dialog import LabelDialog, LabelWish
from vastcellar.ui.stations.cellar.shelf_view import ShelfView
from vastcellar.ui.stations.cellar.unit_dialog import UnitDialog, UnitEntry
from vastcellar.ui.stations.plugged_row import PluggedRow
from vastcellar.ui.widgets.cards import card, label, row
from vastcellar.ui.widgets.next_step import NextStep


class CellarStation(QWidget):
    """The shelf above; the chosen unit and its runs below."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self.title = label("Shelf", "title")
        self.subtitle = label(kind="soft")
        self.plugged = PluggedRow(workbench)
        self.shelf = ShelfView(workbench.look, lambda: workbench.catalog)
        self.unit_title = label(kind="head")
        self.unit_line = label(kind="soft", wraps=True)
        self.runs = TextTable(RUN_HEADERS)
        self.table = QTableView()
        self.table.setModel(self.runs)
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        # A run's kind says whether it was simulated, a rehearsal, cut short: never cut off.
        header.setSectionResizeMode(
            RUN_HEADERS.index("What"), QHeaderView.ResizeMode.ResizeToContents
        )
        self.no_runs = label(kind="soft")
        self.add_button = QPushButton("Add a unit …")
        self.add_button.clicked.connect(self._ask_new)
        self.forget_button = QPushButton("Forget calibration")
        self.forget_button.setToolTip("Judge it by the typical figures of its class again")
        self.forget_button.clicked.connect(self._forget)
        self.release_button = QPushButton("Release device")
        self.release_button.setToolTip(
            "Formatted anew, or another drive in it: let its next real run bind it again"
        )
        self.release_button.clicked.connect(self._release)
        self.assign_button = QPushButton("Record to it")
        self.assign_button.setToolTip("Or drag the unit onto a camera above")
        self.assign_button.clicked.connect(self._assign)
        self.change_button = QPushButton("Change …")
        self.change_button.setToolTip("Its case, how far it is written, its state, a note")
        self.change_button.clicked.connect(self._ask_change)
        self.label_button = QPushButton("Label …")
        self.label_button.setToolTip("Tag, capacity, file system, duty and a QR code, as PDF")
        self.label_button.clicked.connect(self._ask_label)
        self._lay_out()
        self.shelf.chosen.connect(self._show_unit)
        workbench.shelf_changed.connect(self.refresh)
        workbench.judged.connect(self.refresh)
        workbench.unit_asked.connect(self.shelf.choose)
        self.refresh()

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 10, 18, 10)
        layout.setSpacing(6)
        head = row(self.title, self.subtitle, spacing=14)
        head.addWidget(self.add_button)
        layout.addLayout(head)
        layout.addWidget(self.plugged)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.shelf)
        scroll.setMinimumHeight(190)
        self._bays = scroll
        layout.addWidget(scroll, 7)
        self.next_step = NextStep(
            "No unit yet",
            "Plug a drive or card in and measure it: it becomes a unit with one click. Or describe "
            "one that you have. What is proved of it is kept here.",
            "Measure a drive",
            "Add a unit …",
        )
        measure, add = self.next_step.buttons
        measure.clicked.connect(lambda: self._workbench.station_asked.emit("prove"))
        add.clicked.connect(self._ask_new)
        layout.addWidget(self.next_step, 7)
        frame, inside = card()
        self._unit_card = frame
        head = row(self.unit_title)
        head.addWidget(self.forget_button)
        head.addWidget(self.release_button)
        head.addWidget(self.label_button)
        head.addWidget(self.change_button)
        head.addWidget(self.assign_button)
        inside.addLayout(head)
        inside.addWidget(self.unit_line)
        inside.addWidget(self.no_runs)
        inside.addWidget(self.table, 1)
        inside.addStretch(0)  # takes the room while there is no table
        layout.addWidget(frame, 3)

    def refresh(self) -> None:
        """Show the shelf as it is now."""
        shelf = self._workbench.shelf
        proved = shelf.standing_proofs
        self.subtitle.setText(
            f"{shelf.count_text}, {len(proved)} with a test that counts. "
            "Water: how full. Bar: rated endurance used. Solid square: measured."
        )
        self.shelf.show_shelf(shelf)
        is_empty = not shelf.units
        self.next_step.setVisible(is_empty)
        self._bays.setVisible(not is_empty)
        self._unit_card.setVisible(not is_empty)
        self._show_unit(self.shelf.tag)

    def _assign(self) -> None:
        camera = self._workbench.subject
        if camera is not None:
            self._workbench.assign(camera.key, self.shelf.tag)

    def _forget(self) -> None:
        self._workbench.forget_calibration(self.shelf.tag)

    def _release(self) -> None:
        self._workbench.release(self.shelf.tag)

    def dialog(self, known: Unit | None = None) -> UnitDialog:
        """Return the dialog that asks for a unit, or for what is now known of one."""
        workbench = self._workbench

        def keep(entry: UnitEntry) -> None:
            unit, own = entry.kept
            workbench.keep_unit(unit, known, own)
            self.shelf.tag = unit.tag.strip()

        is_demo = workbench.workplace.is_demo
        numbers, catalog = workbench.look.numbers, workbench.catalog
        return UnitDialog(self, numbers, catalog, known, keep, describes=not is_demo)

    def _ask_new(self) -> None:
        self.dialog().exec()

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
        except VastCellarError as error:
            workbench.trouble.emit(error)

    def _show_unit(self, tag: str) -> None:
        workbench = self._workbench
        workbench.choose_on_shelf(tag)
        unit = workbench.shelf.unit(tag)
        self.change_button.setVisible(unit is not None)
        self.label_button.setVisible(unit is not None)
        self.no_runs.setVisible(unit is not None)
        calibrated = calibration_words(workbench.shelf, tag)
        self.forget_button.setVisible(bool(calibrated))
        self.release_button.setVisible(unit is not None and unit.device is not None)
        if unit is None:
            self.unit_title.setText("No unit yet")
            self.unit_line.setText(
                "Add the drives and cards that you have: what is proved of them is kept here."
            )
            self.assign_button.hide()
            self.table.hide()
            return
        camera = workbench.subject
        self.assign_button.setVisible(camera is not None)
        if camera is not None:
            self.assign_button.setText(f"Record {camera.key} to it")
        numbers, drive = workbench.look.numbers, workbench.catalog.drives.get(unit.drive_key)
        enclosure = workbench.catalog.enclosures.get(unit.enclosure_key)
        name = drive.name if drive else unit.drive_key
        case = f" in {enclosure.name}" if enclosure else ""
        self.unit_title.setText(f"{unit.tag} · {name}{case}")
        facts = []
        if drive:
            free = free_bytes_on(drive, unit)
            facts.append(f"{numbers.size(free)} of {numbers.size(drive.capacity_bytes)} free")
            if drive.tbw_bytes:
                facts.append(
                    f"{numbers.size(unit.written_bytes)} of {numbers.size(drive.tbw_bytes)} "
                    "rated endurance written"
                )
        facts.append(unit.state)
        if unit.acceptance is not None:
            facts.append(acceptance_words(unit.acceptance))
        if calibrated:
            facts.append(calibrated)
        if unit.device is not None:
            facts.append(f"bound to {identity_words(unit.device)}")
        facts += [
            f"the same device as {(set(pair) - {tag}).pop()}: are two labels swapped?"
            for pair in twins(workbench.shelf)
            if tag in pair
        ]
        if unit.note:
            facts.append(unit.note)
        self.unit_line.setText(" · ".join(facts))
        runs = run_rows(
            workbench.shelf.records, tag, numbers, rig_word=workbench.workplace.rig_word
        )
        self.runs.show_rows(runs)
        self.table.setVisible(bool(runs))
        self.no_runs.setVisible(not runs)
        self.no_runs.setText("No run yet. Assign it to a camera in Match, then prove it (F5).")
