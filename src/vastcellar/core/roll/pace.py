"""Who sets the pace of a copy: the card, its checksum, one of the drives, or a hub they share."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from vastcellar.core.checks import require_above_zero

_HELD_SHARE = 0.3
"""Waiting for so much of the time says that a destination, and not the card, sets the pace. Less
is the last blocks of a file, which even the quickest drive takes a moment for."""
_FULL_SHARE = 0.95
"""Of what a link carries in use: above it there is no room that anybody could have used."""


class PaceSetter(StrEnum):
    """What a copy's rate is the rate of."""

    CARD = "card"
    HASH = "checksum"
    DRIVE = "drive"
    HUB = "hub"


@dataclass(frozen=True, slots=True)
class SharedHub:
    """A hub, with those of a copy's devices that hang on it."""

    name: str
    bytes_per_s: float
    """What its own link carries in use, each way."""
    legs: tuple[int, ...]
    """Numbers of the destinations behind it."""
    has_card: bool = False

    def __post_init__(self) -> None:
        require_above_zero(f"hub {self.name!r}", bytes_per_s=self.bytes_per_s)


@dataclass(frozen=True, slots=True)
class CopyMoved:
    """What a copy did in a stretch of time; a value for each destination where there are several.

    ``waited_s`` is how long its reader waited for a free block, ``read_s`` and ``hash_s`` how long
    it read and summed up.
    """

    seconds: float
    read_bytes: int
    read_s: float
    hash_s: float
    waited_s: float
    written_bytes: tuple[int, ...]
    verified_bytes: tuple[int, ...]
    behind_bytes: tuple[int, ...]
    """What each destination has still to write of what was read."""
    is_going: tuple[bool, ...]


@dataclass(frozen=True, slots=True)
class Pace:
    """Who sets it, and which one of them."""

    by: PaceSetter
    leg: int | None = None
    hub: SharedHub | None = None


def pace_of(moved: CopyMoved, hubs: Sequence[SharedHub] = ()) -> Pace | None:
    """Return who set the pace of what was *moved*; None where nothing was.

    A drive does where the reader waited for it: of several the one that is furthest behind. A hub
    does where whoever would be named hangs on it and its link is full, one way or the other: down
    go the writes, up what is read from the card and what is read back.
    """
    if moved.seconds <= 0 or moved.read_bytes <= 0 or not any(moved.is_going):
        return None
    going = [at for at, is_going in enumerate(moved.is_going) if is_going]
    leg: int | None = None
    if moved.waited_s >= _HELD_SHARE * moved.seconds:
        leg = max(going, key=lambda at: (moved.behind_bytes[at], -at))
    full = [
        hub
        for hub in hubs
        if (hub.has_card if leg is None else leg in hub.legs)
        and _through(hub, moved) >= _FULL_SHARE * hub.bytes_per_s
    ]
    if full:
        return Pace(PaceSetter.HUB, hub=min(full, key=lambda hub: hub.bytes_per_s))
    if leg is not None:
        return Pace(PaceSetter.DRIVE, leg=leg)
    return Pace(PaceSetter.HASH if moved.hash_s > moved.read_s else PaceSetter.CARD)


def _through(hub: SharedHub, moved: CopyMoved) -> float:
    down = sum(moved.written_bytes[at] for at in hub.legs)
    up = sum(moved.verified_bytes[at] for at in hub.legs)
    up += moved.read_bytes if hub.has_card else 0
    return max(down, up) / moved.seconds
