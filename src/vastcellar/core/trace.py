"""A trace: bytes over time as measured or simulated, and the figures read off it."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.errors import BadValueError

FloatArray = NDArray[np.float64]


@dataclass(frozen=True)
class Trace:
    """Cumulative bytes at moments since the start; temperature nan where there was none.

    All arrays have shape (n,); both time and bytes never fall.
    """

    elapsed_s: FloatArray
    written_bytes: FloatArray
    temperature_c: FloatArray

    def __post_init__(self) -> None:
        shapes = {self.elapsed_s.shape, self.written_bytes.shape, self.temperature_c.shape}
        if len(shapes) != 1 or self.elapsed_s.ndim != 1:
            raise BadValueError(
                f"its columns have the shapes {sorted(shapes)}",
                where="trace",
                mend="Give one row each",
            )
        for name in ("elapsed_s", "written_bytes"):
            values = getattr(self, name)
            if values.size and (np.any(~np.isfinite(values)) or np.any(np.diff(values) < 0)):
                row = int(np.argmax(np.diff(values, prepend=values[0]) < 0))
                raise BadValueError(
                    f"{name} falls or is missing", where=f"trace, row {row}", mend="Sort the rows"
                )
        for array in (self.elapsed_s, self.written_bytes, self.temperature_c):
            array.setflags(write=False)

    @property
    def duration_s(self) -> float:
        """Time of the last row."""
        return float(self.elapsed_s[-1]) if self.elapsed_s.size else 0.0


def rates_bytes_per_s(trace: Trace, every_s: float = 1.0) -> tuple[FloatArray, FloatArray]:
    """Return (middle of each step in s, bytes per second over it), each of shape (m,).

    Bytes are interpolated and then differenced: sampled rates must never be averaged, since
    stamps jitter and bytes come in chunks.
    """
    if trace.elapsed_s.size < 2 or trace.duration_s < every_s:
        return np.empty(0), np.empty(0)
    edges = np.arange(0.0, trace.duration_s + every_s * 1e-6, every_s)
    return edges[:-1] + every_s / 2, np.diff(
        np.interp(edges, trace.elapsed_s, trace.written_bytes)
    ) / every_s


# Less than half of the usual bytes in a second, unless it was busy for long, is a remainder.
_ORDINARY_SHARE = 0.5
_STALLED_S = 0.25


class SecondsLog:
    """Bytes written and time spent writing, second by second, as a run goes on.

    A write that spans seconds is spread over them evenly, so that a stall shows as seconds
    without bytes and not as one lucky second afterwards.
    """

    def __init__(self) -> None:
        self._bytes: list[float] = []
        self._busy_s: list[float] = []

    def add(self, begin_s: float, end_s: float, written_bytes: int) -> None:
        """Count a write that ran from *begin_s* to *end_s*."""
        last = int(end_s)
        while len(self._bytes) <= last:
            self._bytes.append(0.0)
            self._busy_s.append(0.0)
        span_s = end_s - begin_s
        if span_s <= 0:
            self._bytes[last] += written_bytes
            return
        for second in range(int(begin_s), last + 1):
            inside_s = min(end_s, second + 1) - max(begin_s, second)
            self._bytes[second] += written_bytes * inside_s / span_s
            self._busy_s[second] += inside_s

    def slowest_second_bytes(self, duration_s: float) -> float:
        """Return the fewest bytes written in any whole second of the first *duration_s*.

        nan for a run shorter than a second: what it wrote is no rate.
        """
        whole = int(duration_s + 1e-6)
        padded = [*self._bytes, *([0.0] * (whole - len(self._bytes)))]
        return min(padded[:whole], default=math.nan)

    def slowest_ability_bytes_per_s(self) -> float:
        """Return the lowest rate of any second while it was writing: bytes over time in writes.

        A paced test can't show more than its pace by bytes alone; this is what the drive could
        have taken. Seconds that hold only the tail of a write say nothing and are left out.
        0 where nothing was written.
        """
        ordinary = sum(self._bytes) / max(len(self._bytes), 1) * _ORDINARY_SHARE
        seconds = zip(self._bytes, self._busy_s, strict=True)
        return min(
            (
                count / busy_s
                for count, busy_s in seconds
                if busy_s > 0 and (count >= ordinary or busy_s >= _STALLED_S)
            ),
            default=0.0,
        )
