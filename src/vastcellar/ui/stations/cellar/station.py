"""The station Cellar: the shelf, what goes on which job, and the calendar of jobs."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QStackedWidget, QVBoxLayout, QWidget

from vastcellar.services.cellar.cellar_sums import packing_sums, unit_sums
from vastcellar.ui.models.cellar_desk import CellarDesk
from vastcellar.ui.models.jobs import Jobs
from vastcellar.ui.models.packing_desk import PackingDesk
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.cellar.calendar_page import CalendarPage
from vastcellar.ui.stations.cellar.packing_page import PackingPage
from vastcellar.ui.stations.cellar.shelf_page import ShelfPage
from vastcellar.ui.widgets.cards import label, row
from vastcellar.ui.widgets.tabs import tab_group

_PAGES = (
    ("Shelf", "Every unit, and what is found of it"),
    ("Packing", "Which units go on the open shoot, and why each"),
    ("Calendar", "Jobs, what is booked for them, and what has to be back when"),
)


class CellarStation(QWidget):
    """Its pages."""

    state_changed = Signal(str)
    """What the rail says of it."""

    def __init__(self, workbench: Workbench, jobs: Jobs) -> None:
        super().__init__()
        self._workbench = workbench
        self.desk = CellarDesk(workbench, self)
        self.title = label("Cellar", "title")
        group = tab_group(_PAGES, self)
        self.tabs = group.buttons()
        self.shelf_page = ShelfPage(workbench, self.desk)
        self.packing_desk = PackingDesk(self.desk, self)
        self.packing_page = PackingPage(self.packing_desk)
        self.calendar_page = CalendarPage(self.desk)
        self._pages = QStackedWidget()
        for page in (self.shelf_page, self.packing_page, self.calendar_page):
            self._pages.addWidget(page)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 8, 18, 8)
        layout.setSpacing(4)
        head = row(self.title, spacing=14)
        for tab in self.tabs:
            head.addWidget(tab)
        layout.addLayout(head)
        layout.addWidget(self._pages, 1)
        group.idToggled.connect(lambda index, on: self._pages.setCurrentIndex(index) if on else 0)
        jobs.beside += [self.desk.stop, self.packing_desk.stop]
        workbench.unit_asked.connect(lambda _tag: self.tabs[0].setChecked(True))
        self.calendar_page.unit_chosen.connect(workbench.unit_asked)
        self.desk.changed.connect(self._say_state)
        self.desk.changed.connect(self._show_sums)
        self.packing_desk.changed.connect(self._show_sums)
        workbench.units.chosen.connect(self._show_sums)
        group.idToggled.connect(lambda _index, _on: self._show_sums())

    def _say_state(self) -> None:
        shown = self.desk.shown
        count = len({each.tag for each in shown.known.findings}) if shown else 0
        text = f"{count} to look at" if count else self._workbench.shelf.count_text
        self.state_changed.emit(text)

    def _show_sums(self) -> None:
        """Have the sums of what is looked at in the drawer: a unit's, or the packed set's."""
        if not self.isVisible():
            return
        bench, fmt = self._workbench, self._workbench.look.numbers
        packed, packing = self.packing_desk.packed, self.packing_desk.packing
        if self.packing_page.isVisible() and packed is not None and packing is not None:
            bench.show_sums(packing_sums(packed, packing, fmt))
            return
        shown = self.desk.shown
        facts = shown.known.facts.get(self.shelf_page.shelf.tag) if shown else None
        plans = bench.planned.plan.cameras
        camera = bench.subject
        plan = next((each for each in plans if camera and each.camera.key == camera.key), None)
        day_bytes = float(plan.recorded_bytes.max(initial=0.0)) if plan else 0.0
        bench.show_sums(unit_sums(facts, day_bytes, fmt) if facts else {})

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._show_sums()
