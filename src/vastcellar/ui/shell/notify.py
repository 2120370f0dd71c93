"""Tell somebody who looks elsewhere that a long test has ended, or waits for their hands."""

from __future__ import annotations

import time

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QApplication, QSystemTrayIcon, QWidget

from vastcellar.ui.models.jobs import Job, Jobs

_LONG_S = 60.0


class EndNotice(QObject):
    """Marks the window in the task bar, and sends a notification where the desktop has a tray."""

    def __init__(self, window: QWidget, jobs: Jobs) -> None:
        super().__init__(window)
        self._window = window
        self._began_s = 0.0
        self._tray: QSystemTrayIcon | None = None
        self.told = ""
        """What was said last."""
        self._asked = ""
        jobs.started.connect(self._on_started)
        jobs.moved.connect(self._on_moved)
        jobs.ended.connect(self._on_ended)
        jobs.beside_ended.connect(self._on_beside)

    def _on_started(self, _job: Job) -> None:
        self._began_s = time.monotonic()

    def _on_moved(self, job: Job) -> None:
        asked = job.proof.waits_for
        is_new, self._asked = asked != self._asked, asked
        if asked and is_new and not self._window.isActiveWindow():
            self._tell(f"{job.title} waits for you: {asked}")

    def _on_ended(self, job: Job) -> None:
        if time.monotonic() - self._began_s < _LONG_S or self._window.isActiveWindow():
            return
        self._tell(f"{job.title} has ended" if job.error is None else f"{job.title}: {job.error}")

    def _on_beside(self, text: str, seconds: float) -> None:
        if seconds >= _LONG_S and not self._window.isActiveWindow():
            self._tell(text)

    def _tell(self, text: str) -> None:
        self.told = text
        QApplication.alert(self._window)
        if QSystemTrayIcon.isSystemTrayAvailable():
            self._tray = self._tray or QSystemTrayIcon(self._window.windowIcon(), self)
            self._tray.show()
            self._tray.showMessage("Vast Cellar", self.told)
