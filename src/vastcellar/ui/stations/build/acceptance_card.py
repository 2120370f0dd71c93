"""Into service: the tests of a duty, what came of each on a unit, and the answer to it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date

from PySide6.QtWidgets import QCheckBox, QPushButton, QVBoxLayout, QWidget

from vastcellar.core.errors import VastCellarError
from vastcellar.core.parts.acceptance import DUTIES
from vastcellar.core.parts.units import Unit
from vastcellar.services.build.acceptance import (
    AcceptanceStep,
    AcceptanceTest,
    Outcome,
    acceptance_steps,
    acceptance_tests,
    put_in_service,
    refuse,
    waiting,
)
from vastcellar.services.proving.duty_set import TestsAsked
from vastcellar.services.words.acceptance_wording import acceptance_words
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.widgets.cards import card, label, row
from vastcellar.ui.widgets.inputs import Choice

_Decision = Callable[[Unit, str, Sequence[AcceptanceStep], date], Unit]


class AcceptanceCard(QWidget):
    """A unit, its duty, the tests with their newest runs, and two buttons."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench, self._tag = workbench, ""
        self.unit, self.duty = Choice("Unit"), Choice("Duty")
        self.unit.setMinimumContentsLength(6)
        self.duty.setMinimumContentsLength(14)
        self.duty.offer([(each, each) for each in DUTIES], DUTIES[0])
        self.unknown_seller = QCheckBox("seller unknown")
        self.tests = label(wraps=True)
        self.answer = label(kind="soft", wraps=True)
        self.prove_button = QPushButton("Go to Prove")
        self.serve_button = QPushButton("In service")
        self.serve_button.setToolTip("Every test is made: these runs are its baseline")
        self.refuse_button = QPushButton("Refuse it")
        self.refuse_button.setToolTip("It stands in doubt, with what failed as the reason")
        self._lay_out()
        self.unit.chosen.connect(self.choose)
        self.duty.currentIndexChanged.connect(self.refresh)
        self.unknown_seller.toggled.connect(self.refresh)
        self.prove_button.clicked.connect(self._go_to_prove)
        self.serve_button.clicked.connect(lambda: self._decide(put_in_service))
        self.refuse_button.clicked.connect(lambda: self._decide(refuse))
        workbench.shelf_changed.connect(self.refresh)
        self.refresh()

    def _lay_out(self) -> None:
        frame, inside = card()
        inside.addWidget(label("Into service", "head"))
        what = (label("Unit", "soft"), self.unit, label("For", "soft"), self.duty)
        inside.addLayout(row(*what, self.unknown_seller, spacing=10))
        inside.addWidget(self.tests)
        buttons = (self.prove_button, self.serve_button, self.refuse_button)
        inside.addLayout(row(*buttons, spacing=10))
        inside.addWidget(self.answer)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(frame)

    def choose(self, tag: str) -> None:
        """Show how far the unit *tag* has come."""
        self._tag = tag
        self.answer.clear()
        self.refresh()

    @property
    def steps(self) -> tuple[AcceptanceStep, ...]:
        """The tests of the duty, with what came of each on the chosen unit; () without one."""
        workbench = self._workbench
        unit = workbench.shelf.unit(self._tag)
        if unit is None:
            return ()
        return acceptance_steps(
            self._asked, workbench.workplace, workbench.shelf, unit, workbench.look.numbers
        )

    @property
    def _asked(self) -> tuple[AcceptanceTest, ...]:
        is_unknown = self.unknown_seller.isChecked()
        return acceptance_tests(self.duty.currentText(), is_seller_unknown=is_unknown)

    def refresh(self) -> None:
        """Show the runs as they are now."""
        units = [(unit.tag, unit.tag) for unit in self._workbench.shelf.units]
        if self._tag not in [tag for tag, _ in units]:
            self._tag = ""
        self.unit.offer([("", "none yet"), *units], self._tag)
        steps = self.steps
        lines = [f"{number}. {test.words}" for number, test in enumerate(self._asked, start=1)]
        for number, step in enumerate(steps):
            failed = "failed: " if step.outcome is Outcome.FAILED else ""
            lines[number] += f" · {failed}{step.said}"
            if step.mend:
                lines[number] += f". To mend it: {step.mend}"
        self.tests.setText("\n".join(lines))
        self.serve_button.setEnabled(bool(steps) and not waiting(steps))
        self.refuse_button.setEnabled(bool(steps))

    def _go_to_prove(self) -> None:
        """Open Prove with the tests that aren't made, or have to be made again, as one set."""
        tests = [step.test for step in waiting(self.steps)] or self._asked
        kinds = tuple(each.kind for each in tests)
        self._workbench.station_asked.emit("prove")
        self._workbench.tests_asked.emit(TestsAsked(self._tag, self.duty.currentText(), kinds))

    def _decide(self, decide: _Decision) -> None:
        """Put the unit in service or refuse it: its state and note say so from now on."""
        workbench = self._workbench
        unit = workbench.shelf.unit(self._tag)
        if unit is None:
            return
        try:
            decided = decide(unit, self.duty.currentText(), self.steps, date.today())
            workbench.units.keep(decided, unit)
        except VastCellarError as error:
            self.answer.setText(str(error))
            return
        if decided.acceptance is not None:
            self.answer.setText(f"{unit.tag}: {acceptance_words(decided.acceptance)}.")
