"""Streams played from a store, visit by visit: what the closed forms only say in the mean.

Each stream asks for its next read-ahead as soon as there is room for it, and not before; disks
serve the visits in their order, each lane by itself, and links pass them on. A player that falls
behind gives up the frames that can't be there in time and goes on with those that can: it shows a
jolt, and stays in sync. All streams take one step together, so that an hour of 64 streams is a
matter of 7,200 steps and not of half a million visits.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.checks import require_above_zero
from vastcellar.core.edit.edit_load import EditLoad, require_streams
from vastcellar.core.edit.edit_store import EditStore
from vastcellar.core.edit.ladder import disk_seconds_beside, places_beside

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Played:
    """What came of playing; one value a stream, shape (streams,)."""

    duration_s: float
    late_s: Floats
    """Of each stream's time, what couldn't be shown."""
    first_late_s: Floats
    """When the first frame was late; infinite where none was."""
    response_s: Floats
    """The longest that it waited for a visit."""
    frames_per_s: float
    stream_bytes_per_s: float

    @property
    def late_frames_per_minute(self) -> float:
        """Of all streams together."""
        return float(self.late_s.sum()) * self.frames_per_s * 60 / self.duration_s

    @property
    def shown_bytes_per_s(self) -> float:
        """What all streams together brought in time."""
        shown_s = self.late_s.size * self.duration_s - float(self.late_s.sum())
        return shown_s * self.stream_bytes_per_s / self.duration_s


def play(store: EditStore, load: EditLoad, streams: int, duration_s: float) -> Played:
    """Return what comes of so many *streams* of *load* from *store*, for so long.

    All begin at once, with their read-ahead read.

    Args:
        store: disks and stages.
        load: the kind of stream, its desks, and what goes on beside.
        streams: how many.
        duration_s: of playing.

    Raises:
        BadValueError: for no stream, or no time.

    """
    require_streams(streams)
    require_above_zero("playing", duration_s=duration_s)
    step_s = load.stream.read_ahead_s
    disks = _Disks(store, load, streams)
    links = [
        _Link(stage.bytes_per_s, who, step_s, load, is_duplex=stage.is_duplex)
        for stage in store.stages
        for who in _who_share(streams, load.desks, is_per_desk=stage.is_per_desk)
    ]
    asked = np.zeros(streams)
    ends = np.full(streams, step_s)
    late, longest = np.zeros(streams), np.zeros(streams)
    first_late = np.full(streams, math.inf)
    while asked.min() < duration_s:
        first, last = disks.visit(asked)
        for link in links:
            link.pass_on(first, last)
        # On time are all frames of a visit that isn't begun earlier than this.
        needed = np.maximum(first, last - step_s)
        skipped = np.maximum(needed - ends, 0.0)
        if skipped.any():
            counted = np.clip(duration_s - ends, 0.0, skipped)
            first_late = np.where((counted > 0) & np.isinf(first_late), ends, first_late)
            late += counted
        longest = np.maximum(longest, last - asked)
        ends += skipped + step_s
        asked = np.maximum(last, ends - step_s)
    stream = load.stream
    return Played(duration_s, late, first_late, longest, stream.frames_per_s, stream.bytes_per_s)


def _who_share(streams: int, desks: int, *, is_per_desk: bool) -> list[NDArray[np.intp]]:
    """Return the streams behind each such link: all of them, or those of each desk."""
    numbers = np.arange(streams)
    if not is_per_desk:
        return [numbers]
    return [numbers[desk::desks] for desk in range(min(desks, streams))]


def _served(asked: Floats, takes: Floats, free_s: float) -> Floats:
    """Return when each of a queue's visits ends, served in their order from *free_s* on.

    end_i = max(asked_i, end_(i-1)) + takes_i, written without a loop:
    end_i = sum(takes_0..i) + max over j <= i of (asked_j - sum(takes_0..j-1)).
    """
    summed = np.cumsum(takes)
    begun = np.maximum.accumulate(np.maximum(asked, free_s) - (summed - takes))
    ends: Floats = summed + begun
    return ends


class _Disks:
    """The lanes of an array; work beside takes its share of each step."""

    def __init__(self, store: EditStore, load: EditLoad, streams: int) -> None:
        array, filled, stream = store.array, store.filled_share, load.stream
        seeks = streams + places_beside(load.beside) > array.lanes
        visits = stream.ahead_bytes / stream.visit_bytes
        visit_s = array.read_visit_s(stream.visit_bytes, filled, seeks=seeks)
        touched = array.touched(stream.visit_bytes)
        # Small visits of several streams go on beside each other, on disks of their own.
        lanes = max(array.lanes * array.width // touched, 1)
        self._queues = [np.arange(streams)[lane::lanes] for lane in range(min(lanes, streams))]
        self._takes = visits * visit_s
        # A rebuild keeps all of them busy.
        beside = disk_seconds_beside(store, load.beside) / array.disk_seconds_per_s
        busy = beside + 1 - store.disk_time_share
        self._slower = math.inf if busy >= 1 else 1 / (1 - busy)
        self._free_s = [0.0] * len(self._queues)

    def visit(self, asked: Floats) -> tuple[Floats, Floats]:
        """Return when the first and the last byte of each stream's visit is off the disks."""
        first, last = np.empty_like(asked), np.empty_like(asked)
        takes = min(self._takes * self._slower, 1e9)
        for number, queue in enumerate(self._queues):
            order = queue[np.argsort(asked[queue], kind="stable")]
            ends = _served(asked[order], np.full(order.size, takes), self._free_s[number])
            self._free_s[number] = float(ends[-1])
            last[order], first[order] = ends, ends - takes
        return first, last


class _Link:
    """A link that streams share evenly; what goes the same way beside takes its part."""

    def __init__(
        self, bytes_per_s: float, streams: NDArray[np.intp], step_s: float, load: EditLoad,
        *, is_duplex: bool,
    ) -> None:  # fmt: skip
        beside = load.read_beside_bytes_per_s
        beside += 0.0 if is_duplex else load.written_beside_bytes_per_s
        left = max(bytes_per_s - beside, 1.0)
        self._streams = streams
        self._takes = load.stream.bytes_per_s * step_s / left
        self._free_s = 0.0

    def pass_on(self, first: Floats, last: Floats) -> None:
        """Move *first* and *last*, in place, to when the bytes are through.

        Who waits at the same time shares it: where the link is what they wait for, all get there
        together; where they come one by one each has it for itself.
        """
        some = self._streams
        order = some[np.argsort(last[some], kind="stable")]
        ends = _served(first[order], np.full(order.size, self._takes), self._free_s)
        ends = np.maximum(ends, last[order])
        begun = max(self._free_s, float(first[order].min()))
        waits = ends[-1] - begun
        if order.size > 1 and waits <= order.size * self._takes * 1.001:
            first[order] = np.maximum(first[order], begun)
            last[order] = ends[-1]
        else:
            first[order] = np.maximum(first[order], ends - self._takes)
            last[order] = ends
        self._free_s = float(ends[-1])
