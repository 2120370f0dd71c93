"""Samples of one model beside each other: which one is out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import comb
from statistics import median

from vastcellar.core.cellar.changes import LEAST_SHARE, SURE
from vastcellar.core.cellar.likeness import RunPoint, differing
from vastcellar.core.cellar.trends import stalls_of
from vastcellar.core.protocols.steady import difference

_FEWEST_RUNS = 3
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
    tags = [tag for tag, points in points_by_tag.items() if points]
    found = (
        _beside(tag, points_by_tag, tuple(each for each in tags if each != tag)) for tag in tags
    )
    return tuple(each for each in found if each is not None)


def _beside(
    tag: str, points_by_tag: Mapping[str, Sequence[RunPoint]], others: tuple[str, ...]
) -> OutOfLine | None:
    mine = points_by_tag[tag]
    theirs = {
        other: [
            point
            for point in points_by_tag[other]
            if any(not differing(point, each) for each in mine)
        ]
        for other in others
    }
    twins = {other: points for other, points in theirs.items() if len(points) >= _FEWEST_RUNS}
    pool = [point for points in twins.values() for point in points]
    alike = [point for point in mine if any(not differing(point, each) for each in pool)]
    if len(alike) < _FEWEST_RUNS or not twins:
        return None
    stalled, count = stalls_of(alike)
    their_stalled, their_count = stalls_of(pool)
    rates = [each.bytes_per_s for each in alike if each.bytes_per_s]
    their_rates = [each.bytes_per_s for each in pool if each.bytes_per_s]
    if not rates or not their_rates:
        return None
    share = median(rates) / median(their_rates) - 1
    by_rate = difference(their_rates, rates)
    is_slower = (
        len(twins) > 1
        and by_rate is not None
        and by_rate.is_real
        and share <= -_LEAST_SLOWER
        # The others must agree among themselves, or nobody is out.
        and all(_agrees(points, pool) for points in twins.values())
    )
    is_stalling = _by_chance(stalled, count, their_stalled, their_count) < SURE
    if not is_slower and not is_stalling:
        return None
    return OutOfLine(
        tag, tuple(sorted(twins)), tuple(each.run_id for each in alike),
        tuple(each.run_id for each in pool), stalled, count, their_stalled, their_count,
        max(each.stall_s for each in alike), share, is_stalling,
    )  # fmt: skip


def _agrees(points: Sequence[RunPoint], pool: Sequence[RunPoint]) -> bool:
    rates = [each.bytes_per_s for each in points if each.bytes_per_s]
    middle = median(each.bytes_per_s for each in pool if each.bytes_per_s)
    return bool(rates) and abs(median(rates) / middle - 1) < _LEAST_SLOWER


def _by_chance(stalled: int, count: int, their_stalled: int, their_count: int) -> float:
    """Return how often chance has so many of all standstills fall on this sample (Fisher)."""
    runs, stalls = count + their_count, stalled + their_stalled
    ways = sum(
        comb(count, mine) * comb(their_count, stalls - mine)
        for mine in range(stalled, min(count, stalls) + 1)
    )
    return ways / comb(runs, stalls)
