"""A run to send or to file: the report as PDF, the trace as CSV, everything as JSON."""

from __future__ import annotations

import json
import math
from collections.abc import Sequence
from typing import Any

import numpy as np
from reportlab.graphics.shapes import Drawing, Line, PolyLine, String
from reportlab.platypus import Flowable, Spacer, Table, TableStyle

from vastcellar import __version__
from vastcellar.core.errors import BadValueError
from vastcellar.core.trace import Trace, rates_bytes_per_s
from vastcellar.core.units import NumberFormat
from vastcellar.report.run_told import told
from vastcellar.report.sheet import (
    BOLD,
    BRICK,
    COPPER,
    LINE,
    PLAIN,
    SMALL,
    SOFT,
    WATER,
    plain_paragraph,
    sheet_pdf,
    style,
)
from vastcellar.services.proving.flat_proving import trace_csv_text
from vastcellar.services.proving.keeping import AnyProof
from vastcellar.services.workplace.exports import plain_for_json

_PLOT_PT = 210.0
_LEAST_CLOCK_S = 20.0
_MOST_POINTS = 600


def run_file(suffix: str, title: str, proof: AnyProof, fmt: NumberFormat) -> bytes:
    """Return the run of *proof*, which has ended, as *suffix* says: .pdf, .csv or .json.

    Raises BadValueError for another suffix, and for the trace of a test that has none.
    """
    if suffix == ".csv":
        trace = told(proof, fmt).trace
        if trace is None:
            raise BadValueError(
                "this test has no trace", where="Save run", mend="Save it as .pdf or .json"
            )
        return trace_csv_text(trace).encode()
    if suffix == ".json":
        everything = plain_for_json(_everything(title, proof, fmt))
        return f"{json.dumps(everything, indent=2, ensure_ascii=False)}\n".encode()
    if suffix == ".pdf":
        return run_sheet_pdf(title, proof, fmt)
    raise BadValueError(
        f"{suffix or 'no suffix'} says no kind of file",
        where="Save run",
        mend="Let the name end in .pdf, .csv or .json",
    )


def _everything(title: str, proof: AnyProof, fmt: NumberFormat) -> dict[str, Any]:
    result, found = proof.run.result, told(proof, fmt)
    assert result is not None, "the run must have ended"
    return {
        "format": "vast-cellar/run",
        "version": 1,
        "title": title,
        "is_simulated": proof.is_simulated,
        "is_complete": result.is_complete,
        **found.figures,
        "trace": _columns(found.trace) if found.trace else None,
    }


def _columns(trace: Trace) -> dict[str, list[float]]:
    return {
        "elapsed_s": trace.elapsed_s.tolist(),
        "written_bytes": trace.written_bytes.tolist(),
        "temperature_c": trace.temperature_c.tolist(),
    }


def run_sheet_pdf(title: str, proof: AnyProof, fmt: NumberFormat, *, paper: str = "a4") -> bytes:
    """Return the report of a run that has ended, on one page."""
    return sheet_pdf(title, paper, lambda width: _story(title, proof, fmt, width))


def _story(title: str, proof: AnyProof, fmt: NumberFormat, width: float) -> list[Flowable]:
    result, found = proof.run.result, told(proof, fmt)
    assert result is not None, "the run must have ended"
    soft = style(9.5, font=SMALL, color=SOFT)
    story: list[Flowable] = [plain_paragraph(title, style(19, font=BOLD))]
    if proof.is_simulated:
        story.append(plain_paragraph("Simulated: nothing was written to a disk.", soft))
    if result.ended_by:
        story.append(plain_paragraph(f"Not finished: {result.ended_by}", style(10, color=BRICK)))
    if found.head:
        story.append(plain_paragraph(found.head, style(11.5, font=BOLD)))
    if found.evidence:
        story.append(plain_paragraph(found.evidence, soft))
    story += [plain_paragraph(f"{note[0].upper()}{note[1:]}.", soft) for note in found.notes]
    story.append(Spacer(1, 8))
    if found.trace is not None:
        story += [_plot(found.trace, found.marks_s, width, fmt), Spacer(1, 8)]
    if found.lines:
        story.append(_table(list(found.lines), width))
    story.append(plain_paragraph(f"Vast Cellar {__version__}", soft))
    return story


def _plot(trace: Trace, marks: Sequence[float], width: float, fmt: NumberFormat) -> Drawing:
    """The rate over time; a dashed line where something was found."""
    drawing = Drawing(width, _PLOT_PT)
    step_s = max(0.5, math.ceil(trace.duration_s / _MOST_POINTS))
    middle_s, rate = rates_bytes_per_s(trace, step_s)
    left, bottom = 44.0, 18.0
    high = float(rate.max()) * 1.1 if rate.size else 1.0
    across = (width - left) / max(trace.duration_s, 1e-9)
    up = (_PLOT_PT - bottom - 8) / max(high, 1.0)
    drawing.add(Line(left, bottom, width, bottom, strokeColor=LINE))
    for share in (0.0, 0.5, 1.0):
        y = bottom + share * high * up
        text = fmt.number(share * high / 1e6, 0)
        drawing.add(Line(left, y, width, y, strokeColor=LINE, strokeWidth=0.4))
        drawing.add(String(left - 6, y - 3, text, fontName=PLAIN, fontSize=8, textAnchor="end"))
        seconds = share * trace.duration_s
        at = _time_text(seconds, trace.duration_s, fmt)
        drawing.add(String(left + seconds * across, 4, at, fontName=PLAIN,
                           fontSize=8, textAnchor="end" if share else "start"))  # fmt: skip
    if rate.size > 1:
        points = np.column_stack([left + middle_s * across, bottom + rate * up]).ravel().tolist()
        drawing.add(PolyLine(points, strokeColor=WATER, strokeWidth=1.4))
    for at_s in marks:
        x = left + at_s * across
        drawing.add(Line(x, bottom, x, _PLOT_PT - 8, strokeColor=COPPER, strokeDashArray=[3, 2]))
    drawing.add(String(left + 4, _PLOT_PT - 6, "MB/s over time", fontName=SMALL, fontSize=8))
    return drawing


def _time_text(seconds: float, duration_s: float, fmt: NumberFormat) -> str:
    """A clock counts whole seconds: of a run of a few it would show 0:00 three times."""
    if duration_s >= _LEAST_CLOCK_S:
        return fmt.clock(seconds)
    return f"{fmt.number(seconds, 1)} s"


def _table(lines: list[tuple[str, str]], width: float) -> Table:
    cell = style(9.5)
    rows = [[plain_paragraph(name, cell), plain_paragraph(text, cell)] for name, text in lines]
    table = Table(rows, colWidths=[width * 0.32, width * 0.68])
    table.setStyle(TableStyle([("LINEBELOW", (0, 0), (-1, -1), 0.4, LINE)]))
    return table
