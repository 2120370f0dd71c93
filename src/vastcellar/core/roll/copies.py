"""What became of each file of a card on each destination, and whether the card may be wiped."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum


class CopyState(StrEnum):
    """One file on one destination."""

    WAITING = "waiting"
    COPIED = "copied"
    """Whole and flushed, and not read back yet."""
    VERIFIED = "verified"
    """Read back past the host's memory, and the same as what was read from the source."""
    DIFFERENT = "different"
    """Read back, and not the same."""
    FAILED = "failed"


@dataclass(frozen=True, slots=True)
class FileOnOne:
    """One file on one destination."""

    state: CopyState
    name: str = ""
    """Below the destination, where it isn't as the source's."""
    was_there: bool = False
    """Whether it lay there already, and was only compared."""
    said: str = ""
    """Why it failed."""


@dataclass(frozen=True, slots=True)
class FileOutcome:
    """One file of the source."""

    name: str
    """Below the source's folder, with /."""
    size_bytes: int
    digest: str
    """As it was read; "" where it couldn't be read to its end."""
    on: tuple[FileOnOne, ...]
    """By destination, in their order."""
    trouble: str = ""
    """What is wrong with the source's own: unreadable, changed while it was copied."""
    modified_ns: int = 0


@dataclass(frozen=True, slots=True)
class DestinationOutcome:
    """One destination as a whole."""

    name: str
    drive: str
    """That it lies on; the same for all partitions of it."""
    counts_not_because: str = ""
    """Why a copy there is none when it comes to wiping; "" where it is one."""
    is_by_program: bool = False
    """Whether what is read back may come from a memory between here and the drive."""
    dropped_by: str = ""
    """Why it was left; "" where it went to the end."""
    written_bytes: int = 0
    verified_bytes: int = 0
    busy_s: float = 0.0
    """While it was writing or flushing."""


@dataclass(frozen=True, slots=True)
class CopyOutcome:
    """A card that was copied."""

    source: str
    destinations: tuple[DestinationOutcome, ...]
    files: tuple[FileOutcome, ...]
    left_out: tuple[str, ...] = ()
    """Links, pipes and devices of the source: nothing that could be copied as a file."""
    is_cancelled: bool = False
    elapsed_s: float = 0.0
    read_s: float = 0.0
    """While the source was being read, nothing else counted."""
    read_bytes: int = 0
    algorithm: str = "xxh128"

    @property
    def size_bytes(self) -> int:
        """Of all files."""
        return sum(each.size_bytes for each in self.files)


@dataclass(frozen=True, slots=True)
class WipeRule:
    """How many verified copies a card needs before it is wiped."""

    copies: int = 2


def verified_copies(outcome: CopyOutcome) -> int:
    """Return on how many drives every file of the card is verified.

    Two destinations on one drive are one copy: it fails as a whole. One on the card's own drive,
    or in the computer's memory, is none.
    """
    drives: dict[str, set[int]] = {}
    for number, each in enumerate(outcome.destinations):
        if not each.counts_not_because:
            drives.setdefault(each.drive, set()).add(number)
    return sum(
        all(
            any(file.on[number].state is CopyState.VERIFIED for number in numbers)
            for file in outcome.files
        )
        for numbers in drives.values()
    )


def not_safe_because(outcome: CopyOutcome, rule: WipeRule) -> tuple[str, ...]:
    """Return why the card must not be wiped; () where it is safe.

    A card is safe only by what was read from it and read back: nothing of it may have been
    unreadable, changed or left out.
    """
    reasons = []
    troubled = [each for each in outcome.files if each.trouble]
    if outcome.is_cancelled:
        reasons.append("the copy was cancelled")
    if troubled:
        reasons.append(_named("couldn't be read whole", [each.name for each in troubled]))
    if outcome.left_out:
        reasons.append(_named("is no file and was left out", outcome.left_out))
    if not outcome.files:
        reasons.append("nothing was on it")
    found = verified_copies(outcome)
    if found < rule.copies and outcome.files:
        reasons.append(f"{found} of {rule.copies} verified copies on drives of their own")
    return tuple(reasons)


def _named(what: str, names: Sequence[str]) -> str:
    more = f" and {len(names) - 1} more" if len(names) > 1 else ""
    return f"{names[0]}{more} {what}"
