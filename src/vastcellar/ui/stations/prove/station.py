"""The station Prove: measure, compare what was measured, and replay it against the cameras."""

from __future__ import annotations

from PySide6.QtWidgets import QVBoxLayout, QWidget

from vastcellar.ui.models.jobs import Jobs
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.prove.compare_page import ComparePage
from vastcellar.ui.stations.prove.measure_page import MeasurePage
from vastcellar.ui.stations.prove.replay_page import ReplayPage
from vastcellar.ui.widgets.cards import row
from vastcellar.ui.widgets.page_stack import PageStack
from vastcellar.ui.widgets.tabs import tab_group

_PAGES = (
    ("Measure", "Run a test and watch it"),
    ("Compare", "Runs laid over each other, with medians and what differs"),
    ("Replay", "One flat-out run against every camera of the shoot"),
)


class ProveStation(QWidget):
    """Three pages over the same runs."""

    def __init__(self, workbench: Workbench, jobs: Jobs) -> None:
        super().__init__()
        self.measure = MeasurePage(workbench, jobs)
        self.compare = ComparePage(workbench)
        self.replay = ReplayPage(workbench)
        self._pages = PageStack()
        group = tab_group(_PAGES, self)
        self.tabs = group.buttons()
        group.idToggled.connect(self._on_tab)
        for page in (self.measure, self.compare, self.replay):
            self._pages.addWidget(page)
        for asked in (workbench.measure_asked, workbench.tests_asked):
            asked.connect(self.tabs[0].click)  # whatever was compared here before
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 8, 18, 10)
        layout.setSpacing(4)
        layout.addLayout(row(*self.tabs, spacing=4))
        layout.addWidget(self._pages, 1)

    def _on_tab(self, index: int, is_on: bool) -> None:
        if is_on:
            self._pages.setCurrentIndex(index)
            if index:
                page = self.compare if index == 1 else self.replay
                page.refresh()
