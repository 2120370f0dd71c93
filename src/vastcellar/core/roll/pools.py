"""How many cards each camera needs, so that none of them waits."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import count, islice, product
from math import prod

from vastcellar.core.roll.day import CameraDay, RollDay
from vastcellar.core.roll.day_run import DayRun, run_day

_MOST_RUNS = 600
"""Beyond so many pools not all are tried: a camera with 12 fills beside three others has 20,000."""


@dataclass(frozen=True)
class SmallestPool:
    """The fewest cards that no camera waits with, in all."""

    counts: tuple[tuple[str, int], ...]
    """By camera."""
    run: DayRun
    is_proved: bool
    """Whether every smaller pool was tried; else cards were added where a camera waited, and taken
    away again where that cost nothing."""

    @property
    def cards(self) -> int:
        """All of them."""
        return sum(count for _key, count in self.counts)


def with_cards(camera: CameraDay, cards: int) -> CameraDay:
    """Return *camera* with so many cards: the first of its pool, then more like the first."""
    first = camera.cards[0]
    more = (
        replace(first, tag=_more_tag(camera, number), is_on_shelf=False)
        for number in range(1, cards - len(camera.cards) + 1)
    )
    return replace(camera, cards=(*camera.cards[:cards], *more))


def _more_tag(camera: CameraDay, number: int) -> str:
    taken = {card.tag for card in camera.cards}
    free = (tag for n in count(1) if (tag := f"{camera.key}+{n}") not in taken)
    return next(islice(free, number - 1, None))


def with_pools(day: RollDay, counts: dict[str, int]) -> RollDay:
    """Return *day* with so many cards a camera; those that aren't named keep theirs."""
    cameras = tuple(
        with_cards(each, counts[each.key]) if each.key in counts else each for each in day.cameras
    )
    return replace(day, cameras=cameras)


def smallest_pool(day: RollDay) -> SmallestPool:
    """Return the smallest pool of *day* without waiting.

    Of pools alike in size, the one that needs fewest cards that aren't on the shelf.
    """
    rolling = [each for each in day.cameras if each.takes]
    fills = run_day(with_pools(day, {each.key: _ample(each) for each in rolling}))
    most = {
        each.key: max(sum(t.camera_key == each.key for t in fills.trips), 1) for each in rolling
    }
    if prod(most.values()) <= _MOST_RUNS:
        return _first_without_waits(day, rolling, most)
    return _by_adding(day, rolling, most)


def _ample(camera: CameraDay) -> int:
    """So many cards that each fill has its own."""
    least = min(card.room_bytes for card in camera.cards)
    return len(camera.takes) + int(camera.recorded_bytes / least) + 1


def _first_without_waits(
    day: RollDay, rolling: list[CameraDay], most: dict[str, int]
) -> SmallestPool:
    keys = [each.key for each in rolling]
    have = [len(each.cards) for each in rolling]

    def size(counts: tuple[int, ...]) -> tuple[int, int, tuple[int, ...]]:
        bought = sum(max(n - h, 0) for n, h in zip(counts, have, strict=True))
        return sum(counts), bought, counts

    pools = sorted(product(*(range(1, most[key] + 1) for key in keys)), key=size)
    run = None
    for counts in pools:
        named = dict(zip(keys, counts, strict=True))
        run = run_day(with_pools(day, named), is_recorded=False)
        if not run.waits:
            return SmallestPool(tuple(named.items()), run, is_proved=True)
    assert run is not None  # there is always the pool of one card each
    return SmallestPool(tuple(most.items()), run, is_proved=True)


def _by_adding(day: RollDay, rolling: list[CameraDay], most: dict[str, int]) -> SmallestPool:
    counts = {each.key: 1 for each in rolling}

    def tried(key: str, change: int) -> DayRun:
        return run_day(with_pools(day, {**counts, key: counts[key] + change}), is_recorded=False)

    run = run_day(with_pools(day, counts), is_recorded=False)
    while waiting := _first_that_waits(run, counts, most):
        run = tried(waiting, 1)
        counts[waiting] += 1
    for key in list(counts):
        while counts[key] > 1 and not (fewer := tried(key, -1)).waits:
            counts[key] -= 1
            run = fewer
    return SmallestPool(tuple(counts.items()), run, is_proved=False)


def _first_that_waits(run: DayRun, counts: dict[str, int], most: dict[str, int]) -> str:
    keys = (wait.camera_key for wait in run.waits)
    return next((key for key in keys if counts[key] < most[key]), "")
