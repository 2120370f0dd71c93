"""A cellar that is opened when it is first asked for something.

The database takes longer to load than a window to show. A start that knows what the cellar holds
does without, until there is something to read or to write.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from vastcellar.core.errors import CellarError

if TYPE_CHECKING:
    from vastcellar.store.cellar import Cellar

_VALUES = frozenset({"database", "unreadable"})
"""What a cellar has beside its methods."""


class LateCellar:
    """Everything that a ``Cellar`` is, from the first call on; any thread may make that.

    Each call may raise CellarError, as opening one does: the next one tries again.
    """

    def __init__(
        self, place: Path | str, *, is_demo: bool, on_fault: Callable[[], object],
        backups: Path | None = None, where: str = "",
    ) -> None:  # fmt: skip
        """*on_fault* is called where it can't be opened, *where* is how an address is shown; the
        rest is as of a ``Cellar``."""
        self.path = place if isinstance(place, Path) else None
        self.where = where or str(self.path or "a server")
        self._place, self._backups = place, backups
        self._on_fault = on_fault
        self.is_demo = is_demo
        self._lock = threading.Lock()
        self._cellar: Cellar | None = None

    @property
    def is_open(self) -> bool:
        """Whether anything was asked yet."""
        return self._cellar is not None

    def close(self) -> None:
        """Let go of it, where it was opened."""
        with self._lock:
            if self._cellar is not None:
                self._cellar.close()

    def _opened(self) -> Cellar:
        with self._lock:
            if self._cellar is None:
                from vastcellar.store.cellar import Cellar

                try:
                    self._cellar = Cellar(
                        self._place, is_demo=self.is_demo, backups=self._backups
                    )  # fmt: skip
                except CellarError:
                    self._on_fault()
                    raise
            return self._cellar

    def __getattr__(self, name: str) -> Any:
        if name.startswith("__"):  # what copies and compares asks for isn't the cellar's
            raise AttributeError(name)
        if name in _VALUES:
            return getattr(self._opened(), name)
        # Whoever hands a method on to another thread doesn't open it: who calls it does.
        return partial(self._call, name)

    def _call(self, name: str, *args: Any, **named: Any) -> Any:
        return getattr(self._opened(), name)(*args, **named)
