"""The station Edit: how many streams a store holds, what a cut asks, and when it is full."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from vastcellar.core.errors import VastCellarError
from vastcellar.core.evidence import Evidence, Verdict
from vastcellar.services.edit.edit_sums import edit_sums
from vastcellar.services.edit.edit_wording import evidence_line, headline, limit_line, store_line
from vastcellar.services.edit.stores import first_store
from vastcellar.services.workplace.exports import save_bytes
from vastcellar.ui.models.edit_desk import EditDesk
from vastcellar.ui.models.jobs import Jobs
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.edit.compare_page import ComparePage
from vastcellar.ui.stations.edit.hours_page import HoursPage
from vastcellar.ui.stations.edit.ladder_page import LadderPage
from vastcellar.ui.stations.edit.months_page import MonthsPage
from vastcellar.ui.widgets.cards import OneLine, row
from vastcellar.ui.widgets.inputs import Choice
from vastcellar.ui.widgets.next_step import NextStep
from vastcellar.ui.widgets.tabs import tab_group
from vastcellar.ui.widgets.verdict_line import VerdictLine

_PAGES = (
    ("Ladder", "How many streams it holds, what ends it, and what the cut asks for"),
    ("Hours", "Who edits when, and how busy that keeps the store"),
    ("Compare", "Up to four stores side by side"),
    ("Months", "What is on it month by month, and when it is full"),
)


class EditStation(QWidget):
    """The verdict on the chosen store, and its pages."""

    state_changed = Signal(str)
    """What the rail says of it."""

    def __init__(self, workbench: Workbench, jobs: Jobs) -> None:
        super().__init__()
        self._workbench = workbench
        look = workbench.look
        self.desk = EditDesk(workbench, self)
        self.store_choice = Choice("Store")
        self.save_button = QPushButton("Save …")
        self.subtitle, self.limit_line, self.notes = OneLine(), OneLine(), OneLine()
        self.verdict = VerdictLine(look)
        group = tab_group(_PAGES, self)
        self.tabs = group.buttons()
        self.ladder = LadderPage(workbench, self.desk)
        self.hours = HoursPage(workbench, self.desk)
        self.compare = ComparePage(workbench, self.desk)
        self.months = MonthsPage(workbench, self.desk)
        self._pages = QStackedWidget()
        for page in (self.ladder, self.hours, self.compare, self.months):
            self._pages.addWidget(page)
        self.next_step = NextStep(
            "No store yet",
            "Put the storage together that the editors work from: how many streams it holds, what "
            "limits it, and what a cut really asks of it is reckoned here.",
            "A drive at the desk",
            "A network store",
        )
        self._lay_out()
        group.idToggled.connect(self._on_tab)
        jobs.beside.append(self.desk.stop)
        self.desk.changed.connect(self.refresh)
        self.store_choice.chosen.connect(self.desk.choose)
        self.save_button.clicked.connect(self._ask_where)
        for button, in_network in zip(self.next_step.buttons, (False, True), strict=True):
            button.clicked.connect(lambda _on, n=in_network: self._begin(in_network=n))

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 8, 18, 8)
        layout.setSpacing(4)
        self.store_choice.setMinimumWidth(150)
        self.save_button.setToolTip("All of it on paper, for whoever pays; or the plan as a file")
        self._head = QWidget()
        head = QHBoxLayout(self._head)
        head.setContentsMargins(0, 0, 0, 0)
        head.setSpacing(10)
        head.addWidget(self.store_choice)
        head.addWidget(self.subtitle, 1)
        head.addLayout(row(self.save_button, *self.tabs, spacing=4))
        layout.addWidget(self._head)
        layout.addWidget(self.verdict)
        layout.addWidget(self.limit_line)
        layout.addWidget(self.notes)
        layout.addWidget(self._pages, 1)
        layout.addWidget(self.next_step, 1)

    def _on_tab(self, index: int, is_on: bool) -> None:
        if is_on:
            self._pages.setCurrentIndex(index)

    def _begin(self, *, in_network: bool) -> None:
        self.desk.put_store(first_store("Store 1", in_network=in_network), "", "a first store")

    def refresh(self) -> None:
        """Show the plan as it is now."""
        desk, numbers = self.desk, self._workbench.look.numbers
        plan, planned = desk.plan, desk.planned
        has_stores = bool(plan.stores)
        self.next_step.setVisible(not has_stores)
        for widget in (self._head, self._pages, self.verdict, self.limit_line):
            widget.setVisible(has_stores)
        named = [(each.name, each.name) for each in plan.stores]
        self.store_choice.offer(named, plan.store.name if plan.store else "")
        chosen = planned.chosen if planned else None
        self.subtitle.setText(store_line(chosen) if chosen else "")
        notes = list(planned.notes) if planned else []
        notes += ["the cut is being read …"] if desk.is_reading else []
        if planned is None and has_stores and desk.error is not None:
            notes.append(str(desk.error))
        self.notes.setText(" · ".join(notes))
        self.notes.setToolTip("\n".join(notes))
        self.notes.setVisible(bool(notes))
        for page in (self.ladder, self.hours, self.compare, self.months):
            page.refresh()
        if chosen is None:
            self.verdict.show_verdict(Verdict.NOT_KNOWN, Evidence.COMPUTED, "No plan", "")
            self.limit_line.setText("")
            self.state_changed.emit("no plan" if has_stores else "no store")
            return
        self.verdict.show_verdict(
            chosen.verdict, chosen.evidence, headline(chosen), evidence_line(chosen)
        )
        self.limit_line.setText(limit_line(chosen, numbers))
        self.limit_line.setToolTip(self.limit_line.text())
        self._workbench.show_sums(edit_sums(chosen, numbers))
        self.state_changed.emit(f"{chosen.ladder.held} of {chosen.streams} streams")

    def _ask_where(self) -> None:
        name = f"{self.desk.plan.store.name if self.desk.plan.store else 'edit'}.pdf"
        chosen, _ = QFileDialog.getSaveFileName(
            self, "Save the comparison", name, "PDF (*.pdf);;Plan (*.edit.json)"
        )
        if chosen:
            self.save(Path(chosen))

    def save(self, path: Path) -> None:
        """Save it in *path*: the plan where its name says so, else a sheet as PDF."""
        planned = self.desk.planned
        try:
            if path.name.endswith(".edit.json"):
                from vastcellar.services.edit.plans import save_edit

                save_edit(path, self.desk.plan, self._workbench.document.shoot.name)
            elif planned is not None:
                from vastcellar.report.edit_sheet import edit_sheet_pdf  # only for paper

                shoot = self._workbench.document.shoot
                save_bytes(path, edit_sheet_pdf(shoot.name, planned, self.desk.helps,
                                                self._workbench.look.numbers))  # fmt: skip
        except VastCellarError as error:
            self._workbench.trouble.emit(error)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.desk.activate(is_on=True)
        self.refresh()

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self.desk.activate(is_on=False)
