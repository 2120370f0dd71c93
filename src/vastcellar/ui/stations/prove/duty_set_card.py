"""What a duty asks of a unit, as one set: started once, and going on by itself."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from vastcellar.core.errors import VastCellarError
from vastcellar.services.proving.duty_set import (
    TestsAsked,
    require_same_unit,
    set_sentence,
    test_names,
)
from vastcellar.services.runs.failing import has_failed
from vastcellar.ui.models.background import Background
from vastcellar.ui.models.jobs import Job, Jobs
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.prove.plan_form import PlanForm
from vastcellar.ui.widgets.cards import card, label, row


class DutySetCard(QWidget):
    """Hidden until a duty's tests are asked; the first that fails or is cancelled ends the set."""

    next_asked = Signal()
    """The test that is chosen is to start."""

    def __init__(self, workbench: Workbench, jobs: Jobs, form: PlanForm) -> None:
        super().__init__()
        self._workbench, self._jobs, self._form = workbench, jobs, form
        self.asked: TestsAsked | None = None
        self.made: list[str] = []
        self.is_going = False
        self._awaited = 0
        """The run that is kept and not yet on the shelf; 0 for none."""
        self.head, self.text = label(kind="head", wraps=True), label(kind="soft", wraps=True)
        self.start_button = QPushButton("Start them all")
        self.start_button.setToolTip("One after the other; each is kept, one that fails ends it")
        self.leave_button = QPushButton("Leave it")
        self.back_button = QPushButton("Back to Build")
        self._planner = Background(self)
        self._lay_out()
        self.start_button.clicked.connect(self.start)
        self.leave_button.clicked.connect(self._leave)
        self.back_button.clicked.connect(lambda: workbench.station_asked.emit("build"))
        self._planner.done.connect(self._on_plan)
        form.target.changed.connect(self._plan)
        form.amount_changed.connect(self._plan)
        jobs.started.connect(lambda _job: self._show())
        jobs.ended.connect(self._on_ended)
        workbench.shelf_changed.connect(self._on_shelf)
        self.hide()

    def _lay_out(self) -> None:
        frame, inside = card()
        line = row(self.head, spacing=8, stretch_last=True)
        for button in (self.back_button, self.leave_button, self.start_button):
            line.addWidget(button)
        inside.addLayout(line)
        inside.addWidget(self.text)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(frame)

    def ask(self, asked: TestsAsked) -> None:
        """Show the set, and choose its first test; one that is going on goes on."""
        if self._jobs.is_busy:
            return
        self.is_going, self._awaited = False, 0
        self._form.choose(asked.kinds[0])
        self.asked, self.made = asked, []
        # Without a unit there is nothing that the runs would answer for.
        self.setVisible(bool(asked.unit_tag))
        self._show()
        self._plan()

    def _leave(self) -> None:
        self.is_going, self.asked, self._awaited = False, None, 0
        self.hide()

    @property
    def _left(self) -> tuple[str, ...]:
        return self.asked.kinds[len(self.made) :] if self.asked else ()

    def _show(self, said: str = "") -> None:
        asked = self.asked
        if asked is None:
            return
        left = test_names(self._left)
        done = f", {len(self.made)} of {len(asked.kinds)} made" if self.made else ""
        next_one = f": {', then '.join(left)}" if left else ""
        self.head.setText(f"{asked.unit_tag} as {asked.duty}{done}{next_one}")
        if said:
            self.text.setText(said)
        is_busy = self._jobs.is_busy
        self.start_button.setVisible(bool(left) and not is_busy)
        self.start_button.setText("Start them all" if not self.made else "Go on")
        self.back_button.setVisible(not is_busy and bool(self.made))

    def _plan(self) -> None:
        if self.asked is None or self._jobs.is_busy or not self._left:
            return
        form, workbench = self._form, self._workbench
        left = TestsAsked(self.asked.unit_tag, self.asked.duty, self._left)
        chain, ambient_c = form.measured_for().chain, workbench.document.shoot.ambient_c
        spec = left, form.wish(), chain, ambient_c, workbench.workplace, workbench.look.numbers
        self._planner.request(partial(set_sentence, *spec))

    def _on_plan(self, sentence: str) -> None:
        if not self._jobs.is_busy:
            self._show(sentence)

    def start(self) -> None:
        """Start the next test of the set, where what is chosen is the unit it is asked of."""
        asked = self.asked
        if asked is None or not self._left or self._jobs.is_busy:
            return
        self._form.choose(self._left[0])
        counts_for = self._form.measured_for()
        try:
            require_same_unit(asked, counts_for.unit_tag, counts_for.name)
        except VastCellarError as error:
            self.is_going = False
            self._show(str(error))
            return
        self.is_going = True
        self._show("It goes on by itself; cancelling a test ends the set.")
        self.next_asked.emit()

    def _on_ended(self, job: Job) -> None:
        asked = self.asked
        if asked is None or not self.is_going:
            return
        result = job.result
        self.is_going = False
        self._show()
        # One that was cancelled at once has nothing that could be kept: that isn't what ended it.
        if job.error is not None or result is None or not result.is_complete:
            why = f": {job.error}" if job.error is not None else ""
            self._show(f"The set has ended with a test that wasn't made to its end{why}")
        elif job.unit_tag != asked.unit_tag or not job.kept_as:
            self._show("The set has ended: the last test wasn't kept under this unit.")
        else:
            self._awaited = job.kept_as

    def _on_shelf(self) -> None:
        """The run is on the shelf: go on, unless what it found is wrong."""
        found = {each.run_id: each for each in self._workbench.shelf.records}.get(self._awaited)
        if found is None or not self._awaited or not self._left:
            return
        self._awaited = 0
        self.made.append(self._left[0])
        if has_failed(found.kind, found.figures):
            self._show("The set has ended with a test that failed. Build says what would mend it.")
        elif self._left:
            self.start()
        else:
            self._show("All of them are made. Build says what came of them.")
