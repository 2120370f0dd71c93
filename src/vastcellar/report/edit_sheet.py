"""Stores side by side on paper: for whoever pays."""

from __future__ import annotations

from collections.abc import Sequence

from reportlab.lib import colors
from reportlab.platypus import Flowable, Spacer, Table, TableStyle

from vastcellar import __version__
from vastcellar.core.units import NumberFormat
from vastcellar.report.sheet import BOLD, SOFT, plain_paragraph, sheet_pdf, style
from vastcellar.services.edit.edit_planning import PlannedEdit
from vastcellar.services.edit.edit_sums import edit_sums
from vastcellar.services.edit.edit_wording import (
    compare_rows,
    cut_text,
    evidence_line,
    headline,
    help_lines,
    help_title,
    limit_line,
    measured_cut_text,
    months_line,
    rebuild_line,
    store_line,
)
from vastcellar.services.edit.helping import Help


def edit_sheet_pdf(
    title: str,
    edit: PlannedEdit,
    helps: Sequence[Help],
    fmt: NumberFormat,
    *,
    paper: str = "a4",
) -> bytes:
    """Return the stores of *edit*, what would help the chosen one, and its sums, as a PDF."""
    head = f"{title}: storage to edit from"

    def story(width: float) -> list[Flowable]:
        soft = style(9, color=SOFT)
        made: list[Flowable] = [
            plain_paragraph(head, style(17, font=BOLD)),
            plain_paragraph(_known_by(edit), soft),
            Spacer(1, 6),
        ]
        chosen = edit.chosen
        if chosen is not None:
            made += [
                plain_paragraph(f"{chosen.setup.name}: {headline(chosen)}: "
                                f"{chosen.verdict.value}.", style(13, font=BOLD)),
                plain_paragraph(store_line(chosen), style(10)),
                plain_paragraph(limit_line(chosen, fmt), style(10)),
                plain_paragraph(f"{rebuild_line(chosen, fmt)} {months_line(chosen, fmt)}",
                                style(10)),
            ]  # fmt: skip
        if chosen is not None and (played := measured_cut_text(chosen, fmt)):
            made.append(plain_paragraph(f"{played}.", style(10)))
        if edit.cut is not None:
            made.append(plain_paragraph(f"{cut_text(edit.cut, fmt)}.", soft))
        made += [Spacer(1, 8), _compared(edit, fmt, width)]
        if chosen is not None and helps:
            made += [Spacer(1, 8), plain_paragraph("What would help", style(12, font=BOLD))]
            for each in helps:
                told = "; ".join(help_lines(each, chosen, fmt))
                word = "" if each.helps else "Would not help: "
                made.append(plain_paragraph(f"{word}{help_title(each)}: {told}", style(10)))
        if chosen is not None:
            for total in edit_sums(chosen, fmt).values():
                made += [Spacer(1, 6), plain_paragraph(total.title, style(11, font=BOLD))]
                made += [
                    plain_paragraph(
                        f"{line.label}: {line.reckoning + ' = ' if line.reckoning else ''}"
                        f"{line.value}",
                        style(9),
                    )
                    for line in total.lines
                ]
        made += [Spacer(1, 8), plain_paragraph(f"Vast Cellar {__version__}", soft)]
        return made

    return sheet_pdf(head, paper, story)


def _known_by(edit: PlannedEdit) -> str:
    """Return what the sheet's figures rest on: whoever pays must not take a guess for a proof."""
    chosen = edit.chosen
    if chosen is None or (chosen.proof is None and chosen.measured_cut is None):
        return "Computed with typical figures, not measured."
    if chosen.proof is None:
        return "Computed with typical figures; of what was measured only the cut is named."
    return f"Verdict by what was measured ({evidence_line(chosen)}); the rest is computed."


def _compared(edit: PlannedEdit, fmt: NumberFormat, width: float) -> Table:
    """Return the comparison as a table; the best figure of a row in bold."""
    rows: list[list[Flowable]] = [
        [plain_paragraph("", style(9)),
         *(plain_paragraph(each.setup.name, style(10, font=BOLD)) for each in edit.stores)]
    ]  # fmt: skip
    for row in compare_rows(edit, fmt):
        cells = [
            plain_paragraph(text, style(9, font=BOLD) if number in row.best else style(9))
            for number, text in enumerate(row.values)
        ]
        rows.append([plain_paragraph(row.name, style(9, color=SOFT)), *cells])
    first = width * 0.26
    others = (width - first) / max(len(edit.stores), 1)
    table = Table(rows, colWidths=[first, *[others] * len(edit.stores)])
    table.setStyle(
        TableStyle(
            [
                ("LINEBELOW", (0, 0), (-1, -1), 0.4, colors.HexColor("#CFC6B8")),
                ("TOPPADDING", (0, 0), (-1, -1), 2),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 2),
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
            ]
        )
    )
    return table
