"""The log of a day on paper: each card, where its copies lie, whether it may be wiped."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from reportlab.platypus import Flowable, KeepTogether, Spacer

from vastcellar import __version__
from vastcellar.core.units import NumberFormat
from vastcellar.report.sheet import BOLD, SOFT, plain_paragraph, sheet_pdf, style
from vastcellar.services.roll.day_log import KeptCopy, WipeRule, log_lines


def log_sheet_pdf(
    title: str,
    day: date | None,
    kept: Sequence[KeptCopy],
    rule: WipeRule,
    fmt: NumberFormat,
    *,
    paper: str = "a4",
) -> bytes:
    """Return the log of *day*, or of all days, as a PDF."""
    head = f"{title}: cards copied on {day.isoformat()}" if day else f"{title}: cards copied"

    def story(_width: float) -> list[Flowable]:
        files = sum(len(each.outcome.files) for each in kept)
        size = fmt.size(sum(each.outcome.size_bytes for each in kept))
        soft = style(9, color=SOFT)
        made: list[Flowable] = [
            plain_paragraph(head, style(17, font=BOLD)),
            plain_paragraph(f"{len(kept)} cards, {files} files, {size}. “Verified” is what was "
                            "read back past the computer's memory and was the same.", soft),
            Spacer(1, 8),
        ]  # fmt: skip
        for copy in reversed(kept):  # as the day went
            first, *rest = log_lines(copy, rule, fmt)
            made.append(
                KeepTogether(
                    [
                        plain_paragraph(first, style(12, font=BOLD)),
                        *(plain_paragraph(line, style(10)) for line in rest),
                        Spacer(1, 6),
                    ]
                )
            )
        made.append(plain_paragraph(f"Vast Cellar {__version__}", soft))
        return made

    return sheet_pdf(head, paper, story)
