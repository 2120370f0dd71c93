"""What lies beside a copy: the list that general tools check, and our own record of it.

Both are written through the folder that the copy held: where a drive was pulled out meanwhile, or
something is mounted over it, they don't land on whatever lies under its path now.
"""

from __future__ import annotations

import contextlib
import json
import os
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from vastcellar.bench.copying.copy_run import CopyPlan
from vastcellar.bench.copying.destination import Destination
from vastcellar.bench.disk_errors import as_disk_error
from vastcellar.bench.held_folder import HeldFolder
from vastcellar.core.errors import DiskError, VastCellarError
from vastcellar.core.roll.copies import CopyOutcome
from vastcellar.services.roll.checksum_lists import list_text
from vastcellar.services.roll.whole_files import write_temporary

RECORD_FORMAT = "vast-cellar/copy"
_MOST_LISTS = 1000
_SAME_IN_RECORDS = ("path", "copied_as", "size_bytes", "digest", "state")
"""What a copy is; when it was made, and what lay there already, differ with each run."""


@dataclass(slots=True)
class Papers:
    """What was written beside a copy, and what stood in the way."""

    lists: tuple[Path, ...] = ()
    bags: tuple[Path, ...] = ()
    troubles: list[VastCellarError] = field(default_factory=list)
    no_bag: VastCellarError | None = None


def keep_lists(
    plan: CopyPlan, outcome: CopyOutcome, destinations: Sequence[Destination], papers: Papers
) -> None:
    """Write list and record beside each copy, both under one number; add them to *papers*.

    What stands there under their names is never replaced, and equal ones are not written twice.
    None for a copy that was cancelled: half a list would pass for a whole one.
    """
    if outcome.is_cancelled:
        return
    for number, (held, each) in enumerate(zip(destinations, outcome.destinations, strict=True)):
        if each.dropped_by:
            continue
        listed = list_text(outcome, number, plan.name).encode("utf-8", errors="surrogateescape")
        record = _record(plan, outcome, number)
        try:
            papers.lists += _write_both(held, plan, listed, record)
        except VastCellarError as error:
            papers.troubles.append(error)
        except OSError as error:
            papers.troubles.append(as_disk_error(error, held.where))


def _write_both(
    held: Destination, plan: CopyPlan, listed: bytes, record: dict[str, Any]
) -> tuple[Path, ...]:
    root = held.root
    for number in range(1, _MOST_LISTS):
        stem = plan.name if number == 1 else f"{plan.name}-{number}"
        names = f"{stem}.{plan.algorithm}", f"{stem}.copy.json"
        here = [_content(root, name) for name in names]
        is_free = [
            root.identity_of(names[0]) is None or here[0] == listed,
            root.identity_of(names[1]) is None or _is_same_record(here[1], record),
        ]
        if not all(is_free):
            continue
        try:
            if here[0] is None:
                write_beside(held, names[0], listed)
            if here[1] is None:
                text = (json.dumps(record, indent=1) + "\n").encode()
                write_beside(held, names[1], text)
        except FileExistsError:  # put there in this moment
            continue
        return tuple(held.path / name for name in names)
    raise DiskError(
        "a thousand lists of that name stand there", where=held.where, mend="Give it another name"
    )


def write_beside(held: Destination, name: str, content: bytes) -> None:
    """Write *content* whole or not at all as *name* beside a copy; never over anything.

    Raises OSError.
    """
    temporary = held.beside_name(0)
    write_temporary(held.root, temporary, content)
    try:
        held.root.rename(temporary, name)
        held.root.sync()
    except OSError:
        with contextlib.suppress(OSError):
            held.root.remove(temporary)
        raise


def _content(root: HeldFolder, name: str) -> bytes | None:
    """Return what the regular file *name* holds, None for everything else."""
    try:
        handle = root.open_file(name)
    except OSError:
        return None
    with os.fdopen(handle, "rb") as file:
        return file.read()


def _is_same_record(content: bytes | None, record: dict[str, Any]) -> bool:
    try:
        found = json.loads(content or b"")
        rows = [tuple(each[name] for name in _SAME_IN_RECORDS) for each in found["files"]]
        same_head = all(
            found[name] == record[name]
            for name in ("format", "version", "name", "algorithm", "left_out")
        )
    except (ValueError, KeyError, TypeError, RecursionError):
        return False
    return same_head and rows == [
        tuple(each[name] for name in _SAME_IN_RECORDS) for each in record["files"]
    ]


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
