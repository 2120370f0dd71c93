"""The workbench: catalog, shelf and the open shoot together, and the verdicts that follow."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QUndoGroup, QUndoStack

from vastcellar.core.candidates.mends import Mends
from vastcellar.core.errors import VastCellarError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.parts import Drive
from vastcellar.core.parts.units import Unit
from vastcellar.core.shoot.shoot import Camera, with_tag_changed
from vastcellar.core.shoot.shoot_plan import CameraPlan, plan_shoot
from vastcellar.core.verdict.judgement import Judgement
from vastcellar.services.match.judging import judge_camera, mends_for
from vastcellar.services.match.matching import setup_for_unit
from vastcellar.services.proving.binding import BindingQuestion, bind, release
from vastcellar.services.runs.calibrating import calibrate_unit, forget_calibration
from vastcellar.services.shoot.planning import planned
from vastcellar.services.sums.need_sums import copies_sum, day_sum
from vastcellar.services.sums.setup_sums import Sum, sums_of
from vastcellar.services.sums.unit_sums import unit_sum
from vastcellar.services.workplace.measured_stages import keep_or_forget, measured_device
from vastcellar.services.workplace.own_catalog import Own, import_parts, save_own
from vastcellar.services.workplace.own_drives import with_drive
from vastcellar.services.workplace.own_units import checked_unit
from vastcellar.services.workplace.rescuing import Rescued, keep_rescued
from vastcellar.services.workplace.workplace import Shelf, Workplace
from vastcellar.ui.look import Look
from vastcellar.ui.models.background import Background
from vastcellar.ui.models.document import ShootDocument
from vastcellar.ui.models.plugged import Plugged
from vastcellar.ui.models.unit_change import UnitChange

if TYPE_CHECKING:
    # Loaded when they are first needed: a window that only plans does without.
    from vastcellar.services.plugged.seen import PluggedIn, SeenDevice
    from vastcellar.services.proving.flat_proving import FlatProof
    from vastcellar.services.proving.new_unit import KeptUnit, MeasuredDevice


_CHECK_AFTER_MS = 4000
"""Once the window stands: reading all of a large cellar takes a second of the disk."""


class Workbench(QObject):
    """What every station reads: verdicts by camera, mends and sums of the subject."""

    judged = Signal()
    """Verdicts, sums or the subject changed."""
    mended = Signal()
    """The mends of the subject were found."""
    shelf_changed = Signal()
    sum_asked = Signal(str)
    unit_asked = Signal(str)
    """The record of a unit is asked for, as by the code on its label: its tag."""
    sums_changed = Signal()
    unit_chosen = Signal()
    """Another unit of the shelf is looked at."""
    calibrated = Signal(object)
    """Calibrated, or the VastCellarError that stood in its way."""
    trouble = Signal(object)
    station_asked = Signal(str)
    """Another station is the next step: its key."""
    tests_asked = Signal(object)
    """TestsAsked: what a duty asks of a unit comes next; Prove must be open by then."""
    measure_asked = Signal()
    """A plugged-in device is to be measured: ``to_measure``."""
    unit_made = Signal(object)
    """A KeptUnit, or the VastCellarError that stood in its way."""

    def __init__(self, workplace: Workplace, document: ShootDocument, look: Look) -> None:
        super().__init__()
        self.workplace = workplace
        self.document = document
        self.look = look
        self.shelf = Shelf()
        self.judgements: dict[str, Judgement] = {}
        self.planned = planned(document.shoot, workplace.catalog, self.shelf)
        self.mends = Mends((), ())
        self.cellar_stack = QUndoStack(self)
        """Edits of the cellar; those of the shoot have their own."""
        self._is_stopped = False
        self.undo_group = QUndoGroup(self)
        for stack in (document.undo_stack, self.cellar_stack):
            self.undo_group.addStack(stack)
        self.undo_group.setActiveStack(document.undo_stack)
        document.undo_stack.indexChanged.connect(self._after_shoot_edit)
        self.cellar_stack.indexChanged.connect(self._after_cellar_edit)
        self._station_sums: dict[str, Sum] = {}
        self.shelf_tag = ""
        """The unit that is chosen on the shelf."""
        self.plugged = Plugged(self, workplace, self._beside_shelf)
        self.shelf_changed.connect(self.plugged.place)
        self.to_measure: tuple[SeenDevice, Path] | None = None
        """The device that somebody asked to measure, and the folder on it."""
        self.day = 1
        """The day that the sums are about, from 1."""
        self._mends_finder = Background(self)
        self._mends_finder.done.connect(self._on_mends)
        self._mends_finder.failed.connect(self.trouble)
        self._shelf_reader = Background(self)
        self._shelf_reader.done.connect(self._on_shelf)
        self._shelf_reader.failed.connect(self.trouble)
        self._cellar_writer = Background(self)
        self._cellar_writer.done.connect(self._on_written)
        self._cellar_writer.failed.connect(self.trouble)
        self._calibrator = Background(self)
        self._calibrator.done.connect(self._on_calibrated)
        self._calibrator.failed.connect(self.calibrated)
        self._unit_maker = Background(self)
        self._unit_maker.done.connect(self._on_unit_made)
        self._unit_maker.failed.connect(self.unit_made)
        self._checker = Background(self)
        self._checker.done.connect(self._on_checked)
        QTimer.singleShot(_CHECK_AFTER_MS, self, self._check_cellar)
        # Several edits of one moment are judged once.
        self._judge_soon = QTimer(self, singleShot=True, interval=0)
        self._judge_soon.timeout.connect(self._judge)
        document.changed.connect(self._judge_soon.start)
        document.subject_changed.connect(self._judge_soon.start)

    def _after_shoot_edit(self) -> None:
        self._undo_in(self.document.undo_stack, self.cellar_stack)

    def _after_cellar_edit(self) -> None:
        self._undo_in(self.cellar_stack, self.document.undo_stack)

    def _undo_in(self, last: QUndoStack, other: QUndoStack) -> None:
        """Let undo take back what was done last, wherever that was."""
        self.undo_group.setActiveStack(last if last.canUndo() or not other.canUndo() else other)

    @property
    def catalog(self) -> Catalog:
        """The catalog in force."""
        return self.workplace.catalog

    @property
    def subject(self) -> Camera | None:
        """The camera that every station is about."""
        return self.document.subject

    @property
    def judgement(self) -> Judgement | None:
        """The verdict on the subject."""
        camera = self.subject
        return self.judgements.get(camera.key) if camera else None

    def _beside_shelf(self, devices: tuple[PluggedIn, ...]) -> Callable[[], tuple[SeenDevice, ...]]:
        from vastcellar.services.plugged.seen import beside_shelf

        return partial(beside_shelf, devices, self.shelf, self.catalog)

    def _check_cellar(self) -> None:
        """Read the whole file once, beside everything else: damage is told before it matters."""
        if self._is_stopped:
            return
        from vastcellar.services.cellar.keeping import damage_of

        path = self.workplace.cellar.path
        self._checker.request(lambda: damage_of(path))

    def _on_checked(self, damage: VastCellarError | None) -> None:
        if damage is not None:
            self.trouble.emit(damage)

    def measure_stage(self, bytes_per_s: float) -> None:
        """Keep what somebody says the subject's bridge or interface carries; 0 forgets it.

        Raises BadValueError for what can't have been measured there.
        """
        chain = self.judgement.chain if self.judgement else None
        if chain is None:
            return
        measured = measured_device(chain, bytes_per_s or 1.0, is_stated=True)
        workplace, keep = self.workplace, bytes_per_s > 0
        self._cellar_writer.request(lambda: keep_or_forget(workplace, measured, keep=keep))

    def _on_written(self, _nothing: object) -> None:
        self.reload_shelf()

    def calibrate(self, unit_tag: str) -> None:
        """Fit a unit's model to its runs and judge anew; the outcome is announced."""
        workplace = self.workplace
        self._calibrator.request(lambda: calibrate_unit(workplace, unit_tag))

    def ask_to_measure(self, device: SeenDevice, folder: Path) -> None:
        """Say that *device* is to be measured in *folder*: Prove opens on it."""
        self.to_measure = device, folder
        self.measure_asked.emit()

    def make_unit(
        self, measured: MeasuredDevice, proof: FlatProof, tag: str, class_key: str
    ) -> None:
        """Keep a device that was measured as a unit, with its run; the outcome is announced."""
        from vastcellar.services.proving.new_unit import keep_as_unit

        workplace = self.workplace
        self._unit_maker.request(lambda: keep_as_unit(workplace, measured, proof, tag, class_key))

    def _on_unit_made(self, made: KeptUnit) -> None:
        self._use_catalog(made.catalog)
        self.unit_made.emit(made)
        self.reload_shelf()

    def forget_calibration(self, unit_tag: str) -> None:
        """Go back to the typical figures for a unit."""
        workplace = self.workplace
        self._cellar_writer.request(lambda: forget_calibration(workplace, unit_tag))

    def _on_calibrated(self, made: object) -> None:
        self.calibrated.emit(made)
        self.reload_shelf()

    def keep_unit(
        self, unit: Unit, before: Unit | None = None, own_drive: Drive | None = None
    ) -> None:
        """Put *unit* on the shelf, or in place of *before*; the open shoot follows a new tag.

        *own_drive* is what it is where that was described with it, and goes into the catalog.
        Raises BadValueError, UnknownPartError, BadFileError.
        """
        known = with_drive(self.catalog, own_drive) if own_drive else self.catalog
        kept = checked_unit(unit, known, self.shelf, before)
        if own_drive is not None:
            self.keep(own_drive)
        if before is None:
            cellar = self.workplace.cellar
            self._cellar_writer.request(lambda: cellar.add_unit(kept))
            return
        self.cellar_stack.push(UnitChange(self.change_unit, before, kept))

    def change_unit(self, before: Unit, after: Unit) -> None:
        """Put *after* in place of *before*; the open shoot follows a new tag."""
        cellar = self.workplace.cellar
        self._cellar_writer.request(lambda: cellar.change_unit(before, after))
        if after.tag != before.tag:
            renamed = with_tag_changed(self.document.shoot, before.tag, after.tag)
            self.document.edit(renamed, f"{before.tag} is called {after.tag}")

    def bind(self, question: BindingQuestion) -> None:
        """Bind a unit to the device that was asked about. Raises CellarError."""
        bind(self.workplace, question)  # one short write: the run that follows must find it done
        self.reload_shelf()

    def keep_rescued(self, runs: tuple[Rescued, ...]) -> None:
        """Put runs into the cellar that it couldn't take before."""
        workplace = self.workplace
        self._cellar_writer.request(lambda: [keep_rescued(workplace, each) for each in runs])

    def release(self, unit_tag: str) -> None:
        """Let a unit be bound to a device anew."""
        workplace = self.workplace
        self._cellar_writer.request(lambda: release(workplace, unit_tag))

    def keep(self, own: Own) -> None:
        """Add a codec or part of the user's own to the catalog. Raises BadFileError."""
        self._use_catalog(save_own([own], self.workplace.folders))

    def import_parts(self, path: Path) -> int:
        """Take over the parts in a CSV or JSON file; return how many. Raises BadFileError."""
        count, catalog = import_parts(path, self.workplace.folders)
        self._use_catalog(catalog)
        return count

    def _use_catalog(self, catalog: Catalog) -> None:
        self.workplace = replace(self.workplace, catalog=catalog)
        self._judge()

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

    def reload_shelf(self) -> None:
        """Read units and runs anew, off the interface thread."""
        workplace = self.workplace

        def read() -> Shelf:
            shelf = workplace.shelf()
            _ = shelf.standing_proofs  # worked out here once, and not while the shelf is drawn
            return shelf

        self._shelf_reader.request(read)

    def stop(self) -> None:
        """Ask for nothing more: the cellar is about to be let go."""
        # Stacks say that they are empty while they are taken down, one after the other.
        if not self._is_stopped:
            self.document.undo_stack.indexChanged.disconnect(self._after_shoot_edit)
            self.cellar_stack.indexChanged.disconnect(self._after_cellar_edit)
        self._is_stopped = True
        self.plugged.stop()
        self._unit_maker.stop()
        self._shelf_reader.stop()
        self._checker.stop()
        self._mends_finder.stop()
        self._calibrator.stop()

    def _on_shelf(self, shelf: Shelf) -> None:
        self.shelf = shelf
        self.shelf_changed.emit()
        self._judge()

    def _judge(self) -> None:
        shoot = self.document.shoot
        judgements = {}
        for each in shoot.cameras:
            try:
                judgements[each.key] = judge_camera(shoot, each, self.catalog, self.shelf)
            except VastCellarError as error:
                self.trouble.emit(error)
        self.judgements = judgements
        self.planned = planned(shoot, self.catalog, self.shelf)
        self.mends = Mends((), ())
        self.judged.emit()
        camera = self.subject
        if camera is not None and camera.setup is not None and camera.key in judgements:
            catalog, shelf = self.catalog, self.shelf
            self._mends_finder.request(lambda: mends_for(shoot, camera, catalog, shelf))

    def _on_mends(self, mends: Mends) -> None:
        self.mends = mends
        self.mended.emit()

    def sums(self) -> dict[str, Sum]:
        """Return the sums behind the figures of the subject, and of the unit on the shelf."""
        camera, judgement = self.subject, self.judgement
        ambient_c, numbers = self.document.shoot.ambient_c, self.look.numbers
        of_unit: dict[str, Sum] = {}
        unit = self.shelf.unit(self.shelf_tag)
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

    def choose_on_shelf(self, tag: str) -> None:
        """Make *tag* the unit that the shelf is about."""
        if tag != self.shelf_tag:
            self.shelf_tag = tag
            self.unit_chosen.emit()
