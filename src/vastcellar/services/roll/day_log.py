"""The log of copied cards: kept, recognised, searched, read back again, noted as wiped."""

from __future__ import annotations

import contextlib
import csv
import io
import threading
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, time, timedelta
from itertools import islice
from pathlib import Path

from vastcellar.bench.copying.checking import Checked, CheckedFile, check_files
from vastcellar.bench.copying.copy_run import CopyPlan
from vastcellar.bench.copying.ends import ends_buffer, ends_of_name
from vastcellar.bench.copying.source import folder_below, hold_source, read_tree
from vastcellar.bench.disk_errors import as_disk_error
from vastcellar.bench.held_folder import HeldFolder
from vastcellar.core.csv_cells import safe_row
from vastcellar.core.errors import BadValueError, DiskError, UnknownPartError, VastCellarError
from vastcellar.core.evidence import Verdict
from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.core.roll.copies import (
    CopyOutcome,
    CopyState,
    WipeRule,
    not_safe_because,
)
from vastcellar.core.roll.copy_log import (
    CardFile,
    ClipHeader,
    KeptCopy,
    KeptPlace,
    Recognised,
    Recognition,
    by_content,
    copies_of_clip,
    places_of,
    recognise,
    with_checked,
)
from vastcellar.core.units import NumberFormat
from vastcellar.services.proving.places import find_place
from vastcellar.services.roll.clip_ends import clips_on_copy
from vastcellar.services.roll.copy_wording import copies_text, files_text, stands_on
from vastcellar.services.workplace.workplace import Shelf, Workplace
from vastcellar.store.clip_files import read_header
from vastcellar.store.copy_log import add_copy, keep_check, keep_wiped, kept_copies

__all__ = ["CopyState", "KeptCopy", "Recognised", "WipeRule"]

_MOST_FOUND = 2000
_MOST_HEADERS = 400
"""Some milliseconds each: the log isn't to be waited for."""


def keep_in_log(
    workplace: Workplace,
    plan: CopyPlan,
    outcome: CopyOutcome,
    shelf: Shelf,
    who: str = "",
    card_name: str = "",
) -> KeptCopy:
    """Keep a copy that was made, with the devices that it went to. Raises CellarError.

    *card_name* where the copy's folder isn't called like the card.
    """
    places = tuple(_place(each.path, each.drives, shelf) for each in plan.destinations)
    name = card_name or plan.name
    folder = plan.name if name != plan.name else ""
    kept = KeptCopy(
        name, datetime.now(UTC), outcome, places, who=who, folder_name=folder,
        clips=_headers(plan, outcome),
    )  # fmt: skip
    return replace(kept, copy_id=add_copy(workplace.cellar, kept))


def _headers(plan: CopyPlan, outcome: CopyOutcome) -> tuple[ClipHeader, ...]:
    """Read the heads of the clips, from where each lies verified."""
    read = (read_header(path, file.name) for file, path in clips_on_copy(plan, outcome))
    return tuple(islice((header for header in read if header), _MOST_HEADERS))


def _place(folder: Path, drives: Sequence[str], shelf: Shelf) -> KeptPlace:
    """Return where a destination lies, if those are still the *drives* that it was begun on.

    Where a drive is pulled out its folder lies on the disk under it: nothing was copied to that.
    """
    try:
        place = find_place(folder)
        if tuple(sorted(place.mount.behind.drives)) != tuple(drives):
            return KeptPlace(DeviceIdentity())
        device = place.identity
    except VastCellarError:  # pulled out before the copy was over
        return KeptPlace(DeviceIdentity())
    link = place.device.usb_bits_per_s if place.device else 0.0
    units = shelf.units_on(device) if device.is_telling else ()
    return KeptPlace(device, units[0].tag if len(units) == 1 else "", link)


def log_of(workplace: Workplace, day: date | None = None) -> tuple[KeptCopy, ...]:
    """Return the kept copies, newest first, of all days or of one. Raises CellarError."""
    if day is None:
        return kept_copies(workplace.cellar)
    start = datetime.combine(day, time()).astimezone()
    return kept_copies(workplace.cellar, since=start, until=start + timedelta(days=1))


def copy_numbered(workplace: Workplace, copy_id: int) -> KeptCopy:
    """Return one kept copy. Raises UnknownPartError where there is none, CellarError."""
    for each in kept_copies(workplace.cellar):
        if each.copy_id == copy_id:
            return each
    raise UnknownPartError(
        f"there is no copy {copy_id}", where="log", mend="Choose one of those that are listed"
    )


# Which card is this?


def recognised(card: Path, kept: Iterable[KeptCopy]) -> Recognition:
    """Return what the card in the folder *card* is, beside what was copied. Raises DiskError."""
    try:
        with hold_source(card) as held:
            tree = read_tree(held, str(card))
    except OSError as error:
        raise as_disk_error(error, str(card)) from error
    by_path = {each.path: each for each in tree.files}
    files = [CardFile(each.path, each.size_bytes, each.modified_ns) for each in tree.files]
    read: dict[str, str] = {}

    def ends_of(path: str) -> str:
        if path not in read:
            file = by_path[path]
            with folder_below(held, file.folder) as folder:
                read[path] = ends_of_name(folder, file.name, file.size_bytes, buffer)
        return read[path]

    try:
        with hold_source(card) as held, contextlib.closing(ends_buffer()) as buffer:
            return recognise(files, kept, ends_of)
    except OSError as error:
        raise as_disk_error(error, str(card)) from error


def recognition_text(found: Recognition, fmt: NumberFormat) -> str:
    """Say what card it is; "" for one that was never seen."""
    copy = found.copy
    if copy is None or found.kind is Recognised.NEW:
        return ""
    when = f"{copy.card_name} on {_day_text(copy.made_at)}, {_time_text(copy.made_at, fmt)}"
    wiped = ", and noted as wiped since" if copy.wiped_at else ""
    match found.kind:
        case Recognised.SAME:
            told = f"All {found.known_files} files of this card were copied before: {when}{wiped}"
            if found.compared_files < found.known_files:
                told += f" (both ends of {found.compared_files} of them compared)"
            return told
        case Recognised.ALIKE:
            return (
                f"Its files have the names, sizes and times of {when}{wiped}; whether it is that "
                "card isn't known"
            )
        case Recognised.GROWN:
            return (
                f"{found.known_files} files of this card were copied before ({when}{wiped}); "
                "it was recorded on since"
            )
        case _:
            return (
                f"Other clips with the names of {when}: two cards that count alike, or one that "
                "was used again. Give this copy a name of its own"
            )


# What became of it


def state_of(copy: KeptCopy, rule: WipeRule) -> tuple[Verdict, str]:
    """Return whether the card may be wiped, and why not or by which drives."""
    if copy.wiped_at is not None:
        return Verdict.NOT_KNOWN, "noted as wiped"
    reasons = not_safe_because(copy.outcome, rule)
    if not reasons:
        return Verdict.HOLDS, f"safe to wipe: {copies_text(copy.outcome)}"
    return Verdict.FALLS_SHORT, f"not safe to wipe: {'; '.join(reasons)}"


def place_name(copy: KeptCopy, number: int) -> str:
    """Return the unit that a destination lies on, or its folder."""
    return copy.places[number].unit_tag or copy.outcome.destinations[number].name


def check_again(
    workplace: Workplace, copy: KeptCopy, stop: threading.Event
) -> Iterator[CheckedFile]:
    """Read every copy of a card back again, and keep what was found; yield file by file.

    A destination that isn't there, or lies on another device now, raises DiskError before
    anything is read: plug in the drives of this card. Raises CellarError.
    """
    for number, each in enumerate(copy.outcome.destinations):
        if not each.dropped_by:
            _require_same_device(copy, number)
    for number, each in enumerate(copy.outcome.destinations):
        if each.dropped_by:
            continue
        wanted = {
            copy.path_on(file, number): file
            for file in copy.outcome.files
            if file.digest and file.on[number].state is not CopyState.FAILED
        }
        is_same: dict[str, bool] = {}
        try:
            with HeldFolder.open(Path(each.name)) as root:
                pairs = [(file.digest, path) for path, file in wanted.items()]
                for checked in check_files(root, pairs, copy.outcome.algorithm, stop):
                    is_same[wanted[checked.path].name] = checked.state is Checked.SAME
                    yield checked
        except OSError as error:
            raise as_disk_error(error, each.name) from error
        if stop.is_set():
            return  # half a check says nothing of the rest
        _require_same_device(copy, number)  # it may have been swapped while it was read
        copy = with_checked(copy, number, is_same, datetime.now(UTC))
        keep_check(workplace.cellar, copy)


def _require_same_device(copy: KeptCopy, number: int) -> None:
    folder = Path(copy.outcome.destinations[number].name)
    known = copy.places[number].device
    found = find_place(folder).identity
    if known.is_telling and not known.is_same_as(found):
        raise DiskError(
            "another device lies there now than the copy was made on",
            where=str(folder),
            mend=f"Plug in {place_name(copy, number)}, then read it back",
        )


def note_wiped(workplace: Workplace, copy: KeptCopy, typed_tag: str, rule: WipeRule) -> KeptCopy:
    """Note that a card was wiped, with its name typed; nothing is wiped here.

    Raises BadValueError for another name, or for a card that isn't safe; CellarError.
    """
    if typed_tag.strip() != copy.card_name:
        raise BadValueError(
            f"{typed_tag.strip()!r} was typed, the card is {copy.card_name!r}",
            where="wiping",
            mend="Read the card's own label, and type what stands there",
        )
    copy = copy_numbered(workplace, copy.copy_id)  # somebody may have read it back meanwhile
    reasons = not_safe_because(copy.outcome, rule)
    if reasons:
        raise BadValueError(
            f"{copy.card_name} must not be wiped: {'; '.join(reasons)}",
            where="wiping",
            mend="Copy it again to drives of their own, and let it be read back",
        )
    keep_wiped(workplace.cellar, copy.copy_id, datetime.now(UTC))
    return copy_numbered(workplace, copy.copy_id)


# Where is this clip?


@dataclass(frozen=True, slots=True)
class FoundClip:
    """A clip of the log, with where it lies."""

    path: str
    size_bytes: int
    card_name: str
    made_at: datetime
    verified_copies: int
    """On devices of their own, over all copies of this very content."""
    verified_at: tuple[str, ...]
    """Units or folders."""


def find_clips(text: str, kept: Sequence[KeptCopy]) -> tuple[FoundClip, ...]:
    """Return the clips whose path has *text* in it: where each lies, on how many copies."""
    if not text.strip():
        return ()
    found: dict[tuple[int, str], list[str]] = {}
    clips, contents = {}, by_content(kept)
    for place in places_of(text.strip(), kept):
        key = (place.copy.copy_id, place.file.name)
        if key not in found and len(found) >= _MOST_FOUND:
            break
        clips[key] = place
        where = found.setdefault(key, [])
        if place.state is CopyState.VERIFIED:
            where.append(place_name(place.copy, place.number))
    return tuple(
        FoundClip(
            place.file.name,
            place.file.size_bytes,
            place.copy.card_name,
            place.copy.made_at,
            copies_of_clip(place.file, contents),
            tuple(found[key]),
        )
        for key, place in clips.items()
    )


# For others

_COLUMNS = (
    "made_at", "card", "clip", "size_bytes", "checksum", "destination", "unit", "state", "who",
    "wiped_at", "codec", "width_px", "height_px", "frames_per_s", "duration_s",
)  # fmt: skip


def log_csv(kept: Iterable[KeptCopy]) -> str:
    """Return the log as CSV, a line for each clip on each destination."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(_COLUMNS)
    for copy in kept:
        heads = {each.path: each for each in copy.clips}
        for file in copy.outcome.files:
            head = heads.get(file.name)
            told = (head.codec, head.width_px, head.height_px, head.frames_per_s,
                    head.duration_s) if head else ("",) * 5  # fmt: skip
            for number, one in enumerate(file.on):
                writer.writerow(
                    safe_row(
                        (
                            copy.made_at.isoformat(timespec="seconds"),
                            copy.card_name,
                            file.name,
                            file.size_bytes,
                            file.digest,
                            copy.outcome.destinations[number].name,
                            copy.places[number].unit_tag,
                            one.state.value,
                            copy.who,
                            copy.wiped_at.isoformat(timespec="seconds") if copy.wiped_at else "",
                            *told,
                        )
                    )
                )
    return out.getvalue()


def log_lines(copy: KeptCopy, rule: WipeRule, fmt: NumberFormat) -> tuple[str, ...]:
    """Return a kept copy in lines: what it was, where it lies, whether it may be wiped."""
    outcome = copy.outcome
    lines = [
        f"{_time_text(copy.made_at, fmt)} {copy.card_name}: {files_text(len(outcome.files))}, "
        f"{fmt.size(outcome.size_bytes)}" + (f", by {copy.who}" if copy.who else "")
    ]
    if copy.clips:
        lines.append(clips_text(copy.clips, fmt))
    for number, each in enumerate(outcome.destinations):
        good = sum(file.on[number].state is CopyState.VERIFIED for file in outcome.files)
        told = f"{good} of {len(outcome.files)} verified"
        if each.dropped_by:
            told += f"; left: {each.dropped_by.rstrip('.')}"
        if each.counts_not_because:
            told += f"; {each.counts_not_because}"
        lines.append(f"{place_name(copy, number)}: {told}")
    verdict, state = state_of(copy, rule)
    if verdict is Verdict.HOLDS:
        names = [place_name(copy, number) for number in range(len(copy.places))]
        state = f"safe to wipe: {stands_on(outcome, names, fmt)}"
    lines.append(state)
    if copy.checked_at is not None:
        lines.append(f"read back again on {_day_text(copy.checked_at)}, "
                     f"{_time_text(copy.checked_at, fmt)}")  # fmt: skip
    return tuple(lines)


def clips_text(clips: Sequence[ClipHeader], fmt: NumberFormat) -> str:
    """Return how many clips there are, how long together, and in which formats."""
    kinds = Counter(
        f"{each.width_px} x {each.height_px} {each.codec}"
        + (f" at {fmt.number(each.frames_per_s)}" if each.frames_per_s else "")
        for each in clips
    )
    count = "1 clip" if len(clips) == 1 else f"{len(clips)} clips"
    whole = fmt.duration(round(sum(each.duration_s for each in clips)))
    return f"{count}, {whole}: {', '.join(kind for kind, _count in kinds.most_common(4))}"


def _day_text(at: datetime) -> str:
    return at.astimezone().date().isoformat()


def _time_text(at: datetime, fmt: NumberFormat) -> str:
    local = at.astimezone()
    return fmt.time_of_day(local.hour * 3600 + local.minute * 60)


def day_of(copy: KeptCopy) -> date:
    """Return the day that a copy was made on, where this computer is."""
    return copy.made_at.astimezone().date()
