"""Cards that wait to be copied: one after the other, in an order that can be changed."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from vastcellar.core.roll.copies import WipeRule
from vastcellar.services.roll.follow import CopyEnded, CopyRefused
from vastcellar.ui.models.copy_job import CopyJob


@dataclass(frozen=True, slots=True)
class CopyAsked:
    """A card, where it is to be copied to, and how."""

    source: Path
    targets: tuple[Path, ...]
    name: str
    algorithm: str
    rule: WipeRule
    who: str = ""

    @property
    def title(self) -> str:
        """What the card is called."""
        return self.name or self.source.name


class CopyQueue(QObject):
    """Begins the next card when one is over. After a cancelled one it waits to be told."""

    changed = Signal()
    begun = Signal(object)  # CopyAsked

    def __init__(self, job: CopyJob, data: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._job, self._data = job, data
        self.waiting: list[CopyAsked] = []
        self._is_stopped = False
        job.ended.connect(self._on_ended)

    def add(self, asked: CopyAsked) -> None:
        """Begin *asked*, or let it wait until what is being copied is over."""
        if self._job.is_running:
            self.waiting.append(asked)
            self.changed.emit()
        else:
            self._begin(asked)

    def first(self, number: int) -> None:
        """Let a card that waits be the next, or begin it where nothing is being copied."""
        asked = self.waiting.pop(number)
        if self._job.is_running:
            self.waiting.insert(0, asked)
        else:
            self._begin(asked)
        self.changed.emit()

    def remove(self, number: int) -> None:
        """Take a card that waits out again; nothing of it was begun."""
        del self.waiting[number]
        self.changed.emit()

    def stop(self) -> None:
        """Begin nothing more: the window is closing."""
        self._is_stopped = True
        self.waiting.clear()

    def _begin(self, asked: CopyAsked) -> None:
        self.begun.emit(asked)
        self._job.start(
            asked.source, asked.targets, asked.name, asked.algorithm, self._data, asked.rule,
            asked.who,
        )  # fmt: skip
        self.changed.emit()

    def _on_ended(self, ended: CopyEnded | CopyRefused) -> None:
        is_cancelled = isinstance(ended, CopyEnded) and ended.is_cancelled
        if self.waiting and not is_cancelled and not self._is_stopped:
            self._begin(self.waiting.pop(0))
        self.changed.emit()
