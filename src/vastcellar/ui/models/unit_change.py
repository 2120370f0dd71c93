"""Units that were added or changed, as steps that can be undone."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtGui import QUndoCommand

from vastcellar.core.parts.units import Unit


class UnitChange(QUndoCommand):
    """Changes what differs, and back; what others changed since stays, or is said."""

    def __init__(self, change: Callable[[Unit, Unit], None], before: Unit, after: Unit) -> None:
        super().__init__(f"change of {before.tag}")
        self._change, self._before, self._after = change, before, after

    def redo(self) -> None:
        self._change(self._before, self._after)

    def undo(self) -> None:
        self._change(self._after, self._before)


class UnitAdded(QUndoCommand):
    """Puts a unit on the shelf; undone it never was there, unless something is known of it."""

    def __init__(
        self, add: Callable[[Unit], None], remove: Callable[[Unit], None], unit: Unit
    ) -> None:
        super().__init__(f"adding {unit.tag}")
        self._add, self._remove, self._unit = add, remove, unit

    def redo(self) -> None:
        self._add(self._unit)

    def undo(self) -> None:
        self._remove(self._unit)


class UnitsListed(QUndoCommand):
    """Units of somebody's list; the first time they stand there already."""

    def __init__(
        self, text: str, take: Callable[[], object], take_back: Callable[[], object]
    ) -> None:
        super().__init__(text)
        self._take, self._take_back, self._is_first = take, take_back, True

    def redo(self) -> None:
        if not self._is_first:
            self._take()
        self._is_first = False

    def undo(self) -> None:
        self._take_back()
