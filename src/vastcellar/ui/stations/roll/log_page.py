"""The page of the log: which cards were copied, where a clip is, which card may be wiped."""

from __future__ import annotations

import threading
from functools import partial
from pathlib import Path

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import (
    QFileDialog,
    QHeaderView,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from vastcellar.core.errors import VastCellarError
from vastcellar.services.roll.clip_ends import ClipEnds, clip_ends_of
from vastcellar.services.roll.day_log import (
    KeptCopy,
    WipeRule,
    check_again,
    find_clips,
    log_csv,
    log_lines,
    log_of,
    note_wiped,
)
from vastcellar.services.roll.day_wording import beside_plan
from vastcellar.services.workplace.exports import save_bytes, write_text_whole
from vastcellar.services.workplace.workplace import Workplace
from vastcellar.ui.models.background import Background
from vastcellar.ui.models.day_plan import DayPlan
from vastcellar.ui.models.jobs import Jobs
from vastcellar.ui.models.text_table import TextTable
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.roll.frames_view import FramesView
from vastcellar.ui.stations.roll.log_view import LogView
from vastcellar.ui.widgets.cards import card, label, row
from vastcellar.ui.widgets.next_step import NextStep

_HEADERS = ("Clip", "Card", "Copied", "Where it is verified", "Size", "Copies")
_FIGURES_FROM = 4


class LogPage(QWidget):
    """Cards day by day; the chosen one below, with what can be done about it."""

    copy_asked = Signal()

    def __init__(self, workbench: Workbench, jobs: Jobs, plan: DayPlan) -> None:
        super().__init__()
        self._workbench, self._plan = workbench, plan
        look = workbench.look
        self.kept: tuple[KeptCopy, ...] = ()
        self.head = label("Day log", kind="title")
        self.search = QLineEdit()
        self.save_button = QPushButton("Save …")
        self.view = LogView(look)
        self.clips = QTableView()
        self._table = TextTable(_HEADERS, figures_from=_FIGURES_FROM)
        self.told = label(wraps=True)
        self.check_button = QPushButton("Read back again")
        self.tag_field = QLineEdit()
        self.wiped_button = QPushButton("Note as wiped")
        self.next_step = NextStep(
            "No card was copied yet",
            "Every card that is copied stands here: its clips, where its copies lie, and whether "
            "it may be wiped.",
            "Copy a card",
        )
        self._stop = threading.Event()
        self.frames, self._frames_area = FramesView(look), QScrollArea()
        self._reader, self._checker = Background(self), Background(self)
        self._frame_reader = Background(self)
        self._framed_id = 0
        """The copy whose pictures are shown or asked for."""
        self._search_soon = QTimer(self, singleShot=True, interval=150)
        jobs.beside.append(self.stop)
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        self.search.setPlaceholderText("Where is a clip … a part of its name")
        self.search.setAccessibleName("Where is a clip")
        self.search.setClearButtonEnabled(True)
        self._bar = QWidget()
        bar = row(self.search, spacing=8, stretch_last=True)
        bar.addWidget(self.save_button)
        self._bar.setLayout(bar)
        self.save_button.setToolTip("The whole log as PDF or CSV")
        layout.addWidget(self._bar)
        self._frame, inside = card()
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(self.view)
        self.view.setObjectName("inside")
        inside.addWidget(area, 1)
        self.clips.setModel(self._table)
        self.clips.verticalHeader().hide()
        self.clips.setShowGrid(False)
        self.clips.setSelectionMode(QTableView.SelectionMode.NoSelection)
        self.clips.setAccessibleName("Clips that were found")
        header = self.clips.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(3, QHeaderView.ResizeMode.Stretch)
        inside.addWidget(self.clips, 1)
        self.clips.hide()
        layout.addWidget(self._frame, 1)
        self._below, inside = card()
        self.frames.setObjectName("inside")
        self._frames_area.setWidgetResizable(True)
        self._frames_area.setWidget(self.frames)
        self._frames_area.setFixedHeight(self.frames.height() + 14)
        self._frames_area.hide()
        inside.addWidget(self._frames_area)
        inside.addWidget(self.told)
        self.tag_field.setPlaceholderText("type the card's name")
        self.tag_field.setAccessibleName("The card's name, as on its label")
        self.tag_field.setFixedWidth(220)
        self.wiped_button.setToolTip("You wipe it, in the camera; this tool never does")
        inside.addLayout(row(self.check_button, self.tag_field, self.wiped_button, spacing=10))
        layout.addWidget(self._below)
        layout.addWidget(self.next_step, 1)

    def _connect(self) -> None:
        self._reader.done.connect(self._on_log)
        self._reader.failed.connect(self._workbench.trouble)
        self._frame_reader.done.connect(self._on_frames)
        self._frame_reader.failed.connect(self._workbench.trouble)
        self._checker.done.connect(self._on_checked)
        self._checker.failed.connect(self._on_check_failed)
        self._search_soon.timeout.connect(self._show_found)
        self.search.textChanged.connect(self._search_soon.start)
        self.view.chosen.connect(self.choose)
        self.check_button.clicked.connect(self.check_again)
        self.tag_field.textChanged.connect(self._show_chosen)
        self.tag_field.returnPressed.connect(self.note_wiped)
        self.wiped_button.clicked.connect(self.note_wiped)
        self.save_button.clicked.connect(self._ask_where)
        self.next_step.buttons[0].clicked.connect(self.copy_asked)

    @property
    def rule(self) -> WipeRule:
        """How many verified copies a card of the open shoot needs."""
        return WipeRule(self._workbench.document.shoot.offload.verified_copies)

    @property
    def chosen(self) -> KeptCopy | None:
        """The card that is looked at."""
        return next((each for each in self.kept if each.copy_id == self.view.copy_id), None)

    def refresh(self) -> None:
        """Read the log anew, off the interface thread."""
        self._reader.request(partial(log_of, self._workbench.workplace))

    def stop(self) -> None:
        """End what is being read back: the window is closing."""
        self._stop.set()
        self._reader.stop()
        self._checker.stop()
        self._frame_reader.stop()

    def _on_log(self, kept: tuple[KeptCopy, ...]) -> None:
        self.kept = kept
        is_empty = not kept
        self.next_step.setVisible(is_empty)
        for widget in (self._bar, self._frame, self._below):
            widget.setVisible(not is_empty)
        numbers = [each.copy_id for each in kept]
        chosen = self.view.copy_id if self.view.copy_id in numbers else (numbers or [0])[0]
        self.view.show_log(kept, self.rule, chosen)
        self._show_chosen()
        self._show_found()

    def choose(self, copy_id: int) -> None:
        """Look at the copy *copy_id*."""
        self.tag_field.clear()
        self.view.show_log(self.kept, self.rule, copy_id)
        self._show_chosen()

    def _show_chosen(self) -> None:
        copy = self.chosen
        self._ask_frames(copy)
        if copy is None:
            self.told.clear()
            return
        numbers = self._workbench.look.numbers
        lines = log_lines(copy, self.rule, numbers)
        beside = (beside_plan(each, copy, numbers) for each in self._plan.at_all_stations)
        lines = (*lines, *[each for each in beside if each][:1])
        self.told.setText("\n".join(lines))
        is_busy = self.check_button.text() != "Read back again"
        self.check_button.setEnabled(copy.wiped_at is None or is_busy)
        can_note = copy.wiped_at is None and self.tag_field.text().strip() == copy.card_name
        self.wiped_button.setEnabled(can_note and not is_busy)
        self.tag_field.setEnabled(copy.wiped_at is None)

    def _ask_frames(self, copy: KeptCopy | None) -> None:
        """Read the pictures of another card's clips; those of this one stay."""
        copy_id = copy.copy_id if copy else 0
        if copy_id == self._framed_id:
            return
        self._framed_id = copy_id
        self._frames_area.hide()
        if copy is not None:
            self._frame_reader.request(partial(clip_ends_of, self._workbench.workplace, copy))

    def _on_frames(self, clips: tuple[ClipEnds, ...]) -> None:
        self.frames.show_clips(clips)
        self._frames_area.setVisible(bool(clips))

    def check_again(self) -> None:
        """Read the chosen card's copies back again, or stop doing so."""
        copy = self.chosen
        if self.check_button.text() != "Read back again":
            self._stop.set()
            return
        if copy is None:
            return
        self._stop.clear()
        self.check_button.setText("Stop reading")
        self._show_chosen()
        self._checker.request(partial(_checked, self._workbench.workplace, copy, self._stop))

    def _on_checked(self, told: str) -> None:
        self.check_button.setText("Read back again")
        self._workbench.trouble.emit(told)
        self.refresh()

    def _on_check_failed(self, error: Exception) -> None:
        self.check_button.setText("Read back again")
        self._workbench.trouble.emit(error)
        self.refresh()

    def note_wiped(self) -> None:
        """Note that the chosen card was wiped, if its name was typed and it is safe."""
        copy = self.chosen
        if copy is None:
            return
        try:
            note_wiped(self._workbench.workplace, copy, self.tag_field.text(), self.rule)
        except VastCellarError as error:
            self._workbench.trouble.emit(error)
            return
        self.tag_field.clear()
        self.refresh()

    def _show_found(self) -> None:
        text = self.search.text().strip()
        self.clips.setVisible(bool(text))
        self.view.setVisible(not text)
        numbers = self._workbench.look.numbers
        self._table.show_rows(
            [
                (
                    each.path,
                    each.card_name,
                    each.made_at.astimezone().date().isoformat(),
                    ", ".join(each.verified_at) or "nowhere",
                    numbers.size(each.size_bytes),
                    str(each.verified_copies),
                )
                for each in find_clips(text, self.kept)
            ]
        )

    def _ask_where(self) -> None:
        chosen, _ = QFileDialog.getSaveFileName(
            self, "Save the log", "log.pdf", "PDF (*.pdf);;CSV (*.csv)"
        )
        if chosen:
            self.save(Path(chosen))

    def save(self, path: Path) -> None:
        """Save the log in *path*: as CSV where its name says so, else as PDF."""
        try:
            if path.suffix.lower() == ".csv":
                write_text_whole(path, log_csv(self.kept))
                return
            from vastcellar.report.log_sheet import log_sheet_pdf  # only for paper

            title = self._workbench.document.shoot.name
            numbers = self._workbench.look.numbers
            save_bytes(path, log_sheet_pdf(title, None, self.kept, self.rule, numbers))
        except VastCellarError as error:
            self._workbench.trouble.emit(error)


def _checked(workplace: Workplace, copy: KeptCopy, stop: threading.Event) -> str:
    found = list(check_again(workplace, copy, stop))
    wrong = [each for each in found if each.state.value != "same"]
    if stop.is_set():
        return f"{copy.card_name}: reading back was stopped."
    if wrong:
        return f"{copy.card_name}: {len(wrong)} of {len(found)} read back wrong: {wrong[0].path}."
    return f"{copy.card_name}: all {len(found)} read back the same."
