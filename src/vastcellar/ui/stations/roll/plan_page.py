"""The page of the day: who waits, when the last copy is verified, and what would help."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from vastcellar.core.errors import VastCellarError
from vastcellar.core.evidence import Evidence, Verdict
from vastcellar.core.roll.levers import Pulled
from vastcellar.core.shoot.offload import Offload
from vastcellar.core.shoot.shoot import Shoot
from vastcellar.services.roll.day_answers import taken
from vastcellar.services.roll.day_wording import (
    LAST_SUM,
    drawn_text,
    last_text,
    later_text,
    lever_title,
    moment,
    moved_by_text,
    pool_text,
    roll_sums,
    spread_text,
    waits_text,
    waits_verdict,
)
from vastcellar.services.roll.station_wording import other_station_text
from vastcellar.ui.models.day_plan import DayPlan
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.roll.day_view import DayView
from vastcellar.ui.stations.roll.lever_cards import LeverCard
from vastcellar.ui.stations.roll.pool_form import PoolForm
from vastcellar.ui.stations.roll.rules_form import RulesForm
from vastcellar.ui.stations.roll.stations_form import StationsForm
from vastcellar.ui.widgets.cards import OneLine, card, label
from vastcellar.ui.widgets.inputs import Choice
from vastcellar.ui.widgets.next_step import NextStep
from vastcellar.ui.widgets.verdict_line import VerdictLine

_MOST_CARDS = 5


class PlanPage(QWidget):
    """The day drawn, its verdict above, its rules and what would help below."""

    state_changed = Signal(str)

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        look = workbench.look
        self.plan = DayPlan(workbench, self)
        self.head = QWidget()
        self.day_choice = Choice("Day")
        self.stations = StationsForm(workbench, self.plan)
        self.subtitle = OneLine()
        self.verdict = VerdictLine(look)
        self.last = QPushButton()
        self.drawn_line = OneLine()
        self.notes_line = OneLine()
        self.rules, self.pool = RulesForm(look), PoolForm(workbench)
        self.view = DayView(look, self.plan)
        self.help_head = label("What would help", kind="head")
        self.help_line = OneLine()
        self.cards: list[LeverCard] = []
        self._cards_row = QHBoxLayout()
        self.next_step = NextStep(
            "No day to plan yet",
            "With cameras that record to something, and copies that have units, the day is let "
            "happen here: who waits, when the last copy is verified, what would help.",
            "Go to Shoot",
        )
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        head = QHBoxLayout(self.head)
        head.setContentsMargins(0, 0, 0, 0)
        head.setSpacing(10)
        self.day_choice.setMinimumWidth(110)
        head.addWidget(self.day_choice)
        head.addWidget(self.stations)
        head.addWidget(self.subtitle, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(self.verdict)
        self.last.setObjectName("link")
        evening = QHBoxLayout()
        evening.setSpacing(8)
        evening.addWidget(self.last)
        evening.addWidget(self.drawn_line, 1)
        layout.addLayout(evening)
        layout.addWidget(self.notes_line)
        frame, inside = card()
        self._frame = frame
        inside.setContentsMargins(0, 6, 0, 6)
        inside.addWidget(self.view, 1)
        layout.addWidget(frame, 1)
        layout.addWidget(self.rules)
        layout.addWidget(self.pool)
        line = QHBoxLayout()
        line.setSpacing(10)
        line.addWidget(self.help_head)
        line.addWidget(self.help_line, 1)
        layout.addLayout(line)
        self._cards_row.setSpacing(8)
        layout.addLayout(self._cards_row)
        layout.addWidget(self.next_step, 1)
        self._filler = QWidget()
        layout.addWidget(self._filler, 1)

    def _connect(self) -> None:
        workbench = self._workbench
        self.plan.changed.connect(self.refresh)
        self.plan.answered.connect(self._show_answers)
        self.day_choice.chosen.connect(lambda key: self.plan.choose_day(int(key)))
        self.view.asked.connect(workbench.sum_asked)
        self.last.clicked.connect(lambda: workbench.sum_asked.emit(LAST_SUM))
        self.view.edited.connect(self._edit_here)
        self.stations.chosen.connect(self.plan.choose_station)
        self.stations.edited.connect(self._edit)
        self.stations.refused.connect(self._on_refused)
        self.view.camera_chosen.connect(workbench.document.choose)
        self.rules.edited.connect(self._edit_rules)
        self.rules.refused.connect(self._on_refused)
        self.pool.edited.connect(self._edit)
        self.pool.refused.connect(self._on_refused)
        workbench.document.subject_changed.connect(self._show_view)
        self.next_step.buttons[0].clicked.connect(lambda: workbench.station_asked.emit("shoot"))

    def activate(self, *, is_on: bool) -> None:
        """Keep the plan up to date from now on, or no longer."""
        self.plan.activate(is_on=is_on)
        if is_on:
            self.refresh()

    def refresh(self) -> None:
        """Show the plan as it is now; what follows from it comes when it is known."""
        workbench, plan = self._workbench, self.plan
        shoot, numbers = workbench.document.shoot, workbench.look.numbers
        days = [(str(n), f"Day {n} of {shoot.days}") for n in range(1, shoot.days + 1)]
        self.day_choice.offer(days, str(plan.number))
        planned = plan.planned
        self.stations.show_stations()
        self.rules.show_rules(plan, workbench.catalog)
        self.pool.show_shoot()
        is_known = planned is not None
        self.next_step.setVisible(not is_known and not shoot.cameras)
        self._filler.setVisible(not is_known and bool(shoot.cameras))
        self._frame.setVisible(is_known)
        self.rules.setVisible(bool(shoot.cameras))
        for widget in (self.help_head, self.last, self.drawn_line):
            widget.setVisible(is_known)
        if planned is None:
            said = str(plan.error) if plan.error else ""
            self.verdict.show_verdict(Verdict.NOT_KNOWN, Evidence.COMPUTED, "No plan", "")
            self.verdict.setVisible(bool(said))
            self.notes_line.setText(said)
            self.notes_line.setToolTip(said)
            self.notes_line.setVisible(bool(said))
            self.subtitle.setText("")
            workbench.show_sums({})
            self._show_answers()
            self.state_changed.emit("no plan")
            return
        run = planned.run
        self.verdict.setVisible(True)
        by = "computed, minute by minute"
        told = waits_text(run, numbers)
        self.verdict.show_verdict(waits_verdict(run), Evidence.COMPUTED, told, by)
        others = (other_station_text(name, other, numbers) for name, other in plan.others)
        moments = (last_text(run, numbers), later_text(planned.later, numbers), *others)
        self.last.setText(" · ".join(each for each in moments if each))
        drives = ", ".join(copy.tag for copy in planned.copies)
        self.subtitle.setText(
            f"{planned.host.name}, to {drives} in one read; a card is free after "
            f"{planned.day.verified_copies} verified copies"
        )
        self._show_notes()
        self._show_view()
        self._show_answers()
        workbench.show_sums(roll_sums(planned, numbers))
        self.state_changed.emit(f"last copy {moment(run.last_verified_s, numbers)}")

    def _show_view(self) -> None:
        self.view.show_day(self._workbench.document.subject_key)
        self.pool.show_shoot()

    def _show_notes(self) -> None:
        planned = self.plan.planned
        notes = " · ".join(planned.notes) if planned else ""
        self.notes_line.setText(notes)
        self.notes_line.setToolTip(notes.replace(" · ", "\n"))
        self.notes_line.setVisible(bool(notes))

    def _show_answers(self) -> None:
        plan, numbers = self.plan, self._workbench.look.numbers
        answers, planned = plan.answers, plan.planned
        pulled = answers.pulled if answers is not None else ()
        self.help_line.setVisible(planned is not None)
        if planned is None or answers is None:
            self.help_line.setText("reckoning …" if planned is not None else "")
        else:
            self.help_line.setText(pool_text(answers.pool, planned.day, numbers))
        drawn = plan.drawn
        if drawn is not None:
            told = f"{drawn_text(drawn, numbers)}; {moved_by_text(drawn, numbers)}"
            self.drawn_line.setText(told)
            assumed = spread_text(drawn.spread, numbers)
            self.drawn_line.setToolTip(f"{told}\n{assumed}")
        else:
            self.drawn_line.setText("")
        self.help_line.setToolTip(self.help_line.text())
        self._show_cards(tuple(pulled))
        self.view.update()

    def _show_cards(self, pulled: tuple[Pulled, ...]) -> None:
        if [each.pulled for each in self.cards] == list(_best(pulled)):
            return
        for gone in self.cards:
            self._cards_row.removeWidget(gone)
            gone.deleteLater()
        self.cards = []
        planned = self.plan.planned
        for each in _best(pulled):
            can_take = planned is not None and taken(planned, each.lever) is not None
            made = LeverCard(self._workbench.look, each, can_take=can_take)
            made.taken.connect(self._take, Qt.ConnectionType.QueuedConnection)
            made.hovered.connect(self.view.show_ghost)
            self._cards_row.addWidget(made)
            self.cards.append(made)

    def _take(self, pulled: Pulled) -> None:
        planned = self.plan.planned
        shoot = taken(planned, pulled.lever) if planned is not None else None
        if shoot is not None:
            self.view.show_ghost(None)
            self._edit_here(shoot, lever_title(pulled, self._workbench.look.numbers))

    def _edit(self, shoot: Shoot, told: str) -> None:
        self._workbench.document.edit(shoot, told)

    def _on_refused(self, error: VastCellarError | None) -> None:
        if error is not None:
            self._workbench.trouble.emit(error)

    def _edit_rules(self, rules: Offload, told: str) -> None:
        self._edit_here(replace(self.plan.here, offload=rules), told)

    def _edit_here(self, here: Shoot, told: str) -> None:
        """Take over what was changed at the station that is shown."""
        self._edit(self.plan.whole(here), told)


def _best(pulled: tuple[Pulled, ...]) -> tuple[Pulled, ...]:
    """Return those that are shown: the best, and one risk at most, which stays the last."""
    safe = [each for each in pulled if not each.is_a_risk]
    risks = [each for each in pulled if each.is_a_risk][:1]
    return (*safe[: _MOST_CARDS - len(risks)], *risks)
