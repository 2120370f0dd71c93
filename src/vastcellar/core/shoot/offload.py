"""How cards come off on the day: where, by whom, in which order, and when one is free again."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from enum import StrEnum

from vastcellar.core.checks import require_between
from vastcellar.core.errors import BadValueError

_MOST = 50


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

    def __post_init__(self) -> None:
        where = "offload"
        require_between(where, 0, 4 * 3600, walk_s=self.walk_s, swap_s=self.swap_s)
        require_between(where, 1, 16, copies_at_once=self.copies_at_once)
        require_between(where, 1, 10, verified_copies=self.verified_copies)
        require_between(where, 0, _MOST, people=len(self.people), ports=len(self.ports))
        if not self.people:
            raise BadValueError("nobody changes the cards", where=where, mend="Name somebody")
        for kind, names in (
            ("people are called", [each.name for each in self.people]),
            ("ports are named for", [tag for tag, _port in self.ports]),
        ):
            name, count = next(iter(Counter(names).most_common(1)), ("", 0))
            if count > 1:
                raise BadValueError(f"two {kind} {name!r}", where=where, mend="Name each once")
