"""The chosen unit: what is found, its history, its runs, its story, and what to do next."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, date, datetime
from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import (
    QHBoxLayout,
    QHeaderView,
    QMenu,
    QPushButton,
    QStackedWidget,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from vastcellar.core.cellar.findings import Finding, UnitFacts
from vastcellar.core.cellar.story import EventKind
from vastcellar.core.errors import VastCellarError
from vastcellar.core.parts.units import Unit
from vastcellar.services.cellar.still_holds import held_by, held_words
from vastcellar.services.cellar.story_wording import day_words, event_words, whereabouts
from vastcellar.services.cellar.unit_axis import unit_axis
from vastcellar.services.cellar.unit_edits import Noted, incident, lend, look_after, note
from vastcellar.services.cellar.unit_line import stated_words, unit_line
from vastcellar.services.cellar.unit_page import wear_words
from vastcellar.services.cellar.unit_photos import (
    ShownPhoto,
    add_photo,
    photos_of,
    read_new_photo,
    save_photos,
)
from vastcellar.services.plugged.own_account import worn_by_itself
from vastcellar.services.runs.calibration_wording import calibration_words
from vastcellar.services.runs.run_rows import RUN_HEADERS, run_rows
from vastcellar.ui.models.background import Background
from vastcellar.ui.models.cellar_desk import CellarDesk
from vastcellar.ui.models.text_table import TextTable
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.cellar.bay_drawing import harm_color
from vastcellar.ui.stations.cellar.happening_dialog import HAPPENINGS, Happening, HappeningDialog
from vastcellar.ui.stations.cellar.history_view import HistoryView
from vastcellar.ui.stations.cellar.photos_page import PhotosPage
from vastcellar.ui.stations.cellar.step_list import StepList
from vastcellar.ui.widgets.cards import OneLine, card, label, row
from vastcellar.ui.widgets.tabs import tab_group

_PAGES = (
    ("History", "Every run on one time axis, what it was in and where, and its wear"),
    ("Runs", "Every run with its figures"),
    ("Story", "All that happened to it"),
    ("Photos", "Its label, a dent, how it is wired: kept with it in the cellar"),
)
_PHOTOS = 3
_STEPS_PX = 268
_HEIGHT_PX = 316
_STORY_HEADERS = ("When", "What happened")


class UnitCard(QWidget):
    """What is known of one unit, and what can be noted of it."""

    change_asked = Signal()
    label_asked = Signal()

    def __init__(self, workbench: Workbench, desk: CellarDesk) -> None:
        super().__init__()
        self._workbench, self._desk = workbench, desk
        self.tag = ""
        self.title, self.line = OneLine(), OneLine()
        self.title.setObjectName("head")
        self.found = label(kind="head")
        self.evidence = label(kind="soft", wraps=True)
        self._evidence = ""
        self._shown_photos: tuple[ShownPhoto, ...] = ()
        self._holder = Background(self)
        self._holder.done.connect(self._on_held)
        self.history = HistoryView(workbench.look)
        self.runs, self.story = TextTable(RUN_HEADERS), TextTable(_STORY_HEADERS)
        self.table, self.story_table = _table(self.runs), _table(self.story)
        self.table.horizontalHeader().setSectionResizeMode(
            # A run's kind says whether it was simulated, a rehearsal, cut short: never cut off.
            RUN_HEADERS.index("What"), QHeaderView.ResizeMode.ResizeToContents,
        )  # fmt: skip
        self.story_table.horizontalHeader().setSectionResizeMode(
            0, QHeaderView.ResizeMode.ResizeToContents
        )
        self.photos = PhotosPage()
        self._photographer = Background(self)
        self._photographer.done.connect(self._on_photos)
        self._photographer.failed.connect(workbench.trouble)
        self.no_runs = label(kind="soft")
        self.steps = StepList(workbench.look)
        self.steps_head = label("What to do next", "head")
        self.looked_button = _button("Looked after", "Quiet until there is something new to it")
        self.forget_button = _button(
            "Forget calibration", "Judge it by the typical figures of its class again"
        )
        self.release_button = _button(
            "Release device",
            "Formatted anew, or another drive in it: let its next real run bind it again",
        )
        self.assign_button = _button("Record to it", "Or drag the unit onto a camera above")
        self.note_button = _button("Note …", "Lent, back, put somewhere, dropped, bought, retired")
        self.change_button = _button("Change …", "Its case, how far it is written, its state")
        self.label_button = _button("Label …", "Tag, capacity, file system, duty and a QR code")
        group = tab_group(_PAGES, self)
        self.tabs = group.buttons()
        self._pages = QStackedWidget()
        self._menu = QMenu(self)
        self.actions_by_kind: dict[EventKind, QAction] = {}
        self._lay_out()
        group.idToggled.connect(self._on_tab)
        self.photos.added.connect(self.add_photo)
        self.photos.saved.connect(self._save_photos)
        self.looked_button.clicked.connect(self._look_after)
        self.forget_button.clicked.connect(lambda: workbench.units.forget_calibration(self.tag))
        self.release_button.clicked.connect(lambda: workbench.units.release(self.tag))
        self.assign_button.clicked.connect(self._assign)
        self.change_button.clicked.connect(self.change_asked)
        self.label_button.clicked.connect(self.label_asked)

    def _lay_out(self) -> None:
        for kind, words, hint in HAPPENINGS:
            action = self._menu.addAction(words)
            action.setToolTip(hint)
            action.triggered.connect(lambda _on=False, kind=kind: self.dialog(kind).exec())
            self.actions_by_kind[kind] = action
        self.note_button.setMenu(self._menu)
        frame, inside = card()
        head = QHBoxLayout()
        head.setSpacing(8)
        head.addWidget(self.title, 1)
        for button in (self.forget_button, self.release_button, self.label_button,
                       self.change_button, self.note_button, self.assign_button):  # fmt: skip
            head.addWidget(button)
        inside.setSpacing(3)
        inside.addLayout(head)
        inside.addWidget(self.line)
        found = row(self.found, spacing=4)
        for tab in self.tabs:
            found.addWidget(tab)
        inside.addLayout(found)
        inside.addWidget(self.evidence)
        runs_page = QWidget()
        runs = QVBoxLayout(runs_page)
        runs.setContentsMargins(0, 0, 0, 0)
        runs.addWidget(self.no_runs)
        runs.addWidget(self.table, 1)
        runs.addStretch(0)  # takes the room while there is no table
        for page in (self.history, runs_page, self.story_table, self.photos):
            self._pages.addWidget(page)
        left = QVBoxLayout()
        left.setSpacing(2)
        left.addWidget(self._pages, 1)
        self._beside = QWidget()
        self._beside.setFixedWidth(_STEPS_PX)
        right = QVBoxLayout(self._beside)
        right.setContentsMargins(10, 0, 0, 0)
        steps = row(self.steps_head)
        steps.addWidget(self.looked_button)
        right.addLayout(steps)
        right.addWidget(self.steps, 1)
        body = QHBoxLayout()
        body.addLayout(left, 1)
        body.addWidget(self._beside)
        inside.addLayout(body, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(frame)
        self.setFixedHeight(_HEIGHT_PX)

    # Photos

    def _on_tab(self, index: int, is_on: bool) -> None:
        if is_on:
            self._pages.setCurrentIndex(index)
            if index == _PHOTOS:
                self._ask_photos()

    def _ask_photos(self) -> None:
        """Read the photos, where somebody looks at them."""
        bench, tag = self._workbench, self.tag
        if self._pages.currentIndex() != _PHOTOS or bench.shelf.unit(tag) is None:
            self._photographer.forget()
            return
        place, story = bench.workplace, bench.shelf.story(tag)
        self._photographer.request(lambda: (tag, photos_of(place, story)))

    def _on_photos(self, found: tuple[str, tuple[ShownPhoto, ...]]) -> None:
        tag, photos = found
        if tag == self.tag:
            self.photos.show_photos(photos)
            self._shown_photos = photos

    def add_photo(self, path: Path) -> None:
        """Keep the photo in *path* with the unit, as one step that can be undone."""
        place, tag = self._workbench.workplace, self.tag
        try:
            new = read_new_photo(path)  # once: undone and done again, the file may be gone
            self._desk.note(f"{tag}: photo", partial(add_photo, place, tag, new))
        except VastCellarError as error:
            self._workbench.trouble.emit(error)

    def _save_photos(self, folder: Path) -> None:
        try:
            save_photos(self._shown_photos, self.tag, folder)
        except VastCellarError as error:
            self._workbench.trouble.emit(error)

    # Showing

    def show_unit(self, tag: str) -> None:
        """Show what is known of the unit *tag*."""
        bench = self._workbench
        if tag != self.tag:
            self.photos.show_photos(())
        self.tag = tag
        unit = bench.shelf.unit(tag)
        for widget in (self.change_button, self.label_button, self.note_button, self.no_runs):
            widget.setVisible(unit is not None)
        calibrated = calibration_words(bench.shelf, tag)
        self.forget_button.setVisible(bool(calibrated))
        self.release_button.setVisible(unit is not None and unit.device is not None)
        camera = bench.subject
        self.assign_button.setVisible(unit is not None and camera is not None)
        if camera is not None:
            self.assign_button.setText(f"Record {camera.key} to it")
        shown = self._desk.shown
        facts = shown.known.facts.get(tag) if shown else None
        found = shown.known.of(tag) if shown else ()
        self._show_found(found[0] if found else None)
        if unit is None:
            self.title.setText("No unit yet")
            self.line.setText(
                "Add the drives and cards that you have: what is proved of them is kept here."
            )
            self.table.hide()
            self.history.show_axis(None)
            return
        self.title.setText(unit_line(unit, bench.catalog))
        self.title.setToolTip(self.title.text())
        self._ask_photos()
        self._show_runs(unit)
        self._show_facts(unit, facts, calibrated)

    def _show_found(self, finding: Finding | None) -> None:
        words = self._desk.words(finding) if finding else None
        for widget in (self.found, self.evidence, self.looked_button, self._beside):
            widget.setVisible(words is not None)
        if words is None or finding is None:
            return
        color = self._workbench.look.color(harm_color(finding.harm)).name()
        self.found.setText(words.line[0].upper() + words.line[1:])
        self.found.setStyleSheet(f"color: {color};")
        self._evidence = words.evidence
        self.evidence.setText(words.evidence)
        self._ask_what_it_holds()
        self.steps.show_steps(words.steps)

    def _ask_what_it_holds(self) -> None:
        """Say what the unit still holds, once that is worked out."""
        bench = self._workbench
        unit, shoot = bench.shelf.unit(self.tag), bench.document.shoot
        catalog, shelf, numbers = bench.catalog, bench.shelf, bench.look.numbers
        if unit is None or not unit.is_ready:
            self._holder.forget()
            return
        tag = self.tag
        self._holder.request(
            lambda: (tag, held_words(held_by(unit, shoot, catalog, shelf), shoot.name, numbers))
        )

    def _on_held(self, found: tuple[str, str]) -> None:
        tag, words = found
        if tag == self.tag and words:
            self.evidence.setText(f"{self._evidence} {words}")

    def _show_runs(self, unit: Unit) -> None:
        bench = self._workbench
        mine = bench.shelf.runs_by_tag.get(unit.tag, ())
        rows = run_rows(mine, unit.tag, bench.look.numbers, rig_word=bench.workplace.rig_word)
        self.runs.show_rows(rows)
        self.table.setVisible(bool(rows))
        self.no_runs.setVisible(not rows)
        self.no_runs.setText("No run yet. Assign it to a camera in Match, then prove it (F5).")

    def _show_facts(self, unit: Unit, facts: UnitFacts | None, calibrated: str) -> None:
        bench = self._workbench
        catalog, numbers = bench.catalog, bench.look.numbers
        told = [whereabouts(facts.story, date.today())] if facts else []
        if facts and facts.wear:
            told.append(wear_words(facts.wear, numbers))
        stated = stated_words(unit, bench.shelf, catalog, numbers, calibrated)
        parts = [stated, *told]
        self.line.setText(" · ".join(part for part in parts if part))
        self.line.setToolTip(self.line.text())
        if facts is None:
            self.history.show_axis(None)
            self.story.show_rows([])
            return
        self.story.show_rows([
            (day_words(each.at), event_words(each, catalog, numbers))
            for each in reversed(facts.story.events)
        ])  # fmt: skip
        axis = unit_axis(facts, catalog, numbers, datetime.now(UTC))
        self.history.show_axis(axis, self._needs(unit.tag))

    def _needs(self, tag: str) -> list[tuple[str, float]]:
        """Return what the cameras that record to the unit ask of it."""
        return [
            (key, judgement.need.needed_write_bytes_per_s)
            for key, judgement in self._workbench.judgements.items()
            if judgement.chain is not None
            and judgement.chain.parts.unit is not None
            and judgement.chain.parts.unit.tag == tag
        ]

    # Noting

    def dialog(self, kind: EventKind) -> HappeningDialog:
        """Return the dialog that asks what happened to the unit that is shown."""
        tag, bench = self.tag, self._workbench
        worn = None
        if kind is EventKind.WEAR:
            worn = worn_by_itself(bench.plugged.devices, tag)
        return HappeningDialog(
            self, bench.look.numbers, kind, tag, partial(self.keep, tag), worn_share=worn
        )

    def keep(self, tag: str, told: Happening) -> None:
        """Note what happened, as one step that can be undone. Raises what refuses it."""
        place = self._workbench.workplace
        on = None if told.on == date.today() else told.on
        said = told.said
        kept: dict[EventKind, dict[str, Any]] = {
            EventKind.PLACE: {"place": told.place},
            EventKind.BOUGHT: {
                "price": told.price or None, "seller": told.seller or None,
                "currency": self._workbench.catalog.currency if told.price else None,
                "warranty_until": told.warranty_until.isoformat() if told.warranty_until else None,
            },
            EventKind.WEAR: {"used_share": told.used_share},
            EventKind.RETIRED: {"wiped": told.wiped},
        }  # fmt: skip
        do: Callable[[], Noted]
        if told.kind is EventKind.LENT:
            do = partial(lend, place, tag, told.to, told.due_on, on=on, said=said)
        elif told.kind is EventKind.INCIDENT:
            do = partial(incident, place, tag, told.what, on=on, said=said)
        else:
            do = partial(note, place, tag, told.kind, on=on, said=said, **kept.get(told.kind, {}))
        self._desk.note(f"{tag}: {told.kind.value}", do)

    def _look_after(self) -> None:
        shown = self._desk.shown
        found = shown.known.of(self.tag) if shown else ()
        if found:
            place = self._workbench.workplace
            try:
                self._desk.note(f"{self.tag}: looked after", partial(look_after, place, found[0]))
            except VastCellarError as error:
                self._workbench.trouble.emit(error)

    def _assign(self) -> None:
        camera = self._workbench.subject
        if camera is not None:
            self._workbench.assign(camera.key, self.tag)


def _button(text: str, tip: str) -> QPushButton:
    made = QPushButton(text)
    made.setToolTip(tip)
    return made


def _table(model: TextTable) -> QTableView:
    table = QTableView()
    table.setModel(model)
    table.verticalHeader().hide()
    table.setShowGrid(False)
    table.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
    table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
    return table
