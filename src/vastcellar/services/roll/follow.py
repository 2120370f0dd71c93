"""A copy in a process of its own: how it is begun, and what it says line by line.

The window and a copy of many files would slow each other in one interpreter; and a copy goes on
being whole whatever becomes of the window.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from vastcellar.core.roll.copies import CopyOutcome, WipeRule, most_apart
from vastcellar.core.units import NumberFormat

_CODE = "from vastcellar.cli.main import main; main()"
BAG = "bag"
"""In the place of a checksum: a BagIt bag, which has its own."""
PAUSE, RESUME, STOP = "pause", "resume", "stop"
"""What it takes on its standard input, a word a line; its end is taken for stop."""


def copy_process(
    source: Path,
    destinations: Sequence[Path],
    name: str,
    algorithm: str,
    data: Path,
    rule: WipeRule,
    who: str = "",
) -> tuple[str, list[str]]:
    """Return program and words of a copy that says how far it has come.

    It is kept in the log of the cellar in the folder *data*, and safe to wipe by *rule*;
    *algorithm* is a checksum's, or ``BAG``; *who* makes it.
    """
    named = [*(["--name", name] if name else []), *(["--who", who] if who else [])]
    kind = ["--bag"] if algorithm == BAG else ["--algorithm", algorithm]
    return sys.executable, [
        "-c", _CODE, "copy", str(source), *map(str, destinations), *named,
        *kind, "--data", str(data),
        "--copies", str(rule.copies), "--follow",
    ]  # fmt: skip


@dataclass(frozen=True, slots=True)
class LegNow:
    """How far a destination has come."""

    written_bytes: int
    verified_bytes: int
    busy_s: float
    dropped_by: str


@dataclass(frozen=True, slots=True)
class CopyNow:
    """How far a copy has come."""

    elapsed_s: float
    total_bytes: int
    read_bytes: int
    read_s: float
    hash_s: float
    waited_s: float
    """For a block that was free: some destination held it up."""
    now: str
    legs: tuple[LegNow, ...]
    total_files: int
    buffered_bytes: int = 0
    """Read, and not yet on every drive."""
    buffer_bytes: int = 0
    """What may be so at most."""


@dataclass(frozen=True, slots=True)
class CopyEnded:
    """What came of it."""

    lines: tuple[str, ...]
    is_safe: bool
    is_cancelled: bool
    verified_copies: int
    not_safe_because: tuple[str, ...]
    dropped: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class CopyRefused:
    """It couldn't begin, or a fault ended it."""

    sentence: str


def now_line(progress: Any) -> str:
    """Return a line that says how far it has come."""
    return json.dumps({"now": asdict(progress)})


def ended_line(outcome: CopyOutcome, figures: dict[str, Any], lines: Sequence[str]) -> str:
    """Return the last line."""
    return json.dumps(
        {
            "ended": {
                "lines": list(lines),
                "is_safe": figures["safe_to_wipe"],
                "is_cancelled": outcome.is_cancelled,
                "verified_copies": figures["verified_copies"],
                "not_safe_because": figures["not_safe_because"],
                "dropped": [each.dropped_by for each in outcome.destinations],
            }
        }
    )


def refused_line(sentence: str) -> str:
    """Return the line of a copy that couldn't be made."""
    return json.dumps({"refused": {"sentence": sentence}})


def said_line(line: bytes) -> CopyNow | CopyEnded | CopyRefused | None:
    """Return what a line says; None for one that says nothing of a copy."""
    try:
        found = json.loads(line)
        if "now" in found:
            row = found["now"]
            legs = tuple(
                LegNow(**{name: each[name] for name in LegNow.__slots__}) for each in row["legs"]
            )
            return CopyNow(
                **{name: row[name] for name in CopyNow.__slots__ if name != "legs"}, legs=legs
            )
        if "ended" in found:
            row = found["ended"]
            lists = ("lines", "not_safe_because", "dropped")
            return CopyEnded(**{**row, **{name: tuple(row[name]) for name in lists}})
        return CopyRefused(**found["refused"])
    except (ValueError, KeyError, TypeError, RecursionError):
        return None


def asked_text(
    source: Path, destinations: Sequence[Path], name: str, rule: WipeRule, fmt: NumberFormat
) -> str:
    """Say what a copy would do, and what is missing for *rule*, or what is in its way."""
    from vastcellar.core.errors import VastCellarError
    from vastcellar.services.roll.copy_wording import files_text
    from vastcellar.services.roll.copying import can_go_on, copy_run, whole_of

    try:
        run = copy_run(source, destinations, name=name)
        count, size = whole_of(run.plan)
    except VastCellarError as error:
        return str(error)
    counting = {
        number: each.drives
        for number, each in enumerate(run.plan.destinations)
        if not each.counts_not
    }
    drives, copies = len(most_apart(counting)), rule.copies
    text = f"{files_text(count)}, {fmt.size(size)}, read once and verified on {len(destinations)} "
    text += f"{'folder' if len(destinations) == 1 else 'folders'}"
    text += f", {drives} {'drive' if drives == 1 else 'drives'} of their own"
    if drives < copies:
        text += f": a card is safe to wipe with {copies}"
    if can_go_on(run.plan):
        text += ". It goes on where it was cut off"
    return f"{text}."
