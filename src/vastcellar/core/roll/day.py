"""The shooting day that is planned: cameras and their cards, readers, drives, people, the rules.

Everything in it is a value that somebody computed or typed in before; ``day_run`` lets it happen.
Times are seconds since midnight.
"""

from __future__ import annotations

import math
from collections import Counter
from dataclasses import dataclass

from vastcellar.core.checks import require_above_zero, require_between, require_not_negative
from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.parts import WriteBehaviour
from vastcellar.core.shoot.offload import CardOrder, Person
from vastcellar.core.shoot.rolls import Take
from vastcellar.core.writing.heat import HeatPath


@dataclass(frozen=True, slots=True)
class Card:
    """A medium of a camera's pool: what goes onto it, and how fast it comes off in each reader."""

    tag: str
    room_bytes: float
    reads: tuple[tuple[str, float], ...]
    """Keys of the readers that take it, and bytes per second that come off it there."""
    is_on_shelf: bool = True
    """Else it is one more of its kind that would have to be bought or lent."""

    def __post_init__(self) -> None:
        require_above_zero(f"card {self.tag!r}", room_bytes=self.room_bytes)
        for _reader, bytes_per_s in self.reads:
            require_above_zero(f"card {self.tag!r}", read_bytes_per_s=bytes_per_s)


@dataclass(frozen=True, slots=True)
class CameraDay:
    """What a camera records on the day, and onto which cards in their order."""

    key: str
    name: str
    takes: tuple[Take, ...]
    bytes_per_s: float
    cards: tuple[Card, ...]
    changes_s: tuple[float, ...] = ()
    """When its card is changed early, where another one is at hand."""

    def __post_init__(self) -> None:
        where = f"camera {self.key!r}"
        require_above_zero(where, bytes_per_s=self.bytes_per_s)
        if not self.cards:
            raise BadValueError(
                "it has no card to record to", where=where, mend="Put a unit into its pool"
            )

    @property
    def recorded_bytes(self) -> float:
        """All of the day."""
        return self.bytes_per_s * sum(take.duration_s for take in self.takes)

    @property
    def longest_take_s(self) -> float:
        """Of the take that can't be interrupted; 0 where it is on another day."""
        return max((take.duration_s for take in self.takes if take.is_longest), default=0.0)


@dataclass(frozen=True, slots=True)
class Reader:
    """A place at the station that a card is put into."""

    key: str
    name: str
    uplink: str = ""
    """The hub that it shares with others, "" for a port of its own."""


@dataclass(frozen=True, slots=True)
class Uplink:
    """What readers and drives behind one hub share, each way."""

    key: str
    bytes_per_s: float

    def __post_init__(self) -> None:
        require_above_zero(f"hub {self.key!r}", bytes_per_s=self.bytes_per_s)


@dataclass(frozen=True, slots=True)
class CopyDrive:
    """A drive that every card of the day is copied to, as it stands at the station."""

    tag: str
    name: str
    behaviour: WriteBehaviour
    path: HeatPath
    link_cap_bytes_per_s: float
    """What reaches it at most: link, hub, case and format."""
    link_read_bytes_per_s: float
    """What link, hub and case let through on the way back; both ways at once."""
    medium_read_bytes_per_s: float
    """What the drive itself reads, in the time in which it doesn't write."""
    free_bytes: float
    capacity_bytes: float
    device: str = ""
    """What it lies on, its tag where none is given: two on one are one copy."""
    uplink: str = ""
    counts: bool = True
    """Whether its copy stays in the house; one that is handed over is none when it comes to
    wiping."""
    is_read_back: bool = True

    def __post_init__(self) -> None:
        where = f"drive {self.tag!r}"
        require_above_zero(
            where,
            link_cap_bytes_per_s=self.link_cap_bytes_per_s,
            link_read_bytes_per_s=self.link_read_bytes_per_s,
            medium_read_bytes_per_s=self.medium_read_bytes_per_s,
            capacity_bytes=self.capacity_bytes,
        )
        require_not_negative(where, free_bytes=self.free_bytes)

    @property
    def lies_on(self) -> str:
        """The device that it is, when copies are counted."""
        return self.device or self.tag


@dataclass(frozen=True, slots=True)
class RollDay:
    """One day, as it is meant to go."""

    cameras: tuple[CameraDay, ...]
    readers: tuple[Reader, ...]
    drives: tuple[CopyDrive, ...]
    people: tuple[Person, ...]
    uplinks: tuple[Uplink, ...] = ()
    walk_s: float = 300.0
    """From a camera to the station, and back."""
    swap_s: float = 60.0
    """From a free reader to the first byte of the next card."""
    order: CardOrder = CardOrder.OLDEST
    copies_at_once: int = 1
    verified_copies: int = 2
    """So many on drives of their own before a card is free again."""
    hash_bytes_per_s: float = math.inf
    """What one core sums up; infinite where it is never the limit."""

    def __post_init__(self) -> None:
        where = "day"
        require_not_negative(where, walk_s=self.walk_s, swap_s=self.swap_s)
        require_between(where, 1, 16, copies_at_once=self.copies_at_once)
        require_between(where, 1, 10, verified_copies=self.verified_copies)
        for kind, names, mend in (
            ("reader", [each.key for each in self.readers], "Give the station one"),
            ("drive", [each.tag for each in self.drives], "Name a unit to copy to"),
            ("person", [each.name for each in self.people], "Say who changes the cards"),
        ):
            if not names:
                raise BadValueError(f"there is no {kind}", where=where, mend=mend)
            _require_own_names(kind, names)
        _require_own_names("camera", [each.key for each in self.cameras])
        _require_own_names("card", [c.tag for each in self.cameras for c in each.cards])
        known = {each.key for each in self.uplinks} | {""}
        places: tuple[Reader | CopyDrive, ...] = (*self.readers, *self.drives)
        for place in places:
            if place.uplink not in known:
                raise BadValueError(
                    f"{place.name} hangs on a hub {place.uplink!r} that isn't there",
                    where=where,
                    mend="Name one of the day's hubs",
                )
        readers = {each.key for each in self.readers}
        for camera in self.cameras:
            for card in camera.cards:
                if not readers & {key for key, _rate in card.reads}:
                    raise BadValueError(
                        f"no reader of the station takes {card.tag}",
                        where=f"camera {camera.key!r}",
                        mend="Add a reader for it, or take it out of the pool",
                    )


def _require_own_names(kind: str, names: list[str]) -> None:
    name, count = next(iter(Counter(names).most_common(1)), ("", 0))
    if count > 1:
        raise BadValueError(
            f"the {kind} {name!r} stands twice in it", where="day", mend="Name each once"
        )
