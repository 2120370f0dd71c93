"""Open folders of a tree, shared by the files that are on their way in them."""

from __future__ import annotations

import threading

from vastcellar.bench.copying.source import folder_below
from vastcellar.bench.held_folder import HeldFolder

_KEPT_OPEN = 32
"""Files come folder by folder: more than that are open only while something is on its way."""


class OpenFolders:
    """Each folder once; closed when nobody uses it and others came since. Methods raise OSError."""

    def __init__(self, tree: HeldFolder) -> None:
        self._tree = tree
        self._open: dict[tuple[str, ...], HeldFolder] = {}
        self._users: dict[tuple[str, ...], int] = {}
        self._lock = threading.Lock()

    def take(self, path: tuple[str, ...]) -> HeldFolder:
        """Hold the folder at *path* until it is given back."""
        with self._lock:
            found = self._open.pop(path, None)
            if found is None:
                with folder_below(self._tree, path) as held:
                    found = HeldFolder.of_handle(held)
            self._open[path] = found  # the newest stands last
            self._users[path] = self._users.get(path, 0) + 1
            return found

    def give_back(self, path: tuple[str, ...]) -> None:
        """Say that one user of the folder is done with it."""
        with self._lock:
            self._users[path] = self._users.get(path, 0) - 1
            if len(self._open) <= 2 * _KEPT_OPEN:  # asked for each file: looked through rarely
                return
            idle = [each for each in self._open if self._users.get(each, 0) <= 0]
            for each in idle[: max(len(self._open) - _KEPT_OPEN, 0)]:
                self._open.pop(each).close()
                self._users.pop(each, None)

    def close(self) -> None:
        """Close all of them."""
        with self._lock:
            for each in self._open.values():
                each.close()
            self._open.clear()
            self._users.clear()
