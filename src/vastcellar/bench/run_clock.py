"""A run's clock, which stands still while this process does: that time is none of the drive's.

A process that is suspended (Ctrl+Z), or whose whole machine stands still for a moment, finds a
write that took seconds afterwards. A thread that does nothing but tick tells the two apart: a
drive that stalls doesn't keep it from ticking.
"""

from __future__ import annotations

import threading
import time

_TICK_S = 0.05
# Busy cores hold a thread up for some hundredths of a second, now and then for a few tenths.
_STILL_S = 0.5


class RunClock:
    """Seconds since ``start`` in which this process could run."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._start_s = self._ticked_s = time.monotonic()
        self._lost_s = 0.0
        self._is_over = threading.Event()
        self._ticker: threading.Thread | None = None
        self.stood_still_s = 0.0
        """How long the process stood still, since it ticks."""

    def begin_ticking(self) -> None:
        """Watch for standstills from now on, until ``end``."""
        self._ticked_s = time.monotonic()
        self._ticker = threading.Thread(target=self._tick, name="run clock", daemon=True)
        self._ticker.start()

    def start(self) -> None:
        """Let the time begin at 0 again."""
        with self._lock:
            self._notice(time.monotonic())
            self._start_s, self._lost_s = time.monotonic(), 0.0

    def now_s(self) -> float:
        """Return the time since ``start``, standstills left out.

        A thread that was stopped between begin and end of a write may ask before the ticking one
        wakes: so whoever asks first notices.
        """
        with self._lock:
            now_s = time.monotonic()
            if self._ticker is not None:
                self._notice(now_s)
            return now_s - self._start_s - self._lost_s

    def _notice(self, now_s: float) -> None:
        gap_s = now_s - self._ticked_s
        if self._ticker is not None and gap_s > _STILL_S:
            self._lost_s += gap_s - _TICK_S
            self.stood_still_s += gap_s - _TICK_S
            self._ticked_s = now_s

    def _tick(self) -> None:
        while not self._is_over.wait(_TICK_S):
            with self._lock:
                now_s = time.monotonic()
                self._notice(now_s)
                self._ticked_s = now_s

    def end(self) -> None:
        """Tick no more; the time goes on."""
        self._is_over.set()
        if self._ticker is not None:
            self._ticker.join()
            self._ticker = None
