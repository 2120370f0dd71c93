"""Traces of other programs, kept as runs of a unit: what they show, and that nobody saw how."""

from __future__ import annotations

from datetime import date
from pathlib import Path
from typing import Any

import numpy as np

from vastcellar.core.diagnosis.diagnose import diagnose
from vastcellar.core.errors import BadFileError, BadValueError, VastCellarError
from vastcellar.core.trace import Trace, rates_bytes_per_s
from vastcellar.core.units import PLAIN
from vastcellar.core.verdict.backing import IMPOSSIBLE_RATE
from vastcellar.services.cellar.unit_edits import moment_on
from vastcellar.services.cellar.unit_memory import link_ceiling_bytes_per_s
from vastcellar.services.runs.diagnosing import diagnosis_figures
from vastcellar.services.workplace.run_records import TRACE
from vastcellar.services.workplace.workplace import Workplace, require_unit
from vastcellar.store.kept_runs import keep_runs
from vastcellar.store.run_record import RunRecord
from vastcellar.store.trace_csv import read_trace, trace_text


def keep_trace(
    workplace: Workplace,
    tag: str,
    path: Path,
    *,
    on: date | None = None,
    said: str = "",
    anyway: bool = False,
) -> RunRecord:
    """Keep the trace in *path* as a run of the unit *tag*, and return it as it is kept.

    It counts for no verdict and for no wear: which port, case and file system it was made on, and
    whether the computer's memory took the bytes, nobody noted. It stands in the unit's history
    beside others of its kind, and can be replayed.
    Raises BadFileError for no trace or one that shows nothing; BadValueError where the unit's link
    can't carry it, unless it is kept *anyway*; UnknownPartError, CellarError.
    """
    unit = require_unit(workplace.shelf(), tag)
    trace = read_trace(path)
    written = float(trace.written_bytes[-1] - trace.written_bytes[0]) if trace.duration_s else 0.0
    if written <= 0:
        raise BadFileError(
            "nothing was written in it", where=path.name, mend="Choose the trace of a write"
        )
    rate = written / float(trace.elapsed_s[-1] - trace.elapsed_s[0])
    ceiling = link_ceiling_bytes_per_s(unit, workplace.catalog)
    is_too_fast = ceiling is not None and rate > ceiling * IMPOSSIBLE_RATE
    if is_too_fast and not anyway:
        raise BadValueError(
            f"it writes {PLAIN.rate(rate)}, and no link of {tag} carries more than "
            f"{PLAIN.rate(ceiling or 0.0)}: the computer's memory took it, or another drive",
            where=path.name,
            mend="Choose the unit that it was measured on, or keep it with --anyway",
        )
    conditions: dict[str, Any] = {
        "drive_key": unit.drive_key,
        "measured_with": "another program",
        "file": path.name,
        "write_mode": "not known",
    }
    if is_too_fast:
        conditions["is_faster_than_link"] = True
    if said.strip():
        conditions["said"] = said.strip()
    record = RunRecord(
        tag, TRACE, moment_on(on), False, True, conditions,
        {"write": _figures(trace, written), "read": None, "diagnosis": _diagnosis(trace)},
    )  # fmt: skip
    keep_runs(workplace.cellar, [(record, trace_text(trace))])
    return record


def _figures(trace: Trace, written: float) -> dict[str, Any]:
    elapsed_s = float(trace.elapsed_s[-1] - trace.elapsed_s[0])
    _middles, rates = rates_bytes_per_s(trace)
    known = trace.temperature_c[np.isfinite(trace.temperature_c)]
    return {
        "moved_bytes": written,
        "elapsed_s": elapsed_s,
        "bytes_per_s": written / elapsed_s,
        "slowest_second_bytes": float(rates.min()) if rates.size else None,
        "stall_count": 0,
        "stalls": [],
        "longest_stall_s": 0.0,
        "hottest_c": float(known.max()) if known.size else None,
    }


def _diagnosis(trace: Trace) -> dict[str, Any] | None:
    """What slowed it; None for one that is too short to say."""
    try:
        return diagnosis_figures(diagnose(trace))
    except VastCellarError:
        return None
