"""Everything that could be recorded to: the map, the school to choose by, up to four compared."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QPushButton, QVBoxLayout, QWidget

from vastcellar.core.candidates.picks import Pick, RankingPreset, rank
from vastcellar.core.errors import VastCellarError
from vastcellar.core.parts.parts import Host
from vastcellar.services.match.matching import Found, find_for, own_host
from vastcellar.ui.models.background import Background
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.match.candidate_map import CandidateMap
from vastcellar.ui.stations.match.compare_view import (
    MOST_COMPARED,
    CompareView,
    outcome_words,
)
from vastcellar.ui.widgets.cards import card, label, row
from vastcellar.ui.widgets.inputs import Choice

_OWN, _ALL = "own", "all"


class CandidatesPage(QWidget):
    """Searches off the interface thread whenever it is shown and the question has changed."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._finder = Background(self)
        self._asked: tuple[Any, ...] = ()
        self.found: Found | None = None
        self.compared: tuple[int, ...] = ()
        self.map = CandidateMap(workbench.look)
        self.compare = CompareView(workbench.look, workbench.catalog.currency)
        self.host = Choice("On")
        self.school = Choice("Choose by")
        self.summary = label(kind="soft")
        self.chosen_line = label(kind="head")
        self.advice = label(kind="soft", wraps=True)
        self.take_button = QPushButton("Take it")
        self.take_button.setObjectName("act")
        self.take_button.setToolTip(
            "Record to this candidate (Enter); undo brings the old one back"
        )
        self._host_key, self._school = _OWN, RankingPreset.BY_NEED
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        frame, inside = card()
        for choice in (self.host, self.school):
            choice.setMinimumWidth(190)
        head = row(label("On", "soft"), self.host, label("choose by", "soft"), self.school)
        head.addWidget(self.summary)
        inside.addLayout(head)
        inside.addWidget(self.map, 1)
        layout.addWidget(frame, 5)
        frame, inside = card()
        inside.setContentsMargins(10, 4, 10, 4)
        inside.setSpacing(2)
        self.chosen_line.setText("Nothing chosen")
        line = row(self.chosen_line)
        line.addWidget(self.take_button)
        inside.addLayout(line)
        inside.addWidget(self.compare, 1)
        layout.addWidget(frame, 0)
        layout.addWidget(self.advice)

    def _connect(self) -> None:
        workbench = self._workbench
        self.host.chosen.connect(self._on_host)
        self.school.chosen.connect(self._on_school)
        self.map.chosen.connect(self._on_chosen)
        self.take_button.clicked.connect(self.take)
        self._finder.done.connect(self._on_found)
        self._finder.failed.connect(workbench.trouble)
        workbench.judged.connect(self.refresh)
        workbench.shelf_changed.connect(self.refresh)

    def showEvent(self, event: object) -> None:
        self.refresh()

    def refresh(self) -> None:
        """Search anew where the need, the shelf or the question has changed."""
        workbench, camera = self._workbench, self._workbench.subject
        if not self.isVisible() or camera is None:
            return
        catalog, shelf, shoot = workbench.catalog, workbench.shelf, workbench.document.shoot
        own = own_host(camera, catalog)
        entries = [(_OWN, own.name)] if own else []
        entries += [(host.key, host.name) for host in catalog.hosts.values() if not host.is_camera]
        entries.append((_ALL, "everything there is"))
        keys = [key for key, _ in entries]
        if self._host_key not in keys:
            self._host_key = keys[0]
        self.host.offer(entries, self._host_key)
        self.school.offer(
            [(school.value, school.value) for school in RankingPreset], self._school.value
        )
        hosts: tuple[Host, ...]
        if self._host_key == _OWN and own is not None:
            hosts = (own,)
        elif self._host_key == _ALL:
            hosts = tuple(catalog.hosts.values())
        else:
            hosts = (catalog.host(self._host_key),)
        # What it is recorded to now doesn't change what could be.
        asked = (replace(camera, setup=None), shoot.ambient_c, shelf, self._host_key, catalog)
        if asked != self._asked:
            self._asked = asked
            self.summary.setText("looking …")
            self._finder.request(lambda: find_for(shoot, camera, hosts, catalog, shelf))

    def _on_found(self, found: Found) -> None:
        self.found = found
        self.compared = ()
        self._show()
        start = found.picks.get(Pick.NOTHING_TO_BUY, found.picks.get(Pick.CHEAPEST))
        if start is not None:
            self._choose(start)

    def _show(self) -> None:
        found, judgement = self.found, self._workbench.judgement
        if found is None or judgement is None:
            return
        rows = rank(found.table, self._school)
        self.map.show_found(found, rows, judgement.need.needed_write_bytes_per_s)
        numbers = self._workbench.look.numbers
        held = int((found.table.margin[rows] >= 0).sum())
        self.summary.setText(
            f"{numbers.number(rows.size, 0)} combinations, {numbers.number(held, 0)} hold"
        )
        self.summary.setToolTip("Left out:\n" + "\n".join(found.table.misfits[:14]))
        self.advice.setText(self._advice(found))

    def _advice(self, found: Found) -> str:
        """Say what nobody should miss: that nothing must be bought, and where building pays."""
        numbers, table = self._workbench.look.numbers, found.table
        said = []
        if (pick := found.picks.get(Pick.NOTHING_TO_BUY)) is not None:
            said.append(f"Buy nothing: {table.name(pick)} holds.")
        elif not found.picks:
            said.append("Nothing here holds: lower the need in Shoot, or add parts.")
        if found.building_pays_from_bytes:
            size = numbers.size(found.building_pays_from_bytes)
            said.append(f"Built by oneself is cheaper than ready-made from {size} on.")
        elif any(step.built_row is not None for step in found.steps):
            said.append("Ready-made is no dearer than self-built at any capacity.")
        if table.parts.left_out:
            left = numbers.number(table.parts.left_out, 0)
            said.append(f"{left} dearer enclosures were left out.")
        return " ".join(said)

    def _on_host(self, key: str) -> None:
        self._host_key = key
        self.refresh()

    def _on_school(self, key: str) -> None:
        self._school = RankingPreset(key)
        self._show()

    def _on_chosen(self, chosen: int) -> None:
        keys = QApplication.keyboardModifiers()
        self._choose(chosen, adds=bool(keys & Qt.KeyboardModifier.ShiftModifier))

    def _choose(self, chosen: int, *, adds: bool = False) -> None:
        found = self.found
        if found is None:
            return
        if adds and chosen not in self.compared:
            self.compared = (*self.compared, chosen)[-MOST_COMPARED:]
        elif not adds:
            self.compared = (chosen,)
        self.map.show_row(chosen, self.compared)
        self.compare.show_rows(found, self.compared)
        numbers = self._workbench.look.numbers
        words = outcome_words(found.table, chosen, numbers)
        self.chosen_line.setText(f"{found.table.name(chosen)}: {words}")
        self.take_button.setEnabled(True)

    def add_to_compare(self, chosen: int) -> None:
        """Set a candidate beside those that are compared."""
        self._choose(chosen, adds=True)

    def take(self) -> None:
        """Let the camera record to the candidate that is chosen."""
        found, camera = self.found, self._workbench.subject
        if found is None or camera is None or self.map.row < 0:
            return
        try:
            setup = found.table.setup(self.map.row)
            self._workbench.document.edit_camera(
                replace(camera, setup=setup), f"{found.table.name(self.map.row)} for {camera.key}"
            )
        except VastCellarError as error:
            self._workbench.trouble.emit(error)
