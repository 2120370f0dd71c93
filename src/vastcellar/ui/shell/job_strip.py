"""The job strip: the running test with progress, rate, time left, cancel."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QWidget

from vastcellar.ui.look import Look
from vastcellar.ui.widgets.cards import label

if TYPE_CHECKING:
    # Loaded with the catalog, when the window is up.
    from vastcellar.ui.models.jobs import Job, Jobs

_LEAST_SHARE = 0.02


class _Progress(QWidget):
    """A filling bar; the words beside it say the same."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._share = 0.0
        self.setFixedSize(220, 10)

    def show_share(self, share: float) -> None:
        self._share = min(max(share, 0.0), 1.0)
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self._look.color("stone"))
        filled = QRectF(0, 0, self.width() * self._share, self.height())
        painter.fillRect(filled, self._look.color("moss"))
        painter.end()


class JobStrip(QWidget):
    """At the bottom of every station; goes on while you look elsewhere."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._jobs: Jobs | None = None
        self.setObjectName("jobs")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(34)
        self.name = label(kind="job")
        self._progress = _Progress(look)
        self.text = label("No test is running.", "soft")
        self.text.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.cancel = QPushButton("Cancel  Esc")
        self.cancel.setObjectName("link")
        self.cancel.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.cancel.clicked.connect(self.cancel_job)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 0, 16, 0)
        layout.setSpacing(14)
        for widget in (self.name, self._progress):
            layout.addWidget(widget)
        layout.addWidget(self.text, 1)
        layout.addWidget(self.cancel)
        self.quick_sum = QPushButton("Quick sum  Ctrl+K")
        self.quick_sum.setObjectName("link")
        self.quick_sum.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        layout.addWidget(self.quick_sum)
        look.changed.connect(self._restyle)
        self._restyle()
        self._show_running(False)

    def _restyle(self) -> None:
        palette = self._look.palette
        self.setStyleSheet(
            f"#jobs {{ background: {palette.panel}; border-top: 1px solid {palette.line}; }}"
            "#job { font-weight: 600; }"
        )

    def _show_running(self, is_running: bool) -> None:
        for widget in (self.name, self._progress, self.cancel):
            widget.setVisible(is_running)

    def attach(self, jobs: Jobs) -> None:
        """Follow *jobs*."""
        self._jobs = jobs
        jobs.started.connect(self._on_started)
        jobs.moved.connect(self._on_moved)
        jobs.ended.connect(self._on_ended)
        jobs.beside_moved.connect(self._on_beside)
        jobs.beside_ended.connect(self._on_beside)

    def _on_beside(self, text: str, _seconds: float = 0.0) -> None:
        if self._jobs is not None and not self._jobs.is_busy:
            self.say(text)

    def say(self, text: str) -> None:
        """Show a note while no test is running."""
        self.text.setText(text)

    def cancel_job(self) -> None:
        """Cancel the running test."""
        if self._jobs is not None and self._jobs.is_busy and self._jobs.current is not None:
            self._jobs.current.cancel()
            self.text.setText("cancelling …")

    def _on_started(self, job: Job) -> None:
        self.name.setText(job.title)
        self._progress.show_share(0.0)
        self._show_running(True)

    def _on_moved(self, job: Job) -> None:
        snapshot, numbers = job.latest, self._look.numbers
        if snapshot is None:
            return
        self._progress.show_share(snapshot.done_share)
        parts = ["simulated"] if job.proof.is_simulated else []
        parts.append(snapshot.phase)
        if snapshot.bytes_per_s > 0:
            parts.append(numbers.rate(snapshot.bytes_per_s, 1))
        if snapshot.done_share > _LEAST_SHARE and job.proof.share_is_time:
            left_s = snapshot.elapsed_s * (1 / snapshot.done_share - 1)
            parts.append(f"about {numbers.duration(max(round(left_s), 1))} left")
        if snapshot.detail:
            parts.append(snapshot.detail)
        if not math.isnan(snapshot.temperature_c):
            parts.append(numbers.temperature(snapshot.temperature_c))
        self.text.setText(" · ".join(parts))

    def _on_ended(self, job: Job) -> None:
        self._show_running(False)
        result = job.proof.run.result
        if job.error is not None:
            self.text.setText(str(job.error))
        elif result is not None and not result.is_complete:
            kept = "is kept" if job.kept_as else "is shown, and kept under no unit"
            self.text.setText(f"{job.title}: {result.ended_by}; what was measured {kept}.")
        elif result is not None:
            self.text.setText(f"{job.title}: {job.proof.said_at_end(self._look.numbers)}.")
