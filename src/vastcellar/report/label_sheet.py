"""Labels of units as PDF: one by one, or sheets of common sizes. Text in any script."""

from __future__ import annotations

import io
from collections.abc import Sequence
from functools import lru_cache

import arabic_reshaper
import segno
from bidi.algorithm import get_display
from reportlab.lib.pagesizes import A4
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.cidfonts import UnicodeCIDFont
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

from vastcellar.core.errors import BadValueError
from vastcellar.data import data_path
from vastcellar.report.sheet import BOLD, PLAIN, register_fonts
from vastcellar.services.workplace.labels import Label, LabelSize

_OTHER = "DejaVuSans"
# East Asian scripts: fonts that every PDF reader brings along, by what they cover.
_ASIAN = ("HeiseiKakuGo-W5", "STSong-Light", "HYGothic-Medium")
_EDGE_SHARE, _MOST_EDGE_MM = 0.075, 2.8
"""Printers leave the rim of a sheet white: larger labels keep off their edge."""
_LEAST_PT, _TEXT_SHARE = 4.6, 0.2
_QUIET_MODULES = 2
"""White round the code, inside its square: the label's own edge adds to it."""


def labels_pdf(labels: Sequence[Label], size: LabelSize, *, skip: int = 0) -> bytes:
    """Return *labels* as PDF, each once, on pages or sheets of *size*.

    Args:
        labels: in their order; on a sheet row by row.
        size: of each.
        skip: places of the first sheet that are used up already.

    Raises BadValueError without a label, or where *skip* is no place on the sheet.
    """
    if not labels:
        raise BadValueError("there is no unit to label", where="labels", mend="Name a unit")
    if not 0 <= skip < max(size.on_a_sheet, 1):
        raise BadValueError(
            f"{skip} places are said to be used, the sheet has {size.on_a_sheet}",
            where="labels",
            mend="Give fewer than there are on a sheet",
        )
    _register()
    out = io.BytesIO()
    page = A4 if size.on_a_sheet else (size.width_mm * mm, size.height_mm * mm)
    canvas = Canvas(out, pagesize=page)
    canvas.setTitle(f"Labels: {', '.join(label.tag for label in labels)}"[:200])
    canvas.setAuthor("Vast Cellar")
    for number, label in enumerate(labels, skip):
        at = number % size.on_a_sheet if size.on_a_sheet else 0
        if at == 0 and number > skip:
            canvas.showPage()
        canvas.saveState()
        canvas.translate(*_corner(size, at))
        _draw(canvas, label, size)
        canvas.restoreState()
    canvas.save()
    return out.getvalue()


def _corner(size: LabelSize, at: int) -> tuple[float, float]:
    """Return the lower left corner of place *at*, in points; sheets are centred on their page."""
    if not size.on_a_sheet:
        return 0.0, 0.0
    row, column = divmod(at, size.columns)
    width = (size.columns - 1) * size.apart_x_mm + size.width_mm
    height = (size.rows - 1) * size.apart_y_mm + size.height_mm
    left, top = (A4[0] / mm - width) / 2, (A4[1] / mm + height) / 2
    x = left + column * size.apart_x_mm
    return x * mm, (top - row * size.apart_y_mm - size.height_mm) * mm


def _draw(canvas: Canvas, label: Label, size: LabelSize) -> None:
    width, height = size.width_mm * mm, size.height_mm * mm
    edge = min(size.height_mm * _EDGE_SHARE, _MOST_EDGE_MM) * mm
    square = height - 2 * edge
    _code(canvas, label.code, width - edge - square, edge, square)
    room = width - square - 3 * edge
    lines = [text for text in (_second(label), label.duty) if text]
    small = max(height * _TEXT_SHARE, _LEAST_PT)
    below = small * 1.15 * len(lines)
    tag_pt = _fitting(label.tag, BOLD, room, height - 2 * edge - below)
    y = height - edge - tag_pt * 0.8
    _text(canvas, edge, y, label.tag, BOLD, tag_pt)
    for number, text in enumerate(reversed(lines)):
        size_pt = max(_fitting(text, PLAIN, room, small), 2.0)
        _text(canvas, edge, edge + number * small * 1.15 + small * 0.15, text, PLAIN, size_pt)


def _second(label: Label) -> str:
    return " · ".join(part for part in (label.capacity, label.file_system) if part)


def _code(canvas: Canvas, text: str, left: float, bottom: float, square: float) -> None:
    """Draw the code as one path of squares: sharp at every size."""
    code = segno.make(text, error="m", micro=False)
    rows = [list(row) for row in code.matrix_iter(border=_QUIET_MODULES)]
    module = square / len(rows)
    path = canvas.beginPath()
    for number, row in enumerate(rows):
        y = bottom + square - (number + 1) * module
        for column, is_dark in enumerate(row):
            if is_dark:
                path.rect(left + column * module, y, module, module)
    canvas.setFillGray(0)
    canvas.drawPath(path, stroke=0, fill=1)


def _fitting(text: str, font: str, room: float, highest: float) -> float:
    """Return the size at which *text* is as wide as the *room*, *highest* at most."""
    width = _width(text, font, 10.0) or 1.0
    return min(10.0 * room / width, highest)


def _width(text: str, font: str, size_pt: float) -> float:
    runs = _runs(text, font)
    return sum(float(pdfmetrics.stringWidth(part, name, size_pt)) for name, part in runs)


def _text(canvas: Canvas, x: float, y: float, text: str, font: str, size_pt: float) -> None:
    for name, part in _runs(text, font):
        canvas.setFont(name, size_pt)
        canvas.drawString(x, y, part)
        x += pdfmetrics.stringWidth(part, name, size_pt)


def _runs(text: str, font: str) -> list[tuple[str, str]]:
    """Return *text* in parts, each with the first font that has all of its characters."""
    runs: list[tuple[str, str]] = []
    for character in _as_drawn(text):
        name = _font_for(character, font)
        if runs and runs[-1][0] == name:
            runs[-1] = name, runs[-1][1] + character
        else:
            runs.append((name, character))
    return runs


@lru_cache(maxsize=256)
def _as_drawn(text: str) -> str:
    """Return *text* in the order in which it is drawn, with letters joined where a script does."""
    return str(get_display(arabic_reshaper.reshape(text)))


@lru_cache(maxsize=4096)
def _font_for(character: str, font: str) -> str:
    number = ord(character)
    if number in pdfmetrics.getFont(font).face.charToGlyph:
        return font
    if number in pdfmetrics.getFont(_OTHER).face.charToGlyph:
        return _OTHER
    if 0xAC00 <= number <= 0xD7AF or 0x1100 <= number <= 0x11FF:  # Hangul
        return _ASIAN[2]
    is_kana = 0x3040 <= number <= 0x30FF
    return _ASIAN[0] if is_kana else _ASIAN[1]


@lru_cache(maxsize=1)
def _register() -> None:
    register_fonts()
    pdfmetrics.registerFont(TTFont(_OTHER, str(data_path("fonts", "DejaVuSans.ttf"))))
    for name in _ASIAN:
        pdfmetrics.registerFont(UnicodeCIDFont(name))
