"""Whether what a player has read ahead lasts: no frame may be late yet, and all of them soon."""

from __future__ import annotations

import math

TELLS_AFTER_S = 2.0
"""Storage comes in portions of some 100 ms: a shorter stretch tells nothing."""
SHRINKS_FROM_S_PER_S = 0.005
"""Less than that isn't told from how regularly the portions come."""


def is_held(missed: int, loss_s_per_s: float) -> bool:
    """Whether streams were held: each frame in time, and so for as long as one likes."""
    return not missed and not loss_s_per_s


class ReadAheadLog:
    """Follows how far ahead of its moment each frame is asked for, from one pause to the next.

    A player pauses when all that it may read ahead is read. While it never does, the slope of
    what it has in hand (least squares over the frames asked for since) says by how much that
    shrinks or grows each second; a hiccup that is being made up for has a rising one.
    """

    def __init__(self) -> None:
        self._loss_s_per_s = 0.0
        self._rested(0.0)

    def begin(self, at_s: float) -> None:
        """Take in that all that may be read ahead is read, as when playing begins."""
        self.end()
        self._rested(at_s)

    def _rested(self, at_s: float) -> None:
        self._from_s = self._last_s = at_s
        self._count, self._mean_s, self._mean_lead_s = 0, 0.0, 0.0
        self._spread, self._joint = 0.0, 0.0

    def asked(self, at_s: float, lead_s: float, *, is_whole: bool) -> None:
        """Take in a frame asked for at *at_s*, so much before it is due; *is_whole* after a pause.

        Times in seconds, never falling; a lead below 0 is a frame that is late already.
        """
        if is_whole:
            self._rested(at_s)
        self._last_s = at_s
        self._count += 1
        apart_s = at_s - self._mean_s
        self._mean_s += apart_s / self._count
        self._mean_lead_s += (lead_s - self._mean_lead_s) / self._count
        self._spread += apart_s * (at_s - self._mean_s)
        self._joint += apart_s * (lead_s - self._mean_lead_s)

    def end(self) -> None:
        """Take in that playing ends here, or goes on elsewhere."""
        if self._last_s - self._from_s < TELLS_AFTER_S or self._spread <= 0:
            return
        loss_s_per_s = -self._joint / self._spread
        if loss_s_per_s >= SHRINKS_FROM_S_PER_S and math.isfinite(loss_s_per_s):
            self._loss_s_per_s = max(self._loss_s_per_s, loss_s_per_s)
        self._rested(self._last_s)

    @property
    def loss_s_per_s(self) -> float:
        """How much of what was read ahead went each second when a stretch ended; 0 for none.

        In the long run that share of the frames can't be in time.
        """
        return self._loss_s_per_s
