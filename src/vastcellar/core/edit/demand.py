"""What a timeline asks for, second by second, and where a store comes too late for it.

A timeline is taken as clips that are read from a moment to another, each at its own rate. Where
it asks for more than the store gives, the read-ahead carries it for a while; what it can't carry
comes late.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.checks import require_not_negative
from vastcellar.core.errors import BadValueError

_SECOND_S = 1.0
_LEAST_S = 1e-9


@dataclass(frozen=True, slots=True)
class ClipUse:
    """A clip, or a part of it, as it is read while the timeline plays."""

    name: str
    start_s: float
    end_s: float
    bytes_per_s: float
    """As it is played: twice for double speed."""
    frames_per_s: float = 25.0
    track: str = ""

    def __post_init__(self) -> None:
        where = f"clip {self.name!r}"
        require_not_negative(where, start_s=self.start_s, bytes_per_s=self.bytes_per_s)
        if not self.start_s < self.end_s < math.inf:
            raise BadValueError(
                f"it goes from {self.start_s:g} s to {self.end_s:g} s", where=where,
                mend="Let it end after it starts",
            )  # fmt: skip
        if not self.frames_per_s > 0:
            raise BadValueError(
                f"it has {self.frames_per_s:g} frames a second", where=where,
                mend="Give a rate above 0",
            )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Second:
    """A second of the timeline, with what is read in it."""

    start_s: float
    read_bytes: float
    clips: tuple[str, ...]


@dataclass(frozen=True)
class Demand:
    """A timeline's demand: constant from each moment to the next."""

    clips: tuple[ClipUse, ...]

    @cached_property
    def moments_s(self) -> NDArray[np.float64]:
        """Where it changes, rising, from 0; shape (m,)."""
        found = {0.0} | {each.start_s for each in self.clips} | {each.end_s for each in self.clips}
        return np.array(sorted(found))

    @cached_property
    def bytes_per_s(self) -> NDArray[np.float64]:
        """What is asked from each moment to the next; shape (m - 1,)."""
        change = np.zeros(self.moments_s.size)
        starts, ends = (np.searchsorted(self.moments_s, each) for each in self._spans)
        rates = np.array([each.bytes_per_s for each in self.clips])
        np.add.at(change, starts, rates)
        np.add.at(change, ends, -rates)
        summed = np.cumsum(change)[:-1]
        # Rates that came and went leave a hair of rounding where nothing is read.
        return np.where(summed < 1e-6 * max(float(rates.max(initial=0.0)), 1e-300), 0.0, summed)

    @cached_property
    def streams(self) -> NDArray[np.intp]:
        """How many clips are read from each moment to the next; shape (m - 1,)."""
        change = np.zeros(self.moments_s.size, dtype=np.intp)
        starts, ends = self._spans
        np.add.at(change, np.searchsorted(self.moments_s, starts), 1)
        np.add.at(change, np.searchsorted(self.moments_s, ends), -1)
        return np.cumsum(change)[:-1]

    @property
    def duration_s(self) -> float:
        """To the end of the last clip."""
        return float(self.moments_s[-1])

    @property
    def total_bytes(self) -> float:
        """Read while it plays once."""
        return float((self.bytes_per_s * np.diff(self.moments_s)).sum())

    @property
    def peak_bytes_per_s(self) -> float:
        """The most that is asked at any moment."""
        return float(self.bytes_per_s.max(initial=0.0))

    def clips_at(self, start_s: float, end_s: float) -> tuple[ClipUse, ...]:
        """Return the clips that are read between two moments, those of the highest rate first."""
        starts, ends = self._spans
        found = [self.clips[n] for n in np.flatnonzero((starts < end_s) & (ends > start_s))]
        return tuple(sorted(found, key=lambda each: -each.bytes_per_s))

    @cached_property
    def _spans(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Where each clip begins and ends; a cut may have thousands, and is asked often."""
        return (np.array([each.start_s for each in self.clips]),
                np.array([each.end_s for each in self.clips]))  # fmt: skip

    @cached_property
    def worst_second(self) -> Second:
        """The second in which most is read, wherever it begins; of a shorter one, all of it."""
        moments = self.moments_s
        read = np.concatenate([[0.0], np.cumsum(self.bytes_per_s * np.diff(moments))])
        # What is read in a second has its most where the second begins or ends at a change.
        starts = np.concatenate([moments, moments - _SECOND_S])
        starts = np.clip(starts, 0.0, max(self.duration_s - _SECOND_S, 0.0))
        within = np.interp(starts + _SECOND_S, moments, read) - np.interp(starts, moments, read)
        at = int(np.argmax(within))
        start_s = float(starts[at])
        clips = self.clips_at(start_s, start_s + _SECOND_S)
        return Second(start_s, float(within[at]), tuple(dict.fromkeys(c.name for c in clips)))

    def by_column(self, columns: int) -> NDArray[np.float64]:
        """Return the highest demand within each of so many even parts; shape (columns,)."""
        edges = np.linspace(0.0, self.duration_s, columns + 1)
        first = np.searchsorted(self.moments_s, edges[:-1], side="right") - 1
        last = np.searchsorted(self.moments_s, edges[1:], side="left")
        rates = self.bytes_per_s
        return np.array([rates[a:max(b, a + 1)].max(initial=0.0)
                         for a, b in zip(first, last, strict=True)])  # fmt: skip


@dataclass(frozen=True, slots=True)
class LateSpot:
    """A place of the timeline where frames come late."""

    start_s: float
    end_s: float
    frames: float
    of_frames: float
    """All frames of those clips from where the read-ahead began to be used up."""
    from_s: float
    """When more began to be asked than was given."""
    clips: tuple[str, ...]


@dataclass(frozen=True)
class PlayedDemand:
    """What comes of playing a timeline once."""

    late: tuple[LateSpot, ...]
    carried: tuple[tuple[float, float], ...]
    """From and to: more was asked than given, and the read-ahead carried it."""

    @property
    def late_frames(self) -> float:
        """All of them."""
        return sum(each.frames for each in self.late)

    @property
    def worst(self) -> LateSpot | None:
        """The place with most late frames; None where all is in time."""
        return max(self.late, key=lambda each: each.frames, default=None)


def play_demand(
    demand: Demand, given_bytes_per_s: Callable[[int], float], read_ahead_s: float
) -> PlayedDemand:
    """Return where a store that gives so much to so many streams comes too late.

    Args:
        demand: of the timeline.
        given_bytes_per_s: to a number of streams that are read at once, 1 or more.
        read_ahead_s: of each stream; the frames that it holds are used up before any is late.

    References:
        backlog' = asked - given, never below 0; what of it is above the bytes read ahead is late.

    """
    require_not_negative("timeline", read_ahead_s=read_ahead_s)
    moments, rates, streams = demand.moments_s, demand.bytes_per_s, demand.streams
    backlog = 0.0
    late: list[_Spot] = []
    carried: list[tuple[float, float]] = []
    open_spot: _Spot | None = None
    for number in range(rates.size):
        start_s, end_s = float(moments[number]), float(moments[number + 1])
        asked, count = float(rates[number]), int(streams[number])
        given = given_bytes_per_s(count) if count else given_bytes_per_s(1)
        ahead = asked * read_ahead_s
        grows = asked - given
        if grows > 0 and open_spot is None:
            open_spot = _Spot(from_s=start_s)
        if grows > 0 and open_spot is not None:
            # What waited longer than its frames' time is given up: it can't be late twice.
            backlog = min(backlog, ahead)
            full_s = start_s + (ahead - backlog) / grows
            if full_s < end_s - _LEAST_S:
                open_spot.add(full_s, end_s, (end_s - full_s) * grows)
            backlog = min(backlog + grows * (end_s - start_s), ahead)
        elif grows <= 0:
            emptied_s = start_s + (backlog / -grows if grows else math.inf)
            backlog = max(backlog + grows * (end_s - start_s), 0.0)
            if open_spot is not None and (backlog <= 0 or number == rates.size - 1):
                open_spot.to_s = min(emptied_s, end_s)
                _close(open_spot, late, carried)
                open_spot = None
    if open_spot is not None:
        open_spot.to_s = demand.duration_s
        _close(open_spot, late, carried)
    return PlayedDemand(tuple(_late_spot(each, demand) for each in late), tuple(carried))


@dataclass(slots=True)
class _Spot:
    from_s: float
    to_s: float = 0.0
    late_from_s: float = math.inf
    late_to_s: float = 0.0
    late_bytes: float = 0.0

    def add(self, start_s: float, end_s: float, late_bytes: float) -> None:
        self.late_from_s = min(self.late_from_s, start_s)
        self.late_to_s, self.late_bytes = end_s, self.late_bytes + late_bytes


def _close(spot: _Spot, late: list[_Spot], carried: list[tuple[float, float]]) -> None:
    if spot.late_bytes > 0:
        late.append(spot)
    else:
        carried.append((spot.from_s, spot.to_s))


def _late_spot(spot: _Spot, demand: Demand) -> LateSpot:
    clips = demand.clips_at(spot.from_s, spot.late_to_s)
    whole_bytes = frames = 0.0
    for each in clips:
        seconds = min(each.end_s, spot.late_to_s) - max(each.start_s, spot.from_s)
        whole_bytes += seconds * each.bytes_per_s
        frames += seconds * each.frames_per_s
    share = min(spot.late_bytes / whole_bytes, 1.0) if whole_bytes > 0 else 0.0
    names = tuple(dict.fromkeys(each.name for each in
                                demand.clips_at(spot.late_from_s, spot.late_to_s)))  # fmt: skip
    return LateSpot(
        spot.late_from_s, spot.late_to_s, share * frames, frames, spot.from_s, names
    )  # fmt: skip


def demand_of(clips: Sequence[ClipUse]) -> Demand:
    """Return the demand of *clips*. Raises BadValueError where nothing is read."""
    if not clips:
        raise BadValueError(
            "no clip is read", where="timeline", mend="Give one with a clip and its rate"
        )
    return Demand(tuple(clips))
