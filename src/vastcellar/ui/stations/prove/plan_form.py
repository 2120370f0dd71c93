"""What is to be measured: where, which test, how much, and what that will cost before it runs."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from vastcellar.core.errors import BadValueError, VastCellarError
from vastcellar.core.protocols.amounts import HINT, Amount, amount_text, parse_amount
from vastcellar.core.recording.recorder import RecorderLoad
from vastcellar.core.units import parse_duration
from vastcellar.services.plugged.seen import SeenDevice
from vastcellar.services.proving.keeping import AnyProof
from vastcellar.services.proving.measured_for import MeasuredFor, measured_for, usual_amount
from vastcellar.services.proving.planned_tests import (
    PlannedTest,
    PlanText,
    make_proof,
    plan_test,
    plan_text,
)
from vastcellar.services.proving.protocols import Protocol, keep_own_protocol
from vastcellar.services.proving.recorder_loads import load_of_camera
from vastcellar.services.proving.tests_offered import (
    FLAT,
    TESTS,
    Test,
    Wish,
    offered_tests,
)
from vastcellar.ui.models.background import Background
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.prove.edit_fields import EditFields
from vastcellar.ui.stations.prove.protocol_dialog import ProtocolDialog
from vastcellar.ui.stations.prove.target_row import TargetRow
from vastcellar.ui.widgets.cards import card, label
from vastcellar.ui.widgets.inputs import Choice, QuantityField

_DEFAULT_SIZE_BYTES = 300_000_000_000
_LEAST_SIZE_BYTES = 1_000_000


class PlanForm(QWidget):
    """Target, test and amounts; the plan in words, or what is in its way."""

    test_changed = Signal()
    amount_changed = Signal()
    _planned: PlannedTest | None = None
    """What was announced last, as it will be run; None while it is reckoned anew."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._take_s = 0.0
        self._subject_key = ""
        self._is_busy = False
        self._ended_by: Exception | None = None
        numbers = workbench.look.numbers
        self.target = TargetRow(numbers)
        self.test_choice = Choice("Test")
        self.test_choice.setMinimumContentsLength(14)
        self.amount = QuantityField("Amount", parse_amount, partial(amount_text, fmt=numbers))
        self.amount.setToolTip(f"{HINT}. What comes first ends it.")
        self.asked = Amount(_DEFAULT_SIZE_BYTES)
        self.take = QuantityField("Take", parse_duration, numbers.duration)
        self.take_label, self.amount_label = label("Take"), label("Amount")
        self.all_cameras = QCheckBox("all cameras at once")
        self.all_cameras.setToolTip("Every camera of the shoot records to this drive, each its own")
        self.clips = QLineEdit()
        self.clips.setObjectName("Clips")
        self.clips.setPlaceholderText("a folder of clips; empty makes them up")
        self.other = QLineEdit()
        self.other.setObjectName("Folder B")
        self.other.setPlaceholderText("B: a folder on the other drive")
        self.edit = EditFields(numbers)
        self.own_set = QPushButton("Own set …")
        self.own_set.setToolTip("Put tests and pauses together, and keep them under a name")
        self.own_set.clicked.connect(lambda: self.dialog().exec())
        self.start_button = QPushButton("Prove it  F5")
        self.start_button.setObjectName("act")
        self.start_button.setShortcut("F5")
        self.cancel_button = QPushButton("Cancel")
        self.plan_line = label(kind="soft", wraps=True)
        self.message = label(kind="wrong", wraps=True)
        self._planner = Background(self)
        self._fill_tests()
        self._lay_out()
        self._connect()
        self._choose_first()

    def _connect(self) -> None:
        self.target.changed.connect(self.plan)
        self.target.refused.connect(self.say)
        self.clips.editingFinished.connect(self.plan)
        self.other.editingFinished.connect(self.plan)
        self.edit.changed.connect(self.plan)
        self.edit.refused.connect(self.say)
        self.all_cameras.toggled.connect(self._on_all)
        self.take.entered.connect(self._on_take)
        self.take.refused.connect(self.say)
        self.amount.entered.connect(self._on_amount)
        self.amount.refused.connect(self.say)
        self.test_choice.currentIndexChanged.connect(self._on_test)
        self._planner.done.connect(self._on_plan)
        self._planner.failed.connect(self.say)

    def _choose_first(self) -> None:
        subject = self._workbench.subject
        if subject is not None and subject.setup is not None:
            self.target.rig_choice.setChecked(True)
        else:  # there is nothing to simulate, and a drive can be measured for itself
            self.target.folder_choice.setChecked(True)
        if subject is None:
            self.choose("write")

    def dialog(self) -> ProtocolDialog:
        """Return the dialog that asks for a set of one's own, like the one that is chosen."""
        workbench = self._workbench

        def keep(protocol: Protocol) -> None:
            keep_own_protocol(protocol, workbench.workplace.folders)
            self._fill_tests()
            self.choose(f"protocol {protocol.key}")

        return ProtocolDialog(self, workbench.look.numbers, self.test.protocol, keep)

    def _fill_tests(self) -> None:
        tests: tuple[Test, ...] = TESTS
        try:
            tests = offered_tests(self._workbench.workplace.folders)
        except VastCellarError as error:  # a protocol file of one's own is no protocol file
            self._workbench.trouble.emit(error)
        with QSignalBlocker(self.test_choice):
            self.test_choice.clear()
            for number, test in enumerate(tests):
                if number == len(TESTS):
                    self.test_choice.insertSeparator(number)
                self.test_choice.addItem(test.name, test)
        self.test_choice.setToolTip(tests[0].purpose)

    def _lay_out(self) -> None:
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        frame, inside = card()
        inside.addWidget(self.target)
        bottom = QHBoxLayout()
        bottom.setSpacing(10)
        bottom.addWidget(self.test_choice)
        bottom.addWidget(self.own_set)
        for name, field, width in (
            (self.take_label, self.take, 110),
            (self.amount_label, self.amount, 170),
        ):
            bottom.addWidget(name)
            bottom.addWidget(field)
            field.setFixedWidth(width)
        bottom.addWidget(self.all_cameras)
        bottom.addWidget(self.edit)
        bottom.addWidget(self.clips, 6)
        bottom.addWidget(self.other, 6)
        bottom.addStretch(1)
        bottom.addWidget(self.cancel_button)
        bottom.addWidget(self.start_button)
        inside.addLayout(bottom)
        inside.addWidget(self.plan_line)
        inside.addWidget(self.message)
        outer.addWidget(frame)

    @property
    def test(self) -> Test:
        """The test that is chosen."""
        chosen: Test = self.test_choice.currentData()
        return chosen

    def choose(self, kind: str) -> None:
        """Choose the test of *kind*."""
        for index in range(self.test_choice.count()):
            test = self.test_choice.itemData(index)
            if isinstance(test, Test) and test.kind == kind:
                self.test_choice.setCurrentIndex(index)

    @property
    def can_start(self) -> bool:
        """Whether there can be something to write to: a folder, or a rig of the setup.

        A folder that isn't named yet is said when the test is started.
        """
        return self.target.is_folder or self._has_setup

    @property
    def _has_setup(self) -> bool:
        judgement = self._workbench.judgement
        return judgement is not None and judgement.chain is not None

    @property
    def records_a_take(self) -> bool:
        """Whether the chosen test is a camera's take, by itself or in a set."""
        return self.test.records_a_take

    def measured_for(self) -> MeasuredFor:
        """Return for what the test counts: setup, unit, or a device for itself."""
        judgement = self._workbench.judgement
        chain = judgement.chain if judgement else None
        target, catalog = self.target, self._workbench.catalog
        device = target.device
        if device is not None:  # as it is now: it may have become a unit since
            device = self._workbench.plugged.named(device.device.name) or device
        return measured_for(chain, device, target.named_folder, catalog)

    def take_device(self, device: SeenDevice, folder: Path) -> None:
        """Make ready to measure *device* for itself: what lasts on it."""
        self.choose("write")
        self.target.choose_device(device, folder)
        self.asked = usual_amount(self.measured_for().free_bytes)
        self.plan()
        self.amount_changed.emit()

    def loads(self) -> tuple[RecorderLoad, ...]:
        """Return what is recorded: the subject's take, or that of every camera at once."""
        camera = self._workbench.subject
        if camera is None:
            return ()
        together = self.all_cameras.isChecked() and self.records_a_take
        cameras = self._workbench.document.shoot.cameras if together else (camera,)
        return tuple(load_of_camera(each, self._take_s) for each in cameras)

    @property
    def cameras_text(self) -> str:
        """Whose take it is, or for whose sake the drive is tested."""
        camera = self._workbench.subject
        if camera is None:
            return ""
        if self.records_a_take and self.all_cameras.isChecked():
            return " + ".join(each.key for each in self._workbench.document.shoot.cameras)
        return camera.key

    def needed_bytes_per_s(self) -> float:
        """Return the need line of the chosen test: of all that record; 0 where none is asked."""
        judgements, subject = self._workbench.judgements, self._workbench.subject
        if subject is None or self.test.needs_folder:
            return 0.0
        keys = [each.key for each in self._workbench.document.shoot.cameras]
        if not (self.records_a_take and self.all_cameras.isChecked()):
            keys = [subject.key]
        needs = [judgements[key].need for key in keys if key in judgements]
        return sum(need.needed_write_bytes_per_s for need in needs)

    def wish(self) -> Wish:
        """Return what is asked for."""
        clips, other = self.clips.text().strip(), self.other.text().strip()
        counts_for = self.measured_for()
        return Wish(
            test=self.test,
            amount=self.asked,
            loads=self.loads(),
            folder=self.target.folder,
            clips=Path(clips) if clips else None,
            other_folder=Path(other) if other else None,
            stream=self.edit.stream,
            streams=self.edit.streams,
            drive_c=self.target.drive_c,
            unit_tag=counts_for.unit_tag if counts_for.chain is None else "",
            tbw_bytes=counts_for.tbw_bytes,
            link_bytes_per_s=counts_for.link_bytes_per_s,
        )

    def make(self) -> AnyProof:
        """Return the test as it is wished for, ready to run. Raises VastCellarError."""
        chain = self.measured_for().chain
        if self.target.is_folder and not self.target.has_folder:
            raise BadValueError(
                "no folder is chosen", where="Real folder", mend="Choose a folder on the drive"
            )
        workbench, planned, wish = self._workbench, self._planned, self.wish()
        if planned is None or (planned.wish, planned.chain) != (wish, chain):
            # It was not announced yet, or something was typed since.
            planned = plan_test(
                wish, chain, workbench.document.shoot.ambient_c, workbench.workplace
            )
        return make_proof(planned, workbench.workplace, workbench.shelf.records)

    def refresh(self, *, is_busy: bool) -> None:
        """Show the subject's amounts, and its plan while nothing runs."""
        camera = self._workbench.subject
        if camera is not None and (camera.key != self._subject_key or not self._take_s):
            self._subject_key = camera.key
            self._take_s = camera.longest_take_s
        self.take.show_value(self._take_s or None)
        self.amount.show_value(self.asked)
        self.edit.show_shoot(self._workbench.document.shoot)
        test, takes = self.test, self.records_a_take
        self.target.ask_warmth(test.kind in FLAT or test.protocol is not None)
        is_several = len(self._workbench.document.shoot.cameras) > 1
        for widget, is_shown in (
            (self.take, takes),
            (self.take_label, takes),
            (self.amount, test.takes_size),
            (self.amount_label, test.takes_size),
            (self.all_cameras, takes and is_several),
            (self.edit, test.plays_streams),
            (self.clips, test.kind == "offload"),
            (self.other, test.is_by_turns),
        ):
            widget.setVisible(is_shown)
        # Streams and a second folder share the line.
        both = test.plays_streams and test.is_by_turns
        self.own_set.setVisible(not both)
        self.edit.be_narrow(is_on=both)
        self.start_button.setEnabled(False)
        self.cancel_button.setVisible(is_busy)
        self._is_busy = is_busy
        if not is_busy:
            self.plan()

    def plan(self) -> None:
        """Say before a test what it will write; the disk is asked off the interface thread."""
        self.say(None)
        self._planned = None
        workbench = self._workbench
        self.start_button.setEnabled(self.can_start and not self._is_busy)
        if not self.target.is_folder and not self._has_setup:
            self.plan_line.setText(
                "A rig stands for a setup: choose what the camera records to in Match (Ctrl+2). "
                "A real drive needs none: click it above, or choose a folder on it."
            )
            return
        if self.target.is_folder and not self.target.has_folder:
            self.plan_line.setText(f"{self.test.purpose_sentence} Choose a folder on the drive.")
            return
        wish, numbers, chain = self.wish(), workbench.look.numbers, self.measured_for().chain
        ambient_c, workplace = workbench.document.shoot.ambient_c, workbench.workplace
        self._planner.request(lambda: plan_text(wish, chain, ambient_c, workplace, numbers))

    def _on_plan(self, plan: object) -> None:
        if isinstance(plan, PlanText):
            self._planned = plan.planned
            self.plan_line.setText(plan.text)
            self.say(plan.trouble)

    def say(self, error: Exception | None) -> None:
        """Show what is in the way; None clears it, down to what ended the last run."""
        shown = error or self._ended_by
        self.message.setText("" if shown is None else str(shown))
        self.message.setVisible(shown is not None)

    def say_ended_by(self, error: Exception | None) -> None:
        """Show what ended a run, until the next is planned otherwise or begins; None clears it."""
        self._ended_by = error
        self.say(None)

    def _on_take(self, take_s: float) -> None:
        if take_s <= 0:
            self.take.refuse(
                BadValueError("it has no length", where="Take", mend="Write for example 52 min")
            )
            return
        self._take_s = take_s
        self.plan()

    def _on_amount(self, amount: Amount) -> None:
        if 0 < amount.size_bytes < _LEAST_SIZE_BYTES:
            self.amount.refuse(
                BadValueError("it is too small", where="Amount", mend="Write for example 20 GB")
            )
            return
        self.asked = amount
        self.plan()
        self.amount_changed.emit()

    def _on_all(self, _is_on: bool) -> None:
        self.plan()
        self.amount_changed.emit()

    def _on_test(self, _index: int) -> None:
        self.test_choice.setToolTip(self.test.purpose)
        self._ended_by = None
        self.test_changed.emit()
