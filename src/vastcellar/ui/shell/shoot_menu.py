"""The shoot's menu: new, open, recent, save, undo and redo, look, quit."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QLocale, QObject
from PySide6.QtGui import QAction, QActionGroup, QKeySequence
from PySide6.QtWidgets import QFileDialog, QMenu, QMessageBox

from vastcellar.core.errors import VastCellarError
from vastcellar.core.parts.parts import Drive
from vastcellar.services.shoot.shoots import (
    OpenShoot,
    new_shoot,
    open_shoot,
    recent_shoots,
)
from vastcellar.services.workplace.exports import save_bytes
from vastcellar.ui.look import TEXT_SIZES
from vastcellar.ui.models.document import ShootDocument
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.shell.window import MainWindow
from vastcellar.ui.widgets.plain import plain_box, plain_tip

if TYPE_CHECKING:
    from vastcellar.ui.shell.shared_cellar_dialog import SharedCellarDialog
    from vastcellar.ui.shell.unit_list_dialog import UnitListDialog

_FILTER = "Shoots (*.shoot.json);;JSON (*.json)"


class ShootMenu(QObject):
    """Makes the actions, puts them into the need bar's menu and does what they say."""

    def __init__(self, window: MainWindow, workbench: Workbench) -> None:
        super().__init__(window)
        self._window, self._workbench = window, workbench
        menu = QMenu(window)
        self._add(menu, "New shoot", QKeySequence.StandardKey.New, self.new)
        self._add(menu, "Open…", QKeySequence.StandardKey.Open, self.ask_open)
        self._recent = menu.addMenu("Recent")
        self._recent.aboutToShow.connect(self._fill_recent)
        menu.addSeparator()
        self._add(menu, "Save", QKeySequence.StandardKey.Save, self.save)
        self._add(menu, "Save as…", "Ctrl+Shift+S", self.ask_save)
        self._add(menu, "Back to what was saved", "", self.revert)
        menu.addSeparator()
        self._add(menu, "Need sheet as PDF…", "", self.ask_pdf)
        self._add(menu, "Need table as CSV…", "", self.ask_csv)
        menu.addSeparator()
        self._add(menu, "Parts from a file…", "", self.ask_parts)
        self._add(menu, "A drive of your own…", "", self.ask_drive)
        self._add(menu, "Units from a list…", "", self.ask_units)
        self._add(menu, "Shared cellar…", "", lambda: self.shared_cellar().exec())
        menu.addSeparator()
        undo = workbench.undo_group.createUndoAction(self, "Undo")
        undo.setShortcut(QKeySequence.StandardKey.Undo)
        redo = workbench.undo_group.createRedoAction(self, "Redo")
        redo.setShortcuts([QKeySequence("Ctrl+Shift+Z"), QKeySequence("Ctrl+Y")])
        for action in (undo, redo):
            menu.addAction(action)
            window.addAction(action)
        menu.addSeparator()
        self.dark_action = self._add(menu, "Dark look", "Ctrl+D", self._toggle_dark)
        self.dark_action.setCheckable(True)
        self.dark_action.setChecked(window.look.palette.name == "dark")
        self._add_text_sizes(menu)
        self._add(menu, "Sums", "", window.toggle_drawer)
        self._add(menu, "Help", "", window.show_help)
        menu.addSeparator()
        self._add(menu, "Quit", QKeySequence.StandardKey.Quit, self._quit)
        window.need_bar.shoot_button.setMenu(menu)
        self.menu = menu

    @property
    def _document(self) -> ShootDocument:
        return self._workbench.document

    def _add(
        self,
        menu: QMenu,
        text: str,
        shortcut: QKeySequence.StandardKey | str,
        slot: Callable[[], object],
    ) -> QAction:
        action = menu.addAction(text)
        if shortcut:
            action.setShortcut(QKeySequence(shortcut))
        action.triggered.connect(slot)
        self._window.addAction(action)  # so that its shortcut works while the menu is shut
        return action

    def _add_text_sizes(self, menu: QMenu) -> None:
        sizes = menu.addMenu("Text size")
        group = QActionGroup(self)
        for percent in TEXT_SIZES:
            action = sizes.addAction(f"{percent} %")
            action.setCheckable(True)
            action.setChecked(percent == self._window.text_percent)
            action.setData(percent)
            group.addAction(action)
        group.triggered.connect(lambda action: self._window.set_text_percent(action.data()))
        self.text_sizes = group

    def _quit(self) -> None:
        self._window.close()

    def shared_cellar(self) -> SharedCellarDialog:
        """Return the dialog that says where the cellar is."""
        from vastcellar.ui.shell.shared_cellar_dialog import SharedCellarDialog

        return SharedCellarDialog(self._window, self._workbench.workplace)

    def _toggle_dark(self) -> None:
        self._window.set_dark(self.dark_action.isChecked())

    def _may_leave(self) -> bool:
        """Ask before unsaved edits give way to another shoot."""
        if not self._document.is_unsaved:
            return True
        buttons = QMessageBox.StandardButton
        name = self._document.shoot.name
        text = f"{name} has changes that are not saved. Save them first?"
        box = plain_box(self._window, "Unsaved changes", text)
        box.setStandardButtons(buttons.Save | buttons.Discard | buttons.Cancel)
        answer = box.exec()
        if answer == buttons.Save:
            return self.save()
        return bool(answer == buttons.Discard)

    def new(self) -> None:
        """Start an empty shoot."""
        if self._may_leave():
            self._document.open(OpenShoot(new_shoot()))

    def ask_open(self) -> None:
        """Choose a file and open it."""
        name, _ = QFileDialog.getOpenFileName(self._window, "Open a shoot", "", _FILTER)
        if name and self._may_leave():
            self.open(Path(name))

    def open(self, path: Path) -> bool:
        """Open *path*; a file with an error opens nothing and says which field."""
        try:
            opened = open_shoot(path, self._workbench.catalog, self._document.places)
        except VastCellarError as error:
            self._tell("This shoot can't be opened", error)
            return False
        self._document.open(opened)
        return True

    def _fill_recent(self) -> None:
        self._recent.clear()
        for path in recent_shoots(self._document.places):
            action = self._recent.addAction(path.name)
            action.setToolTip(plain_tip(str(path)))
            action.setData(str(path))
            action.triggered.connect(self._on_recent)

    def _on_recent(self) -> None:
        action = self.sender()
        if isinstance(action, QAction) and self._may_leave():
            self.open(Path(str(action.data())))

    def save(self) -> bool:
        """Save in the shoot's file, or ask for one; return whether it is saved now."""
        if self._document.path is None:
            return self.ask_save()
        return self._save_to(self._document.path)

    def ask_save(self) -> bool:
        """Choose a file and save in it."""
        start = str(self._document.path or f"{self._document.shoot.name}.shoot.json")
        name, _ = QFileDialog.getSaveFileName(self._window, "Save the shoot", start, _FILTER)
        return bool(name) and self._save_to(Path(name))

    def _save_to(self, path: Path) -> bool:
        try:
            self._document.save(path)
        except VastCellarError as error:
            self._tell("This shoot can't be saved", error)
            return False
        return True

    def ask_parts(self) -> None:
        """Choose a CSV or JSON file and take over its parts."""
        kinds = "Parts (*.csv *.json)"
        name, _ = QFileDialog.getOpenFileName(self._window, "Parts of your own", "", kinds)
        if name:
            self.import_parts(Path(name))

    def import_parts(self, path: Path) -> None:
        """Take over the parts in *path*; a file with an error changes nothing."""
        try:
            count = self._workbench.units.import_parts(path)
        except VastCellarError as error:
            self._tell("These parts can't be taken over", error)
            return
        parts = "1 part" if count == 1 else f"{count} parts"
        self._window.job_strip.say(f"{parts} of {path.name} are in your catalog now.")

    def ask_drive(self) -> None:
        """Ask for a drive of the user's own."""
        from vastcellar.ui.shell.own_drive_dialog import OwnDriveDialog

        OwnDriveDialog(self._window, self._window.look.numbers, self.keep_drive).exec()

    def keep_drive(self, drive: Drive) -> None:
        """Add *drive* to the user's catalog. Raises BadFileError."""
        self._workbench.units.keep_part(drive)
        self._window.job_strip.say(f"{drive.name} is in your catalog now: choose it in Match.")

    def ask_units(self) -> None:
        """Choose somebody's list of units and ask what its columns are."""
        kinds = "Lists of units (*.csv)"
        name, _ = QFileDialog.getOpenFileName(self._window, "Units from a list", "", kinds)
        if name and (dialog := self.unit_list_dialog(Path(name))):
            dialog.exec()

    def unit_list_dialog(self, path: Path) -> UnitListDialog | None:
        """Return the dialog that asks what the columns of *path* are; None for what is no list."""
        from vastcellar.services.cellar.unit_lists import (
            KnownDrives,
            open_list,
            read_list,
            remembered,
        )
        from vastcellar.ui.shell.unit_list_dialog import UnitListDialog

        bench = self._workbench

        def keep(columns: Mapping[str, str], drives: Mapping[str, str]) -> None:
            listed = read_list(path, bench.workplace, columns, drives)
            count = len(listed.units)
            units = "1 unit" if count == 1 else f"{count} units"
            bench.units.keep_list(listed, f"{units} of {path.name}")
            self._window.job_strip.say(f"{units} of {path.name} are on the shelf now.")

        try:
            draft = open_list(path, bench.workplace)
            known = KnownDrives(bench.catalog, remembered(bench.workplace).drives)
        except VastCellarError as error:
            self._tell("This list can't be taken over", error)
            return None
        return UnitListDialog(self._window, draft, known, keep)

    def ask_pdf(self) -> None:
        """Choose a file and save the need sheet in it."""
        if path := self._ask_export("Save the need sheet", "need.pdf", "PDF (*.pdf)"):
            self.export_pdf(path)

    def ask_csv(self) -> None:
        """Choose a file and save the need table in it."""
        if path := self._ask_export("Save the need table", "need.csv", "CSV (*.csv)"):
            self.export_csv(path)

    def _ask_export(self, title: str, suffix: str, kind: str) -> Path | None:
        start = f"{self._document.shoot.name}.{suffix}"
        name, _ = QFileDialog.getSaveFileName(self._window, title, start, kind)
        return Path(name) if name else None

    def export_pdf(self, path: Path) -> None:
        """Save the need sheet in *path*, on the paper of this country."""
        from vastcellar.report.need_sheet import need_sheet_pdf

        system = QLocale().measurementSystem()
        paper = "letter" if system is QLocale.MeasurementSystem.ImperialUSSystem else "a4"
        numbers = self._window.look.numbers
        today = datetime.now().astimezone().date()
        self._export(
            path, need_sheet_pdf(self._workbench.planned, numbers, paper=paper, made_on=today)
        )

    def export_csv(self, path: Path) -> None:
        """Save the need table in *path*."""
        from vastcellar.report.need_csv import need_csv

        self._export(path, need_csv(self._workbench.planned).encode("utf-8"))

    def _export(self, path: Path, content: bytes) -> None:
        try:
            save_bytes(path, content)
        except VastCellarError as error:
            self._tell("It can't be saved", error)
            return
        self._window.job_strip.say(f"Saved {path}.")

    def revert(self) -> None:
        """Go back to the file as it was saved; one step that can be undone."""
        if self._document.path is None:
            return
        try:
            opened = open_shoot(self._document.path, self._workbench.catalog, self._document.places)
        except VastCellarError as error:
            self._tell("The saved shoot can't be read", error)
            return
        self._document.edit(opened.shoot, "back to what was saved")

    def _tell(self, title: str, error: VastCellarError) -> None:
        plain_box(self._window, title, f"{title}.", str(error)).exec()
