"""What every PDF sheet shares: paper, the bundled fonts, colours, styles."""

from __future__ import annotations

import io
from collections.abc import Callable
from functools import lru_cache
from xml.sax.saxutils import escape

from reportlab.lib.colors import Color, HexColor
from reportlab.lib.pagesizes import A4, LETTER
from reportlab.lib.styles import ParagraphStyle
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.platypus import Flowable, Paragraph, SimpleDocTemplate

from vastcellar.data import data_path

PAPERS = {"a4": A4, "letter": LETTER}
MARGIN_PT = 40.0
_FRAME_PT = 6.0  # the library pads its frames by so much

INK: Color = HexColor("#22272C")
SOFT: Color = HexColor("#52585E")
LINE: Color = HexColor("#CFC6B8")
COPPER: Color = HexColor("#94470F")
BRICK: Color = HexColor("#9A3629")
WATER: Color = HexColor("#A9BCC6")
STONE: Color = HexColor("#E6E0D5")

PLAIN, BOLD, SMALL = "Barlow", "Barlow-SemiBold", "BarlowSemiCondensed"


@lru_cache(maxsize=1)
def register_fonts() -> None:
    """Make the fonts that ship known to the PDF library; once is enough."""
    for name, file in (
        (PLAIN, "Barlow-Regular.ttf"),
        (BOLD, "Barlow-SemiBold.ttf"),
        (SMALL, "BarlowSemiCondensed-Regular.ttf"),
    ):
        pdfmetrics.registerFont(TTFont(name, str(data_path("fonts", file))))


def style(
    size_pt: float, *, font: str = PLAIN, color: Color = INK, after_pt: float = 2.0
) -> ParagraphStyle:
    """Return a paragraph style in our type."""
    return ParagraphStyle(
        f"{font}-{size_pt}-{color.hexval()}",
        fontName=font,
        fontSize=size_pt,
        leading=size_pt * 1.25,
        textColor=color,
        spaceAfter=after_pt,
    )


def plain_paragraph(text: str, how: ParagraphStyle) -> Paragraph:
    """Return *text* to the letter: what users typed is never markup, links or pictures."""
    return Paragraph(escape(text), how)


def sheet_pdf(title: str, paper: str, story: Callable[[float], list[Flowable]]) -> bytes:
    """Return a PDF of what *story* gives for the width in points that it has.

    *paper* is "a4" or "letter"; a KeyError is a bug of the caller.
    """
    register_fonts()
    out = io.BytesIO()
    document = SimpleDocTemplate(
        out,
        pagesize=PAPERS[paper],
        leftMargin=MARGIN_PT,
        rightMargin=MARGIN_PT,
        topMargin=MARGIN_PT,
        bottomMargin=MARGIN_PT,
        title=title,
        author="Vast Cellar",
    )
    document.build(story(document.width - 2 * _FRAME_PT))
    return out.getvalue()
