"""The station Prove: the recorder test, on a real folder or on a simulated rig."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import (
    QButtonGroup,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QRadioButton,
    QVBoxLayout,
    QWidget,
)

from vastcellar.core.errors import BadValueError, VastCellarError
from vastcellar.core.recorder import RecorderLoad
from vastcellar.core.units import parse_duration
from vastcellar.services.proving import (
    Proof,
    folder_proof,
    plan_folder_proof,
    predicted_frames_dropped,
    rig_proof,
    rig_speed,
)
from vastcellar.ui.models.background import Background
from vastcellar.ui.models.jobs import Job, Jobs
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.prove.trace_view import TraceView
from vastcellar.ui.widgets.cards import card, label, row
from vastcellar.ui.widgets.figure import Figure
from vastcellar.ui.widgets.inputs import QuantityField
from vastcellar.ui.widgets.verdict_line import VerdictLine

_RUN_BY_HAND = "Real folder"


class ProveStation(QWidget):
    """Target and plan before; the trace and its figures during and after."""

    def __init__(self, bench: Workbench, jobs: Jobs) -> None:
        super().__init__()
        self._bench, self._jobs = bench, jobs
        self._take_s = 0.0
        self._subject_key = ""
        look = bench.look
        self.title = label(kind="title")
        self.subtitle = label(kind="soft")
        self.verdict = VerdictLine(look)
        self.rig_choice = QRadioButton("Simulated rig")
        self.folder_choice = QRadioButton(_RUN_BY_HAND)
        self.folder = QLineEdit()
        self.folder.setObjectName("Folder")
        self.folder.setPlaceholderText("a folder on the drive to test")
        self.browse = QPushButton("Choose…")
        self.take = QuantityField("Take", parse_duration, look.numbers.duration)
        self.start_button = QPushButton("Prove it  F5")
        self.start_button.setObjectName("act")
        self.start_button.setShortcut("F5")
        self.cancel_button = QPushButton("Cancel")
        self.plan_line = label(kind="soft", wraps=True)
        self.message = label(kind="wrong", wraps=True)
        self.mode_line = label(kind="soft")
        self.trace = TraceView(look)
        self.achieved = Figure(look, "written at", "proof")
        self.late = Figure(look, "frames late", "proof")
        self.dropped = Figure(look, "frames dropped", "proof")
        self.backlog = Figure(look, "worst backlog", "proof")
        self.slowest = Figure(look, "slowest second", "proof")
        self.elapsed = Figure(look, "take", "proof")
        self._planner = Background(self)
        self._lay_out()
        self._connect()
        self.rig_choice.setChecked(True)
        self.refresh()

    @property
    def _figures(self) -> tuple[Figure, ...]:
        return self.elapsed, self.achieved, self.late, self.dropped, self.backlog, self.slowest

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 10, 18, 10)
        layout.setSpacing(6)
        layout.addLayout(row(self.title, self.subtitle, spacing=14))
        layout.addWidget(self.verdict)
        frame, inside = card()
        group = QButtonGroup(self)
        group.addButton(self.rig_choice)
        group.addButton(self.folder_choice)
        target = QHBoxLayout()
        target.setSpacing(10)
        for widget in (self.rig_choice, self.folder_choice):
            target.addWidget(widget)
        target.addWidget(self.folder, 1)
        target.addWidget(self.browse)
        inside.addLayout(target)
        take = QFormLayout()
        take.addRow(label("Take"), self.take)
        self.take.setFixedWidth(130)
        bottom = QHBoxLayout()
        bottom.setSpacing(14)
        bottom.addLayout(take)
        bottom.addWidget(self.plan_line, 1)
        bottom.addWidget(self.cancel_button)
        bottom.addWidget(self.start_button)
        inside.addLayout(bottom)
        inside.addWidget(self.message)
        layout.addWidget(frame)
        frame, inside = card()
        head = row(label("Trace", "head"), self.mode_line)
        head.addWidget(label("MB/s over minutes", "soft"))
        inside.addLayout(head)
        inside.addLayout(row(*self._figures, spacing=18))
        inside.addWidget(self.trace, 1)
        layout.addWidget(frame, 1)

    def _connect(self) -> None:
        bench, jobs = self._bench, self._jobs
        self.start_button.clicked.connect(self.start)
        self.cancel_button.clicked.connect(self._cancel)
        self.browse.clicked.connect(self._choose_folder)
        self.folder_choice.toggled.connect(self._on_target)
        self.folder.editingFinished.connect(self._plan)
        self.take.entered.connect(self._on_take)
        self.take.refused.connect(self._say)
        self._planner.done.connect(self._on_plan)
        self._planner.failed.connect(self._say)
        for figure in self._figures:
            figure.clicked.connect(bench.sum_asked)
        bench.judged.connect(self.refresh)
        jobs.started.connect(self._on_started)
        jobs.moved.connect(self._on_moved)
        jobs.ended.connect(self._on_ended)
        if jobs.current is not None:
            self._on_started(jobs.current)
            self._on_moved(jobs.current)

    # What will be done

    def _load(self) -> RecorderLoad | None:
        camera, judgement = self._bench.subject, self._bench.judgement
        if camera is None or judgement is None:
            return None
        return RecorderLoad(
            average_bytes_per_s=judgement.need.average_bytes_per_s,
            frames_per_s=camera.recording.frames_per_s,
            buffer_bytes=camera.buffer_bytes,
            duration_s=self._take_s,
        )

    def refresh(self) -> None:
        """Show the subject's verdict and plan as they are now."""
        camera, judgement = self._bench.subject, self._bench.judgement
        has_setup = judgement is not None and judgement.chain is not None
        self.verdict.setVisible(judgement is not None)
        if camera is None or judgement is None:
            self.title.setText("Recorder test")
            self.subtitle.setText("Add a camera in Shoot first (Ctrl+1)")
        else:
            if camera.key != self._subject_key or not self._take_s:
                self._subject_key = camera.key
                self._take_s = camera.longest_take_s
            name = judgement.chain.parts.name if judgement.chain else "nothing yet"
            self.title.setText(f"Recorder test of {camera.key} on {name}")
            self.subtitle.setText(camera.recording.name)
            self.verdict.show_judgement(judgement, camera)
        self.take.show_value(self._take_s or None)
        self.start_button.setEnabled(has_setup and not self._jobs.is_busy)
        self.cancel_button.setVisible(self._jobs.is_busy)
        if not self._jobs.is_busy:
            self._plan()

    def _on_take(self, take_s: float) -> None:
        if take_s <= 0:
            self.take.refuse(
                BadValueError("it has no length", where="Take", mend="Write for example 52 min")
            )
            return
        self._take_s = take_s
        self._plan()

    def _on_target(self, is_folder: bool) -> None:
        self.folder.setEnabled(is_folder)
        self.browse.setEnabled(is_folder)
        self._plan()

    def _choose_folder(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "A folder on the drive to test")
        if chosen:
            self.folder.setText(chosen)
            self._plan()

    def _plan(self) -> None:
        """Say before a test what it will write; the disk is asked off the interface thread."""
        self._say(None)
        load, judgement = self._load(), self._bench.judgement
        chain = judgement.chain if judgement else None
        if load is None or chain is None:
            self.plan_line.setText("Choose what the camera records to in Match (Ctrl+2).")
            return
        tbw = chain.parts.drive.tbw_bytes
        if self.rig_choice.isChecked():
            faster = self._bench.look.numbers.number(rig_speed(load.duration_s), 0)
            self.plan_line.setText(
                f"{self._writes(load, tbw)} Simulated, {faster} times faster than life: "
                "nothing is written to a disk."
            )
            return
        folder = self.folder.text().strip()
        if not folder:
            self.plan_line.setText(f"{self._writes(load, tbw)} Choose a folder on the drive.")
            return
        self._planner.request(lambda: plan_folder_proof(Path(folder), load, tbw))

    def _writes(self, load: RecorderLoad, tbw_bytes: float) -> str:
        numbers = self._bench.look.numbers
        wear = ""
        if tbw_bytes:
            wear = f", {numbers.percent(load.total_bytes / tbw_bytes)} of its rated endurance"
        paced = numbers.rate(load.average_bytes_per_s)
        return (
            f"{numbers.size(load.total_bytes)} paced at {paced}, "
            f"{numbers.duration(load.duration_s)}{wear}."
        )

    def _on_plan(self, plan: object) -> None:
        from vastcellar.services.proving import ProofPlan, require_room

        if not isinstance(plan, ProofPlan) or not self.folder_choice.isChecked():
            return
        numbers = self._bench.look.numbers
        place = ""
        if plan.mount is not None:
            place = f" {plan.mount.file_system}, {numbers.size(plan.free_bytes)} free."
        chain = self._bench.judgement.chain if self._bench.judgement else None
        tbw = chain.parts.drive.tbw_bytes if chain else 0.0
        self.plan_line.setText(f"{self._writes(plan.load, tbw)}{place}")
        try:
            require_room(plan)
        except BadValueError as error:
            self._say(error)

    def _say(self, error: Exception | None) -> None:
        self.message.setText("" if error is None else str(error))
        self.message.setVisible(error is not None)

    # Doing it

    def start(self) -> None:
        """Start the test that was planned."""
        camera, load = self._bench.subject, self._load()
        judgement = self._bench.judgement
        chain = judgement.chain if judgement else None
        if camera is None or load is None or chain is None or self._jobs.is_busy:
            return
        ambient_c = self._bench.document.shoot.ambient_c
        try:
            if self.rig_choice.isChecked():
                speed = rig_speed(load.duration_s)
                proof = rig_proof(
                    load, chain, ambient_c, workplace=self._bench.workplace, speed=speed
                )
            else:
                proof = self._folder_proof(load)
            unit = chain.parts.unit
            title = f"Recorder test of {camera.key} on {chain.parts.name}"
            self._jobs.start(unit.tag if unit else "", title, proof)
        except VastCellarError as error:
            self._say(error)

    def _folder_proof(self, load: RecorderLoad) -> Proof:
        folder = self.folder.text().strip()
        if not folder:
            raise BadValueError(
                "no folder is chosen", where=_RUN_BY_HAND, mend="Choose a folder on the drive"
            )
        judgement = self._bench.judgement
        return folder_proof(
            Path(folder),
            load,
            self._bench.workplace.folders.test_notes,
            judgement.chain if judgement else None,
            self._bench.document.shoot.ambient_c,
        )

    def _cancel(self) -> None:
        if self._jobs.current is not None:
            self._jobs.current.cancel()

    def _on_started(self, job: Job) -> None:
        judgement = self._bench.judgement
        load = job.run.load
        needed = judgement.need.needed_write_bytes_per_s if judgement else load.average_bytes_per_s
        self.trace.begin(load.duration_s, needed, load.average_bytes_per_s)
        simulated = "simulated · " if job.proof.plan.is_simulated else ""
        self.mode_line.setText(f"{simulated}{job.title}")
        for figure in self._figures:
            figure.show_text("–")
        self._say(None)
        self.start_button.setEnabled(False)
        self.cancel_button.show()

    def _on_moved(self, job: Job) -> None:
        snapshot, numbers = job.latest, self._bench.look.numbers
        if snapshot is None:
            return
        self.trace.show_trace(job.elapsed_s, job.written_bytes, job.temperature_c)
        total = numbers.clock(job.run.load.duration_s)
        self.elapsed.show_text(numbers.clock(snapshot.elapsed_s), f"of {total}")
        if snapshot.elapsed_s > 0:
            self.achieved.show_text(numbers.rate(snapshot.written_bytes / snapshot.elapsed_s, 1))
        self.late.show_text(numbers.number(snapshot.frames_late, 0))
        self.dropped.show_text(numbers.number(snapshot.frames_dropped, 0))
        self.backlog.show_text(numbers.size(snapshot.worst_backlog_bytes))
        if snapshot.first_drop_s is not None:
            self.trace.mark_first_drop(snapshot.first_drop_s, job.run.load.average_bytes_per_s)

    def _on_ended(self, job: Job) -> None:
        self._on_moved(job)
        result, numbers = job.run.result, self._bench.look.numbers
        if result is not None:
            simulated = "simulated · " if result.is_simulated else ""
            kept = f" · kept as run {job.kept_as} of {job.unit_tag}" if job.kept_as else ""
            early = f" · {result.ended_by}" if result.ended_by else ""
            self.mode_line.setText(f"{simulated}{result.write_mode}{early}{kept}")
            self.achieved.show_text(numbers.rate(result.achieved_bytes_per_s, 1))
            self.backlog.show_text(numbers.size(result.worst_backlog_bytes))
            self.slowest.show_text(numbers.rate(result.slowest_second_bytes))
            if result.frames_dropped:
                expected = numbers.number(predicted_frames_dropped(result), 0)
                self.dropped.setToolTip(f"Buffer arithmetic expects {expected}")
        if job.error is not None:
            self._say(job.error)
        self.cancel_button.hide()
        self._bench.reload_shelf()
