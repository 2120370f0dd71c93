"""The bill of a build as CSV for a spreadsheet, and as PDF to order by."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence

from reportlab.platypus import Flowable, Spacer, Table, TableStyle

from vastcellar import __version__
from vastcellar.core.csv_cells import safe_row
from vastcellar.core.errors import BadValueError
from vastcellar.core.units import NumberFormat
from vastcellar.report.sheet import BOLD, LINE, SOFT, plain_paragraph, sheet_pdf, style
from vastcellar.services.build.billing import Instead
from vastcellar.services.build.building import Build
from vastcellar.services.build.price_wording import (
    TIER_COLUMNS,
    bill_rows,
    bill_sentence,
    tier_table,
    tiers_sentence,
)
from vastcellar.services.build.tiers import Tiers
from vastcellar.services.build.wording import fit_sentence

_COLUMNS = ("name", "count", "kind", "price", "reused_from", "to_pay", "currency", "delivery_days")


def bill_file(
    suffix: str, made: Build, instead: Sequence[Instead], tiers: Tiers, fmt: NumberFormat,
    currency: str,
) -> bytes:  # fmt: skip
    """Return the bill of *made* as *suffix* says: .csv or .pdf.

    Raises BadValueError for another suffix.
    """
    if suffix == ".csv":
        return bill_csv(made, currency).encode("utf-8")
    if suffix == ".pdf":
        return bill_pdf(made, instead, tiers, fmt, currency)
    raise BadValueError(
        f"{suffix or 'no suffix'} says no kind of file",
        where="Save bill",
        mend="Let the name end in .pdf or .csv",
    )


def bill_csv(made: Build, currency: str) -> str:
    """Return a row for each line; prices are plain numbers."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(_COLUMNS)
    for line in made.bill.lines:
        row = (
            line.name, line.count, line.kind, line.price, line.reused_from, line.to_pay, currency,
            "" if line.delivery_days is None else line.delivery_days,
        )  # fmt: skip
        writer.writerow(safe_row(row))
    return out.getvalue()


def _beside(tiers: Tiers, fmt: NumberFormat, currency: str, width: float) -> list[Flowable]:
    """The build beside what is sold, by capacity; nothing where nothing stands beside it."""
    if not tiers.rows:
        return []
    small = style(8)
    rows = [TIER_COLUMNS, *tier_table(tiers, fmt)]
    table = Table(
        [[plain_paragraph(text, small) for text in row] for row in rows],
        colWidths=[width / len(TIER_COLUMNS)] * len(TIER_COLUMNS),
    )
    table.setStyle(
        TableStyle([
            ("LINEBELOW", (0, 0), (-1, -1), 0.3, LINE),
            ("TOPPADDING", (0, 0), (-1, -1), 1),
            ("BOTTOMPADDING", (0, 0), (-1, -1), 1),
        ])
    )  # fmt: skip
    said = plain_paragraph(tiers_sentence(tiers, fmt, currency), style(10))
    return [Spacer(1, 8), said, Spacer(1, 4), table]


def bill_pdf(
    made: Build, instead: Sequence[Instead], tiers: Tiers, fmt: NumberFormat, currency: str,
    *, paper: str = "a4",
) -> bytes:  # fmt: skip
    """Return the bill on one page."""
    title = f"{made.layout.drive.name} in {made.layout.enclosure.name}"

    def story(width: float) -> list[Flowable]:
        cell = style(10)
        rows = [
            [plain_paragraph(text, cell) for text in row] for row in bill_rows(made, fmt, currency)
        ]
        table = Table(rows, colWidths=[width * 0.58, width * 0.24, width * 0.18])
        table.setStyle(TableStyle([("LINEBELOW", (0, 0), (-1, -1), 0.4, LINE)]))
        soft = style(9, color=SOFT)
        return [
            plain_paragraph(title, style(17, font=BOLD)),
            plain_paragraph(f"{fit_sentence(made, fmt)}.", soft),
            Spacer(1, 8),
            table,
            Spacer(1, 8),
            plain_paragraph(bill_sentence(made, instead, fmt, currency), cell),
            *_beside(tiers, fmt, currency, width),
            plain_paragraph(f"Vast Cellar {__version__}", soft),
        ]

    return sheet_pdf(title, paper, story)
