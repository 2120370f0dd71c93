"""A copy that runs in a process of its own, as the window sees it."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QObject, QProcess, Signal

from vastcellar.core.roll.copies import WipeRule
from vastcellar.services.roll.follow import (
    PAUSE,
    RESUME,
    STOP,
    CopyEnded,
    CopyNow,
    CopyRefused,
    copy_process,
    said_line,
)

_ENDS_WITHIN_MS = 5000
_FELL = CopyRefused("the copy's process ended by itself. Copy again: it goes on where it was")


class CopyJob(QObject):
    """One copy at a time; it may run while a test of Prove does."""

    moved = Signal(object)  # CopyNow
    over = Signal(object)
    """CopyEnded or CopyRefused: what came of it, said before anything follows."""
    ended = Signal(object)
    """The same, after everybody was told: the next copy may begin."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.is_paused = False
        self._process: QProcess | None = None
        self._said: CopyEnded | CopyRefused | None = None

    @property
    def is_running(self) -> bool:
        """Whether a copy is being made."""
        return self._process is not None

    def start(
        self,
        source: Path,
        destinations: Sequence[Path],
        name: str,
        algorithm: str,
        data: Path,
        rule: WipeRule,
        who: str = "",
    ) -> None:
        """Begin the copy, unless one is being made; it is kept in the log in *data*."""
        if self.is_running:
            return
        self.is_paused, self._said = False, None
        process = self._process = QProcess(self)
        process.readyReadStandardOutput.connect(self._on_lines)
        process.finished.connect(self._on_finished)
        process.errorOccurred.connect(self._on_error)
        program, words = copy_process(source, destinations, name, algorithm, data, rule, who)
        process.start(program, words)

    def pause(self, *, is_on: bool) -> None:
        """Let it read no further, or go on."""
        self.is_paused = is_on
        self._tell(PAUSE if is_on else RESUME)

    def cancel(self) -> None:
        """End soon, with whole files only."""
        self._tell(STOP)

    def stop(self) -> None:
        """End it and wait for that: the window is closing."""
        process = self._process
        if process is None:
            return
        self._tell(STOP)
        process.closeWriteChannel()
        if not process.waitForFinished(_ENDS_WITHIN_MS):
            process.kill()  # what is vouched for is on the drive; it can be gone on with
            process.waitForFinished(_ENDS_WITHIN_MS)

    def _tell(self, word: str) -> None:
        if self._process is not None:
            self._process.write(f"{word}\n".encode())

    def _on_lines(self) -> None:
        process = self._process
        while process is not None and process.canReadLine():
            said = said_line(bytes(process.readLine().data()))
            if isinstance(said, CopyNow):
                self.moved.emit(said)
            elif said is not None:
                self._said = said

    def _on_error(self, error: QProcess.ProcessError) -> None:
        if error is QProcess.ProcessError.FailedToStart:
            self._on_finished()

    def _on_finished(self) -> None:
        self._on_lines()
        process, self._process = self._process, None
        if process is None:
            return
        process.deleteLater()
        said = self._said or _FELL
        self.over.emit(said)
        self.ended.emit(said)
