"""What a test comes to: its figures while it runs and afterwards, and the cause in words."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from vastcellar.core.diagnosis.causes import Diagnosis
from vastcellar.core.recording.recorder import RecorderLoad
from vastcellar.services.proving.alternating import TurnsResult, turns_sentence
from vastcellar.services.proving.file_kinds import FileResult, file_sentence
from vastcellar.services.proving.flat_proving import FlatResult, Progress
from vastcellar.services.proving.protocol_run import ProtocolRun, protocol_sentence
from vastcellar.services.proving.recorder_proving import (
    RecorderProgress,
    RecorderResult,
    cameras_sentence,
    predicted_frames_dropped,
)
from vastcellar.services.proving.shown import Figures
from vastcellar.services.runs.calibrating import PredictionCheck
from vastcellar.services.runs.calibration_wording import prediction_sentence
from vastcellar.services.runs.diagnosing import cause_sentence, evidence_sentence
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.cards import label, row
from vastcellar.ui.widgets.figure import Figure


class ResultPanel(QWidget):
    """The figures of a recorder test, or those of a flat-out one with its diagnosis."""

    asked = Signal(str)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self.elapsed = Figure(look, "take", "proof")
        self.achieved = Figure(look, "written at", "proof")
        self.late = Figure(look, "frames late", "proof")
        self.dropped = Figure(look, "frames dropped", "proof")
        self.backlog = Figure(look, "worst backlog", "proof")
        self.slowest = Figure(look, "slowest second", "proof")
        self.flat_rate = Figure(look, "written at", "proof")
        self.flat_read = Figure(look, "read back at", "proof")
        self.flat_slowest = Figure(look, "slowest second", "proof")
        self.flat_stalls = Figure(look, "stalls", "proof")
        self.flat_latency = Figure(look, "99 of 100 writes in", "proof")
        self._recorder = (
            self.elapsed,
            self.achieved,
            self.late,
            self.dropped,
            self.backlog,
            self.slowest,
        )
        self._flat = (
            self.flat_rate,
            self.flat_read,
            self.flat_slowest,
            self.flat_stalls,
            self.flat_latency,
        )
        self.cause_line = label(kind="head", wraps=True)
        self.evidence_line = label(kind="soft", wraps=True)
        self.model_line = label(kind="soft", wraps=True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(row(*self._recorder, *self._flat, spacing=18))
        layout.addWidget(self.cause_line)
        layout.addWidget(self.evidence_line)
        layout.addWidget(self.model_line)
        for figure in (*self._recorder, *self._flat):
            figure.clicked.connect(self.asked)
        self.begin(Figures.RECORDER)

    def begin(self, kind: Figures) -> None:
        """Show the figures of one kind of test, none measured yet."""
        for figure in self._recorder:
            figure.setVisible(kind is Figures.RECORDER)
        for figure in self._flat:
            figure.setVisible(kind is Figures.FLAT)
        for figure in (*self._recorder, *self._flat):
            figure.show_text("–")
        self._say_cause("", "")
        self.say_calibrated("")

    def say_calibrated(self, text: str) -> None:
        """Say what the model predicted, or that the unit is calibrated now; "" clears it."""
        self.model_line.setText(text)
        self.model_line.setVisible(bool(text))

    def _say_cause(self, cause: str, evidence: str) -> None:
        for line, text in ((self.cause_line, cause), (self.evidence_line, evidence)):
            line.setText(text)
            line.setToolTip("")
            line.setVisible(bool(text))

    def show_recorder(self, snapshot: RecorderProgress, load: RecorderLoad) -> None:
        """Show a recorder test under way."""
        numbers = self._look.numbers
        total = numbers.clock(load.duration_s)
        self.elapsed.show_text(numbers.clock(snapshot.elapsed_s), f"of {total}")
        if snapshot.elapsed_s > 0:
            self.achieved.show_text(numbers.rate(snapshot.bytes_per_s, 1))
        self.late.show_text(numbers.number(snapshot.frames_late, 0))
        self.dropped.show_text(numbers.number(snapshot.frames_dropped, 0))
        self.backlog.show_text(numbers.size(snapshot.worst_backlog_bytes))

    def end_recorder(self, result: RecorderResult) -> None:
        """Show a recorder test that has ended."""
        numbers = self._look.numbers
        self.achieved.show_text(numbers.rate(result.achieved_bytes_per_s, 1))
        self.late.show_text(numbers.number(result.frames_late, 0))
        self.dropped.show_text(numbers.number(result.frames_dropped, 0))
        self.backlog.show_text(numbers.size(result.worst_backlog_bytes))
        # As everywhere: what it could take in that second, not what the pace sent in it.
        self.slowest.show_text(numbers.rate(result.slowest_second_ability_bytes_per_s))
        if len(result.cameras) > 1:
            self._say_cause("", cameras_sentence(result, numbers))
        elif result.frames_dropped:
            expected = numbers.number(predicted_frames_dropped(result), 0)
            self.dropped.setToolTip(f"Buffer arithmetic expects {expected}")

    def show_flat(self, snapshot: Progress, *, is_reading: bool) -> None:
        """Show a flat-out test under way."""
        if snapshot.elapsed_s > 0:
            mean = self._look.numbers.rate(snapshot.moved_bytes / snapshot.elapsed_s, 1)
            (self.flat_read if is_reading else self.flat_rate).show_text(mean)
        if not is_reading and snapshot.detail:
            self.flat_stalls.show_text(snapshot.detail.split()[0])

    def end_flat(self, result: FlatResult) -> None:
        """Show a flat-out test that has ended."""
        numbers, write = self._look.numbers, result.write
        self.flat_rate.show_text(numbers.rate(write.bytes_per_s, 1))
        self.flat_slowest.show_text(numbers.rate(write.slowest_second_bytes))
        self.flat_stalls.show_text(numbers.number(len(write.stalls), 0))
        self.flat_latency.show_text(f"{numbers.number(write.latency.p99_s * 1e3)} ms")
        if result.read is not None:
            self.flat_read.show_text(numbers.rate(result.read.bytes_per_s, 1))
            if result.read.first_wrong_at is not None:
                at = numbers.size(result.read.first_wrong_at)
                blocks = numbers.number(result.read.wrong_blocks, 0)
                self._say_cause(
                    f"{blocks} blocks came back wrong, the first after {at}",
                    "The drive lost or changed what was written: use it for nothing that matters.",
                )

    def show_phase(self, snapshot: Progress) -> None:
        """Say what goes on where no figure tells it."""
        detail = f": {snapshot.detail}" if snapshot.detail else ""
        self._say_cause(f"{snapshot.phase[:1].upper()}{snapshot.phase[1:]}{detail}", "")

    def end_files(self, result: FileResult) -> None:
        """Say what an edit, project or offload test came to."""
        self._say_cause(*file_sentence(result, self._look.numbers))

    def end_turns(self, result: TurnsResult) -> None:
        """Say whether the second folder is faster or slower than the first."""
        self._say_cause(*turns_sentence(result, self._look.numbers))

    def end_protocol(self, run: ProtocolRun) -> None:
        """Say what a set of tests came to, or what its cooling pair decided."""
        numbers = self._look.numbers
        if run.diagnosis is not None:
            self._say_cause(
                cause_sentence(run.diagnosis, numbers), evidence_sentence(run.diagnosis, numbers)
            )
            self.say_calibrated(protocol_sentence(run, numbers)[0])
        else:
            self._say_cause(*protocol_sentence(run, numbers))

    def show_diagnosis(
        self,
        found: Diagnosis,
        notes: tuple[str, ...] = (),
        prediction: PredictionCheck | None = None,
    ) -> None:
        """Say what slowed the drive, on what evidence, and whether that was predicted."""
        self._say_cause(
            cause_sentence(found, self._look.numbers), evidence_sentence(found, self._look.numbers)
        )
        self.evidence_line.setToolTip("\n".join(notes))
        if prediction is not None:
            self.say_calibrated(prediction_sentence(prediction, self._look.numbers))
