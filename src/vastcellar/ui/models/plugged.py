"""What is plugged in, as the views see it: looked at every second, read anew when it changes."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

from vastcellar.ui.models.background import Background

if TYPE_CHECKING:
    # Loaded with the first look: a window that only plans does without.
    from vastcellar.services.plugged.seen import PluggedIn, SeenDevice, System
    from vastcellar.services.workplace.workplace import Workplace

_LOOK_MS = 1000
# A device is there before its file system is: what follows a change is read once more.
_READS_AFTER_CHANGE = 2


class Plugged(QObject):
    """The devices of this computer, or of the made-up one in a demo."""

    changed = Signal()
    trouble = Signal(object)

    def __init__(
        self,
        parent: QObject,
        workplace: Workplace,
        beside: Callable[[tuple[PluggedIn, ...]], Callable[[], tuple[SeenDevice, ...]]],
    ) -> None:
        """*beside* returns a call that holds devices against the shelf as that is now."""
        super().__init__(parent)
        self._workplace, self._beside = workplace, beside
        self.system: System | None = None
        """None until it is first looked at."""
        self.devices: tuple[SeenDevice, ...] = ()
        self.is_known = False
        """Whether it was looked at already."""
        self._found: tuple[PluggedIn, ...] = ()
        self._mark: tuple[object, ...] | None = None
        self._reads_left = 0
        self._is_looking = False
        self._looker, self._placer = Background(self), Background(self)
        self._looker.done.connect(self._on_looked)
        self._looker.failed.connect(self._on_failed)
        self._placer.done.connect(self._on_placed)
        self._placer.failed.connect(self._on_failed)
        self._timer = QTimer(self, interval=_LOOK_MS)
        self._timer.timeout.connect(self._look)

    @property
    def is_made_up(self) -> bool:
        """Whether it is no real computer: nothing can be written to it."""
        return self.system is not None and self.system.is_made_up

    def named(self, name: str) -> SeenDevice | None:
        """Return the device that the kernel calls *name*, None where it is gone."""
        return next((each for each in self.devices if each.device.name == name), None)

    def watch(self) -> None:
        """Look from now on; asking twice is asking once."""
        if not self._timer.isActive():
            self._timer.start()
            self._look()

    def look_again(self) -> None:
        """Read everything anew at the next look: how full disks are changes without a sign."""
        self._mark = None

    def stop(self) -> None:
        """Look no more."""
        self._timer.stop()
        self._looker.stop()
        self._placer.stop()

    def _look(self) -> None:
        if self._is_looking:
            return  # a disk that wakes up takes its time
        self._is_looking = True
        workplace, system = self._workplace, self.system
        mark = None if self._reads_left else self._mark
        self._looker.request(lambda: _look(workplace, system, mark))

    def _on_looked(
        self, seen: tuple[System, tuple[object, ...], tuple[PluggedIn, ...] | None]
    ) -> None:
        self._is_looking = False
        self.system, mark, found = seen
        if found is None:
            return
        self._reads_left = self._reads_left - 1 if mark == self._mark else _READS_AFTER_CHANGE - 1
        self._reads_left = max(self._reads_left, 0)
        is_news = found != self._found or not self.is_known
        self._mark, self._found = mark, found
        if is_news:
            self.place()

    def place(self) -> None:
        """Hold what was found against the shelf as it is now."""
        if self._mark is not None:
            self._placer.request(self._beside(self._found))

    def _on_placed(self, devices: tuple[SeenDevice, ...]) -> None:
        is_news = devices != self.devices or not self.is_known
        self.devices, self.is_known = devices, True
        if is_news:
            self.changed.emit()

    def _on_failed(self, error: object) -> None:
        self._is_looking = False
        self.trouble.emit(error)


def _look(
    workplace: Workplace, system: System | None, known: tuple[object, ...] | None
) -> tuple[System, tuple[object, ...], tuple[PluggedIn, ...] | None]:
    """Return the computer, its mark now, and what is plugged in where that mark is another."""
    from vastcellar.services.plugged.seen import plug_mark, read_plugged_in, system_of

    system = system or system_of(workplace.folders, is_demo=workplace.is_demo)
    mark = plug_mark(system)
    return system, mark, read_plugged_in(system) if mark != known else None
