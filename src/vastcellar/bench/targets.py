"""What a run writes to: a folder on a real file system, or a simulated rig."""

from __future__ import annotations

import threading
from typing import Protocol


class Target(Protocol):
    """One sequential stream of writes with a clock of its own.

    ``open`` comes first and ``close`` last, whatever happened between; every call may raise
    DiskError. The clock starts at 0 when the target is opened.
    """

    is_simulated: bool
    block_bytes: int
    """Writes are whole blocks, save the last."""

    def open(self) -> None:
        """Make ready and start the clock."""

    def write(self, size_bytes: int) -> None:
        """Write so many bytes that have not been written before."""

    def flush(self) -> None:
        """Return when all that was written is on the drive."""

    def now_s(self) -> float:
        """Return the time since ``open``."""

    def wait_until(self, at_s: float, stop: threading.Event) -> None:
        """Return at *at_s*, or soon after *stop* is set."""

    def temperature_c(self) -> float:
        """Return the drive's temperature, nan where there is no sensor."""

    @property
    def write_mode(self) -> str:
        """Say how the host's cache was kept out of the way."""

    def close(self) -> None:
        """Remove what the target made. Never raises for a disk that is gone."""
