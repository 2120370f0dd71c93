"""A clock for a step that has to wait: started by a click, and going on while one is away."""

from __future__ import annotations

import math
from datetime import UTC, datetime, timedelta

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QPushButton

from vastcellar.core.units import NumberFormat

_TICK_MS = 1000


class StepClock(QPushButton):
    """Says what has to pass, then what is left of it, then that it is over."""

    started = Signal(object)
    """When it ends, a datetime."""

    def __init__(self, wait_s: float, ends: datetime | None, numbers: NumberFormat) -> None:
        super().__init__()
        self._wait_s, self._ends, self._numbers = wait_s, ends, numbers
        self.setAccessibleName("Clock of the step")
        self._timer = QTimer(self)
        self._timer.setInterval(_TICK_MS)
        self._timer.timeout.connect(self.show_time)
        self.clicked.connect(self._start)
        if ends is not None:
            self._timer.start()
        self.show_time()

    @property
    def left_s(self) -> float:
        """Seconds until it is over; all of them before it was started."""
        if self._ends is None:
            return self._wait_s
        return max((self._ends - datetime.now(UTC)).total_seconds(), 0.0)

    def _start(self) -> None:
        self._ends = datetime.now(UTC) + timedelta(seconds=self._wait_s)
        self._timer.start()
        self.started.emit(self._ends)
        self.show_time()

    def show_time(self) -> None:
        """Show what is left."""
        left = self._numbers.duration(max(math.ceil(self.left_s), 1))
        if self._ends is None:
            self.setText(f"Start clock: {left}")
        elif self.left_s > 0:
            self.setText(f"{left} left")
        else:
            self._timer.stop()
            self.setText("Over: start anew")
