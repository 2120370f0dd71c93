"""The tests of Prove, on a real folder or on a simulated rig: plan, live trace, cause."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QElapsedTimer, QTimer
from PySide6.QtWidgets import QFileDialog, QPushButton, QVBoxLayout, QWidget

from vastcellar.core.chain.chain import Chain
from vastcellar.core.diagnosis.causes import Diagnosis
from vastcellar.core.errors import VastCellarError
from vastcellar.services.proving.alternating import TurnsProof, TurnsResult
from vastcellar.services.proving.binding import BindingQuestion, binding_question
from vastcellar.services.proving.file_proving import EditResult, FileProof, ProjectResult
from vastcellar.services.proving.file_rows import ResultRows, file_rows
from vastcellar.services.proving.flat_proving import (
    FlatProof,
    FlatResult,
    Progress,
    diagnosis_of_proof,
    live_diagnosis,
)
from vastcellar.services.proving.planned_tests import Expected, expected_profile
from vastcellar.services.proving.protocol_run import ProtocolProof
from vastcellar.services.proving.recorder_proving import (
    Proof,
    RecorderResult,
    Snapshot,
    load_together,
)
from vastcellar.services.proving.shown import Picture
from vastcellar.services.proving.tests_offered import (
    FLAT,
    RECORDER,
    TURNS,
)
from vastcellar.services.runs.calibrating import Calibrated
from vastcellar.services.runs.calibration_wording import calibrated_sentence
from vastcellar.services.runs.diagnosing import CAUSE_WORDS
from vastcellar.services.words.verdict_wording import told_verdict
from vastcellar.services.workplace.exports import save_bytes
from vastcellar.ui.models.background import Background
from vastcellar.ui.models.jobs import Job, Jobs
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.prove.bar_rows import BarRows
from vastcellar.ui.stations.prove.binding_card import BindingCard
from vastcellar.ui.stations.prove.hands_card import HandsCard
from vastcellar.ui.stations.prove.plan_form import PlanForm
from vastcellar.ui.stations.prove.result_panel import ResultPanel
from vastcellar.ui.stations.prove.trace_view import TraceView
from vastcellar.ui.stations.prove.turns_view import TurnsView
from vastcellar.ui.widgets.cards import card, label, row
from vastcellar.ui.widgets.verdict_line import VerdictLine

_DRAW_EVERY_MS = 120
_SETTLES_MS = 150
_AXES = {
    Picture.TRACE: "MB/s over minutes",
    Picture.TURNS: "MB/s, turn by turn",
    Picture.PARTS: "",
}


class MeasurePage(QWidget):
    """The plan before; the trace, its figures and its cause during and after."""

    def __init__(self, bench: Workbench, jobs: Jobs) -> None:
        super().__init__()
        self._bench, self._jobs = bench, jobs
        look = bench.look
        self.title = label(kind="title")
        self.subtitle = label(kind="soft")
        self.verdict = VerdictLine(look)
        self.form = PlanForm(bench)
        self.hands = HandsCard()
        self.binding = BindingCard()
        self.save_button = QPushButton("Save run …")
        self.save_button.setToolTip("A report (PDF), the trace (CSV), or everything (JSON)")
        self.calibrate_button = QPushButton("Calibrate")
        self.calibrate_button.setToolTip(
            "Fit how this unit writes to the runs kept of it; Match then uses that"
        )
        self.picture_name, self.axes_line = label(kind="head"), label(kind="soft")
        self.mode_line = label(kind="soft")
        self.trace = TraceView(look)
        self.turns = TurnsView(look)
        self.parts = BarRows(look)
        self.results = ResultPanel(look)
        self._diagnosing = Background(self)
        self._seer = Background(self)
        self._diagnosed_s = 0.0
        self._shown: tuple[object, ...] = ()
        """What the trace was last made ready for."""
        self._draws_warmth = True
        self._since_drawn = QElapsedTimer()
        self._since_drawn.start()
        self._hide_saving()
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
        frame, inside = card()
        head = row(self.picture_name, self.mode_line)
        head.addWidget(self.axes_line)
        head.addWidget(self.calibrate_button)
        head.addWidget(self.save_button)
        inside.addLayout(head)
        inside.addWidget(self.results)
        inside.addWidget(self.trace, 1)
        inside.addWidget(self.turns, 1)
        inside.addWidget(self.parts, 1)
        self._show_picture(Picture.TRACE)
        layout.addWidget(frame, 1)

    def _connect(self) -> None:
        bench, jobs = self._bench, self._jobs
        self.form.start_button.clicked.connect(self.start)
        self.form.cancel_button.clicked.connect(self._cancel)
        self.form.test_changed.connect(self._on_amount)
        self.form.amount_changed.connect(self._on_amount)
        self.hands.done.connect(self._on_hands)
        self.binding.answered.connect(self._on_bound)
        self.save_button.clicked.connect(self._ask_where)
        self.calibrate_button.clicked.connect(self._calibrate)
        bench.calibrated.connect(self._on_calibrated)
        self._diagnosing.done.connect(self._show_diagnosis)
        self._seer.done.connect(self._on_expected)
        self.results.asked.connect(bench.sum_asked)
        bench.judged.connect(self.refresh)
        jobs.started.connect(self._on_started)
        jobs.moved.connect(self._on_moved)
        jobs.ended.connect(self._on_ended)
        if jobs.current is not None:
            self._on_started(jobs.current)
            self._on_moved(jobs.current)

    # What will be done

    def refresh(self) -> None:
        """Show the subject's verdict and plan as they are now."""
        camera, judgement = self._bench.subject, self._bench.judgement
        self.verdict.setVisible(judgement is not None)
        if camera is None or judgement is None:
            self.title.setText("Measure a drive")
            self.subtitle.setText("Add a camera in Shoot first (Ctrl+1)")
        else:
            name = judgement.chain.parts.name if judgement.chain else "nothing yet"
            self.title.setText(self._title_on(name))
            of_camera = not self.form.test.needs_folder
            self.subtitle.setText(camera.recording.name if of_camera else "")
            self.verdict.show_verdict(*told_verdict(judgement, camera, self._bench.look.numbers))
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

    def _show_picture(self, shown: Picture) -> None:
        """Show the trace, every turn of a comparison, or the parts of a test; empty ones anew."""
        pictures = {
            Picture.TRACE: self.trace,
            Picture.TURNS: self.turns,
            Picture.PARTS: self.parts,
        }
        for key, picture in pictures.items():
            picture.setVisible(key is shown)
        self.turns.show_turns([])
        self.parts.show_rows(ResultRows("Each part is drawn here once the test has run.", ()))
        self.picture_name.setText(shown.value)
        self.axes_line.setText(_AXES[shown])

    def _hide_saving(self) -> None:
        self.save_button.hide()
        self.calibrate_button.hide()

    def _show_blank(self) -> None:
        """Another test than the one shown: nothing of it has been measured yet."""
        loads, kind = self.form.loads(), self.form.test.kind
        self._show_picture(self.form.test.shown.picture)
        self.results.begin(self.form.test.shown.figures)
        self.mode_line.setText("not run yet")
        self._hide_saving()
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
        judgement, form = self._bench.judgement, self.form
        return (
            form.test.kind,
            form.asked,
            form.needed_bytes_per_s(),
            (judgement.chain if judgement else None),
        )

    def _show_expected(self) -> None:
        judgement, form = self._bench.judgement, self.form
        chain = judgement.chain if judgement else None
        if chain is None or form.test.kind not in FLAT:
            return
        wish, ambient_c = form.wish(), self._bench.document.shoot.ambient_c
        self._seer.request(lambda: expected_profile(wish, chain, ambient_c))

    def _on_expected(self, expected: object) -> None:
        if isinstance(expected, Expected) and self.form.test.kind in FLAT:
            self.trace.show_expected(expected.minutes, expected.bytes_per_s)

    # Doing it

    def start(self) -> None:
        """Start the test that was planned."""
        camera, judgement = self._bench.subject, self._bench.judgement
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
        return binding_question(self._bench.shelf, unit.tag, folder)

    def _start_as(self, unit_tag: str, chain: Chain) -> None:
        title = self._title_on(chain.parts.name)
        self._jobs.start(unit_tag, title, self.form.make(chain))

    def _on_bound(self, question: BindingQuestion, is_unit: bool) -> None:
        judgement = self._bench.judgement
        chain = judgement.chain if judgement else None
        if chain is None or self._jobs.is_busy:
            return
        try:
            if is_unit and self._question(chain) != question:
                # Another folder, unit or disk since: that was no answer to what is asked now.
                self.start()
                return
            if is_unit:
                self._bench.bind(question)
            self._start_as(question.unit_tag if is_unit else "", chain)
        except VastCellarError as error:
            self.form.refresh(is_busy=False)
            self.form.say(error)

    def _cancel(self) -> None:
        if self._jobs.current is not None:
            self._jobs.current.cancel()

    def _on_hands(self) -> None:
        job = self._jobs.current
        if job is not None and isinstance(job.proof, ProtocolProof):
            job.proof.run.go_on()

    def _on_started(self, job: Job) -> None:
        needed = self.form.needed_bytes_per_s()
        self._show_picture(job.proof.shown.picture)
        self.results.begin(job.proof.shown.figures)
        if isinstance(job.proof, Proof):
            load = job.proof.plan.load
            sent = load.average_bytes_per_s
            self.trace.begin(load.duration_s, needed or sent, sent)
        elif self._shown == self._wanted():
            self.trace.clear_run()
        else:
            self.trace.begin_flat_out(needed)
            self._show_expected()
        self._diagnosed_s = 0.0
        rig_word = self._bench.workplace.rig_word
        simulated = f"{rig_word} · " if job.proof.is_simulated else ""
        self.mode_line.setText(f"{simulated}{job.title}")
        self.form.say_ended_by(None)
        self.form.start_button.setEnabled(False)
        self._hide_saving()
        self.form.cancel_button.show()

    def _on_moved(self, job: Job) -> None:
        snapshot = job.latest
        if snapshot is None:
            return
        self.hands.ask(job.proof.run.waits_for if isinstance(job.proof, ProtocolProof) else "")
        if isinstance(job.proof, TurnsProof):
            self.turns.show_turns(list(job.proof.run.turns))
        elif job.elapsed_s:
            self._draw(job)
        if isinstance(snapshot, Progress):
            self._show_flat(job, snapshot)
        elif isinstance(job.proof, Proof):
            self._show_recorder(job.proof, snapshot)

    def _draw(self, job: Job) -> None:
        """Rate and temperature in turn: both at once would hold the window up for too long."""
        columns = job.elapsed_s, job.written_bytes, job.temperature_c
        if not job.is_running:
            self.trace.show_trace(*columns, is_final=True)
        elif self._since_drawn.hasExpired(_DRAW_EVERY_MS):
            self._since_drawn.restart()
            self._draws_warmth = not self._draws_warmth
            if self._draws_warmth:
                self.trace.show_warmth(job.elapsed_s, job.temperature_c)
            else:
                self.trace.show_trace(*columns)

    def _show_recorder(self, proof: Proof, snapshot: Snapshot) -> None:
        load = proof.plan.load
        self.results.show_recorder(snapshot, load)
        if snapshot.first_drop_s is not None:
            self.trace.mark_first_drop(snapshot.first_drop_s, load.average_bytes_per_s)

    def _show_flat(self, job: Job, snapshot: Progress) -> None:
        is_reading = "reading" in snapshot.phase
        if isinstance(job.proof, FileProof | TurnsProof) or not snapshot.moved_bytes:
            if self.hands.isVisibleTo(self):
                return
            self.results.show_phase(snapshot)
            return
        self.results.show_flat(snapshot, is_reading=is_reading)
        if snapshot.begins_pass:
            self._diagnosed_s = 0.0
            self.trace.show_findings((), CAUSE_WORDS)
        is_due = job.elapsed_s and job.elapsed_s[-1] >= self._diagnosed_s
        if is_due and not is_reading and isinstance(job.proof, FlatProof):
            # Ever rarer: a trace twice as long takes twice the time to look through.
            self._diagnosed_s = max(job.elapsed_s[-1] * 1.06, job.elapsed_s[-1] + 1.0)
            proof = job.proof
            points = list(job.elapsed_s), list(job.written_bytes), list(job.temperature_c)
            self._diagnosing.request(lambda: live_diagnosis(*points, proof))

    def _show_diagnosis(self, found: object) -> None:
        if not isinstance(found, Diagnosis):
            return
        self.trace.show_findings(found.findings, CAUSE_WORDS)
        job = self._jobs.current
        result = job.result if job else None
        notes = result.notes if isinstance(result, FlatResult) else ()
        self.results.show_diagnosis(found, notes, job.prediction if job else None)

    # What came of it

    def _on_ended(self, job: Job) -> None:
        self.hands.ask("")
        self._on_moved(job)
        result = job.result
        if result is not None:
            rig_word = self._bench.workplace.rig_word
            how = rig_word if job.proof.is_simulated else getattr(result, "write_mode", "")
            early = result.ended_by
            self.mode_line.setText(" · ".join(part for part in (how, early, job.kept_text) if part))
        self._show_result(job)
        self.form.refresh(is_busy=False)
        self.form.say_ended_by(job.error)
        self.save_button.setVisible(result is not None)
        self.calibrate_button.setVisible(bool(job.kept_as) and job.proof.can_calibrate)
        # The result is painted first: shelf and verdicts follow, and don't hold it up.
        QTimer.singleShot(_SETTLES_MS, self._bench, self._bench.reload_shelf)

    def _show_result(self, job: Job) -> None:
        proof, result = job.proof, job.result
        if isinstance(proof, ProtocolProof):
            self._end_protocol(proof)
        elif isinstance(proof, FileProof):
            files = proof.run.result
            if files is not None:
                self.results.end_files(files)
            if isinstance(files, EditResult | ProjectResult):
                self.parts.show_rows(file_rows(files, self._bench.look.numbers))
        elif isinstance(result, TurnsResult):
            self.results.end_turns(result)
        elif isinstance(proof, FlatProof) and isinstance(result, FlatResult):
            self._end_flat(proof, result)
        elif isinstance(result, RecorderResult):
            self.results.end_recorder(result)

    def _end_flat(self, proof: FlatProof, result: FlatResult) -> None:
        trace = result.write.trace
        columns = trace.elapsed_s, trace.written_bytes, trace.temperature_c
        self.trace.show_trace(*(column.tolist() for column in columns), is_final=True)
        self.results.end_flat(result)
        if result.read is None or result.read.first_wrong_at is None:
            self._diagnosing.request(lambda: diagnosis_of_proof(proof, result))

    def _end_protocol(self, proof: ProtocolProof) -> None:
        first = next(iter(proof.run.writes), None)
        if first is not None and first.run.result is not None:
            trace = first.run.result.write.trace
            columns = trace.elapsed_s, trace.written_bytes, trace.temperature_c
            self.trace.show_trace(*(column.tolist() for column in columns), is_final=True)
        if proof.run.diagnosis is not None:
            self.trace.show_findings(proof.run.diagnosis.findings, CAUSE_WORDS)
        self.results.end_protocol(proof.run)

    def _calibrate(self) -> None:
        job = self._jobs.current
        if job is not None and job.unit_tag:
            self.calibrate_button.setEnabled(False)
            self._bench.calibrate(job.unit_tag)

    def _on_calibrated(self, made: object) -> None:
        self.calibrate_button.setEnabled(True)
        if isinstance(made, Calibrated):
            self.results.say_calibrated(calibrated_sentence(made, self._bench.look.numbers))
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
            save_bytes(path, run_file(path.suffix, job.title, job.proof, self._bench.look.numbers))
        except VastCellarError as error:
            self.form.say(error)
