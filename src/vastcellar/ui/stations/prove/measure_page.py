"""The tests of Prove, on a real folder or on a simulated rig: plan, live trace, cause."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QFileDialog, QVBoxLayout, QWidget

from vastcellar.core.errors import BadValueError, VastCellarError
from vastcellar.services.proving.binding import BindingQuestion, binding_question
from vastcellar.services.proving.measured_for import MeasuredFor
from vastcellar.services.proving.planned_tests import Expected, expected_profile
from vastcellar.services.proving.recorder_proving import (
    Proof,
    load_together,
)
from vastcellar.services.proving.tests_offered import (
    FLAT,
    RECORDER,
)
from vastcellar.services.runs.calibrating import Calibrated
from vastcellar.services.runs.calibration_wording import calibrated_sentence
from vastcellar.services.words.verdict_wording import told_verdict
from vastcellar.services.workplace.exports import save_bytes
from vastcellar.ui.models.background import Background
from vastcellar.ui.models.jobs import Job, Jobs
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.plugged_row import PluggedRow
from vastcellar.ui.stations.prove.after_run import AfterRun
from vastcellar.ui.stations.prove.binding_card import BindingCard
from vastcellar.ui.stations.prove.duty_set_card import DutySetCard
from vastcellar.ui.stations.prove.hands_card import HandsCard
from vastcellar.ui.stations.prove.keep_card import KeepCard
from vastcellar.ui.stations.prove.plan_form import PlanForm
from vastcellar.ui.stations.prove.run_view import RunView
from vastcellar.ui.widgets.cards import label, row
from vastcellar.ui.widgets.verdict_line import VerdictLine

_DRAW_EVERY_MS = 120
_SETTLES_MS = 150


class MeasurePage(QWidget):
    """The plan before; the trace, its figures and its cause during and after."""

    def __init__(self, workbench: Workbench, jobs: Jobs) -> None:
        super().__init__()
        self._workbench, self._jobs = workbench, jobs
        look = workbench.look
        self.title = label(kind="title")
        self.subtitle = label(kind="soft")
        self.verdict = VerdictLine(look)
        self.form = PlanForm(workbench)
        self.duty_set = DutySetCard(workbench, jobs, self.form)
        self.hands = HandsCard()
        self.binding = BindingCard()
        self.keep_card = KeepCard()
        self.plugged = PluggedRow(workbench, takes_at_once=True)
        self.view = RunView(look)
        self.results, self.trace = self.view.results, self.view.trace
        self.turns, self.parts = self.view.turns, self.view.parts
        self.mode_line, self.picture_name = self.view.mode_line, self.view.picture_name
        self.save_button = self.view.save_button
        self.calibrate_button = self.view.calibrate_button
        self._seer = Background(self)
        self._measured_for: MeasuredFor | None = None
        """For what the run counts that goes on, or that ended last."""
        self._after = AfterRun(workbench, self.view.held, self.keep_card)
        self._shown: tuple[object, ...] = ()
        """What the trace was last made ready for."""
        self._lay_out()
        self._connect()
        self.refresh()
        self._show_blank()
        self._take_device()

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(self.plugged)
        layout.addLayout(row(self.title, self.subtitle, spacing=14))
        layout.addWidget(self.verdict)
        layout.addWidget(self.form)
        layout.addWidget(self.duty_set)
        layout.addWidget(self.hands)
        layout.addWidget(self.binding)
        layout.addWidget(self.keep_card)
        layout.addWidget(self.view, 1)

    def _connect(self) -> None:
        workbench, jobs = self._workbench, self._jobs
        self.form.start_button.clicked.connect(self.start)
        self.form.cancel_button.clicked.connect(self._cancel)
        self.form.test_changed.connect(self._on_amount)
        self.form.amount_changed.connect(self._on_amount)
        self.hands.done.connect(self._on_hands)
        self.binding.answered.connect(self._on_bound)
        self.save_button.clicked.connect(self._ask_where)
        self.calibrate_button.clicked.connect(self._calibrate)
        workbench.units.calibrated.connect(self._on_calibrated)
        workbench.measure_asked.connect(self._take_device)
        workbench.tests_asked.connect(self.duty_set.ask)
        self.duty_set.next_asked.connect(self.start)
        self.form.target.changed.connect(self._show_subject)
        self._after.refused.connect(self.form.say)
        self._after.kept.connect(self._on_kept)
        self._seer.done.connect(self._on_expected)
        self.results.asked.connect(workbench.sum_asked)
        workbench.judged.connect(self.refresh)
        jobs.started.connect(self._on_started)
        jobs.moved.connect(self._on_moved)
        jobs.ended.connect(self._on_ended)
        if jobs.current is not None:
            self._on_started(jobs.current)
            self._on_moved(jobs.current)

    def _take_device(self) -> None:
        """Make ready for the device that somebody asked to measure, once."""
        wanted, self._workbench.to_measure = self._workbench.to_measure, None
        if wanted is None:
            return
        if self._jobs.is_busy:
            self.form.say(
                BadValueError(
                    "another test is running",
                    where=wanted[0].title,
                    mend="Wait for it, or cancel it below, then choose the device again",
                )
            )
        else:
            self.form.take_device(*wanted)
            self.form.start_button.setFocus()

    # What will be done

    def refresh(self) -> None:
        """Show the subject's verdict and plan as they are now."""
        self._show_subject()
        self.form.refresh(is_busy=self._jobs.is_busy)
        if self._jobs.current is None:
            self.results.begin(self.form.test.shown.figures)

    def _show_subject(self) -> None:
        camera, judgement = self._workbench.subject, self._workbench.judgement
        counts_for = self.form.measured_for()
        is_of_camera = counts_for.chain is not None or self.form.records_a_take
        self.verdict.setVisible(judgement is not None and counts_for.chain is not None)
        self.title.setText(self._title_on(counts_for.name or "a drive"))
        self.subtitle.setText("")
        if camera is not None and is_of_camera and not self.form.test.needs_folder:
            self.subtitle.setText(camera.recording.name)
        if judgement is not None and camera is not None:
            self.verdict.show_verdict(
                *told_verdict(judgement, camera, self._workbench.look.numbers)
            )

    def _title_on(self, drive: str) -> str:
        test = self.form.test
        if test.is_by_turns:
            return f"{test.name}: {drive} is A"
        if test.needs_folder or self.form.measured_for().chain is None:
            return f"{test.name} on {drive}"  # files are no camera's take
        return f"{test.name} of {self.form.cameras_text} on {drive}"

    def _on_amount(self) -> None:
        self.refresh()
        if not self._jobs.is_busy:
            self._show_blank()

    def _show_blank(self) -> None:
        """Another test than the one shown: nothing of it has been measured yet."""
        loads, kind = self.form.loads(), self.form.test.kind
        self.view.show_blank(self.form.test.shown)
        needed = self.form.needed_bytes_per_s()
        if kind == RECORDER and loads:
            whole = load_together(loads)
            self.trace.begin(whole.duration_s, needed, whole.average_bytes_per_s)
        elif kind != RECORDER:
            self.trace.begin_flat_out(needed)
            self._show_expected()
        self._shown = self._wanted()

    def _wanted(self) -> tuple[object, ...]:
        """Return what the blank trace depends on."""
        form = self.form
        needed = form.needed_bytes_per_s()
        return form.test.kind, form.asked, needed, form.measured_for().chain

    def _show_expected(self) -> None:
        form = self.form
        chain = form.measured_for().chain
        if chain is None or form.test.kind not in FLAT:
            return
        wish, ambient_c = form.wish(), self._workbench.document.shoot.ambient_c
        self._seer.request(lambda: expected_profile(wish, chain, ambient_c))

    def _on_expected(self, expected: object) -> None:
        if isinstance(expected, Expected) and self.form.test.kind in FLAT:
            self.trace.show_expected(expected.minutes, expected.bytes_per_s)

    # Doing it

    def start(self) -> None:
        """Start the test that was planned."""
        if self._jobs.is_busy or not self.form.can_start:
            return
        counts_for = self.form.measured_for()
        self.binding.ask(None)
        self._after.begin()
        try:
            question = self._question(counts_for)
            if question is None:
                self._start_as(counts_for.unit_tag, counts_for)
            else:
                self.form.make()  # what can't begin is said before anybody is asked
        except VastCellarError as error:
            self.form.say(error)
            return
        self.binding.ask(question)
        if question is not None:
            self.form.start_button.setEnabled(False)  # one thing to press, not two

    def _question(self, counts_for: MeasuredFor) -> BindingQuestion | None:
        folder = self.form.target.folder
        if not counts_for.unit_tag or folder is None or not self.form.target.has_folder:
            return None
        return binding_question(
            self._workbench.shelf, counts_for.unit_tag, folder, self._workbench.catalog
        )

    def _start_as(self, unit_tag: str, counts_for: MeasuredFor) -> None:
        self._measured_for = counts_for
        self._jobs.start(unit_tag, self._title_on(counts_for.name), self.form.make())

    def _on_bound(self, question: BindingQuestion, is_unit: bool) -> None:
        if self._jobs.is_busy:
            return
        try:
            counts_for = self.form.measured_for()
            if is_unit and self._question(counts_for) != question:
                # Another folder, unit or disk since: that was no answer to what is asked now.
                self.start()
                return
            if is_unit:
                self._workbench.units.bind(question)
            self._start_as(question.unit_tag if is_unit else "", counts_for)
        except VastCellarError as error:
            self.form.refresh(is_busy=False)
            self.form.say(error)

    def _cancel(self) -> None:
        if self._jobs.current is not None:
            self._jobs.current.cancel()

    def _on_hands(self) -> None:
        job = self._jobs.current
        if job is not None:
            job.proof.go_on()

    def _on_started(self, job: Job) -> None:
        needed = self.form.needed_bytes_per_s()
        rig_word = self._workbench.workplace.rig_word
        simulated = f"{rig_word} · " if job.proof.is_simulated else ""
        self.view.begin(job, f"{simulated}{job.title}")
        if isinstance(job.proof, Proof):
            load = job.proof.plan.load
            sent = load.average_bytes_per_s
            self.trace.begin(load.duration_s, needed or sent, sent)
        elif self._shown == self._wanted():
            self.trace.clear_run()
        else:
            self.trace.begin_flat_out(needed)
            self._show_expected()
        self.form.say_ended_by(None)
        self.form.start_button.setEnabled(False)
        self.form.cancel_button.show()

    def _on_moved(self, job: Job) -> None:
        if job.latest is None:
            return
        self.hands.ask(job.proof.waits_for)
        self.view.follow(job)

    # What came of it

    def _on_ended(self, job: Job) -> None:
        self.hands.ask("")
        self._on_moved(job)
        self.view.end(job, self._how_it_ended(job))
        self.form.refresh(is_busy=False)
        self.form.say_ended_by(job.error)
        self._after.follow(job, self._measured_for)
        self._workbench.plugged.look_again()
        # The result is painted first: shelf and verdicts follow, and don't hold it up.
        QTimer.singleShot(_SETTLES_MS, self._workbench, self._workbench.units.reload)

    def _how_it_ended(self, job: Job) -> str | None:
        result = job.result
        if result is None:
            return None
        rig_word = self._workbench.workplace.rig_word
        how = rig_word if job.proof.is_simulated else getattr(result, "write_mode", "")
        return " · ".join(part for part in (how, result.ended_by, job.kept_text) if part)

    def _on_kept(self, job: Job) -> None:
        """What was measured for itself is a unit now."""
        self.view.end(job, self._how_it_ended(job))

    def _calibrate(self) -> None:
        job = self._jobs.current
        if job is not None and job.unit_tag:
            self.calibrate_button.setEnabled(False)
            self._workbench.units.calibrate(job.unit_tag)

    def _on_calibrated(self, made: object) -> None:
        self.calibrate_button.setEnabled(True)
        if isinstance(made, Calibrated):
            self.results.say_calibrated(calibrated_sentence(made, self._workbench.look.numbers))
        elif isinstance(made, Exception):
            self.form.say(made)

    def _ask_where(self) -> None:
        kinds = "Report (*.pdf);;Trace (*.csv);;Everything (*.json)"
        chosen, _ = QFileDialog.getSaveFileName(self, "Save run", "run.pdf", kinds)
        if chosen:
            self.save_run(Path(chosen))

    def save_run(self, path: Path) -> None:
        """Save the run shown as its suffix says: .pdf, .csv or .json."""
        job = self._jobs.current
        if job is None or job.result is None:
            return
        from vastcellar.report.run_sheet import run_file

        try:
            save_bytes(
                path, run_file(path.suffix, job.title, job.proof, self._workbench.look.numbers)
            )
        except VastCellarError as error:
            self.form.say(error)
