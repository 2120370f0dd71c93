"""What the Cellar shows: all that is known and found, worked out off the interface thread."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QUndoCommand

from vastcellar.core.cellar.findings import Finding
from vastcellar.core.errors import VastCellarError
from vastcellar.services.cellar.bays import Bay, bays_of
from vastcellar.services.cellar.bookings import Planned, planned_jobs
from vastcellar.services.cellar.finding_wording import FindingWords, finding_words
from vastcellar.services.cellar.searching import SearchShelf, search_shelf
from vastcellar.services.cellar.unit_edits import Noted, take_back
from vastcellar.services.cellar.unit_memory import Remembered, UnitMemory
from vastcellar.ui.models.background import Background
from vastcellar.ui.models.workbench import Workbench


@dataclass(frozen=True)
class CellarShown:
    """The shelf as it is shown, as of one moment."""

    known: Remembered
    bays: tuple[Bay, ...]
    search: SearchShelf
    planned: Planned


class _Note(QUndoCommand):
    """Something that was written to the cellar; undone it never was."""

    def __init__(self, desk: CellarDesk, text: str, do: Callable[[], Any]) -> None:
        super().__init__(text)
        self._desk, self._do = desk, do
        self._done: Any = None
        self._is_first = True

    def redo(self) -> None:
        self._done = self._desk.carry_out(self._do, is_first=self._is_first)
        self._is_first = False
        if self._done is None:
            self.setObsolete(True)

    def undo(self) -> None:
        done, place = self._done, self._desk.workbench.workplace
        if isinstance(done, Noted):
            self._desk.carry_out(lambda: take_back(place, done.event_id))
        elif done is not None:
            self._desk.carry_out(done)


class CellarDesk(QObject):
    """Holds what is known of the shelf; says when it is worked out anew."""

    changed = Signal()

    def __init__(self, workbench: Workbench, parent: QObject) -> None:
        super().__init__(parent)
        self.workbench = workbench
        self.shown: CellarShown | None = None
        self._memory = UnitMemory()
        self._refusal: VastCellarError | None = None
        self._reckoner = Background(self)
        self._reckoner.done.connect(self._on_shown)
        self._reckoner.failed.connect(workbench.trouble)
        self._soon = QTimer(self, singleShot=True, interval=0)
        self._soon.timeout.connect(self._reckon)
        workbench.shelf_changed.connect(self._soon.start)
        workbench.document.changed.connect(self._soon.start)
        self._soon.start()

    def stop(self) -> None:
        """Ask for nothing more: the cellar is about to be let go."""
        self._soon.stop()
        self._reckoner.stop()

    def words(self, finding: Finding) -> FindingWords | None:
        """Return a finding in words; None where its unit is gone meanwhile."""
        facts = self.shown.known.facts.get(finding.tag) if self.shown else None
        if facts is None:
            return None
        bench = self.workbench
        return finding_words(finding, facts, bench.catalog, bench.look.numbers)

    def note(self, text: str, do: Callable[[], Any]) -> None:
        """Write something to the cellar as one step that can be undone. Raises what refuses it.

        *do* returns a Noted, or what takes it back.
        """
        self.workbench.units.undo_stack.push(_Note(self, text, do))
        error, self._refusal = self._refusal, None
        if error is not None:
            raise error

    def carry_out(self, call: Callable[[], Any], *, is_first: bool = False) -> Any:
        """Write to the cellar and show it; None where it was refused.

        A refusal of the *first* time is for whoever asked; a later one is announced.
        """
        try:
            done = call()
        except VastCellarError as error:
            if is_first:
                self._refusal = error
            else:
                self.workbench.trouble.emit(error)
            return None
        self.workbench.units.reload()
        return done

    def _reckon(self) -> None:
        bench = self.workbench
        shelf, shoot, workplace = bench.shelf, bench.document.shoot, bench.workplace
        memory, catalog, numbers = self._memory, bench.catalog, bench.look.numbers

        def work() -> CellarShown:
            today = date.today()
            known = memory.remember(shelf, catalog, today, is_demo=workplace.is_demo, shoot=shoot)
            return CellarShown(
                known,
                bays_of(known, catalog, today, numbers),
                search_shelf(known, catalog, today),
                planned_jobs(workplace, shelf, today) if shelf.units else Planned(),
            )

        self._reckoner.request(work)

    def _on_shown(self, shown: CellarShown) -> None:
        self.shown = shown
        self.changed.emit()
