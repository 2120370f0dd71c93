"""The bench card on one page: large enough to read at arm's length, a box to tick for each step."""

from __future__ import annotations

from reportlab.platypus import Flowable, KeepTogether, Spacer, Table, TableStyle

from vastcellar import __version__
from vastcellar.core.units import NumberFormat
from vastcellar.report.sheet import BOLD, BRICK, LINE, SOFT, plain_paragraph, sheet_pdf, style
from vastcellar.services.build.building import Build
from vastcellar.services.build.wording import ALWAYS, CAUTION_WORDS, fit_sentence, step_words

_TEXT_PT = 12.5
_MANY = 12


def bench_sheet_pdf(made: Build, fmt: NumberFormat, *, paper: str = "a4") -> bytes:
    """Return the steps of *made* as a PDF of one page."""
    title = f"{made.layout.drive.name} in {made.layout.enclosure.name}"
    return sheet_pdf(title, paper, lambda width: _story(title, made, fmt, width))


def _story(title: str, made: Build, fmt: NumberFormat, width: float) -> list[Flowable]:
    # Long builds in smaller type, so that one page is enough.
    size = _TEXT_PT if len(made.steps) <= _MANY else _TEXT_PT - 1
    rows = []
    for number, step in enumerate(made.steps, 1):
        words = [plain_paragraph(step_words(step, fmt), style(size))]
        words += [
            plain_paragraph(CAUTION_WORDS[each], style(size - 3, color=BRICK))
            for each in step.cautions
        ]
        mark = f"{number}" if step.can_undo else f"{number} !"
        rows.append(["", plain_paragraph(mark, style(size, font=BOLD)), words])
    table = Table(rows, colWidths=[22, 34, width - 56])
    table.setStyle(
        TableStyle(
            [
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
                ("LINEBELOW", (1, 0), (-1, -1), 0.4, LINE),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 3),
                ("TOPPADDING", (0, 0), (-1, -1), 3),
                *(("BOX", (0, row), (0, row), 0.8, LINE) for row in range(len(rows))),
            ]
        )
    )
    soft = style(9, color=SOFT)
    return [
        plain_paragraph(title, style(17, font=BOLD)),
        plain_paragraph(f"{fit_sentence(made, fmt)}.", soft),
        Spacer(1, 6),
        KeepTogether(table),
        Spacer(1, 6),
        plain_paragraph(f"{ALWAYS} “!” can't be undone. Vast Cellar {__version__}", soft),
    ]
