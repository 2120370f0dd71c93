"""A unit that was changed, as a step that can be undone."""

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
