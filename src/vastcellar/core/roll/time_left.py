"""How long a copy that is being made still takes: by the drives' profiles, not by its rate now."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from vastcellar.core.roll.day import CameraDay, Card, CopyDrive, Reader, RollDay
from vastcellar.core.roll.day_run import CardTrip, DayRun, run_day
from vastcellar.core.roll.offloading import CopyStretch
from vastcellar.core.shoot.offload import Person
from vastcellar.core.shoot.rolls import Take

_READER, _CARD = "reader", "card"


@dataclass(frozen=True)
class ExpectedCopy:
    """A whole copy as it should go, from its first byte on; seconds count from there."""

    stretches: tuple[CopyStretch, ...]
    """Of the copy itself, in their order."""
    copied_s: float
    verified_s: tuple[float, ...]
    """By drive, in their order."""
    total_bytes: float

    @property
    def over_s(self) -> float:
        """When the last drive has it verified."""
        return max(self.verified_s, default=self.copied_s)

    def reached_s(self, copied_bytes: float) -> float:
        """Return when so much should have been copied."""
        done = 0.0
        for each in self.stretches:
            moved = each.bytes_per_s * (each.end_s - each.start_s)
            if done + moved >= copied_bytes and each.bytes_per_s > 0:
                return each.start_s + (copied_bytes - done) / each.bytes_per_s
            done += moved
        return self.copied_s

    def left_s(self, copied_bytes: float) -> float:
        """Return what is still to come after so much was copied, its checks included."""
        return max(self.over_s - self.reached_s(copied_bytes), 0.0)


def expected_copy(
    total_bytes: float, files: int, read_bytes_per_s: float, drives: Sequence[CopyDrive]
) -> ExpectedCopy:
    """Return how the copy of a card onto rested *drives* should go.

    It is one card of a day on which nothing else happens: the same engine as the plan's.

    Args:
        total_bytes: of the card, above 0.
        files: on it.
        read_bytes_per_s: what comes off the card.
        drives: that it goes to.

    Raises:
        BadValueError: for a card of nothing or without drives.

    """
    count = max(files, 1)
    takes = tuple(Take(number / count, 1.0 / count) for number in range(count))
    camera = CameraDay(
        _CARD, _CARD, takes, total_bytes,
        (Card(_CARD, total_bytes * 2, ((_READER, read_bytes_per_s),)),),
    )  # fmt: skip
    day = RollDay(
        (camera,),
        (Reader(_READER, _READER),),
        tuple(drives),
        (Person(_READER),),
        walk_s=0.0,
        swap_s=0.0,
        verified_copies=1,
    )
    run = run_day(day)
    (trip,) = run.trips
    return ExpectedCopy(
        _from_start(run, trip),
        trip.copied_s - trip.start_s,
        tuple(each.done_s - trip.start_s for each in trip.on),
        total_bytes,
    )


def _from_start(run: DayRun, trip: CardTrip) -> tuple[CopyStretch, ...]:
    return tuple(
        CopyStretch(
            each.card_tag, each.start_s - trip.start_s, each.end_s - trip.start_s,
            each.bytes_per_s, each.limit, is_reading_back=False,
        )
        for each in run.copies
        if not each.is_reading_back
    )  # fmt: skip


def left_by_rate_s(total_bytes: float, done_bytes: float, bytes_per_s: float) -> float:
    """Return what the rate of a moment would promise; infinite while nothing moves."""
    return (total_bytes - done_bytes) / bytes_per_s if bytes_per_s > 0 else math.inf
