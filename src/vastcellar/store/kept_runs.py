"""Runs that were made elsewhere, or long ago: kept as they are, with the conditions they had."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC

from sqlalchemy import insert, select

from vastcellar.core.errors import UnknownPartError
from vastcellar.store.cellar import Cellar
from vastcellar.store.run_record import RunRecord
from vastcellar.store.tables import RunRow, UnitRow


def keep_runs(cellar: Cellar, runs: Iterable[tuple[RunRecord, str]]) -> int:
    """Keep *runs* with their traces, all or none, and return how many.

    What they wrote counts for no unit's wear: it was in its written bytes already.
    Raises CellarError; UnknownPartError for a unit that isn't there.
    """
    with cellar.session() as session:
        numbers = {tag: number for number, tag in session.execute(select(UnitRow.id, UnitRow.tag))}
        rows = []
        for run, trace_csv in runs:
            if run.unit_tag not in numbers:
                raise UnknownPartError(
                    f"the cellar has no unit {run.unit_tag!r}", where="runs",
                    mend="Add the unit first",
                )  # fmt: skip
            rows.append({
                "unit_id": numbers[run.unit_tag], "kind": run.kind,
                "measured_at": run.measured_at.astimezone(UTC), "is_simulated": run.is_simulated,
                "is_complete": run.is_complete, "conditions": run.conditions,
                "figures": run.figures, "trace_csv": trace_csv,
            })  # fmt: skip
        if rows:
            session.execute(insert(RunRow), rows)
    return len(rows)
