"""Copies that are made later than the card's: at night or elsewhere, from one of the day's drives.

Such a copy costs the day nothing, and nothing frees a card by it until it is made. It begins when
the drive that it is made from has all of its cards, at the earliest at a time of one's own.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from vastcellar.core.checks import require_above_zero, require_not_negative
from vastcellar.core.roll.day import CopyDrive
from vastcellar.core.roll.day_run import CardTrip, DayRun
from vastcellar.core.roll.time_left import expected_copy


@dataclass(frozen=True, slots=True)
class LaterCopy:
    """A copy of a day's material from one of its drives to another."""

    name: str
    drive: CopyDrive
    """That it is made on, as it hangs there."""
    from_tag: str
    """The drive of the day that it is made from."""
    read_bytes_per_s: float
    """What comes off that one."""
    not_before_s: float = 0.0
    """Since midnight of the shooting day."""

    def __post_init__(self) -> None:
        where = f"copy {self.name!r}"
        require_above_zero(where, read_bytes_per_s=self.read_bytes_per_s)
        require_not_negative(where, not_before_s=self.not_before_s)


@dataclass(frozen=True, slots=True)
class LaterRun:
    """How it goes; times since midnight of the shooting day, infinite where they never come."""

    copy: LaterCopy
    size_bytes: float
    start_s: float
    copied_s: float
    verified_s: float
    """Copied, where it isn't read back."""
    cards: tuple[tuple[str, float], ...]
    """Tag of each card that it holds, and when that came out of its camera."""
    has_room: bool
    is_whole: bool
    """Whether every card of the day is on the drive that it is made from."""


def run_later(run: DayRun, copy: LaterCopy) -> LaterRun:
    """Return how *copy* goes after the day *run*. Nothing of a drive without room is begun."""
    done = [(trip, _on(trip, copy.from_tag)) for trip in run.trips]
    there = [(trip, done_s) for trip, done_s in done if math.isfinite(done_s)]
    size = sum(trip.card_bytes for trip, _done_s in there)
    cards = tuple((trip.card_tag, trip.out_s) for trip, _done_s in there)
    has_room, is_whole = size <= copy.drive.free_bytes, len(there) == len(done)
    if not there or not has_room or size <= 0:
        never = math.inf
        return LaterRun(copy, size, never, never, never, (), has_room, is_whole)
    start_s = max(copy.not_before_s, *(done_s for _trip, done_s in there))
    files = sum(max(len(trip.recorded), 1) for trip, _done_s in there)
    goes = expected_copy(size, files, copy.read_bytes_per_s, (copy.drive,))
    return LaterRun(
        copy, size, start_s, start_s + goes.copied_s, start_s + goes.over_s, cards,
        has_room, is_whole,
    )  # fmt: skip


def safe_with_later_s(run: DayRun, later: Sequence[LaterRun]) -> float:
    """Return when every card is on as many drives as the rule asks for, later copies counted.

    Infinite where one never is. A copy that is handed over, or lies on a drive that has the card
    already, counts for nothing.
    """
    return max((_safe_s(run, trip, later) for trip in run.trips), default=0.0)


def _safe_s(run: DayRun, trip: CardTrip, later: Sequence[LaterRun]) -> float:
    by_device: dict[str, float] = {}
    drives = {each.tag: each for each in run.day.drives}
    for on in trip.on:
        drive = drives[on.drive_tag]
        if drive.counts:
            _earlier(by_device, drive.lies_on, on.done_s)
    for each in later:
        if each.copy.drive.counts and (trip.card_tag, trip.out_s) in each.cards:
            _earlier(by_device, each.copy.drive.lies_on, each.verified_s)
    times = sorted(by_device.values())
    wanted = run.day.verified_copies
    return times[wanted - 1] if len(times) >= wanted else math.inf


def _earlier(by_device: dict[str, float], device: str, at_s: float) -> None:
    by_device[device] = min(by_device.get(device, math.inf), at_s)


def _on(trip: CardTrip, tag: str) -> float:
    return next((each.done_s for each in trip.on if each.drive_tag == tag), math.inf)
