"""Runs that come with an import: claims of somebody, held against their own traces.

An import can bring runs that were made elsewhere; it can't make them proofs. A recorder test whose
trace bears it out counts, and "imported from …" is said beside its mark. One without a trace, or
whose trace says otherwise, stands in the history and proves nothing. See docs/reach.md.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from vastcellar.core.errors import VastCellarError
from vastcellar.core.trace import Trace
from vastcellar.core.verdict.backing import RecorderClaim, disagreement
from vastcellar.services.workplace.run_records import CLOCK_TOLERANCE, RECORDER
from vastcellar.store.run_record import RunRecord
from vastcellar.store.trace_csv import parse_trace

_FROM, _DOUBT = "imported_from", "imported_doubt"


def as_stated(run: RunRecord, trace_csv: str, source: str) -> RunRecord:
    """Return *run* with where it was imported from, and what its own trace says otherwise.

    One that was imported before keeps where it came from first.
    """
    if run.kind != RECORDER or run.is_simulated:
        return run
    conditions = dict(run.conditions)
    conditions.setdefault(_FROM, source)
    conditions[_DOUBT] = _doubt(run.figures, run.conditions, trace_csv)
    return replace(run, conditions=conditions)


def _doubt(figures: Mapping[str, Any], conditions: Mapping[str, Any], trace_csv: str) -> str:
    try:
        trace: Trace | None = parse_trace(trace_csv, "its trace")
    except VastCellarError:
        trace = None
    try:
        claim = RecorderClaim(
            written_bytes=float(figures["written_bytes"]),
            elapsed_s=float(figures["elapsed_s"]),
            duration_s=float(figures["duration_s"]),
            load_bytes_per_s=float(figures["load_bytes_per_s"]),
            achieved_bytes_per_s=float(figures["achieved_bytes_per_s"]),
            frames_dropped=int(figures["frames_dropped"]),
            ended_early=bool(figures.get("ended_by")),
            link_ceiling_bytes_per_s=float(conditions.get("link_ceiling_bytes_per_s") or 0.0),
        )
    except (KeyError, TypeError, ValueError):
        return "it lacks figures that a recorder test has"
    return disagreement(claim, trace)


def state_all(content: Any, path: Path) -> None:
    """Mark every run in the *content* of an export as stated by it, where it lies.

    What isn't as an export has it is left: reading it says what is wrong.
    """
    tables = content.get("tables") if isinstance(content, dict) else None
    rows = tables.get("runs") if isinstance(tables, dict) else None
    for row in rows if isinstance(rows, list) else ():
        try:
            run = RunRecord(
                str(row["unit_tag"]) if "unit_tag" in row else "", row["kind"], datetime.now(UTC),
                bool(row["is_simulated"]), bool(row["is_complete"]), row["conditions"],
                row["figures"],
            )  # fmt: skip
            row["conditions"] = as_stated(run, row["trace_csv"], path.name).conditions
        except (KeyError, TypeError, ValueError, AttributeError):
            continue


def stated_notes(runs: Iterable[RunRecord]) -> tuple[str, ...]:
    """Say which of the imported *runs* prove nothing, and which are dated ahead."""
    notes = []
    latest = datetime.now(UTC) + CLOCK_TOLERANCE
    for run in runs:
        if doubt := run.conditions.get(_DOUBT):
            source = run.conditions.get(_FROM)
            notes.append(f"A recorder test of {run.unit_tag} is only stated by {source}: {doubt}")
        if run.measured_at > latest:
            notes.append(
                f"A run of {run.unit_tag} is dated {run.measured_at:%Y-%m-%d}, and counts for "
                "nothing until then"
            )
    return tuple(notes)
