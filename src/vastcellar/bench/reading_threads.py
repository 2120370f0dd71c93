"""Threads that read from a disk which may never answer: a share that is gone hangs in its calls.

Nothing breaks such a call off from within. So whoever waits for these threads looks at how long
each has been waiting, goes on without those that hang, and leaves what lies on that disk alone.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Sequence

from vastcellar.bench.folder_target import FolderTarget
from vastcellar.core.errors import DiskError

ANSWERS_WITHIN_S = 30.0
"""A disk that wakes up, or an array that gives a failing one another try, takes less."""
_ENDS_WITHIN_S = 2.0
_FORGETS = 0.9
"""Of what a read took, by each frame that is given up because of it."""


class ReadingThread(threading.Thread):
    """Reads from a target; the program can end without it."""

    def __init__(self, target: FolderTarget, name: str) -> None:
        super().__init__(name=name, daemon=True)
        self._target = target
        self.asked_s: float | None = None
        """Since when it has been waiting for an answer, by the clock that only goes on."""
        self.read_bytes = 0
        self._took_s = 0.0

    def read_at(self, at_bytes: int, into: memoryview) -> None:
        """Read *into* from a place of the stream. Raises DiskError."""
        self.asked_s = time.monotonic()
        try:
            self._target.read_at(at_bytes, into)
        finally:
            self.asked_s = None
        self.read_bytes += len(into)

    def begin_others(self) -> None:
        """Say that frames of another size follow: how long the last one took tells nothing."""
        self._took_s = 0.0

    def read_in_time(self, at_bytes: int, into: memoryview, due_s: float) -> float:
        """Read a frame that is due at *due_s* by the target's clock; return how late it came.

        Below 0 for one that was in time. One that can't be there any more, since the last one
        took as long, is given up: reading it would cost the next. So does the computed player.
        """
        begin_s = self._target.now_s()
        late_s = begin_s + self._took_s - due_s
        if late_s > 0:
            self._took_s *= _FORGETS  # it may be quicker by now
            return late_s
        self.read_at(at_bytes, into)
        self._took_s = self._target.now_s() - begin_s
        return begin_s + self._took_s - due_s


def look_for_answers(threads: Sequence[ReadingThread], target: FolderTarget) -> None:
    """Raise DiskError where one of *threads* has been waiting too long, and give *target* up."""
    now_s = time.monotonic()
    for each in threads:
        asked_s = each.asked_s
        if asked_s is not None and now_s - asked_s > ANSWERS_WITHIN_S:
            target.give_up()
            raise DiskError(
                f"it hasn't answered for {ANSWERS_WITHIN_S:.0f} s",
                where=str(target.folder),
                mend="Check cable, network and server; what the test left there is removed at the "
                "next start",
            )


def end_all(threads: Sequence[threading.Thread], target: FolderTarget) -> None:
    """Wait until all have ended, as they have been told to; of a target given up, not for long."""
    until_s = time.monotonic() + _ENDS_WITHIN_S
    for each in threads:
        if target.is_given_up:
            each.join(max(until_s - time.monotonic(), 0.0))
        else:
            each.join()
