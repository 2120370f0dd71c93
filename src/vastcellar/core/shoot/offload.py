"""How cards come off on the day: where, by whom, in which order, and when one is free again."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from enum import StrEnum

from vastcellar.core.checks import require_between
from vastcellar.core.errors import BadValueError

_MOST = 50
_MOST_STATIONS = 8


class CardOrder(StrEnum):
    """Which of the cards that wait at the station goes first."""

    OLDEST = "oldest first"
    FULLEST = "fullest first"
    SHORTEST = "shortest first"
    NEEDED = "needed first"
    """That of the camera which is out of cards soonest."""
    LONGEST_TAKE = "longest take first"
    """That of the camera with the take that can't be repeated."""


@dataclass(frozen=True, slots=True)
class Break:
    """A time in which nobody changes cards, or one person doesn't."""

    start_s: float
    end_s: float

    def __post_init__(self) -> None:
        if not 0 <= self.start_s < self.end_s <= 48 * 3600:
            raise BadValueError(
                f"it goes from {self.start_s / 3600:g} h to {self.end_s / 3600:g} h",
                where="break",
                mend="Let it end after it starts",
            )


@dataclass(frozen=True, slots=True)
class Person:
    """Somebody at the station who changes cards, and when not."""

    name: str
    breaks: tuple[Break, ...] = ()
    fetches: bool = False
    """Whether this person also walks for the cards, and so isn't there meanwhile."""

    def __post_init__(self) -> None:
        if not self.name.strip():
            raise BadValueError("a person has no name", where="offload", mend="Give one")
        require_between("offload", 0, _MOST, breaks=len(self.breaks))


@dataclass(frozen=True, slots=True)
class FurtherStation:
    """A second or third place where cards are copied: its computer, people and ports.

    Cameras and copies say themselves that they belong to it.
    """

    name: str
    host_key: str = ""
    people: tuple[Person, ...] = (Person("technician"),)
    walk_s: float = 300.0
    swap_s: float = 60.0
    copies_at_once: int = 1
    ports: tuple[tuple[str, str], ...] = ()

    def __post_init__(self) -> None:
        if not self.name.strip():
            raise BadValueError("a station has no name", where="offload", mend="Give one")
        _require_station(f"station {self.name!r}", self)


@dataclass(frozen=True, slots=True)
class Offload:
    """The rules of a shoot for its cards, the same on each day."""

    host_key: str = ""
    """The computer that they are copied on; "" for the first that the catalog has."""
    people: tuple[Person, ...] = (Person("technician"),)
    walk_s: float = 300.0
    """From a camera to that computer, and back."""
    swap_s: float = 60.0
    """From a free reader to the first byte of the next card."""
    order: CardOrder = CardOrder.OLDEST
    copies_at_once: int = 1
    verified_copies: int = 2
    """So many on drives of their own before a card is wiped."""
    ports: tuple[tuple[str, str], ...] = ()
    """Units that hang on a port of one's own choice: tag and port; the others find theirs."""
    further: tuple[FurtherStation, ...] = ()
    """Beside this one: order and rule of wiping are the same at all of them."""

    def __post_init__(self) -> None:
        where = "offload"
        _require_station(where, self)
        require_between(where, 1, 10, verified_copies=self.verified_copies)
        require_between(where, 0, _MOST_STATIONS, further_stations=len(self.further))
        _require_once(where, "stations are called", [each.name for each in self.further])


def _require_station(where: str, station: Offload | FurtherStation) -> None:
    require_between(where, 0, 4 * 3600, walk_s=station.walk_s, swap_s=station.swap_s)
    require_between(where, 1, 16, copies_at_once=station.copies_at_once)
    require_between(where, 0, _MOST, people=len(station.people), ports=len(station.ports))
    if not station.people:
        raise BadValueError("nobody changes the cards", where=where, mend="Name somebody")
    _require_once(where, "people are called", [each.name for each in station.people])
    _require_once(where, "ports are named for", [tag for tag, _port in station.ports])


def _require_once(where: str, kind: str, names: list[str]) -> None:
    name, count = next(iter(Counter(names).most_common(1)), ("", 0))
    if count > 1:
        raise BadValueError(f"two {kind} {name!r}", where=where, mend="Name each once")
