"""What a run writes to: a folder on a real file system, or a simulated rig."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from typing import Protocol

from vastcellar.bench.in_flight import Completed
from vastcellar.bench.side_by_side import Written


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

    def start_write(self, camera: int, size_bytes: int) -> None:
        """Begin to write so many bytes for one of several cameras."""

    def finished(self, until_s: float) -> list[Written]:
        """Return the cameras' writes that are done, at the latest at *until_s*."""

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

    def start_clock(self) -> None:
        """Let the time begin at 0 again."""

    def write_stream(
        self, total_bytes: int, block_bytes: int, depth: int, stop: threading.Event
    ) -> Iterator[list[Completed]]:
        """Write a stream from its beginning, *depth* blocks in flight; yield what came back."""

    def read_stream(
        self, total_bytes: int, block_bytes: int, depth: int, stop: threading.Event
    ) -> Iterator[list[Completed]]:
        """Read back what ``write_stream`` wrote and check every block."""

    def start_over(self) -> None:
        """Remove what was written, so that a new stream can begin."""

    @property
    def is_direct(self) -> bool:
        """Whether the host's memory had no part in it."""

    @property
    def read_mode(self) -> str:
        """Say how the host's cache was kept out of the way while reading."""

    @property
    def stood_still_s(self) -> float:
        """How long the process could not run since ``open``; ``now_s`` leaves that out."""

    @property
    def other_tests(self) -> int:
        """How many other tests were seen on the same disk, at most at once."""

    def close(self) -> None:
        """Remove what the target made. Never raises for a disk that is gone."""
