"""What a run shows of itself while it goes on."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Protocol

from vastcellar.core.errors import VastCellarError

CANCELLED = "cancelled"
PUBLISH_EVERY_S = 0.05
TRACE_EVERY_S = 0.25
TEMPERATURE_EVERY_S = 1.0


@dataclass(frozen=True, slots=True)
class TracePoints:
    """Points of a trace since the snapshot before; equally long."""

    elapsed_s: tuple[float, ...] = ()
    written_bytes: tuple[float, ...] = ()
    temperature_c: tuple[float, ...] = ()


@dataclass(frozen=True, slots=True)
class Progress:
    """The state of a run at one moment; frozen, so it may cross threads."""

    phase: str
    """What it does now, in a word or two."""
    elapsed_s: float
    done_share: float
    """Of the whole run, 0 to 1."""
    moved_bytes: int
    """Written, or in a phase of reading read."""
    bytes_per_s: float
    """Over the last second or so."""
    temperature_c: float
    detail: str = ""
    new: TracePoints = TracePoints()
    begins_pass: bool = False
    """Whether a new trace begins here, as when reading back follows writing."""


class Run(Protocol):
    """A test that can be run once, watched, and stopped from any thread."""

    error: VastCellarError | None

    def snapshots(self) -> Iterator[Progress]:
        """Run to the end. Raises VastCellarError only where not even the start was possible."""

    def stop(self) -> None:
        """End soon; what was measured is kept, marked incomplete."""


class Stopped(Exception):  # noqa: N818 - it is no error
    """The run was told to stop; its message is how it ended."""


def stopped(stop: threading.Event) -> None:
    """Raise Stopped where *stop* is set."""
    if stop.is_set():
        raise Stopped(CANCELLED)
