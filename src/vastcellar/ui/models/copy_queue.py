"""Cards that are copied, several at once where each has a reader, and cards that wait."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from vastcellar.core.errors import VastCellarError
from vastcellar.services.proving.places import drive_key
from vastcellar.services.roll.follow import CopyEnded, CopyRefused
from vastcellar.ui.models.background import Background
from vastcellar.ui.models.copy_job import CopyAsked, CopyJob


class CopyQueue(QObject):
    """Begins the next card when there is room for it. After a cancelled one it waits to be told.

    So many go at once as the shoot's rules say; never two of one medium, which would only jump to
    and fro between them, and never two into one folder.
    """

    changed = Signal()
    begun = Signal(object)  # CopyJob
    ended = Signal(object)  # CopyJob

    def __init__(
        self, data: Path, most_at_once: Callable[[], int], parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._data, self._most_at_once = data, most_at_once
        self.running: list[CopyJob] = []
        self.waiting: list[CopyAsked] = []
        self._drives: dict[Path, str] = {}
        """The drive that each card's folder lies on, once it was asked for."""
        self._is_held = self._is_stopped = False
        self._asker = Background(self)
        self._asker.done.connect(self._on_drives)

    @property
    def is_busy(self) -> bool:
        """Whether a card is being copied."""
        return bool(self.running)

    def add(self, asked: CopyAsked) -> None:
        """Begin *asked*, or let it wait until there is room for it."""
        self._is_held = False
        if self.running:
            self.waiting.append(asked)
            self.go_on()
        else:
            self._begin(asked)

    def first(self, number: int) -> None:
        """Let a card that waits be the next, or begin it where nothing is being copied."""
        self._is_held = False
        asked = self.waiting.pop(number)
        if self.running:
            self.waiting.insert(0, asked)
            self.go_on()
        else:
            self._begin(asked)

    def remove(self, number: int) -> None:
        """Take a card that waits out again; nothing of it was begun."""
        del self.waiting[number]
        self.changed.emit()

    def stop(self) -> None:
        """Begin nothing more and end what runs: the window is closing."""
        self._is_stopped = True
        self._asker.stop()
        self.waiting.clear()
        for job in self.running:
            job.close()
        for job in list(self.running):
            job.wait()

    def _begin(self, asked: CopyAsked) -> None:
        job = CopyJob(asked, self)
        self.running.append(job)
        job.ended.connect(partial(self._on_ended, job))
        self.begun.emit(job)
        job.start(self._data)
        self.go_on()

    def _on_ended(self, job: CopyJob, ended: CopyEnded | CopyRefused) -> None:
        self.running.remove(job)
        self._drives.pop(job.asked.source, None)  # another card may lie there by then
        if isinstance(ended, CopyEnded) and ended.is_cancelled:
            self._is_held = True
        self.ended.emit(job)
        self.go_on()

    def go_on(self) -> None:
        """Begin what may begin; what lies on which drive is asked off the interface thread."""
        self.changed.emit()
        if self._is_held or self._is_stopped or not self.waiting:
            return
        if not self.running:
            self._begin(self.waiting.pop(0))
        elif len(self.running) < self._most_at_once():
            sources = [each.asked.source for each in self.running]
            sources += [each.source for each in self.waiting]
            self._asker.request(partial(_drives_of, sources))

    def _on_drives(self, drives: dict[Path, str]) -> None:
        self._drives.update(drives)
        if self._is_held or len(self.running) >= self._most_at_once():
            return
        asked = next((each for each in self.waiting if self._may_begin(each)), None)
        if asked is not None:
            self.waiting.remove(asked)
            self._begin(asked)

    def _may_begin(self, asked: CopyAsked) -> bool:
        """Whether its drive is known and another's, and nobody else makes its folders."""
        drive = self._drives.get(asked.source)
        return drive is not None and not any(
            self._drives.get(job.asked.source) in (None, drive) or job.asked.places & asked.places
            for job in self.running
        )


def _drives_of(sources: Iterable[Path]) -> dict[Path, str]:
    """Return what each folder lies on; one that can't be reached lies on nothing else's drive."""
    found = {}
    for source in sources:
        try:
            found[source] = drive_key(source.resolve())
        except (OSError, RuntimeError, ValueError, VastCellarError):
            found[source] = f"nowhere: {source}"  # its own copy says what is wrong with it
    return found
