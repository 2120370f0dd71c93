"""The page of the chosen store: its ladder, its disks, the cut, and what would help."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from vastcellar.core.errors import VastCellarError
from vastcellar.core.shoot.edit_plan import StoreSetup
from vastcellar.services.edit.edit_wording import cut_text, drive_sentence, measured_cut_text
from vastcellar.services.edit.helping import Help
from vastcellar.services.edit.shelved_stores import store_drive
from vastcellar.ui.models.edit_desk import EditDesk
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.edit.demand_view import DemandView
from vastcellar.ui.stations.edit.help_cards import HelpCard
from vastcellar.ui.stations.edit.ladder_view import LadderView
from vastcellar.ui.stations.edit.late_view import LateView
from vastcellar.ui.stations.edit.load_form import LoadForm
from vastcellar.ui.stations.edit.shelve_dialog import ShelveDialog
from vastcellar.ui.stations.edit.store_form import StoreForm
from vastcellar.ui.stations.edit.store_view import StoreView
from vastcellar.ui.widgets.cards import OneLine, card, label, row

_MOST_CARDS = 4
_SIDE_PX = 290


class LadderPage(QWidget):
    """Pictures above, fields below them, changes at the foot."""

    def __init__(self, workbench: Workbench, desk: EditDesk) -> None:
        super().__init__()
        self._workbench, self._desk = workbench, desk
        look = workbench.look
        self.ladder, self.store_view = LadderView(look), StoreView(look)
        self.demand, self.late = DemandView(look), LateView(look)
        self.store_form, self.load_form = StoreForm(look), LoadForm(look)
        self.cut_line, self.help_line = OneLine(), OneLine()
        self.cards: list[HelpCard] = []
        self._cards_row = QHBoxLayout()
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        first = QHBoxLayout()
        first.setSpacing(8)
        frame, inside = card()
        inside.setContentsMargins(10, 6, 10, 4)
        inside.addWidget(label("Stream ladder", "head"))
        inside.addWidget(self.ladder, 1)
        first.addWidget(frame, 1)
        frame, inside = card()
        inside.setContentsMargins(10, 8, 10, 4)
        frame.setFixedWidth(_SIDE_PX)
        inside.addWidget(self.store_view, 1)
        first.addWidget(frame)
        layout.addLayout(first, 3)
        self._cut = QWidget()
        second = QHBoxLayout(self._cut)
        second.setContentsMargins(0, 0, 0, 0)
        second.setSpacing(8)
        frame, inside = card()
        inside.setContentsMargins(10, 4, 10, 4)
        head = label("What the cut asks for", "head")
        inside.addLayout(row(head, self.cut_line, spacing=10, stretch_last=True))
        inside.addWidget(self.demand, 1)
        second.addWidget(frame, 1)
        frame, inside = card()
        inside.setContentsMargins(10, 4, 10, 4)
        frame.setFixedWidth(_SIDE_PX)
        inside.addWidget(self.late, 1)
        second.addWidget(frame)
        layout.addWidget(self._cut, 2)
        layout.addWidget(self.store_form)
        layout.addWidget(self.load_form)
        head = label("What would help", "head")
        layout.addLayout(row(head, self.help_line, spacing=10, stretch_last=True))
        self._cards_row.setSpacing(8)
        layout.addLayout(self._cards_row)

    def _connect(self) -> None:
        desk, workbench = self._desk, self._workbench
        for view in (self.ladder, self.store_view, self.late):
            view.asked.connect(workbench.sum_asked)
        self.demand.spot_chosen.connect(self._show_spot)
        self.store_form.edited.connect(desk.put_store)
        self.store_form.removed.connect(desk.remove_store)
        self.store_form.shelf_asked.connect(self._on_shelf)
        self.store_form.refused.connect(self._on_refused)
        self.load_form.edited.connect(desk.edit)
        self.load_form.refused.connect(self._on_refused)
        desk.helped.connect(self._show_helps)
        # The next edit builds on this one, whether it is planned already or not.
        workbench.document.changed.connect(self.show_forms)
        workbench.shelf_changed.connect(self.show_forms)

    def _on_refused(self, error: object) -> None:
        if error is not None:
            self._workbench.trouble.emit(error)

    def _on_shelf(self, store: StoreSetup, tag: str) -> None:
        try:
            if tag:
                self._desk.shelve(store, tag, updates=True)
            else:
                self.shelve_dialog(store).exec()
        except VastCellarError as error:
            self._workbench.trouble.emit(error)

    def shelve_dialog(self, store: StoreSetup) -> ShelveDialog:
        """Return the dialog that asks for the tag of *store*. Raises BadValueError for no drive."""
        numbers = self._workbench.look.numbers
        says = drive_sentence(store_drive(store, self._workbench.catalog), numbers)
        return ShelveDialog(
            self, numbers, store.name, says, lambda wish: self._desk.shelve(store, wish.tag)
        )

    def show_forms(self) -> None:
        """Give the fields the values that they change."""
        plan = self._desk.plan
        self.store_form.show_plan(plan, self._workbench.catalog, self._workbench.shelf.units)
        self.load_form.show_plan(plan, self._workbench.document.shoot, self._desk.folder)

    def refresh(self) -> None:
        """Show the chosen store as it is planned."""
        planned = self._desk.planned
        chosen = planned.chosen if planned else None
        cut = planned.cut if planned else None
        self.show_forms()
        measured = chosen.measured if chosen else ()
        self.ladder.show_store(chosen, {m.streams: m.late_frames_per_minute for m in measured})
        self.store_view.show_store(chosen)
        self.demand.show_cut(chosen, cut)
        self._cut.setVisible(cut is not None and chosen is not None)
        fmt = self._workbench.look.numbers
        played = measured_cut_text(chosen, fmt) if chosen else ""
        said = cut_text(cut, fmt) if cut else ""
        self.cut_line.setText(f"{played}. {said}" if played else said)
        self.cut_line.setToolTip(self.cut_line.text())
        self._show_spot(self.demand.spot)
        self._show_helps()

    def _show_spot(self, number: int) -> None:
        planned = self._desk.planned
        late = self.demand.late
        spot = late[number] if number < len(late) else None
        self.late.show_spot(
            planned.chosen if planned else None, planned.cut if planned else None, spot
        )

    def _show_helps(self) -> None:
        helps = _shown(self._desk.helps)
        for gone in self.cards:
            self._cards_row.removeWidget(gone)
            gone.deleteLater()
        self.cards = []
        planned = self._desk.planned
        before = planned.chosen if planned else None
        if before is None:
            return
        self.help_line.setText("cheapest first" if helps else "reckoning …")
        for each in helps:
            made = HelpCard(self._workbench.look, each, before)
            made.taken.connect(self._take, Qt.ConnectionType.QueuedConnection)
            made.hovered.connect(self._show_ghost)
            self._cards_row.addWidget(made)
            self.cards.append(made)

    def _show_ghost(self, help_: Help | None) -> None:
        self.ladder.show_ghost(help_.planned if help_ is not None else None)

    def _take(self, help_: Help) -> None:
        self.ladder.show_ghost(None)
        self._desk.edit(help_.plan, help_.kind.value)


def _shown(helps: tuple[Help, ...]) -> tuple[Help, ...]:
    """Return those that are shown: the best, and one at most that wouldn't help, as the last."""
    good = [each for each in helps if each.helps]
    useless = [each for each in helps if not each.helps][:1]
    return (*good[: _MOST_CARDS - len(useless)], *useless)
