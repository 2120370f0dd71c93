"""The planned day of the open shoot, as the window sees it: at once, and what follows, after."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QObject, QThreadPool, QTimer, Signal

from vastcellar.core.errors import VastCellarError
from vastcellar.core.roll.drawn_days import DrawnDays
from vastcellar.core.shoot.shoot import Shoot
from vastcellar.core.shoot.stations import FIRST, at_station, station_names, with_station
from vastcellar.services.roll.day_answers import DayAnswers, answer_day, draw
from vastcellar.services.roll.day_planning import DayPlanner, PlannedDay
from vastcellar.ui.models.background import Background
from vastcellar.ui.models.workbench import Workbench

DRAWN_IN_WINDOW = 300
"""Fewer than a terminal draws: they share the interpreter with the window."""
_AFTER_MS = 250
_ENDS_WITHIN_MS = 5000


class DayPlan(QObject):
    """Plans a day of the open shoot whenever shoot or shelf change."""

    changed = Signal()
    """Another plan, or the sentence why there is none."""
    answered = Signal()
    """Pool and levers are known, or the drawn days are."""

    def __init__(self, workbench: Workbench, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._workbench = workbench
        self.number = 1
        self.station = FIRST
        self.others: tuple[tuple[str, PlannedDay | None], ...] = ()
        """The same day at the shoot's other stations; None where that can't be planned."""
        self.planned: PlannedDay | None = None
        self.error: VastCellarError | None = None
        self.answers: DayAnswers | None = None
        self.drawn: DrawnDays | None = None
        self._planner = DayPlanner(workbench.catalog, workbench.shelf)
        self._is_active = False
        self._is_stale = True
        self._is_stopped = False
        self._answerer, self._drawer = Background(self), Background(self)
        self._answerer.done.connect(self._on_answers)
        self._drawer.done.connect(self._on_drawn)
        for each in (self._answerer, self._drawer):
            each.failed.connect(workbench.trouble)
        self._answer_soon = QTimer(self, singleShot=True, interval=_AFTER_MS)
        self._answer_soon.timeout.connect(self._ask)
        workbench.judged.connect(self._on_judged)

    def activate(self, *, is_on: bool) -> None:
        """Plan from now on, or let changes be until somebody looks again."""
        self._is_active = is_on
        if is_on and self._is_stale:
            self.plan()

    def choose_day(self, number: int) -> None:
        """Plan another day of the shoot."""
        if number != self.number:
            self.number = number
            self.plan()

    def choose_station(self, name: str) -> None:
        """Plan what goes on at another station."""
        if name != self.station:
            self.station = name
            self.plan()

    @property
    def at_all_stations(self) -> tuple[PlannedDay, ...]:
        """The planned day at each station where it can be planned, that which is shown first."""
        plans = (self.planned, *(planned for _name, planned in self.others))
        return tuple(each for each in plans if each is not None)

    @property
    def here(self) -> Shoot:
        """What of the open shoot goes on at the station, as it is now."""
        return at_station(self._workbench.document.shoot, self._known_station)

    def whole(self, here: Shoot) -> Shoot:
        """Return the open shoot with the station as it is in *here*."""
        return with_station(self._workbench.document.shoot, self._known_station, here)

    @property
    def _known_station(self) -> str:
        names = station_names(self._workbench.document.shoot)
        return self.station if self.station in names else FIRST

    def _on_judged(self) -> None:
        self._is_stale = True
        if self._is_active:
            self.plan()

    def plan(self) -> None:
        """Plan the day as the shoot is now."""
        self._is_stale = False
        shoot = self._workbench.document.shoot
        self.number = min(self.number, shoot.days)
        names, self.station = station_names(shoot), self._known_station
        try:
            planned, self.error = self._plan(shoot), None
        except VastCellarError as error:
            planned, self.error = None, error
        others = tuple((name, self._other(shoot, name)) for name in names if name != self.station)
        is_same = planned == self.planned and others == self.others
        if planned is not None and self.planned is not None and is_same:
            return  # something else was judged anew
        self.others = others
        self.planned, self.answers, self.drawn = planned, None, None
        self.changed.emit()
        if planned is not None:
            self._answer_soon.start()

    def preview(self, here: Shoot) -> PlannedDay | None:
        """Return the day if the station were as in *here*; None where that can't be planned."""
        try:
            return self._plan(self.whole(here))
        except VastCellarError:
            return None

    def stop(self) -> None:
        """Ask for nothing more, and let what goes on end: the window is closing."""
        self._is_stopped = True
        self._answer_soon.stop()
        self._answerer.stop()
        self._drawer.stop()
        QThreadPool.globalInstance().waitForDone(_ENDS_WITHIN_MS)

    def _plan(self, shoot: Shoot) -> PlannedDay:
        workbench, planner = self._workbench, self._planner
        if planner.catalog is not workbench.catalog or planner.shelf is not workbench.shelf:
            planner = self._planner = DayPlanner(workbench.catalog, workbench.shelf)
        return planner.plan(shoot, self.number, self.station)

    def _other(self, shoot: Shoot, name: str) -> PlannedDay | None:
        try:
            return self._planner.plan(shoot, self.number, name)
        except VastCellarError:
            return None

    def _ask(self) -> None:
        planned = self.planned
        if planned is not None:
            catalog, shelf = self._workbench.catalog, self._workbench.shelf
            self._answerer.request(partial(answer_day, planned, catalog, shelf))

    def _on_answers(self, answers: DayAnswers) -> None:
        self.answers = answers
        self.answered.emit()
        if self.planned is not None:
            planned = self.planned

            def is_wanted() -> bool:
                return planned is self.planned and not self._is_stopped

            self._drawer.request(partial(draw, planned, DRAWN_IN_WINDOW, is_wanted=is_wanted))

    def _on_drawn(self, drawn: DrawnDays | None) -> None:
        if drawn is not None:
            self.drawn = drawn
            self.answered.emit()
