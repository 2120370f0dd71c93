"""A test as it runs and as it ended: its picture, its figures, what slowed it down."""

from __future__ import annotations

from PySide6.QtCore import QElapsedTimer
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from vastcellar.core.diagnosis.causes import Diagnosis
from vastcellar.services.proving.alternating import TurnsProof, TurnsResult
from vastcellar.services.proving.file_kinds import file_rows
from vastcellar.services.proving.file_proving import FileProof
from vastcellar.services.proving.file_rows import ResultRows
from vastcellar.services.proving.flat_proving import (
    FlatProof,
    FlatResult,
    Progress,
    diagnosis_of_proof,
    live_diagnosis,
)
from vastcellar.services.proving.protocol_run import ProtocolProof
from vastcellar.services.proving.recorder_proving import Proof, RecorderProgress, RecorderResult
from vastcellar.services.proving.shown import Picture, Shown
from vastcellar.services.runs.diagnosing import CAUSE_WORDS
from vastcellar.ui.look import Look
from vastcellar.ui.models.background import Background
from vastcellar.ui.models.jobs import Job
from vastcellar.ui.stations.prove.bar_rows import BarRows
from vastcellar.ui.stations.prove.held_panel import HeldPanel
from vastcellar.ui.stations.prove.result_panel import ResultPanel
from vastcellar.ui.stations.prove.trace_view import TraceView
from vastcellar.ui.stations.prove.turns_view import TurnsView
from vastcellar.ui.widgets.cards import card, label, row

_DRAW_EVERY_MS = 120
_AXES = {
    Picture.TRACE: "MB/s over minutes",
    Picture.TURNS: "turn by turn",
    Picture.PARTS: "",
}


class RunView(QWidget):
    """Shows one run, from before its first byte until after its last."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._job: Job | None = None
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
        self.trace.axes_changed.connect(self._on_axes)
        self.results = ResultPanel(look)
        self.held = HeldPanel(look)
        self._diagnosing = Background(self)
        self._diagnosing.done.connect(self._show_diagnosis)
        self._diagnosed_s = 0.0
        self._draws_warmth = True
        self._since_drawn = QElapsedTimer()
        self._since_drawn.start()
        self._lay_out()
        self._hide_saving()
        self._show_picture(Picture.TRACE)

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        frame, inside = card()
        head = row(self.picture_name, self.mode_line)
        head.addWidget(self.axes_line)
        head.addWidget(self.calibrate_button)
        head.addWidget(self.save_button)
        inside.addLayout(head)
        inside.addWidget(self.results)
        traced = QHBoxLayout()
        traced.addWidget(self.trace, 1)
        traced.addWidget(self.held)
        inside.addLayout(traced, 1)
        inside.addWidget(self.turns, 1)
        inside.addWidget(self.parts, 1)
        layout.addWidget(frame)

    # Before it

    def show_blank(self, shown: Shown) -> None:
        """Show the place of a test of which nothing has been measured yet."""
        self._job = None
        self.held.show_held(())
        self._show_picture(shown.picture)
        self.results.begin(shown.figures)
        self.mode_line.setText("not run yet")
        self._hide_saving()

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

    def _on_axes(self, words: str) -> None:
        if self.trace.isVisibleTo(self):
            self.axes_line.setText(words)

    def _hide_saving(self) -> None:
        self.save_button.hide()
        self.calibrate_button.hide()

    # While it runs

    def begin(self, job: Job, mode_text: str) -> None:
        """Show a run that has just started."""
        self._job = job
        self.held.show_held(())
        self._show_picture(job.proof.shown.picture)
        self.results.begin(job.proof.shown.figures)
        self._diagnosed_s = 0.0
        self.mode_line.setText(mode_text)
        self._hide_saving()

    def follow(self, job: Job) -> None:
        """Show how far it is."""
        self._job = job
        snapshot = job.latest
        if snapshot is None:
            return
        if isinstance(job.proof, TurnsProof):
            self.turns.show_turns(list(job.proof.run.turns))
        elif job.elapsed_s:
            self._draw(job)
        if isinstance(snapshot, RecorderProgress) and isinstance(job.proof, Proof):
            self._show_recorder(job.proof, snapshot)
        else:
            self._show_flat(job, snapshot)

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

    def _show_recorder(self, proof: Proof, snapshot: RecorderProgress) -> None:
        load = proof.plan.load
        self.results.show_recorder(snapshot, load)
        if snapshot.first_drop_s is not None:
            self.trace.mark_first_drop(snapshot.first_drop_s, load.average_bytes_per_s)

    def _show_flat(self, job: Job, snapshot: Progress) -> None:
        is_reading = "reading" in snapshot.phase
        if isinstance(job.proof, FileProof | TurnsProof) or not snapshot.moved_bytes:
            if job.proof.waits_for:
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
        if not isinstance(found, Diagnosis) or self._job is None:
            return  # nothing to tell, or another test stands there meanwhile
        self.trace.show_findings(found.findings, CAUSE_WORDS)
        job = self._job
        result = job.result if job else None
        notes = result.notes if isinstance(result, FlatResult) else ()
        self.results.show_diagnosis(found, notes, job.prediction if job else None)

    # What came of it

    def end(self, job: Job, mode_text: str | None) -> None:
        """Show what a run came to; *mode_text* is None where it came to nothing."""
        if mode_text is not None:
            self.mode_line.setText(mode_text)
        self._show_result(job)
        self.save_button.setVisible(job.result is not None)
        self.calibrate_button.setVisible(bool(job.kept_as) and job.proof.can_calibrate)

    def _show_result(self, job: Job) -> None:
        proof, result = job.proof, job.result
        if isinstance(proof, ProtocolProof):
            self._end_protocol(proof)
        elif isinstance(proof, FileProof):
            files = proof.run.result
            if files is not None:
                self.results.end_files(files)
                rows = file_rows(files, self._look.numbers)
                if rows is not None:
                    self.parts.show_rows(rows)
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
