"""How a camera rolls over a day: its takes, laid out by a pattern of the trade."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.errors import BadValueError
from vastcellar.core.shoot.offload import Break
from vastcellar.core.shoot.roll_patterns import TYPICAL_TAKE_S, RollPattern

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
BoolArray = NDArray[np.bool_]


@dataclass(frozen=True, slots=True)
class Take:
    """One take of a day; times in seconds since midnight."""

    start_s: float
    duration_s: float
    is_longest: bool = False
    """Whether it is the one that must not be interrupted."""

    @property
    def end_s(self) -> float:
        """When it ends."""
        return self.start_s + self.duration_s


@dataclass(frozen=True, slots=True)
class RollCount:
    """Takes of a day, before they are laid out: so many ordinary ones around the longest."""

    before: int
    after: int
    take_s: float
    """Length of each ordinary take."""
    longest_s: float
    """0 where the longest take is on another day."""

    @property
    def takes(self) -> int:
        """All takes."""
        return self.before + self.after + (self.longest_s > 0)

    @property
    def roll_s(self) -> float:
        """Recorded time in all."""
        return (self.before + self.after) * self.take_s + self.longest_s


def ordinary_take_s(pattern: RollPattern, longest_s: float) -> float:
    """Return the length of an ordinary take of *pattern*: never longer than the longest."""
    return min(TYPICAL_TAKE_S[pattern], longest_s)


@dataclass(frozen=True, slots=True)
class RollCounts:
    """``RollCount`` for many days at once; every array has the same shape."""

    before: IntArray
    after: IntArray
    take_s: FloatArray
    longest_s: FloatArray

    def at(self, *index: int) -> RollCount:
        """Return one of the days."""
        return RollCount(
            before=int(self.before[index]),
            after=int(self.after[index]),
            take_s=float(self.take_s[index]),
            longest_s=float(self.longest_s[index]),
        )


def count_takes(
    ordinary_s: FloatArray, roll_s: FloatArray, longest_s: FloatArray, has_longest: BoolArray
) -> RollCounts:
    """Return the takes that make up days of *roll_s* seconds of recording.

    The ordinary takes are made slightly shorter or longer so that they fill the time exactly;
    half of them come before the longest. A day shorter than the longest take is one take.
    All arguments broadcast against each other, and the result has that shape.
    Raises BadValueError for a take that is not above 0 or a day outside 0 to 24 hours.
    """
    if np.any(~(ordinary_s > 0)) or np.any(~(longest_s > 0)):
        raise BadValueError("a take has no length", where="takes", mend="Give takes above 0 s")
    if np.any(~((roll_s >= 0) & (roll_s <= 24 * 3600))):
        raise BadValueError(
            "a day is recorded for less than 0 or over 24 hours",
            where="takes",
            mend="Give 0 to 24 hours a day",
        )
    longest = np.where(has_longest, np.minimum(longest_s, roll_s), 0.0)
    rest_s = roll_s - longest
    count = np.where(rest_s > 0, np.maximum(np.rint(rest_s / ordinary_s), 1), 0).astype(np.int64)
    before = np.where(longest > 0, count // 2, count)
    take_s = np.where(count > 0, rest_s / np.maximum(count, 1), 0.0)
    return RollCounts(before, count - before, take_s, longest)


def lay_out_takes(
    count: RollCount, day_start_s: float, day_end_s: float, breaks: Sequence[Break] = ()
) -> tuple[Take, ...]:
    """Return the takes of a day with even pauses between, from its start to its end.

    A day that rolls longer than its hours has no pauses and ends late. A take that would run
    into one of *breaks* begins after it, and what comes next moves up only as far as it must.
    """
    pause_s = 0.0
    if count.takes > 1:
        pause_s = max(day_end_s - day_start_s - count.roll_s, 0.0) / (count.takes - 1)
    durations = [count.take_s] * count.before
    durations += [count.longest_s] if count.longest_s > 0 else []
    durations += [count.take_s] * count.after
    takes, at_s = [], day_start_s
    for index, duration_s in enumerate(durations):
        takes.append(Take(at_s, duration_s, count.longest_s > 0 and index == count.before))
        at_s += duration_s + pause_s
    return _around(takes, breaks) if breaks else tuple(takes)


def _around(takes: Sequence[Take], breaks: Sequence[Break]) -> tuple[Take, ...]:
    moved, free_s = [], 0.0
    for take in takes:
        start_s = max(take.start_s, free_s)
        for each in sorted(breaks, key=lambda b: b.start_s):
            if start_s < each.end_s and start_s + take.duration_s > each.start_s:
                start_s = each.end_s
        moved.append(replace(take, start_s=start_s))
        free_s = start_s + take.duration_s
    return tuple(moved)
