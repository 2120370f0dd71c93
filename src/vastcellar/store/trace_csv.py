"""The trace as CSV: ``elapsed_s,written_bytes,temperature_c``; temperature may be empty."""

from __future__ import annotations

import csv
import io
import math
from pathlib import Path

import numpy as np

from vastcellar.core.errors import BadFileError, BadValueError
from vastcellar.core.trace import Trace
from vastcellar.store.text_files import read_text

HEADER = ("elapsed_s", "written_bytes", "temperature_c")


def trace_text(trace: Trace) -> str:
    """Return *trace* as CSV text: milliseconds, whole bytes, tenths of a degree."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(HEADER)
    for elapsed_s, written, celsius in zip(
        trace.elapsed_s, trace.written_bytes, trace.temperature_c, strict=True
    ):
        temperature = "" if math.isnan(celsius) else f"{celsius:.1f}"
        writer.writerow((f"{elapsed_s:.3f}", f"{written:.0f}", temperature))
    return out.getvalue()


def parse_trace(text: str, name: str) -> Trace:
    """Return the trace in CSV *text*. Raises BadFileError naming file and line."""
    rows = csv.reader(io.StringIO(text))
    header = next(rows, [])
    if tuple(column.strip() for column in header) != HEADER:
        raise BadFileError(
            f"its first line is {','.join(header)[:60]!r}",
            where=f"{name}, line 1",
            mend=f"Give the columns {','.join(HEADER)}",
        )
    values = []
    for number, row in enumerate(rows, 2):
        if not row:
            continue
        try:
            elapsed, written, celsius = row
            values.append((float(elapsed), float(written), float(celsius or "nan")))
        except ValueError as error:
            raise BadFileError(
                f"{','.join(row)[:60]!r} is not a row of three numbers",
                where=f"{name}, line {number}",
                mend="Give seconds, bytes and degrees; degrees may be empty",
            ) from error
    columns = np.array(values, dtype=np.float64).reshape(-1, 3)
    try:
        return Trace(columns[:, 0].copy(), columns[:, 1].copy(), columns[:, 2].copy())
    except BadValueError as error:
        raise BadFileError(error.what, where=f"{name}, {error.where}", mend=error.mend) from error


def read_trace(path: Path) -> Trace:
    """Return the trace in the CSV file *path*. Raises BadFileError naming file and line."""
    return parse_trace(read_text(path), path.name)
