"""The trace as CSV: ``elapsed_s,written_bytes,temperature_c``; temperature may be empty.

A trace that another program kept may name its columns otherwise, count in other units, give a
rate in place of bytes, and the time of day in place of seconds.
"""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from vastcellar.core.errors import BadFileError
from vastcellar.core.trace import Trace
from vastcellar.store.reading import as_sentence, read_text
from vastcellar.store.trace_columns import HEADER, columns_of_trace

_MOST_S, _MOST_WRITTEN_BYTES = 40 * 86400.0, 1e17
_COLDEST_C, _HOTTEST_C = -100.0, 300.0


MOST_COLUMNS = 500
"""More than any program writes; each is looked for by several names."""


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
    with as_sentence(Path(name), "trace"):
        return _parse(text, name)


def _parse(text: str, name: str) -> Trace:
    first = text.partition("\n")[0]
    rows = csv.reader(io.StringIO(text), delimiter=max(",;\t", key=first.count))
    header = header_of(rows, name)
    columns = columns_of_trace(header, name)
    values: list[tuple[float, float, float]] = []
    for row in rows:
        if not row:
            continue
        where = f"{name}, line {rows.line_num}"
        if len(row) != len(header):
            raise _no_row(row, where)
        try:
            point = columns.point(row, values[-1] if values else None)
        except ValueError as error:
            raise _no_row(row, where) from error
        _require_possible(point, where)
        if values and (point[0] < values[-1][0] or point[1] < values[-1][1]):
            falls = "elapsed_s" if point[0] < values[-1][0] else "written_bytes"
            raise BadFileError(f"{falls} falls", where=where, mend="Sort the rows")
        values.append(point)
    found = np.array(values, dtype=np.float64).reshape(-1, 3)
    return Trace(found[:, 0].copy(), found[:, 1].copy(), found[:, 2].copy())


def header_of(rows: Iterator[list[str]], name: str) -> list[str]:
    """Return the first of *rows* as names of columns. Raises BadFileError for too many."""
    header = [column.strip() for column in next(rows, [])]
    if len(header) > MOST_COLUMNS:
        raise BadFileError(
            f"its first line has {len(header):,} columns", where=f"{name}, line 1",
            mend=f"Give a table of at most {MOST_COLUMNS}",
        )  # fmt: skip
    return header


def _no_row(row: list[str], where: str) -> BadFileError:
    return BadFileError(
        f"{','.join(row)[:60]!r} is not a row of three numbers",
        where=where,
        mend="Give seconds, bytes and degrees; degrees may be empty",
    )


def _require_possible(point: tuple[float, float, float], where: str) -> None:
    """Raise BadFileError for what no run has: it would cost any amount of memory later."""
    elapsed_s, written, celsius = point
    for name, value, most in (
        ("elapsed_s", elapsed_s, _MOST_S),
        ("written_bytes", written, _MOST_WRITTEN_BYTES),
    ):
        if not 0 <= value <= most:
            raise BadFileError(
                f"{name} is {value:g}", where=where, mend=f"Give a number from 0 to {most:g}"
            )
    if not math.isnan(celsius) and not _COLDEST_C <= celsius <= _HOTTEST_C:
        raise BadFileError(
            f"temperature_c is {celsius:g}", where=where, mend="Give degrees Celsius, or nothing"
        )


def read_trace(path: Path) -> Trace:
    """Return the trace in the CSV file *path*. Raises BadFileError naming file and line."""
    return parse_trace(read_text(path), path.name)
