"""What every test does around its measuring: open, end early with a sentence, clean up."""

from __future__ import annotations

import threading
from collections.abc import Iterator

from vastcellar.bench.disturbances import Disturbances, DisturbanceWatch
from vastcellar.bench.progress import CANCELLED, Progress, Stopped
from vastcellar.bench.targets import Target
from vastcellar.core.errors import VastCellarError


class WatchedRun:
    """One test. ``snapshots`` does the work; ``stop`` ends it from any thread.

    Subclasses measure in ``_measure`` and say in ``_has_something`` whether a run that ended
    early is worth keeping.
    """

    def __init__(self, target: Target) -> None:
        self._target = target
        self._stop = threading.Event()
        self._ended_by = ""
        """"" for a full run, "cancelled", or the sentence of the error."""
        self._notes: list[str] = []
        self._disturbances = Disturbances()
        self.error: VastCellarError | None = None

    @property
    def is_simulated(self) -> bool:
        """Whether nothing is written to a disk."""
        return self._target.is_simulated

    @property
    def is_direct(self) -> bool:
        """Whether the host's memory has no part in it, as far as is known by now."""
        return self._target.is_direct

    def stop(self) -> None:
        """End soon; what was measured is kept, marked incomplete."""
        self._stop.set()

    def snapshots(self) -> Iterator[Progress]:
        """Run to the end and yield the state about twenty times a second.

        Sets ``result``, and ``error`` where the disk ended it. Raises VastCellarError only where
        nothing was measured.
        """
        watch = DisturbanceWatch(self._target)
        try:
            yield from self._measure()
        except Stopped as end:
            self._ended_by = str(end)
        except VastCellarError as error:
            if not self._has_something():
                raise
            self.error, self._ended_by = error, str(error)
        except GeneratorExit:
            self._ended_by = CANCELLED
            raise
        finally:
            self._target.close()
        self._disturbances = watch.seen()
        self._notes += self._disturbances.notes()
        if self._has_something():
            self._conclude()

    def _measure(self) -> Iterator[Progress]:
        raise NotImplementedError

    def _has_something(self) -> bool:
        raise NotImplementedError

    def _conclude(self) -> None:
        raise NotImplementedError
