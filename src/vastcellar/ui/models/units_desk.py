"""The units of the shelf and the parts they are made of: read, changed, bound, calibrated."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QUndoStack

from vastcellar.core.chain.chain import Chain
from vastcellar.core.errors import VastCellarError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.parts import Drive
from vastcellar.core.parts.units import Unit
from vastcellar.services.workplace.measured_stages import keep_or_forget, measured_device
from vastcellar.services.workplace.own_catalog import Own, parts_in
from vastcellar.services.workplace.own_drives import with_drive
from vastcellar.services.workplace.own_units import checked_unit
from vastcellar.services.workplace.rescuing import Rescued, keep_rescued
from vastcellar.services.workplace.workplace import Shelf, Workplace
from vastcellar.ui.models.background import Background, Writer
from vastcellar.ui.models.unit_change import UnitAdded, UnitChange, UnitsListed

if TYPE_CHECKING:
    # Loaded when they are first needed: a window that only plans does without.
    from vastcellar.services.cellar.unit_lists import ListedUnits
    from vastcellar.services.proving.binding import BindingQuestion
    from vastcellar.services.proving.flat_proving import FlatProof
    from vastcellar.services.proving.new_unit import KeptUnit, MeasuredDevice


_LOOK_MS = 2000
"""How often is looked whether somebody else has changed the cellar: one number is read."""
_NEVER = -1
_CHECK_AFTER_MS = 4000
"""Once the window stands: reading all of a large cellar takes a second of the disk."""


@dataclass(frozen=True)
class _Read:
    """What was read of the cellar, and how often it had been written before."""

    changes: int
    workplace: Workplace
    shelf: Shelf
    trouble: VastCellarError | None
    """What kept parts of other desks from coming along."""


class UnitsDesk(QObject):
    """Holds the workplace and its shelf; every edit of them goes through here."""

    read = Signal()
    """The shelf was read anew."""
    parts_changed = Signal()
    """The catalog has other parts."""
    renamed = Signal(str, str)
    """A unit is called otherwise: its tag before, and now."""
    chosen = Signal()
    """Another unit of the shelf is looked at."""
    made = Signal(object)
    """A KeptUnit, or the VastCellarError that stood in its way."""
    calibrated = Signal(object)
    """Calibrated, or the VastCellarError that stood in its way."""
    trouble = Signal(object)
    back = Signal()
    """The cellar answers again, after it was said that it doesn't."""

    def __init__(self, workplace: Workplace, parent: QObject) -> None:
        super().__init__(parent)
        self.workplace = workplace
        self._asked_of = workplace
        """That the shelf which is being read is of: a part saved meanwhile isn't taken back."""
        self.shelf = Shelf()
        self.chosen_tag = ""
        """The unit that is chosen on the shelf."""
        self.undo_stack = QUndoStack(self)
        """Edits of the cellar; those of the shoot have their own."""
        self._reader, self._checker = Background(self), Background(self)
        self._looker = Background(self)
        self._seen_changes: int | None = None
        """How often the cellar had been written when it was last read; None before it was."""
        self._is_reading = self._is_looking = self._is_gone = False
        self._told = ""
        """What was said last to be in the way of reading."""
        self._calibrator, self._maker = Background(self), Background(self)
        self._writer = Writer(self)
        for work, done, failed in (
            (self._reader, self._on_shelf, self._on_unread),
            (self._calibrator, self._on_calibrated, self.calibrated),
            (self._maker, self._on_made, self.made),
            (self._writer, self._on_written, self.trouble),
        ):
            work.done.connect(done)
            work.failed.connect(failed)
        self._checker.done.connect(self._on_checked)
        self._looker.done.connect(self._on_looked)
        self._looker.failed.connect(self._on_gone)
        self._look_timer = QTimer(self, interval=_LOOK_MS)
        self._look_timer.timeout.connect(self.look)
        self._look_timer.start()
        QTimer.singleShot(_CHECK_AFTER_MS, self, self._check_cellar)

    @property
    def catalog(self) -> Catalog:
        """The catalog in force."""
        return self.workplace.catalog

    @property
    def seen_changes(self) -> int | None:
        """How often the cellar had been written when the shelf was read; None before it was, and
        while it doesn't answer: whoever asks it then waits."""
        return None if self._is_reading or self._is_gone else self._seen_changes

    def show_seen(self, shelf: Shelf, changes: int) -> None:
        """Show *shelf* as it was when the cellar had been written *changes* times.

        Whether that still holds is asked once the window stands.
        """
        self.shelf, self._seen_changes = shelf, changes
        self.read.emit()
        if self.workplace.cellar.path is None:  # others may have written since: ask at once
            QTimer.singleShot(0, self, self.look)

    def reload(self) -> None:
        """Read units and runs anew, off the interface thread."""
        workplace = self._asked_of = self.workplace
        self._is_reading = True

        def read() -> _Read:
            changes = workplace.cellar.change_count()  # before: what is written meanwhile is seen
            known, trouble = workplace, None
            try:
                known = workplace.with_others_parts()
            except VastCellarError as error:
                trouble = error  # units are shown all the same
            shelf = known.shelf()
            _ = shelf.standing_proofs  # worked out here once, and not while the shelf is drawn
            return _Read(changes, known, shelf, trouble)

        self._reader.request(read)

    def look(self) -> None:
        """See whether another window or desk has written to the cellar, and read it if so.

        Not while it is being read: where somebody writes all the time, no reading would ever end.
        """
        if not self._is_reading and self._seen_changes is not None and not self._is_looking:
            self._is_looking = True
            self._looker.request(self.workplace.cellar.change_count)

    def _on_looked(self, changes: int) -> None:
        self._is_looking = False
        if self._is_gone:
            self._is_gone = False
            self.back.emit()
            self.reload()
        elif changes != self._seen_changes:
            self.reload()

    def _on_gone(self, error: object) -> None:
        """Say that the cellar doesn't answer; it is asked on."""
        self._is_looking = False
        self._is_gone = True
        self._say_once(error)

    def _say_once(self, error: object) -> None:
        """Say what is in the way, and not again every two seconds until it is out of it."""
        if str(error) != self._told:
            self._told = str(error)
            self.trouble.emit(error)

    def stop(self) -> None:
        """Ask for nothing more, and wait for what is being written."""
        self._look_timer.stop()
        for each in (self._maker, self._reader, self._checker, self._calibrator, self._looker):
            each.stop()
        self._writer.stop()

    def choose(self, tag: str) -> None:
        """Make *tag* the unit that the shelf is about."""
        if tag != self.chosen_tag:
            self.chosen_tag = tag
            self.chosen.emit()

    def keep(self, unit: Unit, before: Unit | None = None, own_drive: Drive | None = None) -> None:
        """Put *unit* on the shelf, or in place of *before*; the open shoot follows a new tag.

        *own_drive* is what it is where that was described with it, and goes into the catalog.
        Raises BadValueError, UnknownPartError, BadFileError.
        """
        known = with_drive(self.catalog, own_drive) if own_drive else self.catalog
        kept = checked_unit(unit, known, self.shelf, before)
        if own_drive is not None:
            self.keep_part(own_drive)
        if before is None:
            self.undo_stack.push(UnitAdded(self._add, self._remove, kept))
            return
        self.undo_stack.push(UnitChange(self.change, before, kept))

    def change(self, before: Unit, after: Unit) -> None:
        """Put *after* in place of *before*; the open shoot follows a new tag."""
        self._write(partial(self.workplace.cellar.change_unit, before, after))
        if after.tag != before.tag:
            self.renamed.emit(before.tag, after.tag)

    def _add(self, unit: Unit) -> None:
        self._write(partial(self.workplace.cellar.add_unit, unit))

    def _remove(self, unit: Unit) -> None:
        self._write(partial(self.workplace.cellar.remove_unit, unit.tag))

    def bind(self, question: BindingQuestion) -> None:
        """Bind a unit to the device that was asked about. Raises CellarError."""
        from vastcellar.services.proving.binding import bind

        bind(self.workplace, question)  # one short write: the run that follows must find it done
        self.reload()

    def release(self, tag: str) -> None:
        """Let a unit be bound to a device anew."""
        from vastcellar.services.proving.binding import release

        self._write(partial(release, self.workplace, tag))

    def calibrate(self, tag: str) -> None:
        """Fit a unit's model to its runs and judge anew; the outcome is announced."""
        from vastcellar.services.runs.calibrating import calibrate_unit

        self._calibrator.request(partial(calibrate_unit, self.workplace, tag))

    def forget_calibration(self, tag: str) -> None:
        """Go back to the typical figures for a unit."""
        from vastcellar.services.runs.calibrating import forget_calibration

        self._write(partial(forget_calibration, self.workplace, tag))

    def make(self, measured: MeasuredDevice, proof: FlatProof, tag: str, class_key: str) -> None:
        """Keep a device that was measured as a unit, with its run; the outcome is announced."""
        from vastcellar.services.proving.new_unit import keep_as_unit

        workplace = self.workplace
        self._maker.request(partial(keep_as_unit, workplace, measured, proof, tag, class_key))

    def keep_rescued(self, runs: tuple[Rescued, ...]) -> None:
        """Put runs into the cellar that it couldn't take before."""
        for each in runs:
            self._write(partial(keep_rescued, self.workplace, each))

    def keep_measured_stage(self, chain: Chain, bytes_per_s: float) -> None:
        """Keep what somebody says the bridge or interface of *chain* carries; 0 forgets it.

        Raises BadValueError for what can't have been measured there.
        """
        measured = measured_device(chain, bytes_per_s or 1.0, is_stated=True)
        self._write(partial(keep_or_forget, self.workplace, measured, keep=bytes_per_s > 0))

    def keep_part(self, own: Own) -> None:
        """Add a codec or part of one's own to the catalog. Raises BadFileError, CellarError."""
        self._use(self.workplace.with_own([own]))

    def import_parts(self, path: Path) -> int:
        """Take over the parts in a CSV or JSON file; return how many.

        Raises BadFileError, CellarError.
        """
        parts = parts_in(path, self.workplace.folders)
        self._use(self.workplace.with_own(parts))
        return len(parts)

    def _use(self, workplace: Workplace) -> None:
        self.workplace = workplace
        self.parts_changed.emit()

    def keep_list(self, listed: ListedUnits, text: str) -> None:
        """Put the units of somebody's list on the shelf, as one step that can be undone.

        Raises CellarError; BadValueError for a tag that is taken meanwhile.
        """
        from vastcellar.services.cellar.unit_lists import take_list, take_list_back

        workplace = self.workplace
        take_list(workplace, listed)  # refused, it is for whoever asked
        self.undo_stack.push(
            UnitsListed(
                text,
                lambda: self._write(partial(take_list, workplace, listed)),
                lambda: self._write(partial(take_list_back, workplace, listed)),
            )
        )
        self.reload()

    def _write(self, call: Callable[[], object]) -> None:
        self._writer.request(call)

    def _on_written(self, _nothing: object) -> None:
        self.reload()

    def _on_unread(self, error: object) -> None:
        """Say why it couldn't be read; it is looked at on, and read when it answers."""
        self._is_reading = False
        self._seen_changes = _NEVER
        self._say_once(error)

    def _on_shelf(self, found: _Read) -> None:
        self._is_reading = False
        self._seen_changes, self.shelf = found.changes, found.shelf
        if found.trouble is None:
            self._told = ""
        else:
            self._say_once(found.trouble)
        known = found.workplace
        if known.catalog is not self.workplace.catalog and self._asked_of is self.workplace:
            self._use(known)
        self.read.emit()

    def _on_made(self, made: KeptUnit) -> None:
        self._use(replace(self.workplace, catalog=made.catalog))
        self.made.emit(made)
        self.reload()

    def _on_calibrated(self, made: object) -> None:
        self.calibrated.emit(made)
        self.reload()

    def _check_cellar(self) -> None:
        """Read the whole file once, beside everything else: damage is told before it matters."""
        from vastcellar.services.cellar.keeping import damage_of

        path = self.workplace.cellar.path
        if path is not None:  # a server looks after its own pages
            self._checker.request(partial(damage_of, path))

    def _on_checked(self, damage: VastCellarError | None) -> None:
        if damage is not None:
            self.trouble.emit(damage)
