"""Cards to several drives in one read each, and whether they may be wiped."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QFileDialog,
    QGridLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from vastcellar.core.errors import VastCellarError
from vastcellar.core.roll.copies import WipeRule
from vastcellar.core.units import NumberFormat
from vastcellar.services.roll.day_log import log_of, recognised, recognition_text
from vastcellar.services.roll.expecting import known_drives
from vastcellar.services.roll.follow import BAG, asked_text
from vastcellar.services.roll.shared_hubs import find_shared_hubs
from vastcellar.services.workplace.workplace import Workplace
from vastcellar.ui.models.background import Background
from vastcellar.ui.models.copy_job import CopyAsked, CopyJob
from vastcellar.ui.models.copy_queue import CopyQueue
from vastcellar.ui.models.jobs import Jobs
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.roll.queue_list import QueueList
from vastcellar.ui.stations.roll.running_copy import RunningCopy
from vastcellar.ui.widgets.cards import card, label, row
from vastcellar.ui.widgets.inputs import Choice

_DESTINATIONS = 4
_SHOWN_AT_FIRST = 2
_MOST_PANELS = 8
"""Of copies that run or are over; older ones are in the log."""
_STEPS = (
    "Choose the card and the drives it goes to. It is read once, written to all of them, read back "
    "and compared; nothing of it is changed, and nothing that stands there is replaced."
)


class CopyPage(QWidget):
    """What is copied where, how far it has come, and what came of it."""

    state_changed = Signal(str)
    """What the rail says of it."""

    def __init__(self, workbench: Workbench, jobs: Jobs) -> None:
        super().__init__()
        self._workbench = workbench
        self._jobs = jobs
        folders = workbench.workplace.folders
        self.queue = CopyQueue(folders.data, self._most_at_once, self)
        jobs.beside.append(self.queue.stop)
        self.head = label("Copy a card", kind="title")
        self.source, self.name, self.who = QLineEdit(), QLineEdit(), QLineEdit()
        self.destinations = [QLineEdit() for _ in range(_DESTINATIONS)]
        self.algorithm = Choice("Checksum")
        kinds = (("xxh128", "xxh128"), ("sha256", "sha256"), (BAG, "BagIt bag, sha256"))
        self.algorithm.offer(kinds, "xxh128")
        self.algorithm.setToolTip("A bag is handed over: any tool for BagIt validates it")
        self.more_button, self.start_button = QPushButton("One more"), QPushButton("Copy it")
        self.plan_line = label(_STEPS, kind="soft", wraps=True)
        self.panels: list[RunningCopy] = []
        """The newest first."""
        self.queue_list = QueueList(self.queue)
        self._rows: list[tuple[QWidget, ...]] = []
        self._planner = Background(self)
        self._lay_out()
        self._connect()
        self._show_running()

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        frame, inside = card()
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setColumnStretch(1, 1)
        self._add_row(grid, 0, "Card", self.source, "The card's folder")
        for number, field in enumerate(self.destinations, start=1):
            self._add_row(grid, number, f"Copy {number}", field, "A folder on a drive")
            if number > _SHOWN_AT_FIRST:
                for widget in self._rows[number]:
                    widget.hide()
        inside.addLayout(grid)
        self.name.setPlaceholderText("as the card's")
        self.name.setAccessibleName("Name")
        self.name.setMaximumWidth(150)
        line = row(self.more_button, label("Name", "soft"), self.name,
                   label("Checksum", "soft"), self.algorithm, label("By", "soft"), self.who,
                   spacing=10)  # fmt: skip
        self.who.setPlaceholderText("for the log")
        self.who.setAccessibleName("Who copies it")
        self.who.setMaximumWidth(110)
        line.addWidget(self.start_button)
        self.start_button.setObjectName("act")
        inside.addLayout(line)
        inside.addWidget(self.plan_line)
        layout.addWidget(frame)
        layout.addWidget(self.queue_list)
        below = QWidget()
        self._column = QVBoxLayout(below)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(8)
        self._column.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setWidget(below)
        layout.addWidget(scroll, 1)

    def _add_row(
        self, grid: QGridLayout, number: int, name: str, field: QLineEdit, hint: str
    ) -> None:
        button = QPushButton("Choose…")
        head = label(name, "soft")
        field.setPlaceholderText(hint)
        field.setAccessibleName(name)
        field.editingFinished.connect(self.plan)
        button.clicked.connect(partial(self._ask_folder, field, hint))
        for column, widget in enumerate((head, field, button)):
            grid.addWidget(widget, number, column)
        self._rows.append((head, field, button))

    def _connect(self) -> None:
        self.more_button.clicked.connect(self._one_more)
        self.name.editingFinished.connect(self.plan)
        self.start_button.clicked.connect(self.start)
        self.queue.begun.connect(self.show_begun)
        self.queue.changed.connect(self._show_running)
        self._workbench.document.changed.connect(self.queue.go_on)  # more may go at once now
        self._planner.done.connect(self._on_plan)

    def _most_at_once(self) -> int:
        """As many as the shoot's plan has it."""
        return self._workbench.document.shoot.offload.copies_at_once

    @property
    def current(self) -> RunningCopy:
        """The copy that was begun last. Raises IndexError before the first."""
        return self.panels[0]

    def _ask_folder(self, field: QLineEdit, title: str) -> None:
        chosen = QFileDialog.getExistingDirectory(self, title)
        if chosen:
            field.setText(chosen)
            self.plan()

    def _one_more(self) -> None:
        hidden = next((each for each in self._rows if each[1].isHidden()), None)
        for widget in hidden or ():
            widget.show()
        self.more_button.setEnabled(any(each[1].isHidden() for each in self._rows))

    @property
    def asked(self) -> tuple[Path, tuple[Path, ...], str] | None:
        """Card, destinations and name; None until a card and one destination are named."""
        source = self.source.text().strip()
        names = [field.text().strip() for field in self.destinations]
        targets = tuple(Path(name) for name in names if name)
        if not source or not targets:
            return None
        return Path(source), targets, self.name.text().strip()

    @property
    def rule(self) -> WipeRule:
        """How many verified copies a card of the open shoot needs."""
        return WipeRule(self._workbench.document.shoot.offload.verified_copies)

    def plan(self) -> None:
        """Say what the copy would do; the disks are asked off the interface thread."""
        asked, numbers = self.asked, self._workbench.look.numbers
        self._show_running()
        if asked is None:
            self.plan_line.setText(_STEPS)
            return
        self._planner.request(partial(_asked, self._workbench.workplace, asked, self.rule, numbers))

    def _on_plan(self, text: str) -> None:
        self.plan_line.setText(text)

    def start(self) -> None:
        """Begin the copy that was asked for, or let it wait for the one that is made."""
        if self.asked is not None:
            self.queue.add(
                CopyAsked(
                    *self.asked, self.algorithm.currentData(), self.rule, self.who.text().strip()
                )
            )

    def show_begun(self, job: CopyJob) -> RunningCopy:
        """Show a copy that begins above the others; those that are over are folded."""
        for panel in self.panels:
            if panel.is_over:
                panel.fold()
            else:
                panel.over_time.setChecked(False)
        panel = RunningCopy(self._workbench.look, job)
        self.panels.insert(0, panel)
        self._column.insertWidget(0, panel)
        for gone in [each for each in self.panels[_MOST_PANELS:] if each.is_over]:
            self.panels.remove(gone)
            self._column.removeWidget(gone)
            gone.deleteLater()
        panel.told_of.connect(partial(self._on_over, panel))
        job.moved.connect(self._on_moved)
        self._ask_what_it_lies_on(panel)
        self.state_changed.emit("copying")
        return panel

    def _ask_what_it_lies_on(self, panel: RunningCopy) -> None:
        workbench, asked = self._workbench, panel.job.asked
        knower = Background(panel)
        knower.done.connect(lambda known: panel.know(*known))
        knower.request(
            lambda: (
                known_drives(asked.targets, workbench.catalog, workbench.shelf,
                             workbench.document.shoot.ambient_c),
                find_shared_hubs(asked.source, asked.targets, workbench.catalog.modes),
            )
        )  # fmt: skip

    def _show_running(self) -> None:
        self.start_button.setEnabled(self.asked is not None)
        self.start_button.setText("Queue it" if self.queue.is_busy else "Copy it")

    def _on_moved(self) -> None:
        """Say below how far all of them are: the one that takes longest is what one waits for."""
        going = [each for each in self.panels if not each.is_over and each.history.now]
        told = [each for each in going if each.left_text]
        if not told:
            return
        last, numbers = (
            max(told, key=lambda each: each.history.left_s),
            self._workbench.look.numbers,
        )
        copied = sum(each.history.copied_bytes for each in going)
        whole = sum(each.history.now.total_bytes for each in going if each.history.now)
        names = "" if len(going) == 1 else " " + ", ".join(each.job.asked.title for each in going)
        share = f"{numbers.size(copied)} of {numbers.size(whole)} on every drive"
        self._jobs.beside_moved.emit(f"Copying{names}: {share}. {last.left_text}")

    def _on_over(self, panel: RunningCopy, head: str) -> None:
        now = panel.history.now
        told = f"Copy of {panel.job.asked.title}: {panel.verdict.sentence.text().lower()}."
        self._jobs.beside_ended.emit(told, now.elapsed_s if now else 0.0)
        others = len(self.queue.running) - 1
        self.state_changed.emit(f"copying, {head}" if others > 0 else head)
        self._workbench.plugged.look_again()


def _asked(
    workplace: Workplace,
    asked: tuple[Path, tuple[Path, ...], str],
    rule: WipeRule,
    fmt: NumberFormat,
) -> str:
    """Say what the copy would do, and whether the card was seen before."""
    text = asked_text(*asked, rule, fmt)
    try:
        known = recognition_text(recognised(asked[0], log_of(workplace)), fmt)
    except VastCellarError:
        known = ""  # what is wrong with the card is said already
    return f"{text} {known}." if known else text
