"""Work off the interface thread: short calls in a pool, their outcome as a signal."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QRunnable, QThreadPool, Signal


class _Task(QRunnable):
    def __init__(self, call: Callable[[], Any], number: int, report: Callable[..., None]) -> None:
        super().__init__()
        self._call, self._number, self._report = call, number, report

    def run(self) -> None:
        try:
            outcome, error = self._call(), None
        except Exception as caught:  # last frame of the thread: nothing above sees it
            outcome, error = None, caught
        with contextlib.suppress(RuntimeError):  # who asked is gone, as when the window closes
            self._report(self._number, outcome, error)


class Background(QObject):
    """Runs one kind of call; only the outcome of the newest request is announced."""

    done = Signal(object)
    failed = Signal(object)
    _ended = Signal(int, object, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._newest = 0
        self._is_stopped = False
        self._ended.connect(self._on_ended)

    def request(self, call: Callable[[], Any]) -> None:
        """Run *call* soon; what was requested before and is not done yet is forgotten."""
        if self._is_stopped:
            return
        self._newest += 1
        QThreadPool.globalInstance().start(_Task(call, self._newest, self._ended.emit))

    def stop(self) -> None:
        """Take no more requests and announce nothing more: the window is closing."""
        self._is_stopped = True
        self._newest += 1

    def forget(self) -> None:
        """Announce nothing of what was requested until now."""
        self._newest += 1

    def _on_ended(self, number: int, outcome: Any, error: Exception | None) -> None:
        if number != self._newest:
            return
        if error is None:
            self.done.emit(outcome)
        else:
            self.failed.emit(error)


class Writer(QObject):
    """Carries out writes one after the other, in the order in which they were asked for.

    None of them supersedes another, and each outcome is announced: a change and its undo must
    not overtake each other, and no refusal may be lost behind the next write.
    """

    done = Signal(object)
    failed = Signal(object)
    _ended = Signal(object, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._thread = QThreadPool(self, maxThreadCount=1)
        self._is_stopped = False
        self._ended.connect(self._on_ended)

    def request(self, call: Callable[[], Any]) -> None:
        """Carry out *call* when all that was asked for before is done."""
        if not self._is_stopped:
            self._thread.start(_Task(call, 0, lambda _, *ended: self._ended.emit(*ended)))

    def stop(self) -> None:
        """Take no more requests; return when the last one is written."""
        self._is_stopped = True
        self._thread.waitForDone()

    def _on_ended(self, outcome: Any, error: Exception | None) -> None:
        if error is None:
            self.done.emit(outcome)
        else:
            self.failed.emit(error)
