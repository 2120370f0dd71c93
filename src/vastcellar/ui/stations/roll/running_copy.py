"""One copy on the page: its legs, its rates, what sets its pace, and what came of it."""

from __future__ import annotations

import math
from collections.abc import Sequence

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from vastcellar.core.evidence import Evidence, Verdict
from vastcellar.core.roll.pace import SharedHub
from vastcellar.services.roll.expecting import KnownDrive
from vastcellar.services.roll.follow import CopyEnded, CopyNow, CopyRefused
from vastcellar.ui.look import Look
from vastcellar.ui.models.copy_history import CopyHistory
from vastcellar.ui.models.copy_job import CopyJob
from vastcellar.ui.stations.roll.legs_view import LegsView
from vastcellar.ui.stations.roll.rates_view import RatesView
from vastcellar.ui.widgets.cards import OneLine, card, row
from vastcellar.ui.widgets.cards import label as text_label
from vastcellar.ui.widgets.verdict_line import VerdictLine


class RunningCopy(QWidget):
    """Follows a job, and stays with its verdict when it is over."""

    told_of = Signal(str)
    """What became of the copy, in a word or two."""

    def __init__(self, look: Look, job: CopyJob) -> None:
        super().__init__()
        self.look, self.job = look, job
        self.history = CopyHistory()
        names = [str(each) for each in job.asked.targets]
        self.verdict = VerdictLine(look)
        self.title = OneLine()
        self.title.setText(f"{job.asked.title} to {', '.join(names)}")
        self.title.setToolTip(self.title.text())
        self.over_time, self.pause_button = QPushButton("Over time"), QPushButton("Pause")
        self.cancel_button = QPushButton("Cancel")
        self.over_time.setObjectName("tab")
        self.over_time.setCheckable(True)
        self.over_time.setChecked(True)
        self.over_time.setToolTip("What each drive wrote when, and what is expected")
        for button in (self.over_time, self.pause_button, self.cancel_button):
            button.setAccessibleName(f"{button.text()}: {job.asked.title}")
        self.legs, self.rates = LegsView(look), RatesView(look)
        self.left_line, self.told = text_label(kind="soft", wraps=True), text_label(wraps=True)
        self.legs.begin(job.asked.title, names)
        self.rates.begin(names, self.history)
        self._lay_out()
        self.over_time.toggled.connect(self._show_rates)
        self.pause_button.clicked.connect(self._on_pause)
        self.cancel_button.clicked.connect(job.cancel)
        job.moved.connect(self.follow)
        job.over.connect(self._on_over)

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        self.verdict.hide()
        layout.addWidget(self.verdict)
        frame, inside = card()
        head = row(self.title, spacing=8, stretch_last=True)
        for button in (self.over_time, self.cancel_button, self.pause_button):
            head.addWidget(button)
        inside.addLayout(head)
        for widget in (self.legs, self.rates, self.left_line, self.told):
            inside.addWidget(widget)
        self.left_line.hide()
        self.told.hide()
        layout.addWidget(frame)

    @property
    def is_over(self) -> bool:
        """Whether it was said what came of it."""
        return bool(self.told.text())

    def know(self, drives: Sequence[KnownDrive | None], hubs: Sequence[SharedHub]) -> None:
        """Take in which units the destinations lie on, and what hubs they share."""
        self.history.drives, self.history.hubs = tuple(drives), tuple(hubs)

    def fold(self) -> None:
        """Show no more than what came of it: others are being copied."""
        for widget in (self.legs, self.rates, self.over_time):
            widget.hide()

    def _show_rates(self, is_on: bool) -> None:
        self.rates.setVisible(is_on)

    def _on_pause(self) -> None:
        self.job.pause(is_on=not self.job.is_paused)
        self.pause_button.setText("Go on" if self.job.is_paused else "Pause")

    def follow(self, now: CopyNow) -> None:
        """Show how far the copy has come, and what it should still take."""
        self.history.add(now)
        self.legs.follow(now, self.history.pace)
        self.rates.update()
        text = self.left_text
        self.left_line.setText(text)
        self.left_line.setVisible(bool(text))

    @property
    def left_text(self) -> str:
        """When it should be verified, and by what; "" while nobody knows."""
        left_s = self.history.left_s
        if not math.isfinite(left_s) or self.is_over:
            return ""
        by = "by the drives' profiles" if self.history.is_by_profile else "by the rate so far"
        return f"Verified in {self.look.numbers.duration(round(left_s))}, {by}."

    def _on_over(self, ended: CopyEnded | CopyRefused) -> None:
        by = "by what was read back"
        if isinstance(ended, CopyRefused):
            self._say(Verdict.NOT_KNOWN, "Not copied", (ended.sentence,), "nothing was read back")
        elif ended.is_safe:
            self._say(Verdict.HOLDS, "Safe to wipe", ended.lines, by)
        elif ended.is_cancelled:
            self._say(Verdict.NOT_KNOWN, "Cancelled: not safe to wipe", ended.lines, by)
        else:
            self._say(Verdict.FALLS_SHORT, "Not safe to wipe", ended.lines, by)

    def _say(self, verdict: Verdict, head: str, lines: Sequence[str], by: str) -> None:
        self.told.setText("\n".join(lines))
        self.verdict.show_verdict(verdict, Evidence.PROVED, head, f"{self.job.asked.title}, {by}")
        self.verdict.show()
        self.told.show()
        for widget in (self.left_line, self.pause_button, self.cancel_button):
            widget.hide()
        self.told_of.emit(head.partition(":")[0].lower())
