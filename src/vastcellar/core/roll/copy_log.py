"""What was copied on which day, and what follows: where a clip is, which card this is.

A kept copy is the outcome of one card copied once, with the devices that it went to: drives have
other names tomorrow, so they are told apart by what they say of themselves.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from enum import StrEnum

from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.core.roll.copies import (
    CopyOutcome,
    CopyState,
    FileOnOne,
    FileOutcome,
    verified_copies,
)

MOST_ENDS_READ = 2000
"""Of so many files of a card the ends are read when it is recognised: some seconds at most."""
_MOST_TRIED = 8


@dataclass(frozen=True, slots=True)
class KeptPlace:
    """Where a destination's folder lay: the device, and the unit that it is bound to."""

    device: DeviceIdentity
    unit_tag: str = ""
    usb_bits_per_s: float = 0.0
    """The link that it hung on, as negotiated; 0 where that isn't known."""


@dataclass(frozen=True, slots=True)
class ClipHeader:
    """What the head of a clip says of it; nothing of its pictures was decoded."""

    path: str
    """Below the card."""
    codec: str
    width_px: int
    height_px: int
    frames_per_s: float
    duration_s: float


@dataclass(frozen=True, slots=True)
class KeptCopy:
    """A card that was copied, as the log keeps it."""

    card_name: str
    made_at: datetime
    outcome: CopyOutcome
    places: tuple[KeptPlace, ...]
    """By destination, in their order."""
    copy_id: int = 0
    who: str = ""
    checked_at: datetime | None = None
    """When it was read back again last."""
    folder_name: str = ""
    """Of the folder in each destination; "" where it is called like the card."""
    clips: tuple[ClipHeader, ...] = ()
    """Of those files whose heads could be read."""
    wiped_at: datetime | None = None
    """When somebody noted that the card was wiped: this tool never does it."""

    def path_on(self, file: FileOutcome, number: int) -> str:
        """Return where a file lies below the destination *number*, with /."""
        folder = self.folder_name or self.card_name
        return f"{folder}/{file.on[number].name or file.name}"


@dataclass(frozen=True, slots=True)
class CardFile:
    """A file of a card that is in the reader now, by what its folder says."""

    path: str
    size_bytes: int
    modified_ns: int


class Recognised(StrEnum):
    """What a card is, beside what was copied before."""

    NEW = "new"
    SAME = "copied before"
    """All that is on it was copied before, and nothing has been added."""
    GROWN = "recorded on since"
    """What was copied is on it still, and more has come."""
    ALIKE = "alike by names, sizes and times"
    """Kept before copies knew the ends of their clips: whether it is that card isn't known."""
    OTHER_CLIPS = "other clips of the same names"
    """Two cards that count their clips from one, or one that was wiped and used again."""


@dataclass(frozen=True, slots=True)
class Recognition:
    """A card, and the copy that it was recognised by."""

    kind: Recognised
    copy: KeptCopy | None = None
    known_files: int = 0
    """Of the card's files, those that the copy has."""
    compared_files: int = 0
    """Of those, the ones whose ends were read and are the same."""


def recognise(
    files: Sequence[CardFile], kept: Iterable[KeptCopy], ends_of: Callable[[str], str]
) -> Recognition:
    """Return what a card with *files* is, beside the copies that are *kept*.

    A file is known again by path, size and time of change, and by its first and last block, which
    *ends_of* reads: clocks are reset, and clips of one length are usual. Of several copies the one
    that knows most of it counts, of equals the newest; the next is tried where the ends differ.
    """
    if not files:
        return Recognition(Recognised.NEW)
    ranked = [found for each in kept if (found := _beside(files, each)) is not None]
    ranked.sort(
        key=lambda each: (each.known_files, each.copy.made_at if each.copy else None),
        reverse=True,
    )
    tried = [_by_ends(each, files, ends_of) for each in ranked[:_MOST_TRIED]]
    sure = (each for each in tried if each.kind in (Recognised.SAME, Recognised.GROWN))
    return next(sure, tried[0] if tried else Recognition(Recognised.NEW))


def _by_ends(
    found: Recognition, files: Sequence[CardFile], ends_of: Callable[[str], str]
) -> Recognition:
    """Return *found* after the ends of its files were compared, of a sample where they are many."""
    if found.copy is None or found.kind not in (Recognised.SAME, Recognised.GROWN):
        return found
    there = {each.name: each for each in found.copy.outcome.files}
    known = [each.path for each in files if each.path in there]
    asked = known[:: max(1, -(-len(known) // MOST_ENDS_READ))]
    if not all(there[path].ends_digest for path in asked):
        return replace(found, kind=Recognised.ALIKE)
    wrong = sum(ends_of(path) != there[path].ends_digest for path in asked)
    if wrong:
        kind, count = Recognised.OTHER_CLIPS, found.known_files - wrong
        return replace(found, kind=kind, known_files=count)
    return replace(found, compared_files=len(asked))


def _beside(files: Sequence[CardFile], copy: KeptCopy) -> Recognition | None:
    there = {each.name: each for each in copy.outcome.files}
    known = sum(
        (each.size_bytes, each.modified_ns) == (there[each.path].size_bytes,
                                                there[each.path].modified_ns)
        for each in files
        if each.path in there
    )  # fmt: skip
    same_names = sum(each.path in there for each in files)
    if not same_names:
        return None
    if known == len(files):
        return Recognition(Recognised.SAME, copy, known)
    if known and known == same_names == len(there):
        return Recognition(Recognised.GROWN, copy, known)
    return Recognition(Recognised.OTHER_CLIPS, copy, known)


@dataclass(frozen=True, slots=True)
class ClipPlace:
    """A clip on one destination of a kept copy."""

    copy: KeptCopy
    file: FileOutcome
    number: int
    """Which destination."""

    @property
    def folder(self) -> str:
        """The destination's folder."""
        return self.copy.outcome.destinations[self.number].name

    @property
    def state(self) -> CopyState:
        """What became of it there."""
        return self.file.on[self.number].state


def places_of(text: str, kept: Iterable[KeptCopy]) -> tuple[ClipPlace, ...]:
    """Return every place of the clips whose path has *text* in it, whatever its case."""
    wanted = text.casefold()
    return tuple(
        ClipPlace(copy, file, number)
        for copy in kept
        for file in copy.outcome.files
        if wanted in file.name.casefold()
        for number in range(len(file.on))
    )


Content = tuple[str, int]
"""A checksum and a size: what a clip is, whatever it is called."""


def by_content(kept: Iterable[KeptCopy]) -> dict[Content, list[tuple[KeptCopy, FileOutcome]]]:
    """Return the files of all copies by what is in them; those without a checksum are left out."""
    found: dict[Content, list[tuple[KeptCopy, FileOutcome]]] = {}
    for copy in kept:
        for file in copy.outcome.files:
            if file.digest:
                found.setdefault((file.digest, file.size_bytes), []).append((copy, file))
    return found


def copies_of_clip(
    file: FileOutcome, contents: Mapping[Content, Sequence[tuple[KeptCopy, FileOutcome]]]
) -> int:
    """Return on how many devices this very content is verified, over all copies of *contents*.

    One copy counts by its drives, as for wiping. Further copies add only devices with a serial
    number of their own that no other has: without one, two partitions would pass for two drives.
    """
    there: dict[int, tuple[KeptCopy, list[FileOutcome]]] = {}
    for copy, same in contents.get((file.digest, file.size_bytes), ()):
        there.setdefault(id(copy), (copy, []))[1].append(same)
    best, counted = 0, [_devices_of(files, copy) for copy, files in there.values()]
    for count, devices in counted:
        more = {
            (device.serial, device.model)
            for _count, others in counted
            for device in others
            if device.has_own_serial
        } - {(device.serial, device.model) for device in devices}
        if count:
            # A device of this copy that hides its number may be one of the others.
            hidden = count - sum(device.has_own_serial for device in devices)
            best = max(best, count + max(len(more) - max(hidden, 0), 0))
    return best


def _devices_of(
    same: Sequence[FileOutcome], copy: KeptCopy
) -> tuple[int, tuple[DeviceIdentity, ...]]:
    """Return on how many drives of *copy* its files *same* are verified, and the devices."""
    of_it = replace(copy.outcome, files=tuple(same))
    numbers = [
        number
        for number, each in enumerate(of_it.destinations)
        if not each.counts_not_because
        and any(one.on[number].state is CopyState.VERIFIED for one in same)
    ]
    found: list[DeviceIdentity] = []
    for number in numbers:
        device = copy.places[number].device
        if not any(known.is_same_as(device) for known in found):
            found.append(device)
    return verified_copies(of_it), tuple(found)


def with_checked(
    copy: KeptCopy, number: int, is_same: Mapping[str, bool], at: datetime
) -> KeptCopy:
    """Return *copy* after a destination was read back again.

    *is_same* says of each file that was read whether it is what was copied: that is verified from
    now on, or different. What wasn't read stays as it was: a file that a cancelled copy never came
    to is no more verified by a check of the others.
    """
    files = tuple(
        replace(
            each,
            on=tuple(
                _after_check(one, is_same.get(each.name)) if place == number else one
                for place, one in enumerate(each.on)
            ),
        )
        for each in copy.outcome.files
    )
    return replace(copy, outcome=replace(copy.outcome, files=files), checked_at=at)


def _after_check(one: FileOnOne, is_same: bool | None) -> FileOnOne:
    if is_same is None:
        return one
    return replace(one, state=CopyState.VERIFIED if is_same else CopyState.DIFFERENT)
