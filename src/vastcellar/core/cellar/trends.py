"""What the runs of one unit say over time: its level now, what it was, since when and maybe why."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from math import comb
from statistics import median

from vastcellar.core.cellar.changes import LEAST_SHARE, Change, best_change, level_starts
from vastcellar.core.cellar.likeness import LikeRuns, RunPoint, differing, like_runs
from vastcellar.core.protocols.steady import Difference, difference

STALLS_S = 1.0
"""A standstill that a camera's buffer doesn't carry."""
_HOTTER_K = 5.0
_WORTH_A_LOOK = 0.3
"""A change that chance brings less often than this is worth the runs that decide it."""
_FEWEST_BEFORE = 3
_SAME_LEVEL_SHARE = 0.03
"""Two levels so near to each other are one that came back."""


class Figure(StrEnum):
    """What is followed over a unit's runs."""

    RATE = "rate"
    STALL = "stall"
    HEAT = "heat"


@dataclass(frozen=True)
class Trend:
    """One figure of a unit's like runs, oldest first."""

    figure: Figure
    points: tuple[RunPoint, ...]
    values: tuple[float, ...]
    baseline: float
    """As it was accepted, or at its first level where it wasn't."""
    baseline_count: int
    now: float
    now_count: int
    change: Change | None
    """The newest change that is sure; None where it is what it was."""
    maybe: Change | None
    """A change that chance might have made; more runs decide."""

    @property
    def share(self) -> float:
        """How much the figure is above its baseline now, as a share of it."""
        return self.now / self.baseline - 1 if self.baseline else 0.0

    @property
    def between(self) -> tuple[datetime, datetime] | None:
        """The last run before the change and the first one after: it lies between them."""
        if self.change is None or self.change.is_drift:
            return None
        return self.points[self.change.index - 1].at, self.points[self.change.index].at

    @property
    def sure_share(self) -> float:
        """How sure it is that this is no chance; 0 for no change."""
        return 1 - self.change.chance if self.change else 0.0


_VALUE: dict[Figure, Callable[[RunPoint], float | None]] = {
    Figure.RATE: lambda each: each.bytes_per_s,
    Figure.STALL: lambda each: each.stall_s,
    Figure.HEAT: lambda each: each.hottest_c,
}


@dataclass(frozen=True)
class Elsewhere:
    """The newest runs, under other conditions than those before."""

    points: tuple[RunPoint, ...]
    differs: tuple[str, ...]
    by: Difference
    """How much they are above the like runs before."""


@dataclass(frozen=True)
class UnitTrends:
    """What the runs of one unit say."""

    like: LikeRuns | None
    """The group that is compared; None without runs."""
    left_out: tuple[RunPoint, ...]
    """Runs that are not like those, oldest first."""
    by_figure: dict[Figure, Trend]
    elsewhere: Elsewhere | None
    """Where the newest runs are not like those before, and came out otherwise."""

    def of(self, figure: Figure) -> Trend | None:
        """Return the trend of *figure*; None where too little is known of it."""
        return self.by_figure.get(figure)


def unit_trends(points: Sequence[RunPoint], baseline_ids: Collection[int] = ()) -> UnitTrends:
    """Return what *points*, all of one unit, say; *baseline_ids* are the runs it was accepted by.

    Compared are the like runs that include most of the baseline, or else the most runs.
    """
    usable = [each for each in points if each.bytes_per_s is not None]
    groups = like_runs(usable)
    if not groups:
        return UnitTrends(None, tuple(points), {}, None)
    ids = set(baseline_ids)

    def weight(group: LikeRuns) -> tuple[bool, int]:
        # A single accepted run beside twenty of another kind is compared with nothing.
        in_baseline = sum(each.run_id in ids for each in group.points)
        return in_baseline > 0 and len(group.points) > 1, len(group.points)

    like = max(groups, key=weight)
    taken = {each.run_id for each in like.points}
    left_out = tuple(sorted(
        (each for each in points if each.run_id not in taken),
        key=lambda each: (each.at, each.run_id),
    ))  # fmt: skip
    found = {figure: trend for figure in Figure if (trend := _trend(figure, like.points, ids))}
    return UnitTrends(like, left_out, found, _elsewhere(like, groups))


def _trend(figure: Figure, points: Sequence[RunPoint], ids: Collection[int]) -> Trend | None:
    known = [(each, value) for each in points if (value := _VALUE[figure](each)) is not None]
    if not known:
        return None
    kept, values = (tuple(each) for each in zip(*known, strict=True))
    is_level = max(values) - min(values) <= _LEAST[figure](median(values))
    if is_level:
        return _level(figure, kept, values, ids)
    starts = level_starts(values) if figure is Figure.RATE else _raised(figure, values)
    first = values[: starts[1]] if len(starts) > 1 else values
    accepted = [value for each, value in known if each.run_id in ids]
    if accepted and len(starts) > 1:
        # What it was accepted by, and all that was like it since, until it changed.
        accepted += [v for e, v in known[: starts[1]] if e.run_id not in ids]
    baseline = median(accepted or first)
    last = values[starts[-1] :]
    change = maybe = None
    seen = best_change(values[starts[-2] :] if len(starts) > 1 else values)
    if len(starts) > 1 and seen is not None:
        change = Change(starts[-1], baseline, median(last), seen.chance)
        if figure is Figure.RATE and abs(change.share) < _SAME_LEVEL_SHARE:
            change = None  # it went, and came back
    elif seen is not None and seen.is_sure and seen.is_drift and _is_worth(figure, seen):
        third = max(len(values) // 3, 1)
        change, baseline, last = seen, median(values[:third]), values[-third:]
    if change is None:
        maybe = _odd_end(figure, last)
    if change is None and maybe is None and seen is not None and len(starts) == 1:
        is_open = not seen.is_sure and seen.chance < _WORTH_A_LOOK
        maybe = seen if is_open and _is_worth(figure, seen) else None
    return Trend(
        figure, tuple(kept), values, baseline, len(accepted or first), median(last), len(last),
        change, maybe,
    )  # fmt: skip


def _level(
    figure: Figure, kept: tuple[RunPoint, ...], values: tuple[float, ...], ids: Collection[int]
) -> Trend:
    """Return the trend of values that all lie within what is worth no word."""
    accepted = [value for each, value in zip(kept, values, strict=True) if each.run_id in ids]
    middle = median(values)
    baseline = median(accepted) if accepted else middle
    count = len(accepted) or len(values)
    return Trend(figure, kept, values, baseline, count, middle, len(values), None, None)


def _odd_end(figure: Figure, values: Sequence[float]) -> Change | None:
    """Return the last one or two of *values* where they lie outside all before; None else.

    By chance the k last of n are the k lowest once in n over k: two or three more runs decide.
    """
    count = len(values)
    for odd in (2, 1):
        rest, end = values[: count - odd], values[count - odd :]
        if len(rest) < _FEWEST_BEFORE:
            continue
        is_apart = max(end) < min(rest) or min(end) > max(rest)
        found = Change(count - odd, median(rest), median(end), min(2 / comb(count, odd), 1.0))
        if is_apart and _is_worth(figure, found):
            return found
    return None


def _raised(figure: Figure, values: Sequence[float]) -> tuple[int, ...]:
    found = best_change(values)
    if found is None or not found.is_sure or found.is_drift or not _is_worth(figure, found):
        return (0,)
    return (0, found.index)


_LEAST: dict[Figure, Callable[[float], float]] = {
    Figure.RATE: lambda before: LEAST_SHARE * before,
    Figure.STALL: lambda _before: STALLS_S,
    Figure.HEAT: lambda _before: _HOTTER_K,
}
"""What a figure has to change by, to be worth a word."""


def _is_worth(figure: Figure, change: Change) -> bool:
    by = change.after - change.before
    return (by if figure is Figure.STALL else abs(by)) >= _LEAST[figure](change.before)


def _elsewhere(like: LikeRuns, groups: Sequence[LikeRuns]) -> Elsewhere | None:
    """Return the newest other runs of the same test, where the last like one lies before them."""
    setting = like.typical.setting
    last = like.points[-1].at
    later = [
        each
        for each in groups
        if each is not like
        and each.points[0].at > last
        and (each.typical.setting.kind, each.typical.setting.is_simulated)
        == (setting.kind, setting.is_simulated)
    ]
    newest = max(later, key=lambda each: each.points[-1].at, default=None)
    if newest is None:
        return None
    before = [each.bytes_per_s for each in like.points if each.bytes_per_s]
    after = [each.bytes_per_s for each in newest.points if each.bytes_per_s]
    by = difference(before, after)
    if by is None or not by.is_real or abs(by.share) < LEAST_SHARE:
        return None
    return Elsewhere(newest.points, differing(like.typical, newest.typical), by)


def stalls_of(points: Sequence[RunPoint]) -> tuple[int, int]:
    """Return how many of *points* stood still for longer than a buffer carries, and how many."""
    return sum(each.stall_s >= STALLS_S for each in points), len(points)
