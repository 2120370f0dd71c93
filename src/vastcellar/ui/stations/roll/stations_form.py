"""Which station of the day is shown; one more of them, and who and what belongs to it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu, QPushButton, QWidget, QWidgetAction

from vastcellar.core.errors import VastCellarError
from vastcellar.core.shoot.shoot import Shoot
from vastcellar.core.shoot.stations import (
    FIRST,
    renamed_station,
    station_label,
    station_names,
    station_of_camera,
    station_of_copy,
    with_further,
    with_members,
    without_station,
)
from vastcellar.ui.models.day_plan import DayPlan
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.widgets.cards import row
from vastcellar.ui.widgets.inputs import Choice, QuantityField, plain_text

_ADD = "\0add"


class StationsForm(QWidget):
    """Chooses a station and hands back the shoot with another one, or with other members."""

    chosen = Signal(str)
    edited = Signal(object, str)  # Shoot, what was done
    refused = Signal(object)

    def __init__(self, workbench: Workbench, plan: DayPlan) -> None:
        super().__init__()
        self._workbench, self._plan = workbench, plan
        self.choice = Choice("Station")
        self.choice.setMinimumWidth(124)
        self.name = QuantityField("Name of the station", plain_text, str)
        self.name.setToolTip("What this station is called")
        self.members = QPushButton("Cameras and copies")
        self.members.setToolTip(
            "Cameras whose cards are copied here, copies made here, and what it is called"
        )
        self._menu = QMenu(self.members)
        self._menu.setToolTipsVisible(True)
        self._named = QWidgetAction(self)  # of the menu's own, clearing it would take it away
        self._named.setDefaultWidget(self.name)
        self.remove = QAction("Remove this station", self)
        self.remove.setToolTip("Its cameras and copies are the first station's again")
        self.members.setMenu(self._menu)
        self.setLayout(row(self.choice, self.members, spacing=6))
        self.choice.chosen.connect(self._on_chosen)
        self.name.entered.connect(self._on_named)
        self.name.refused.connect(self.refused)
        self.remove.triggered.connect(self._on_removed)
        self._menu.aboutToShow.connect(self._fill_menu)

    @property
    def _shoot(self) -> Shoot:
        return self._workbench.document.shoot

    def show_stations(self) -> None:
        """Show the stations of the open shoot, and the one that is planned."""
        here, names = self._plan.station, station_names(self._shoot)
        is_alone = len(names) == 1
        entries = [(name, "one station" if is_alone else station_label(name)) for name in names]
        self.choice.offer([*entries, ("-", ""), (_ADD, "another station …")], here)
        self.setVisible(bool(self._shoot.cameras))
        self.name.show_value(here)
        self.members.setVisible(not is_alone)

    def _fill_menu(self) -> None:
        """Offer all cameras and copies; those that belong here are ticked.

        A copy that is made later goes where that is which it is made from.
        """
        shoot, here, menu = self._shoot, self._plan.station, self._menu
        menu.clear()
        if here != FIRST:
            menu.addAction(self._named)
        for camera in shoot.cameras:
            is_here = station_of_camera(shoot, camera) == here
            self._offer(f"Cards of {camera.key}", "camera", camera.key, is_here=is_here)
        menu.addSeparator()
        for copy in shoot.copies:
            if not copy.made_from:
                is_here = station_of_copy(shoot, copy) == here
                self._offer(copy.name, "copy", copy.name, is_here=is_here)
        if here != FIRST:
            menu.addSeparator()
            menu.addAction(self.remove)

    def _offer(self, text: str, kind: str, key: str, *, is_here: bool) -> None:
        action = self._menu.addAction(text)
        action.setCheckable(True)
        action.setChecked(is_here)
        # From the first station nothing can be sent away: it is taken over by another one.
        action.setEnabled(not is_here or self._plan.station != FIRST)
        action.triggered.connect(lambda checked: self._on_member(kind, key, is_here=checked))

    def _on_member(self, kind: str, key: str, *, is_here: bool) -> None:
        shoot, name = self._shoot, self._plan.station
        members = {
            "camera": {c.key for c in shoot.cameras if station_of_camera(shoot, c) == name},
            "copy": {c.name for c in shoot.copies if station_of_copy(shoot, c) == name},
        }
        members[kind] = members[kind] | {key} if is_here else members[kind] - {key}
        told = f"{key} {'to' if is_here else 'from'} {station_label(name)}"
        self._give(lambda: with_members(shoot, name, members["camera"], members["copy"]), told)

    def _on_chosen(self, name: str) -> None:
        if name != _ADD:
            self.chosen.emit(name)
            return
        shoot, known = self._shoot, station_names(self._shoot)
        fresh = next(n for n in (f"Station {i}" for i in range(2, 99)) if n not in known)
        if self._give(lambda: with_further(shoot, fresh), fresh):
            self.chosen.emit(fresh)

    def _on_named(self, name: str) -> None:
        shoot, before = self._shoot, self._plan.station
        self._menu.close()
        if name != before and self._give(
            lambda: renamed_station(shoot, before, name), f"{before} is called {name}"
        ):
            self.chosen.emit(name)

    def _on_removed(self) -> None:
        shoot, name = self._shoot, self._plan.station
        if self._give(lambda: without_station(shoot, name), f"without {name}"):
            self.chosen.emit(FIRST)

    def _give(self, make: Callable[[], Shoot], told: str) -> bool:
        try:
            changed = make()
        except VastCellarError as error:
            self.refused.emit(error)
            self.show_stations()
            return False
        self.edited.emit(changed, told)
        return True
