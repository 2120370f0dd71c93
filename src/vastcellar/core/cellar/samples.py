"""Samples of one model beside each other: which one is out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import comb
from statistics import median

from vastcellar.core.cellar.changes import LEAST_SHARE, SURE
from vastcellar.core.cellar.likeness import RunPoint, like_runs
from vastcellar.core.cellar.trends import stalls_of
from vastcellar.core.protocols.steady import difference

_FEWEST_RUNS = 3
_MOST_TWINS = 24
"""Beside more than these nothing is seen more clearly."""
_FEW_TWINS, _NEWEST = 6, 10
_AGREE = 0.8
_LEAST_SLOWER = 2 * LEAST_SHARE
"""Samples of one model differ by this much anyway."""


@dataclass(frozen=True, slots=True)
class OutOfLine:
    """A sample that isn't as its twins are."""

    tag: str
    twins: tuple[str, ...]
    run_ids: tuple[int, ...]
    twin_run_ids: tuple[int, ...]
    stalled_runs: int
    runs: int
    twin_stalled_runs: int
    twin_runs: int
    longest_stall_s: float
    share: float
    """How much faster it writes than they do, as a share of their median."""
    stalls: bool
    """Whether it is its standstills that are out, and not its rate."""


def out_of_line(points_by_tag: Mapping[str, Sequence[RunPoint]]) -> tuple[OutOfLine, ...]:
    """Return those of the samples, all of one model, that are out; () for fewer than two.

    Only runs that are like those of the twins count: another case or port is another thing. Of two
    samples one can be out by its standstills; by its rate it takes three to tell which one.
    """
    by_run = {point.run_id: tag for tag, points in points_by_tag.items() for point in points}
    found: dict[str, OutOfLine] = {}
    for group in like_runs([point for points in points_by_tag.values() for point in points]):
        alike: dict[str, list[RunPoint]] = {}
        for point in group.points:
            alike.setdefault(by_run[point.run_id], []).append(point)
        several = {tag: some for tag, some in alike.items() if len(some) >= _FEWEST_RUNS}
        for tag, mine in several.items():
            twins = _some_twins(tag, several)
            if twins and tag not in found and (out := _beside(tag, mine, twins)) is not None:
                found[tag] = out
    return tuple(found[tag] for tag in points_by_tag if tag in found)


def _some_twins(
    tag: str, several: Mapping[str, Sequence[RunPoint]]
) -> dict[str, Sequence[RunPoint]]:
    """Return those that *tag* is held against: all others, or as many of them spread evenly."""
    others = [each for each in several if each != tag]
    step = max(len(others) // _MOST_TWINS, 1)
    return {each: several[each] for each in others[::step][:_MOST_TWINS]}


def _beside(
    tag: str, mine: Sequence[RunPoint], twins: Mapping[str, Sequence[RunPoint]]
) -> OutOfLine | None:
    pool = [point for points in twins.values() for point in points]
    stalled, count = stalls_of(mine)
    their_stalled, their_count = stalls_of(pool)
    rates = [each.bytes_per_s for each in mine if each.bytes_per_s]
    their_rates = [each.bytes_per_s for each in pool if each.bytes_per_s]
    if not rates or not their_rates:
        return None
    middle = median(their_rates)
    share = median(rates) / middle - 1
    is_slower = (
        len(twins) > 1
        and share <= -_LEAST_SLOWER
        # The others must agree among themselves, or nobody is out.
        and sum(_agrees(points, middle) for points in twins.values()) >= _AGREE * len(twins)
        and (by_rate := difference(_values(twins), rates[-_NEWEST:])) is not None
        and by_rate.is_real
    )
    is_stalling = _by_chance(stalled, count, their_stalled, their_count) < SURE
    if not is_slower and not is_stalling:
        return None
    return OutOfLine(
        tag, tuple(sorted(twins)), tuple(each.run_id for each in mine),
        tuple(each.run_id for each in pool), stalled, count, their_stalled, their_count,
        max(each.stall_s for each in mine), share, is_stalling,
    )  # fmt: skip


def _values(twins: Mapping[str, Sequence[RunPoint]]) -> list[float]:
    """Return what a sample is held against: the newest runs of few twins, the medians of many."""
    rates = [[each.bytes_per_s for each in points if each.bytes_per_s] for points in twins.values()]
    if len(twins) > _FEW_TWINS:
        return [median(each) for each in rates if each]
    return [rate for each in rates for rate in each[-_NEWEST:]]


def _agrees(points: Sequence[RunPoint], middle: float) -> bool:
    rates = [each.bytes_per_s for each in points if each.bytes_per_s]
    return bool(rates) and abs(median(rates) / middle - 1) < _LEAST_SLOWER


def _by_chance(stalled: int, count: int, their_stalled: int, their_count: int) -> float:
    """Return how often chance has so many of all standstills fall on this sample (Fisher)."""
    runs, stalls = count + their_count, stalled + their_stalled
    ways = sum(
        comb(count, mine) * comb(their_count, stalls - mine)
        for mine in range(stalled, min(count, stalls) + 1)
    )
    return ways / comb(runs, stalls)
