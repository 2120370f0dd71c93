"""The tests of Prove, on a real folder or on a simulated rig: plan, live trace, cause."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QFileDialog, QVBoxLayout, QWidget

from vastcellar.core.chain.chain import Chain
from vastcellar.core.errors import VastCellarError
from vastcellar.services.proving.binding import BindingQuestion, binding_question
from vastcellar.services.proving.planned_tests import Expected, expected_profile
from vastcellar.services.proving.recorder_proving import (
    Proof,
    load_together,
)
from vastcellar.services.proving.tests_offered import (
    FLAT,
    RECORDER,
    TURNS,
)
from vastcellar.services.runs.calibrating import Calibrated
from vastcellar.services.runs.calibration_wording import calibrated_sentence
from vastcellar.services.words.verdict_wording import told_verdict
from vastcellar.services.workplace.exports import save_bytes
from vastcellar.ui.models.background import Background
from vastcellar.ui.models.jobs import Job, Jobs
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.prove.binding_card import BindingCard
from vastcellar.ui.stations.prove.hands_card import HandsCard
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
        self.hands = HandsCard()
        self.binding = BindingCard()
        self.view = RunView(look)
        self.results, self.trace = self.view.results, self.view.trace
        self.turns, self.parts = self.view.turns, self.view.parts
        self.mode_line, self.picture_name = self.view.mode_line, self.view.picture_name
        self.save_button = self.view.save_button
        self.calibrate_button = self.view.calibrate_button
        self._seer = Background(self)
        self._shown: tuple[object, ...] = ()
        """What the trace was last made ready for."""
        self._lay_out()
        self._connect()
        self.refresh()

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(row(self.title, self.subtitle, spacing=14))
        layout.addWidget(self.verdict)
        layout.addWidget(self.form)
        layout.addWidget(self.hands)
        layout.addWidget(self.binding)
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
        workbench.calibrated.connect(self._on_calibrated)
        self._seer.done.connect(self._on_expected)
        self.results.asked.connect(workbench.sum_asked)
        workbench.judged.connect(self.refresh)
        jobs.started.connect(self._on_started)
        jobs.moved.connect(self._on_moved)
        jobs.ended.connect(self._on_ended)
        if jobs.current is not None:
            self._on_started(jobs.current)
            self._on_moved(jobs.current)

    # What will be done

    def refresh(self) -> None:
        """Show the subject's verdict and plan as they are now."""
        camera, judgement = self._workbench.subject, self._workbench.judgement
        self.verdict.setVisible(judgement is not None)
        if camera is None or judgement is None:
            self.title.setText("Measure a drive")
            self.subtitle.setText("Add a camera in Shoot first (Ctrl+1)")
        else:
            name = judgement.chain.parts.name if judgement.chain else "nothing yet"
            self.title.setText(self._title_on(name))
            of_camera = not self.form.test.needs_folder
            self.subtitle.setText(camera.recording.name if of_camera else "")
            self.verdict.show_verdict(
                *told_verdict(judgement, camera, self._workbench.look.numbers)
            )
        self.form.refresh(is_busy=self._jobs.is_busy)
        if self._jobs.current is None:
            self.results.begin(self.form.test.shown.figures)

    def _title_on(self, drive: str) -> str:
        test = self.form.test
        if test.kind == TURNS:
            return f"{test.name}: {drive} is A"
        if test.needs_folder:
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
        judgement, form = self._workbench.judgement, self.form
        return (
            form.test.kind,
            form.asked,
            form.needed_bytes_per_s(),
            (judgement.chain if judgement else None),
        )

    def _show_expected(self) -> None:
        judgement, form = self._workbench.judgement, self.form
        chain = judgement.chain if judgement else None
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
        camera, judgement = self._workbench.subject, self._workbench.judgement
        chain = judgement.chain if judgement else None
        if camera is None or chain is None or self._jobs.is_busy:
            return
        unit = chain.parts.unit
        self.binding.ask(None)
        try:
            question = self._question(chain)
            if question is None:
                self._start_as(unit.tag if unit else "", chain)
            else:
                self.form.make(chain)  # what can't begin is said before anybody is asked
        except VastCellarError as error:
            self.form.say(error)
            return
        self.binding.ask(question)
        if question is not None:
            self.form.start_button.setEnabled(False)  # one thing to press, not two

    def _question(self, chain: Chain) -> BindingQuestion | None:
        unit, folder = chain.parts.unit, self.form.target.folder
        if unit is None or folder is None or not self.form.target.has_folder:
            return None
        return binding_question(self._workbench.shelf, unit.tag, folder)

    def _start_as(self, unit_tag: str, chain: Chain) -> None:
        title = self._title_on(chain.parts.name)
        self._jobs.start(unit_tag, title, self.form.make(chain))

    def _on_bound(self, question: BindingQuestion, is_unit: bool) -> None:
        judgement = self._workbench.judgement
        chain = judgement.chain if judgement else None
        if chain is None or self._jobs.is_busy:
            return
        try:
            if is_unit and self._question(chain) != question:
                # Another folder, unit or disk since: that was no answer to what is asked now.
                self.start()
                return
            if is_unit:
                self._workbench.bind(question)
            self._start_as(question.unit_tag if is_unit else "", chain)
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
        result = job.result
        mode_text = None
        if result is not None:
            rig_word = self._workbench.workplace.rig_word
            how = rig_word if job.proof.is_simulated else getattr(result, "write_mode", "")
            mode_text = " · ".join(part for part in (how, result.ended_by, job.kept_text) if part)
        self.view.end(job, mode_text)
        self.form.refresh(is_busy=False)
        self.form.say_ended_by(job.error)
        # The result is painted first: shelf and verdicts follow, and don't hold it up.
        QTimer.singleShot(_SETTLES_MS, self._workbench, self._workbench.reload_shelf)

    def _calibrate(self) -> None:
        job = self._jobs.current
        if job is not None and job.unit_tag:
            self.calibrate_button.setEnabled(False)
            self._workbench.calibrate(job.unit_tag)

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
