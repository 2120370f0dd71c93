"""Labels: the code is read back from the printed page, at 24 x 12 mm and on sheets."""

import unicodedata

import pypdfium2
import pytest
import zxingcpp

from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.units import Unit
from vastcellar.core.units import PLAIN
from vastcellar.report.label_sheet import labels_pdf
from vastcellar.services.workplace.labels import (
    LABEL_SIZES,
    code_of,
    label_of,
    label_size,
    tag_in,
)

PRINTER_DPI = 300


def pages(pdf):
    """Return the pages of *pdf* as an office printer would put them on paper."""
    document = pypdfium2.PdfDocument(pdf)
    return [document[n].render(scale=PRINTER_DPI / 72).to_numpy() for n in range(len(document))]


def text_of(pdf):
    """Return what stands on the first page."""
    return pypdfium2.PdfDocument(pdf)[0].get_textpage().get_text_range()


@pytest.mark.parametrize("size", LABEL_SIZES, ids=lambda size: size.key)
def test_codes_are_read_back_at_every_size(size, catalog, shelf):
    """Printed at 300 dots an inch, a common reader gives each unit's tag again, in order."""
    units = shelf.units[:3]
    labels = [
        label_of(unit, catalog, PLAIN, file_system="exFAT", duty="camera A") for unit in units
    ]
    made = pages(labels_pdf(labels, size))
    assert len(made) == (1 if size.on_a_sheet else 3)
    read = [code.text for page in made for code in zxingcpp.read_barcodes(page)]
    assert [tag_in(text) for text in sorted(read)] == sorted(unit.tag for unit in units)
    text = text_of(labels_pdf(labels, size))
    assert units[0].tag in text and "exFAT" in text and "camera A" in text


TAGS = ("K-07", "a/b?c#d %20", "Ärger №5", "Диск-7", "δίσκος", "磁盘七", "ディスク", "디스크 7",
        "قرص", "W" * 40)  # fmt: skip


@pytest.mark.parametrize("tag", TAGS)
def test_tags_of_any_script_are_drawn_and_coded(tag, catalog):
    """No sign stops the page; the code gives the very tag again, whatever it is made of."""
    assert tag_in(code_of(tag)) == tag
    made = labels_pdf([label_of(Unit(tag, "torvane-t2-2"), catalog, PLAIN)], label_size("24x12"))
    (page,) = pages(made)
    (code,) = zxingcpp.read_barcodes(page)
    assert tag_in(code.text) == tag
    # Joined letters are forms of their own, and may stand in the order of their drawing.
    drawn = unicodedata.normalize("NFKC", text_of(made))
    assert set(unicodedata.normalize("NFKC", tag)) <= set(drawn)


def test_a_sheet_begins_where_the_last_one_ended(catalog):
    """65 labels with two places used: 63 on the first sheet, two on the next."""
    units = [Unit(f"N-{number:03d}", "torvane-t2-2") for number in range(65)]
    labels = [label_of(unit, catalog, PLAIN) for unit in units]
    made = pages(labels_pdf(labels, label_size("sheet-65"), skip=2))
    counts = [
        len(zxingcpp.read_barcodes(page, formats=zxingcpp.BarcodeFormat.QRCode)) for page in made
    ]
    assert len(made) == 2 and counts[1] == 2
    first = zxingcpp.read_barcodes(made[0])
    by_place = sorted(first, key=lambda code: (round(code.position.top_left.y, -2),
                                               code.position.top_left.x))  # fmt: skip
    assert tag_in(by_place[0].text) == "N-000"
    width = made[0].shape[1]
    assert by_place[0].position.top_left.x > width * 2 / 5  # two places stay free


def test_what_cannot_be_printed_is_said(catalog, shelf):
    """No unit, a place that the sheet hasn't, a size that nobody knows, a duty of three lines."""
    label = label_of(shelf.units[0], catalog, PLAIN)
    for labels, skip, says in (([], 0, "no unit to label"), ([label], 24, "24 places"),
                               ([label], -1, "-1 places")):  # fmt: skip
        with pytest.raises(BadValueError, match=says):
            labels_pdf(labels, label_size("sheet-24"), skip=skip)
    with pytest.raises(BadValueError, match="no label size is called '9x9'"):
        label_size("9x9")
    for duty in ("a\nb", "x" * 41):
        with pytest.raises(BadValueError, match="the duty has"):
            label_of(shelf.units[0], catalog, PLAIN, duty=duty)
    assert tag_in("K-07") is None and tag_in("") is None
    unknown = label_of(Unit("Q-1", "no-such-drive"), catalog, PLAIN)
    assert unknown.capacity == "" and labels_pdf([unknown], label_size("24x12"))


def test_sheets_lie_on_their_paper():
    """Every place of every sheet within A4: 210 x 297 mm, with no label over another."""
    for size in LABEL_SIZES:
        if size.on_a_sheet:
            assert (size.columns - 1) * size.apart_x_mm + size.width_mm <= 210.01
            assert (size.rows - 1) * size.apart_y_mm + size.height_mm <= 297.01
            assert size.apart_x_mm >= size.width_mm and size.apart_y_mm >= size.height_mm
