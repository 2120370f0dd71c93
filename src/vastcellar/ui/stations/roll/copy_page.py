"""A card to several drives in one read, and whether it may be wiped."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import partial
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QFileDialog,
    QGridLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from vastcellar.core.errors import VastCellarError
from vastcellar.core.evidence import Evidence, Verdict
from vastcellar.core.roll.copies import WipeRule
from vastcellar.core.units import NumberFormat
from vastcellar.services.roll.day_log import log_of, recognised, recognition_text
from vastcellar.services.roll.expecting import KnownDrive, known_drives
from vastcellar.services.roll.follow import BAG, CopyEnded, CopyNow, CopyRefused, asked_text
from vastcellar.services.workplace.workplace import Workplace
from vastcellar.ui.models.background import Background
from vastcellar.ui.models.copy_history import CopyHistory
from vastcellar.ui.models.copy_job import CopyJob
from vastcellar.ui.models.copy_queue import CopyAsked, CopyQueue
from vastcellar.ui.models.jobs import Jobs
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.roll.legs_view import LegsView
from vastcellar.ui.stations.roll.queue_list import QueueList
from vastcellar.ui.stations.roll.rates_view import RatesView
from vastcellar.ui.widgets.cards import card, label, row
from vastcellar.ui.widgets.inputs import Choice
from vastcellar.ui.widgets.verdict_line import VerdictLine

_DESTINATIONS = 4
_SHOWN_AT_FIRST = 2
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
        look = workbench.look
        self.job = CopyJob(self)
        self._jobs = jobs
        self.queue = CopyQueue(self.job, workbench.workplace.folders.data, self)
        jobs.beside += [self.queue.stop, self.job.stop]
        self.head = label("Copy a card", kind="title")
        self.source, self.name, self.who = QLineEdit(), QLineEdit(), QLineEdit()
        self.destinations = [QLineEdit() for _ in range(_DESTINATIONS)]
        self.algorithm = Choice("Checksum")
        kinds = (("xxh128", "xxh128"), ("sha256", "sha256"), (BAG, "BagIt bag, sha256"))
        self.algorithm.offer(kinds, "xxh128")
        self.algorithm.setToolTip("A bag is handed over: any tool for BagIt validates it")
        self.more_button = QPushButton("One more")
        self.start_button, self.pause_button = QPushButton("Copy it"), QPushButton("Pause")
        self.cancel_button = QPushButton("Cancel")
        self.plan_line = label(_STEPS, kind="soft", wraps=True)
        self.verdict = VerdictLine(look)
        self.legs, self.rates = LegsView(look), RatesView(look)
        self.history = CopyHistory()
        self.left_line = label(kind="soft", wraps=True)
        self.told = label(wraps=True)
        self.queue_list = QueueList(self.queue)
        self._rows: list[tuple[QWidget, ...]] = []
        self._planner, self._knower = Background(self), Background(self)
        self._lay_out()
        self._connect()
        self._show_running()

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(self.verdict)
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
        for button in (self.cancel_button, self.pause_button, self.start_button):
            line.addWidget(button)
        self.start_button.setObjectName("act")
        inside.addLayout(line)
        inside.addWidget(self.plan_line)
        layout.addWidget(frame)
        self._below, inside = card()
        inside.addWidget(self.legs)
        inside.addWidget(self.rates)
        inside.addWidget(self.left_line)
        inside.addWidget(self.told)
        self._below.hide()
        layout.addWidget(self._below)
        layout.addWidget(self.queue_list)
        layout.addStretch(1)

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
        self.cancel_button.clicked.connect(self.job.cancel)
        self.pause_button.clicked.connect(self._on_pause)
        self.job.moved.connect(self.follow)
        # Before the queue hears of it: what came of a card is said, then the next one begins.
        self.job.over.connect(self._on_ended)
        self.queue.begun.connect(self._on_begun)
        self.queue.changed.connect(self._show_running)
        self._planner.done.connect(self._on_plan)
        self._knower.done.connect(self._on_known)

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

    def _on_begun(self, asked: CopyAsked) -> None:
        self.show_begun(asked.title, [str(each) for each in asked.targets])
        workbench = self._workbench
        self._knower.request(
            partial(
                known_drives, asked.targets, workbench.catalog, workbench.shelf,
                workbench.document.shoot.ambient_c,
            )
        )  # fmt: skip
        self.state_changed.emit("copying")

    def show_begun(self, name: str, targets: Sequence[str]) -> None:
        """Show a copy of the card *name* that begins: nothing of the one before."""
        self.verdict.hide()
        self.told.clear()
        self.left_line.clear()
        self._below.show()
        self.legs.begin(name, targets)
        self.history = CopyHistory()
        self.rates.begin(targets, self.history)

    def _on_pause(self) -> None:
        self.job.pause(is_on=not self.job.is_paused)
        self._show_running()

    def _show_running(self) -> None:
        is_running = self.job.is_running
        self.start_button.setEnabled(self.asked is not None)
        self.start_button.setText("Queue it" if is_running else "Copy it")
        for button in (self.cancel_button, self.pause_button):
            button.setVisible(is_running)
        self.pause_button.setText("Go on" if self.job.is_paused else "Pause")
        if not self.told.text():
            self.verdict.hide()

    def _on_known(self, drives: tuple[KnownDrive | None, ...]) -> None:
        self.history.drives = drives

    def follow(self, now: CopyNow) -> None:
        """Show how far the copy has come, and what it should still take."""
        self.legs.follow(now)
        self.history.add(now)
        self.rates.update()
        left_s, numbers = self.history.left_s, self._workbench.look.numbers
        if math.isfinite(left_s):
            by = "by the drives' profiles" if self.history.is_by_profile else "by the rate so far"
            told = f"Verified in {numbers.duration(round(left_s))}, {by}."
            self.left_line.setText(told)
            copied = f"{numbers.size(self.history.copied_bytes)} of {numbers.size(now.total_bytes)}"
            self._jobs.beside_moved.emit(f"Copying: {copied} on every drive. {told}")

    def _on_ended(self, ended: CopyEnded | CopyRefused) -> None:
        if isinstance(ended, CopyRefused):
            self._say(Verdict.NOT_KNOWN, "Not copied", (ended.sentence,), "nothing was read back")
        elif ended.is_safe:
            self._say(Verdict.HOLDS, "Safe to wipe", ended.lines)
        elif ended.is_cancelled:
            self._say(Verdict.NOT_KNOWN, "Cancelled: not safe to wipe", ended.lines)
        else:
            self._say(Verdict.FALLS_SHORT, "Not safe to wipe", ended.lines)
        self.left_line.clear()
        self._show_running()
        now = self.history.now
        told = f"Copy: {self.verdict.sentence.text().lower()}."
        self._jobs.beside_ended.emit(told, now.elapsed_s if now else 0.0)
        self._workbench.plugged.look_again()

    def _say(
        self, verdict: Verdict, head: str, lines: Sequence[str], by: str = "by what was read back"
    ) -> None:
        self.told.setText("\n".join(lines))
        self.verdict.show_verdict(verdict, Evidence.PROVED, head, by)
        self.verdict.show()
        self.state_changed.emit(head.partition(":")[0].lower())


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
