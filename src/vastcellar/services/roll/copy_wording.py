"""What came of a copy, in words and as figures."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from datetime import datetime
from typing import Any

from vastcellar.core.roll.copies import (
    CopyOutcome,
    CopyState,
    WipeRule,
    counting_destinations,
    not_safe_because,
    verified_copies,
)
from vastcellar.core.units import NumberFormat
from vastcellar.services.roll.checksum_lists import lines_unread_by_older


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
        "card_seen_s": outcome.card_seen_s,
        "card_seen_again_s": outcome.card_seen_again_s,
        "read_back_s": outcome.read_back_s,
        "card_changes": list(outcome.card_changes),
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


def outcome_lines(
    outcome: CopyOutcome, rule: WipeRule, fmt: NumberFormat, names: Sequence[str] = ()
) -> list[str]:
    """Say what came of a copy, line by line; the last says whether the card may be wiped.

    *names* are those of the units that the destinations lie on, where they are known.
    """
    names = names or [each.name for each in outcome.destinations]
    whole = f"{files_text(len(outcome.files))}, {fmt.size(outcome.size_bytes)}"
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
    if count := lines_unread_by_older(outcome):
        which = "A line of its list holds" if count == 1 else f"{count} lines of its list hold"
        lines.append(
            f"  {which} a name of more than one line: xxh128sum before 0.8.2 doesn't read that, "
            "vast-cellar verify does."
        )
    reasons = not_safe_because(outcome, rule)
    if reasons:
        lines.append(f"Not safe to wipe: {'; '.join(reasons)}.")
    else:
        lines.append(f"Safe to wipe: {stands_on(outcome, names, fmt)}.")
    return lines


def stands_on(outcome: CopyOutcome, names: Sequence[str], fmt: NumberFormat) -> str:
    """Say what *safe to wipe* stands on: how many copies, where, when read back, since when still.

    *names* are those of the destinations, in their order.
    """
    where = [names[number] for number in counting_destinations(outcome)]
    told = f"{copies_text(outcome)}, on {', '.join(where[:-1])}"
    told += f"{' and ' if len(where) > 1 else ''}{where[-1]}"
    if outcome.read_back_s:
        told += f", read back at {_clock_text(outcome.read_back_s, fmt)}"
    return f"{told}, the card unchanged since {_clock_text(outcome.card_seen_s, fmt)}"


def files_text(count: int) -> str:
    """Say how many files, in words by number."""
    return "1 file" if count == 1 else f"{count} files"


def copies_text(outcome: CopyOutcome) -> str:
    """Say how many verified copies on drives of their own there are."""
    count = len(counting_destinations(outcome))
    return "1 verified copy" if count == 1 else f"{count} verified copies"


def _clock_text(at_s: float, fmt: NumberFormat) -> str:
    local = datetime.fromtimestamp(at_s).astimezone()
    return fmt.time_of_day(local.hour * 3600 + local.minute * 60)
