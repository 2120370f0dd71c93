"""The workbench: the open shoot, the shelf and the verdicts that follow, joined."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QUndoGroup, QUndoStack

from vastcellar.core.errors import VastCellarError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.shoot.shoot import Camera, with_tag_changed
from vastcellar.core.shoot.shoot_plan import CameraPlan, plan_shoot
from vastcellar.core.verdict.judgement import Judgement
from vastcellar.services.match.matching import setup_for_unit
from vastcellar.services.shoot.planning import PlannedShoot
from vastcellar.services.sums.need_sums import copies_sum, day_sum
from vastcellar.services.sums.setup_sums import Sum, sums_of
from vastcellar.services.sums.unit_sums import unit_sum
from vastcellar.services.workplace.workplace import Shelf, Workplace
from vastcellar.ui.look import Look
from vastcellar.ui.models.document import ShootDocument
from vastcellar.ui.models.plugged import Plugged
from vastcellar.ui.models.units_desk import UnitsDesk
from vastcellar.ui.models.verdicts import Verdicts

if TYPE_CHECKING:
    # Loaded when they are first needed: a window that only plans does without.
    from vastcellar.services.plugged.seen import PluggedIn, SeenDevice


class Workbench(QObject):
    """What every station reads; edits of units are asked of *units*, of the shoot of *document*."""

    judged = Signal()
    """Verdicts, sums or the subject changed."""
    shelf_changed = Signal()
    sum_asked = Signal(str)
    unit_asked = Signal(str)
    """The record of a unit is asked for, as by the code on its label: its tag."""
    sums_changed = Signal()
    trouble = Signal(object)
    station_asked = Signal(str)
    """Another station is the next step: its key."""
    tests_asked = Signal(object)
    """TestsAsked: what a duty asks of a unit comes next; Prove must be open by then."""
    measure_asked = Signal()
    """A plugged-in device is to be measured: ``to_measure``."""

    def __init__(self, workplace: Workplace, document: ShootDocument, look: Look) -> None:
        super().__init__()
        self.document = document
        self.look = look
        self.units = UnitsDesk(workplace, self)
        self.verdicts = Verdicts(document.shoot, workplace.catalog, self)
        self._is_stopped = False
        self.undo_group = QUndoGroup(self)
        for stack in (document.undo_stack, self.units.undo_stack):
            self.undo_group.addStack(stack)
        self.undo_group.setActiveStack(document.undo_stack)
        document.undo_stack.indexChanged.connect(self._after_shoot_edit)
        self.units.undo_stack.indexChanged.connect(self._after_cellar_edit)
        self._station_sums: dict[str, Sum] = {}
        self.plugged = Plugged(self, workplace, self._beside_shelf)
        self.shelf_changed.connect(self.plugged.place)
        self.to_measure: tuple[SeenDevice, Path] | None = None
        """The device that somebody asked to measure, and the folder on it."""
        self.day = 1
        """The day that the sums are about, from 1."""
        self.units.read.connect(self._on_shelf)
        self.units.parts_changed.connect(self._judge)
        self.units.renamed.connect(self._on_renamed)
        self.units.trouble.connect(self.trouble)
        self.verdicts.judged.connect(self.judged)
        self.verdicts.trouble.connect(self.trouble)
        # Several edits of one moment are judged once.
        self._judge_soon = QTimer(self, singleShot=True, interval=0)
        self._judge_soon.timeout.connect(self._judge)
        document.changed.connect(self._judge_soon.start)
        document.subject_changed.connect(self._judge_soon.start)

    def _after_shoot_edit(self) -> None:
        self._undo_in(self.document.undo_stack, self.units.undo_stack)

    def _after_cellar_edit(self) -> None:
        self._undo_in(self.units.undo_stack, self.document.undo_stack)

    def _undo_in(self, last: QUndoStack, other: QUndoStack) -> None:
        """Let undo take back what was done last, wherever that was."""
        self.undo_group.setActiveStack(last if last.canUndo() or not other.canUndo() else other)

    @property
    def workplace(self) -> Workplace:
        """Catalog and cellar."""
        return self.units.workplace

    @property
    def catalog(self) -> Catalog:
        """The catalog in force."""
        return self.workplace.catalog

    @property
    def shelf(self) -> Shelf:
        """Units and runs as they were last read."""
        return self.units.shelf

    @property
    def subject(self) -> Camera | None:
        """The camera that every station is about."""
        return self.document.subject

    @property
    def judgements(self) -> dict[str, Judgement]:
        """The verdicts, by camera."""
        return self.verdicts.by_camera

    @property
    def judgement(self) -> Judgement | None:
        """The verdict on the subject."""
        camera = self.subject
        return self.judgements.get(camera.key) if camera else None

    @property
    def planned(self) -> PlannedShoot:
        """The plan of the open shoot, its copies held against the shelf."""
        return self.verdicts.planned

    def _beside_shelf(self, devices: tuple[PluggedIn, ...]) -> Callable[[], tuple[SeenDevice, ...]]:
        from vastcellar.services.plugged.seen import beside_shelf

        return partial(beside_shelf, devices, self.shelf, self.catalog)

    def measure_stage(self, bytes_per_s: float) -> None:
        """Keep what somebody says the subject's bridge or interface carries; 0 forgets it.

        Raises BadValueError for what can't have been measured there.
        """
        if self.judgement and self.judgement.chain:
            self.units.keep_measured_stage(self.judgement.chain, bytes_per_s)

    def ask_to_measure(self, device: SeenDevice, folder: Path) -> None:
        """Say that *device* is to be measured in *folder*: Prove opens on it."""
        self.to_measure = device, folder
        self.measure_asked.emit()

    def assign(self, camera_key: str, tag: str) -> None:
        """Let a camera record to the unit *tag*, the best way it can. Announces what can't be."""
        unit = self.shelf.unit(tag)
        if unit is None:
            return
        shoot = self.document.shoot
        try:
            camera = shoot.camera(camera_key)
            setup = setup_for_unit(shoot, camera, unit, self.catalog, self.shelf)
        except VastCellarError as error:
            self.trouble.emit(error)
            return
        self.document.edit_camera(replace(camera, setup=setup), f"{tag} for {camera_key}")

    def what_if_plan(self, camera: Camera) -> CameraPlan:
        """Return what *camera* would come to in the open shoot, which stays as it is."""
        return plan_shoot(replace(self.document.shoot, cameras=(camera,))).cameras[0]

    def stop(self) -> None:
        """Ask for nothing more: the cellar is about to be let go."""
        # Stacks say that they are empty while they are taken down, one after the other.
        if not self._is_stopped:
            self.document.undo_stack.indexChanged.disconnect(self._after_shoot_edit)
            self.units.undo_stack.indexChanged.disconnect(self._after_cellar_edit)
        self._is_stopped = True
        self.plugged.stop()
        self.verdicts.stop()
        self.units.stop()

    def _on_renamed(self, before: str, after: str) -> None:
        renamed = with_tag_changed(self.document.shoot, before, after)
        self.document.edit(renamed, f"{before} is called {after}")

    def _on_shelf(self) -> None:
        self.shelf_changed.emit()
        self._judge()

    def _judge(self) -> None:
        shoot = self.document.shoot
        self.verdicts.judge(shoot, self.subject, self.catalog, self.shelf)

    def sums(self) -> dict[str, Sum]:
        """Return the sums behind the figures of the subject, and of the unit on the shelf."""
        camera, judgement = self.subject, self.judgement
        ambient_c, numbers = self.document.shoot.ambient_c, self.look.numbers
        of_unit: dict[str, Sum] = {}
        unit = self.shelf.unit(self.units.chosen_tag)
        drive = self.catalog.drives.get(unit.drive_key) if unit else None
        if unit is not None and drive is not None:
            of_unit["unit"] = unit_sum(unit, drive, numbers)
        if camera is None or judgement is None:
            return {**of_unit, **self._station_sums}
        found = {**sums_of(judgement, camera, ambient_c, numbers), **of_unit}
        plan = next((p for p in self.planned.plan.cameras if p.camera.key == camera.key), None)
        if plan is not None and self.day <= self.planned.shoot.days:
            found["day"] = day_sum(plan, self.day, numbers)
        found["copies"] = copies_sum(self.planned, numbers)
        return {**found, **self._station_sums}

    def show_sums(self, sums: dict[str, Sum]) -> None:
        """Have the sums of a station's own figures, by keys that no other has, in the drawer."""
        self._station_sums = sums
        self.sums_changed.emit()
