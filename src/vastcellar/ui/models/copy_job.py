"""A copy that runs in a process of its own, as the window sees it."""

from __future__ import annotations

from dataclasses import dataclass
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

    @property
    def places(self) -> frozenset[Path]:
        """The folders that it makes: no two copies may be at one."""
        return frozenset(each / self.title for each in self.targets)


class CopyJob(QObject):
    """One copy, made once; others may run beside it, and so may a test of Prove."""

    moved = Signal(object)  # CopyNow
    over = Signal(object)
    """CopyEnded or CopyRefused: what came of it, as soon as it is said."""
    ended = Signal(object)
    """The same, when its process is gone: the next copy may begin."""

    def __init__(self, asked: CopyAsked, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.asked = asked
        self.is_paused = False
        self._process: QProcess | None = None
        self._said: CopyEnded | CopyRefused | None = None

    @property
    def is_running(self) -> bool:
        """Whether the copy is being made."""
        return self._process is not None

    def start(self, data: Path) -> None:
        """Begin the copy; it is kept in the log in the folder *data*."""
        process = self._process = QProcess(self)
        process.readyReadStandardOutput.connect(self._on_lines)
        process.finished.connect(self._on_finished)
        process.errorOccurred.connect(self._on_error)
        asked = self.asked
        program, words = copy_process(
            asked.source, asked.targets, asked.name, asked.algorithm, data, asked.rule, asked.who
        )  # fmt: skip
        process.start(program, words)

    def pause(self, *, is_on: bool) -> None:
        """Let it read no further, or go on."""
        self.is_paused = is_on
        self._tell(PAUSE if is_on else RESUME)

    def cancel(self) -> None:
        """End soon, with whole files only."""
        self._tell(STOP)

    def close(self) -> None:
        """Tell it to end, as the window is closing; ``wait`` sees to it that it did."""
        self._tell(STOP)
        if self._process is not None:
            self._process.closeWriteChannel()

    def wait(self) -> None:
        """Wait until it has ended."""
        process = self._process
        if process is not None and not process.waitForFinished(_ENDS_WITHIN_MS):
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
            elif said is not None and self._said is None:
                # Its pictures may still be taken: nobody waits for those to know what came of it.
                self._said = said
                self.over.emit(said)

    def _on_error(self, error: QProcess.ProcessError) -> None:
        if error is QProcess.ProcessError.FailedToStart:
            self._on_finished()

    def _on_finished(self) -> None:
        self._on_lines()
        process, self._process = self._process, None
        if process is None:
            return
        process.deleteLater()
        if self._said is None:
            self._said = _FELL
            self.over.emit(_FELL)
        self.ended.emit(self._said)
