"""The station Roll: the shooting day, planned, the copies of its cards, made, and their log."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QSizePolicy, QStackedWidget, QVBoxLayout, QWidget

from vastcellar.ui.models.jobs import Jobs
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.roll.copy_page import CopyPage
from vastcellar.ui.stations.roll.log_page import LogPage
from vastcellar.ui.stations.roll.plan_page import PlanPage
from vastcellar.ui.widgets.cards import row
from vastcellar.ui.widgets.tabs import tab_group

_PAGES = (
    ("Plan", "The day minute by minute: cards, copies, waits, the last verified copy"),
    ("Copying", "A card to several drives in one read, read back and compared"),
    ("Day log", "Which cards were copied, where a clip is, which card may be wiped"),
)


class RollStation(QWidget):
    """The day as it is planned, a card as it is copied, and the log of those that were."""

    state_changed = Signal(str)
    """What the rail says of it."""

    def __init__(self, workbench: Workbench, jobs: Jobs) -> None:
        super().__init__()
        group = tab_group(_PAGES, self)
        self.tabs = group.buttons()
        self.plan = PlanPage(workbench)
        self.copy = CopyPage(workbench, jobs)
        self.log = LogPage(workbench, jobs, self.plan.plan)
        self._pages, self._heads = QStackedWidget(), QStackedWidget()
        for page in (self.plan, self.copy, self.log):
            self._pages.addWidget(page)
            self._heads.addWidget(page.head)
        self._heads.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Maximum)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 8, 18, 8)
        layout.setSpacing(4)
        head = QHBoxLayout()
        head.addWidget(self._heads, 1)
        head.addLayout(row(*self.tabs, spacing=4))
        layout.addLayout(head)
        layout.addWidget(self._pages, 1)
        group.idToggled.connect(self._on_tab)
        jobs.beside.append(self.plan.plan.stop)
        self.plan.state_changed.connect(self._on_planned)
        self.copy.state_changed.connect(self.state_changed)
        self.copy.queue.ended.connect(self.log.refresh)
        self.log.copy_asked.connect(self.tabs[1].click)

    def _on_tab(self, index: int, is_on: bool) -> None:
        if is_on:
            self._pages.setCurrentIndex(index)
            self._heads.setCurrentIndex(index)
            if self._pages.currentWidget() is self.log:
                self.log.refresh()

    def _on_planned(self, state: str) -> None:
        if not self.copy.queue.is_busy:
            self.state_changed.emit(state)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.plan.activate(is_on=True)

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self.plan.activate(is_on=False)
