"""A card copied for real: what is asked is looked at first, then it is run and its papers kept."""

from __future__ import annotations

import errno
import os
from collections.abc import Iterator, Sequence
from functools import partial
from pathlib import Path

from vastcellar.bench.clock_watch import ClockWatch
from vastcellar.bench.copying.copy_run import (
    CopyPlan,
    CopyProgress,
    CopyRun,
    PlannedDestination,
)
from vastcellar.bench.copying.destination import Destination
from vastcellar.bench.copying.digests import ALGORITHMS
from vastcellar.bench.copying.journal import journal_name
from vastcellar.bench.copying.room import RoomTaken, file_system_of, room_taken
from vastcellar.bench.copying.source import SourceTree, hold_source, read_tree, stamps_last
from vastcellar.bench.disk_errors import as_disk_error
from vastcellar.core.errors import BadValueError, DiskError, VastCellarError
from vastcellar.core.roll.copies import CopyOutcome
from vastcellar.core.units import PLAIN
from vastcellar.devices.awake import kept_awake
from vastcellar.devices.behind import Behind, behind_folder, behind_handle
from vastcellar.services.proving.places import find_place
from vastcellar.services.roll.bags import finish_bags
from vastcellar.services.roll.beside_copies import Papers, keep_lists

MOST_DESTINATIONS = 4
_FAT, _FAT_MOST_BYTES = ("vfat", "msdos"), 2**32
_WITHOUT_HOLES = ("vfat", "msdos", "exfat", "fuseblk", "fuse.exfat", "ntfs-3g")
_RESERVE_BYTES = 64 * 2**20
"""A file system that is filled to its last block grows slow, and some refuse to rename."""

__all__ = ["CopyProgress", "CopyRun", "Papers", "copy_run", "run_copy"]


def copy_run(
    source: Path,
    destinations: Sequence[Path],
    *,
    name: str = "",
    algorithm: str = "xxh128",
    verifies: bool = True,
) -> CopyRun:
    """Return the copy of *source* into a folder of its own name in each of *destinations*.

    Raises BadValueError for what can't be: no destination or too many, one inside the source, the
    same twice, a name that is none; DiskError where one isn't there or has too little room.
    """
    if not 1 <= len(destinations) <= MOST_DESTINATIONS:
        raise BadValueError(
            f"{len(destinations)} destinations",
            where="copy",
            mend=f"Give one to {MOST_DESTINATIONS}",
        )
    if algorithm not in ALGORITHMS:
        raise BadValueError(
            f"no checksum is called {algorithm!r}",
            where="copy",
            mend=f"Use {' or '.join(ALGORITHMS)}",
        )
    real = _real(source, "source")
    name = name or real.name
    if not name or name in (".", "..") or "/" in name or not name.isprintable():
        raise BadValueError(
            f"{name!r} is no name for a folder", where="copy", mend="Give one with --name"
        )
    targets = [_real(each, "destination") for each in destinations]
    _require_apart(real, targets, name)
    tree = _tree(real)
    largest = max((each.size_bytes for each in tree.files), default=0)
    own = find_place(real)
    plan = CopyPlan(
        real,
        tuple(_planned(each, name, tree, largest, own.mount.behind) for each in targets),
        name,
        algorithm,
        verifies,
        card_id=own.identity.file_system_uuid,
        card_stamps_last=stamps_last(own.mount.file_system),
    )
    _require_room(plan)
    run = CopyRun(plan)
    run.drives_of = _drives_of
    return run


def _drives_of(handle: int) -> tuple[str, ...]:
    return tuple(sorted(behind_handle(handle).drives))


def _planned(
    target: Path, name: str, tree: SourceTree, largest: int, own: Behind
) -> PlannedDestination:
    behind = behind_folder(target)
    _require_holds(target, behind, largest)
    has_holes = behind.file_system not in _WITHOUT_HOLES
    whole = tree.taken_bytes if has_holes else tree.size_bytes
    return PlannedDestination(
        target,
        drives=tuple(sorted(behind.drives)),
        counts_not=counts_not_because(behind, own),
        shares_drive=behind.shares_drive(own) or behind.key == own.key,
        by_program=behind.is_by_program,
        file_system=file_system_of(target),
        needed_bytes=max(0, whole - _there_bytes(target, name)),
        stamps_last=stamps_last(behind.file_system),
    )


def counts_not_because(behind: Behind, own: Behind) -> str:
    """Return why a copy that lies on *behind* is none for wiping a card on *own*; "" if it is."""
    if behind.is_in_memory:
        return "it lies in the computer's memory"
    if not behind.is_known:
        return f"which drive it lies on isn't known: {behind.unknown_because}"
    if behind.shares_drive(own):
        return "it lies on the card's own drive"
    if not own.is_known:
        return f"whether it is the card's own drive isn't known: of that, {own.unknown_because}"
    return ""


def _require_holds(target: Path, disk: Behind, largest: int) -> None:
    if disk.file_system in _FAT and largest >= _FAT_MOST_BYTES:
        raise BadValueError(
            f"the card has a file of {PLAIN.size(largest)}, and FAT32 holds none of 4 GiB",
            where=str(target),
            mend="Choose a destination with exFAT or another file system",
        )


def _real(path: Path, what: str) -> Path:
    try:
        real = path.resolve(strict=True)
        if not real.is_dir():
            raise NotADirectoryError(errno.ENOTDIR, os.strerror(errno.ENOTDIR))
    except (OSError, RuntimeError, ValueError) as error:
        reason = getattr(error, "strerror", None) or "it can't be looked up"
        raise DiskError(
            f"the {what} is no folder that can be used ({reason})",
            where=str(path),
            mend="Check that it is plugged in and mounted",
        ) from error
    return real


def _require_apart(source: Path, targets: Sequence[Path], name: str) -> None:
    seen: dict[tuple[int, int], Path] = {}
    inside, above_source = _identity(source), [source, *source.parents]
    for target in targets:
        above = [target, *target.parents]
        if any(_identity(each) == inside for each in above):
            raise BadValueError(
                "it lies inside the card itself", where=str(target), mend="Choose another place"
            )
        made = target / name
        if made.exists() and any(_identity(each) == _identity(made) for each in above_source):
            raise BadValueError(
                "the copy would be written into the card itself",
                where=str(made),
                mend="Choose another place, or another name with --name",
            )
        same = seen.setdefault(_identity(target), target)
        if same is not target:
            raise BadValueError(
                f"it is the same folder as {same}", where=str(target), mend="Name it once"
            )


def _identity(path: Path) -> tuple[int, int]:
    status = path.stat()
    return status.st_dev, status.st_ino


def _tree(source: Path) -> SourceTree:
    try:
        with hold_source(source) as held:
            return read_tree(held, str(source))
    except OSError as error:
        raise as_disk_error(error, str(source)) from error


def _there_bytes(target: Path, name: str) -> int:
    """Return what lies there already of a copy of that name: it isn't written again."""
    if not (target / name).is_dir():
        return 0
    with hold_source(target / name) as held:
        return read_tree(held, str(target)).taken_bytes


def _by_file_system(plan: CopyPlan, counts: Sequence[int]) -> dict[str, int]:
    """Return the room that is needed on each file system: two folders on one share what is free."""
    needed: dict[str, int] = {}
    for each, count in zip(plan.destinations, counts, strict=True):
        needed[each.file_system] = needed.get(each.file_system, 0) + count
    return needed


def _needed_bytes(plan: CopyPlan) -> list[int]:
    return [each.needed_bytes for each in plan.destinations]


def _require_room(plan: CopyPlan, before: str = "") -> None:
    """Raise DiskError where a destination can't hold its copy beside the other copies that run.

    With *before* only those of them count that announced themselves before that token, and only
    they are a reason: a drive that others filled meanwhile is left, and the rest is copied.
    """
    needed = _by_file_system(plan, _needed_bytes(plan))
    for each in plan.destinations:
        mine, others = needed[each.file_system], room_taken(each.file_system, before)
        found = os.statvfs(each.path)
        free = found.f_bavail * found.f_frsize
        if not mine or (before and not others) or free >= mine + others + _RESERVE_BYTES:
            continue
        beside = f", other copies that run need {PLAIN.size(others)} of it" if others else ""
        raise DiskError(
            f"{PLAIN.size(mine)} are to be written, {PLAIN.size(free)} are free{beside}, and "
            f"{PLAIN.size(_RESERVE_BYTES)} stay free",
            where=str(each.path),
            mend="Make room, or choose another destination",
        )


def whole_of(plan: CopyPlan) -> tuple[int, int]:
    """Return how many files the card has, and their bytes. Raises DiskError."""
    tree = _tree(plan.source)
    return len(tree.files), tree.size_bytes


def can_go_on(plan: CopyPlan) -> bool:
    """Whether a copy of that name was cut off in one of the destinations."""
    return any((each / journal_name(plan.name)).is_file() for each in plan.paths)


def run_copy(
    run: CopyRun,
    *,
    said: list[str] | None = None,
    papers: Papers | None = None,
    is_bag: bool = False,
) -> Iterator[CopyProgress]:
    """Run it; yield how far it has come. Raises DiskError for what the disks refuse at once.

    With *papers* lists and records are written beside the copies, and bags are finished.
    The computer is kept awake meanwhile; where that can't be, and where it slept all the same, a
    sentence is added to *said*.
    """
    watch = ClockWatch()
    plan = run.plan
    if papers is not None:
        run.at_end = partial(_write_papers, plan, papers, is_bag)
    try:
        with kept_awake(f"{plan.name} is being copied") as awake, RoomTaken() as room:
            room.tell(_by_file_system(plan, _needed_bytes(plan)))
            _require_room(plan, room.token)  # another may have begun since it was asked for
            for progress in run.run():
                room.tell(_by_file_system(plan, _left_bytes(plan, progress)))
                yield progress
            refused = awake.look()
    except OSError as error:
        raise as_disk_error(error, str(run.plan.source)) from error
    if said is None:
        return
    if watch.slept_s:
        said.append(f"The computer slept for {PLAIN.duration(round(watch.slept_s))} meanwhile.")
    elif refused:
        said.append(f"It was not kept awake: {refused}.")


def _write_papers(
    plan: CopyPlan, papers: Papers, is_bag: bool, outcome: CopyOutcome,
    destinations: Sequence[Destination],
) -> None:  # fmt: skip
    keep_lists(plan, outcome, destinations, papers)
    if not is_bag:
        return
    try:
        papers.bags = finish_bags(outcome, destinations)
    except VastCellarError as error:  # the copy is told and kept all the same
        papers.no_bag = error


def _left_bytes(plan: CopyPlan, progress: CopyProgress) -> list[int]:
    """Return what is still to be written to each destination."""
    return [
        0 if leg.dropped_by else max(0, each.needed_bytes - leg.written_bytes)
        for each, leg in zip(plan.destinations, progress.legs, strict=True)
    ]
