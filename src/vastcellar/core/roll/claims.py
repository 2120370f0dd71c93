"""What somebody says of an offload, held against what this day's drives can do at their best."""

from __future__ import annotations

from dataclasses import dataclass, replace

from vastcellar.core.checks import require_above_zero
from vastcellar.core.evidence import Verdict, verdict_for_margin
from vastcellar.core.roll.day import CopyDrive, RollDay
from vastcellar.core.roll.offloading import CopyStretch
from vastcellar.core.roll.time_left import expected_copy


@dataclass(frozen=True)
class ClaimChecked:
    """So many bytes in so long: what that takes, and what there is."""

    card_bytes: float
    claimed_s: float
    copied_s: float
    """At the soonest: the fastest card, drives rested and cool, nobody in the way."""
    verified_s: float
    limits: tuple[tuple[str, float], ...]
    """What sets the pace, and for how many seconds, the longest first."""

    @property
    def claimed_bytes_per_s(self) -> float:
        """What the claim asks of everything on the way."""
        return self.card_bytes / self.claimed_s

    @property
    def verdict(self) -> Verdict:
        """Whether the copy alone can be over in that time."""
        return verdict_for_margin(self.claimed_s / self.copied_s - 1)


def check_claim(day: RollDay, card_bytes: float, claimed_s: float, files: int = 20) -> ClaimChecked:
    """Return what is to be said of "*card_bytes* were off in *claimed_s*" at this station.

    Raises BadValueError for a claim of nothing.
    """
    require_above_zero("claim", card_bytes=card_bytes, claimed_s=claimed_s)
    reads = max(
        rate for camera in day.cameras for card in camera.cards for _reader, rate in card.reads
    )
    # The claim is of the copy, so room is none of its limits.
    drives = tuple(_with_room(each, card_bytes) for each in day.drives)
    found = expected_copy(card_bytes, files, min(reads, day.hash_bytes_per_s), drives)
    seconds: dict[str, float] = {}
    for each in found.stretches:
        seconds[each.limit] = seconds.get(each.limit, 0.0) + _seconds(each)
    ranked = sorted(seconds.items(), key=lambda each: -each[1])
    return ClaimChecked(card_bytes, claimed_s, found.copied_s, found.over_s, tuple(ranked))


def _with_room(drive: CopyDrive, card_bytes: float) -> CopyDrive:
    room = max(drive.free_bytes, card_bytes * 1.01)
    return replace(drive, free_bytes=room, capacity_bytes=max(drive.capacity_bytes, room))


def _seconds(stretch: CopyStretch) -> float:
    return stretch.end_s - stretch.start_s
