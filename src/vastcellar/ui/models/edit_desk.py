"""The edit plan of the open shoot, as the window sees it: at once, and what would help, after."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from vastcellar.core.errors import VastCellarError
from vastcellar.core.shoot.edit_plan import EditPlan, StoreSetup
from vastcellar.core.shoot.shoot import Shoot
from vastcellar.services.edit.edit_planning import PlannedEdit, plan_edit
from vastcellar.services.edit.helping import Help, helps_for
from vastcellar.services.edit.shelved_stores import shelved
from vastcellar.services.edit.timelines import CutReader, cut_path
from vastcellar.ui.models.background import Background
from vastcellar.ui.models.workbench import Workbench

_AFTER_MS = 120


class EditDesk(QObject):
    """Plans the open shoot's stores whenever it changes and somebody looks."""

    changed = Signal()
    """Another plan, or the sentence why there is none."""
    helped = Signal()
    """What would help is known."""

    def __init__(self, workbench: Workbench, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._workbench = workbench
        self.planned: PlannedEdit | None = None
        self.error: VastCellarError | None = None
        self.helps: tuple[Help, ...] = ()
        self._cuts = CutReader()
        self._is_active, self._is_stale = False, True
        self.is_reading = False
        """Whether the cut is still being read: it takes seconds where it has thousands of clips."""
        self._cut_reader = Background(self)
        self._cut_reader.done.connect(self._on_cut)
        self._cut_reader.failed.connect(self._on_cut)
        self._helper = Background(self)
        self._helper.done.connect(self._on_helps)
        self._helper.failed.connect(workbench.trouble)
        self._help_soon = QTimer(self, singleShot=True, interval=_AFTER_MS)
        self._help_soon.timeout.connect(self._ask)
        workbench.judged.connect(self._on_judged)

    @property
    def plan(self) -> EditPlan:
        """As the open shoot has it."""
        return self._workbench.document.shoot.edit

    @property
    def folder(self) -> Path | None:
        """What the path of a cut counts from: where the open shoot is saved."""
        path = self._workbench.document.path
        return path.parent if path else None

    def activate(self, *, is_on: bool) -> None:
        """Plan from now on, or let changes be until somebody looks again."""
        self._is_active = is_on
        if is_on and self._is_stale:
            self.refresh()

    def stop(self) -> None:
        """Ask for nothing more: the window is closing."""
        self._help_soon.stop()
        self._helper.stop()
        self._cut_reader.stop()

    def _on_judged(self) -> None:
        self._is_stale = True
        if self._is_active:
            self.refresh()

    def refresh(self) -> None:
        """Plan the stores as the shoot is now."""
        self._is_stale = False
        try:
            planned, self.error = self._planned(self._workbench.document.shoot), None
        except VastCellarError as error:
            planned, self.error = None, error
        if planned is not None and self.planned is not None and planned == self.planned:
            return  # something else was judged anew
        self.planned, self.helps = planned, ()
        self.changed.emit()
        if planned is not None:
            self._help_soon.start()

    def _planned(self, shoot: Shoot) -> PlannedEdit:
        workbench, plan = self._workbench, shoot.edit
        cut = cut_path(plan.timeline, self.folder)
        self.is_reading = bool(plan.timeline and plan.stores and not self._cuts.is_known(cut))
        if self.is_reading:
            self._cut_reader.request(partial(self._cuts.read, cut, 1.0))
            plan = replace(plan, timeline="")  # all else stands meanwhile
        return plan_edit(
            plan, workbench.catalog, shoot, self.folder, self._cuts, workbench.shelf.records
        )

    def _on_cut(self, _read: object) -> None:
        """The cut was read, or can't be: plan it in."""
        if self._is_active:
            self.refresh()
        else:
            self._is_stale = True

    def _ask(self) -> None:
        planned = self.planned
        if planned is not None and planned.chosen is not None:
            shoot, catalog = self._workbench.document.shoot, self._workbench.catalog
            self._helper.request(lambda: (planned, helps_for(planned, catalog, shoot)))

    def _on_helps(self, found: tuple[PlannedEdit, tuple[Help, ...]]) -> None:
        planned, helps = found
        if planned is self.planned:  # else it was reckoned for a plan that is gone
            self.helps = helps
            self.helped.emit()

    # Edits, all undone with the shoot's

    def edit(self, plan: EditPlan, told: str) -> None:
        """Make *plan* the shoot's."""
        document = self._workbench.document
        document.edit(replace(document.shoot, edit=plan), told)

    def choose(self, name: str) -> None:
        """Look at the store called *name*."""
        if name != (self.plan.store.name if self.plan.store else ""):
            self.edit(replace(self.plan, chosen=name), f"{name} chosen")

    def remove_store(self, name: str) -> None:
        """Take a store out of the plan; undo brings it back."""
        rest = tuple(each for each in self.plan.stores if each.name != name)
        self.edit(replace(self.plan, stores=rest, chosen=""), f"{name} removed")

    def put_store(self, store: StoreSetup, in_place_of: str, told: str) -> None:
        """Add a store, or put it in the place of the one of that name."""
        self.edit(self.plan.with_store(store, in_place_of), told)

    def shelve(self, store: StoreSetup, tag: str, *, updates: bool = False) -> None:
        """Put *store* on the shelf as the unit *tag*, or bring that unit up to date.

        Raises BadValueError, UnknownPartError and BadFileError, with nothing changed.
        """
        bench = self._workbench
        asked = shelved(store, tag, bench.catalog, bench.shelf, updates=updates)
        bench.units.keep(asked.unit, asked.before, asked.drive)
        tag = asked.unit.tag.strip()
        if tag != store.unit_tag:
            self.put_store(replace(store, unit_tag=tag), store.name, f"{tag} on the shelf")
