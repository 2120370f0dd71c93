"""A card copied for real: what is asked is looked at first, lists and a record stand beside it."""

from __future__ import annotations

import contextlib
import errno
import json
import os
from collections.abc import Iterator, Sequence
from dataclasses import asdict
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from vastcellar.bench.clock_watch import ClockWatch
from vastcellar.bench.copying.copy_run import CopyPlan, CopyProgress, CopyRun
from vastcellar.bench.copying.digests import ALGORITHMS
from vastcellar.bench.copying.journal import journal_name
from vastcellar.bench.copying.room import RoomTaken, file_system_of, room_taken
from vastcellar.bench.copying.source import SourceTree, hold_source, read_tree
from vastcellar.bench.disk_errors import as_disk_error
from vastcellar.bench.held_folder import HeldFolder
from vastcellar.core.errors import BadValueError, DiskError
from vastcellar.core.roll.copies import (
    CopyOutcome,
    CopyState,
    WipeRule,
    not_safe_because,
    verified_copies,
)
from vastcellar.core.units import PLAIN, NumberFormat
from vastcellar.devices.awake import kept_awake
from vastcellar.services.roll.checksum_lists import list_text
from vastcellar.services.roll.disks import DiskBehind, disk_behind
from vastcellar.services.roll.whole_files import write_temporary

RECORD_FORMAT = "vast-cellar/copy"
MOST_DESTINATIONS = 4
_MOST_LISTS = 1000
_FAT, _FAT_MOST_BYTES = ("vfat", "msdos"), 2**32
_WITHOUT_HOLES = ("vfat", "msdos", "exfat", "fuseblk", "fuse.exfat", "ntfs-3g")
_RESERVE_BYTES = 64 * 2**20
"""A file system that is filled to its last block grows slow, and some refuse to rename."""

__all__ = ["CopyProgress", "CopyRun", "copy_run", "keep_lists", "outcome_figures", "outcome_lines"]


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
    own, behind = disk_behind(real), [disk_behind(each) for each in targets]
    needed = []
    for target, disk in zip(targets, behind, strict=True):
        _require_holds(target, disk, largest)
        has_holes = disk.file_system not in _WITHOUT_HOLES
        whole = tree.taken_bytes if has_holes else tree.size_bytes
        needed.append(max(0, whole - _there_bytes(target, name)))
    plan = CopyPlan(
        real,
        tuple(targets),
        name,
        tuple(each.key for each in behind),
        tuple(_counts_not(each, own) for each in behind),
        tuple(each.key == own.key for each in behind),
        tuple(each.is_by_program for each in behind),
        tuple(file_system_of(each) for each in targets),
        tuple(needed),
        algorithm,
        verifies,
    )
    _require_room(plan)
    return CopyRun(plan)


def _counts_not(disk: DiskBehind, own: DiskBehind) -> str:
    if disk.is_in_memory:
        return "it lies in the computer's memory"
    if disk.key == own.key:
        return "it lies on the card's own drive"
    return "" if disk.is_known else "which drive it lies on isn't known"


def _require_holds(target: Path, disk: DiskBehind, largest: int) -> None:
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
    inside = _identity(source)
    for target in targets:
        above = [target, *target.parents]
        if any(_identity(each) == inside for each in above):
            raise BadValueError(
                "it lies inside the card itself", where=str(target), mend="Choose another place"
            )
        made = target / name
        if made.exists() and _identity(made) == inside:
            raise BadValueError(
                "the copy would be the card itself",
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
    for file_system, count in zip(plan.file_systems, counts, strict=True):
        needed[file_system] = needed.get(file_system, 0) + count
    return needed


def _require_room(plan: CopyPlan, before: str = "") -> None:
    """Raise DiskError where a destination can't hold its copy beside the other copies that run.

    With *before* only those of them count that announced themselves before that token, and only
    they are a reason: a drive that others filled meanwhile is left, and the rest is copied.
    """
    needed = _by_file_system(plan, plan.needed_bytes)
    for target, file_system in zip(plan.destinations, plan.file_systems, strict=True):
        mine, others = needed[file_system], room_taken(file_system, before)
        found = os.statvfs(target)
        free = found.f_bavail * found.f_frsize
        if not mine or (before and not others) or free >= mine + others + _RESERVE_BYTES:
            continue
        beside = f", other copies that run need {PLAIN.size(others)} of it" if others else ""
        raise DiskError(
            f"{PLAIN.size(mine)} are to be written, {PLAIN.size(free)} are free{beside}, and "
            f"{PLAIN.size(_RESERVE_BYTES)} stay free",
            where=str(target),
            mend="Make room, or choose another destination",
        )


def whole_of(plan: CopyPlan) -> tuple[int, int]:
    """Return how many files the card has, and their bytes. Raises DiskError."""
    tree = _tree(plan.source)
    return len(tree.files), tree.size_bytes


def can_go_on(plan: CopyPlan) -> bool:
    """Whether a copy of that name was cut off in one of the destinations."""
    return any((each / journal_name(plan.name)).is_file() for each in plan.destinations)


def run_copy(run: CopyRun, *, said: list[str] | None = None) -> Iterator[CopyProgress]:
    """Run it; yield how far it has come. Raises DiskError for what the disks refuse at once.

    The computer is kept awake meanwhile; where that can't be, and where it slept all the same, a
    sentence is added to *said*.
    """
    watch = ClockWatch()
    plan = run.plan
    try:
        with kept_awake(f"{plan.name} is being copied") as awake, RoomTaken() as room:
            room.tell(_by_file_system(plan, plan.needed_bytes))
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


def _left_bytes(plan: CopyPlan, progress: CopyProgress) -> list[int]:
    """Return what is still to be written to each destination."""
    return [
        0 if leg.dropped_by else max(0, needed - leg.written_bytes)
        for needed, leg in zip(plan.needed_bytes, progress.legs, strict=True)
    ]


def keep_lists(plan: CopyPlan, outcome: CopyOutcome) -> tuple[Path, ...]:
    """Write the list that general tools check, and our record, beside each copy.

    What stands there under their names is never replaced. None for a copy that was cancelled: half
    a list would pass for a whole one.
    """
    if outcome.is_cancelled:
        return ()
    made = []
    for number, (target, each) in enumerate(
        zip(plan.destinations, outcome.destinations, strict=True)
    ):
        if each.dropped_by:
            continue
        listed = list_text(outcome, number, plan.name)
        record = json.dumps(_record(plan, outcome, number), indent=1) + "\n"
        for suffix, text in ((f".{plan.algorithm}", listed), (".copy.json", record)):
            made.append(_write_beside(target, plan.name, suffix, text))
    return tuple(made)


def _write_beside(target: Path, name: str, suffix: str, text: str) -> Path:
    content = text.encode("utf-8", errors="surrogateescape")
    temporary = f".{name}.vast-cellar-list"
    try:
        with hold_source(target) as root:
            write_temporary(root, temporary, content)
            for number in range(1, _MOST_LISTS):
                own = f"{name}{suffix}" if number == 1 else f"{name}-{number}{suffix}"
                if _holds(root, own, content):
                    root.remove(temporary)
                    return target / own
                with contextlib.suppress(FileExistsError):
                    root.rename(temporary, own)
                    root.sync()
                    return target / own
            root.remove(temporary)
    except OSError as error:
        raise as_disk_error(error, str(target)) from error
    raise DiskError(
        "a thousand lists of that name stand there", where=str(target), mend="Give it another name"
    )


def _holds(root: HeldFolder, name: str, content: bytes) -> bool:
    """Whether the file *name* is there and holds just that."""
    try:
        handle = root.open_file(name)
    except OSError:
        return False
    with os.fdopen(handle, "rb") as file:
        return os.fstat(handle).st_size == len(content) and file.read() == content


def _record(plan: CopyPlan, outcome: CopyOutcome, number: int) -> dict[str, Any]:
    return {
        "format": RECORD_FORMAT,
        "version": 1,
        "name": plan.name,
        "source": outcome.source,
        "made_at": datetime.now(UTC).isoformat(timespec="seconds"),
        "algorithm": plan.algorithm,
        "is_cancelled": outcome.is_cancelled,
        "files": [
            {
                "path": each.name,
                "copied_as": each.on[number].name or each.name,
                "size_bytes": each.size_bytes,
                "modified_ns": each.modified_ns,
                "digest": each.digest,
                "state": each.on[number].state,
                "was_there": each.on[number].was_there,
                "trouble": each.trouble or each.on[number].said,
            }
            for each in outcome.files
        ],
        "left_out": list(outcome.left_out),
    }


def outcome_figures(outcome: CopyOutcome, rule: WipeRule) -> dict[str, Any]:
    """Return a copy as it is printed as JSON."""
    reasons = not_safe_because(outcome, rule)
    return {
        "source": outcome.source,
        "files": len(outcome.files),
        "size_bytes": outcome.size_bytes,
        "elapsed_s": outcome.elapsed_s,
        "read_bytes": outcome.read_bytes,
        "is_cancelled": outcome.is_cancelled,
        "algorithm": outcome.algorithm,
        "verified_copies": verified_copies(outcome),
        "safe_to_wipe": not reasons,
        "not_safe_because": list(reasons),
        "left_out": list(outcome.left_out),
        "destinations": [
            {
                **asdict(each),
                "files": {
                    state.value: sum(file.on[number].state is state for file in outcome.files)
                    for state in CopyState
                },
            }
            for number, each in enumerate(outcome.destinations)
        ],
        "troubles": [
            {"path": each.name, "source": each.trouble,
             "destinations": [one.said for one in each.on]}
            for each in outcome.files
            if each.trouble or any(one.said for one in each.on)
        ],
    }  # fmt: skip


def outcome_lines(outcome: CopyOutcome, rule: WipeRule, fmt: NumberFormat) -> list[str]:
    """Say what came of a copy, line by line; the last says whether the card may be wiped."""
    whole = f"{len(outcome.files)} files, {fmt.size(outcome.size_bytes)}"
    lines = [f"{outcome.source}: {whole}, in {fmt.duration(max(round(outcome.elapsed_s), 1))}."]
    for number, each in enumerate(outcome.destinations):
        counts = {
            state: sum(file.on[number].state is state for file in outcome.files)
            for state in CopyState
        }
        there = sum(file.on[number].was_there for file in outcome.files)
        told = [f"{count} {state}" for state, count in counts.items() if count]
        told += [f"{there} of them were there already"] if there else []
        line = f"{each.name}: {', '.join(told) or 'nothing to copy'}"
        if each.busy_s > 0 and each.written_bytes:
            line += f", written at {fmt.rate(each.written_bytes / each.busy_s, 0)}"
        if each.dropped_by:
            line += f"; left: {each.dropped_by.rstrip('.')}"
        if each.counts_not_because:
            line += f"; {each.counts_not_because} and counts for nothing"
        lines.append(f"{line}.")
        if each.is_by_program:
            lines.append(
                "  A program or another computer reads it for us: some of it may have come back "
                "from memory. Unplug it, plug it in again, then verify it once more."
            )
        lines += [
            f"  {file.name} stands aside as {file.on[number].name}: another one was there."
            for file in outcome.files
            if file.on[number].name
        ]
    for file in outcome.files:
        said = file.trouble or next((one.said for one in file.on if one.said), "")
        if said:
            lines.append(f"  {file.name}: {said.rstrip('.')}.")
    lines += [f"  {name}: left out, it is no file." for name in outcome.left_out]
    reasons = not_safe_because(outcome, rule)
    if reasons:
        lines.append(f"Not safe to wipe: {'; '.join(reasons)}.")
    else:
        copies = verified_copies(outcome)
        lines.append(f"Safe to wipe: {copies} verified copies on drives of their own.")
    return lines
