"""Which runs may be held against each other: like with like, and what else differs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields
from datetime import datetime
from statistics import median

from vastcellar.core.verdict.reach.comparing import COOLER_ROOM_K

WARMER_K = COOLER_ROOM_K
"""A room so much warmer makes another run of it."""
FULLER_SHARE = 0.10
"""A drive so much fuller has another cache and other zones."""
LARGER_SHARE = 0.10
"""A test that wrote so much more went further past the cache."""


@dataclass(frozen=True, slots=True)
class RunSetting:
    """What must be the very same in two runs for their figures to be of one thing."""

    kind: str
    is_simulated: bool
    drive: str
    enclosure: str
    host: str
    port: str
    link_mode: str
    cable: str
    file_system: str
    encryption: str
    cooling: str
    write_mode: str
    block: str
    depth: str


@dataclass(frozen=True, slots=True)
class RunPoint:
    """A run as one point of its unit's history."""

    run_id: int
    at: datetime
    setting: RunSetting
    bytes_per_s: float | None
    """What it wrote at; None where it was held to a rate, or wrote nothing."""
    slowest_bytes_per_s: float | None = None
    """What it wrote in its slowest second."""
    stall_s: float = 0.0
    """Its longest standstill."""
    hottest_c: float | None = None
    room_c: float | None = None
    filled_share: float | None = None
    """How full the drive was before."""
    moved_bytes: float = 0.0
    written_bytes: float | None = None
    """What had been written to the unit before, over its life."""
    was_disturbed: bool = False
    """Whether other load, a sleep or another test got into it."""


LOADED = "loaded"
ROOM = "room"
FILL = "fill"
AMOUNT = "amount"


def differing(one: RunPoint, other: RunPoint) -> tuple[str, ...]:
    """Return in what two runs differ, by the names of their setting's fields and the above.

    What isn't known of a run is no difference.
    """
    found = [
        each.name
        for each in fields(RunSetting)
        if getattr(one.setting, each.name) != getattr(other.setting, each.name)
    ]
    if _apart(one.room_c, other.room_c) > WARMER_K:
        found.append(ROOM)
    if _apart(one.filled_share, other.filled_share) > FULLER_SHARE:
        found.append(FILL)
    sizes = sorted((one.moved_bytes, other.moved_bytes))
    if sizes[1] > sizes[0] * (1 + LARGER_SHARE):
        found.append(AMOUNT)
    if one.was_disturbed != other.was_disturbed:
        found.append(LOADED)
    return tuple(found)


def _apart(one: float | None, other: float | None) -> float:
    return abs(one - other) if one is not None and other is not None else 0.0


@dataclass(frozen=True)
class LikeRuns:
    """Runs that may be compared, oldest first."""

    points: tuple[RunPoint, ...]
    typical: RunPoint
    """Stands for all of them when it is asked what another run differs in."""


def like_runs(points: Sequence[RunPoint]) -> tuple[LikeRuns, ...]:
    """Return *points* in groups of like ones, the largest first; a group may be of one run.

    Two runs of a group differ in nothing of their setting, and lie as near to the middle of their
    group in room, fill and amount as the limits above say.
    """
    by_setting: dict[tuple[RunSetting, bool], list[RunPoint]] = {}
    for point in sorted(points, key=lambda each: (each.at, each.run_id)):
        by_setting.setdefault((point.setting, point.was_disturbed), []).append(point)
    groups: list[LikeRuns] = []
    for members in by_setting.values():
        rest = members
        while rest:
            middle = _middle(rest)
            near = [each for each in rest if not differing(each, middle)] or rest[:1]
            taken = {each.run_id for each in near}
            groups.append(LikeRuns(tuple(near), _middle(near)))
            rest = [each for each in rest if each.run_id not in taken]
    return tuple(sorted(groups, key=lambda each: (-len(each.points), -each.points[-1].run_id)))


def _middle(points: Sequence[RunPoint]) -> RunPoint:
    """Return the one of *points* that most others are like: their middle in all three figures."""

    def off(each: RunPoint) -> float:
        return (
            _apart(each.room_c, room_c) / WARMER_K
            + _apart(each.filled_share, filled) / FULLER_SHARE
            + abs(each.moved_bytes - moved) / max(moved * LARGER_SHARE, 1.0)
        )

    room_c = _median([each.room_c for each in points])
    filled = _median([each.filled_share for each in points])
    moved = median(each.moved_bytes for each in points)
    return min(points, key=lambda each: (off(each), each.at, each.run_id))


def _median(values: Sequence[float | None]) -> float | None:
    known = [each for each in values if each is not None]
    return median(known) if known else None
