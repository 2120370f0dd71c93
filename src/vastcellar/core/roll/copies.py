"""What became of each file of a card on each destination, and whether the card may be wiped."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import combinations


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
    ends_digest: str = ""
    """Of its first and last block, by which it is known again without being read whole."""


@dataclass(frozen=True, slots=True)
class DestinationOutcome:
    """One destination as a whole."""

    name: str
    drives: tuple[str, ...]
    """That it lies on, several for an array; the same for all partitions of one."""
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
    card_id: str = ""
    """What the card's file system calls itself; "" where that isn't known."""
    card_seen_s: float = 0.0
    """When the tree that was copied was looked at first; as all of these since 1970."""
    card_seen_again_s: float = 0.0
    """When it was found unchanged, after all was read back; 0 where nobody looked again."""
    read_back_s: float = 0.0
    """When the last file was read back."""
    card_changes: tuple[str, ...] = ()
    """What lies on the card otherwise than it was copied, as the last look found it."""

    @property
    def size_bytes(self) -> int:
        """Of all files."""
        return sum(each.size_bytes for each in self.files)


@dataclass(frozen=True, slots=True)
class WipeRule:
    """How many verified copies a card needs before it is wiped."""

    copies: int = 2


def counting_destinations(outcome: CopyOutcome) -> tuple[int, ...]:
    """Return the destinations that count for wiping: the most that share no drive.

    Two destinations on one drive are one copy: it fails as a whole, and so is an array beside one
    of its own disks. One on the card's own drive, or in the computer's memory, is none. On each
    *every* file of the card is verified; folders on the same drives make that up together.
    """
    whole: dict[frozenset[str], set[int]] = {}
    for number, each in enumerate(outcome.destinations):
        if not each.counts_not_because:
            whole.setdefault(frozenset(each.drives), set()).add(number)
    groups = {
        min(numbers): drives
        for drives, numbers in whole.items()
        if all(
            any(file.on[number].state is CopyState.VERIFIED for number in numbers)
            for file in outcome.files
        )
    }
    return most_apart(groups)


def most_apart(drives: Mapping[int, Collection[str]]) -> tuple[int, ...]:
    """Return the most of the numbered places whose *drives* are all different.

    One that lies on no drive that is known is left out. As many as a copy has destinations: few.
    """
    known = [number for number, names in drives.items() if names]
    for count in range(len(known), 0, -1):
        for chosen in combinations(known, count):
            names = [name for number in chosen for name in set(drives[number])]
            if len(names) == len(set(names)):
                return tuple(sorted(chosen))
    return ()


def verified_copies(outcome: CopyOutcome) -> int:
    """Return on how many drives of their own every file of the card is verified."""
    return len(counting_destinations(outcome))


def not_safe_because(outcome: CopyOutcome, rule: WipeRule) -> tuple[str, ...]:
    """Return why the card must not be wiped; () where it is safe.

    A card is safe only by what was read from it and read back: nothing of it may have been
    unreadable, changed or left out, and a last look has to have found it as it was read.
    """
    reasons = list(outcome.card_changes)
    if not outcome.is_cancelled and not outcome.card_seen_again_s and not reasons:
        reasons.append("whether the card changed while it was copied isn't known")
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
