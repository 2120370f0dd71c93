"""The need sheet and table: one page, the same figures as everywhere, nothing half-written."""

import csv
import io
from dataclasses import replace
from datetime import date

import pytest
from pypdf import PdfReader

from vastcellar.core.errors import BadFileError
from vastcellar.core.shoot.shoot import Shoot
from vastcellar.core.units import PLAIN
from vastcellar.report.need_csv import need_csv
from vastcellar.report.need_sheet import need_sheet_pdf
from vastcellar.services.shoot.planning import planned
from vastcellar.services.workplace.exports import save_bytes


def pages(shoot, catalog, shelf, **kwargs):
    made = need_sheet_pdf(
        planned(shoot, catalog, shelf), PLAIN, made_on=date(2026, 11, 3), **kwargs
    )
    return [page.extract_text() for page in PdfReader(io.BytesIO(made)).pages]


@pytest.mark.parametrize("paper", ["a4", "letter"])
def test_the_demo_fits_on_one_page_with_its_figures(slipway, catalog, shelf, paper):
    """On A4 and Letter the demo's sheet is one page with its worked figures."""
    (text,) = pages(slipway, catalog, shelf, paper=paper)
    for expected in (
        "Slipway: need sheet",
        "287.3 MB/s",
        "VPG400 guarantees it",
        "no card class guarantees it",
        "day 6",
        "6.5 TB on H-01, H-02",
        "are full on day 3",
        "2026-11-03",
    ):
        assert expected in " ".join(text.split()), expected


def test_many_cameras_run_over_onto_further_pages(slipway, catalog, shelf):
    """A long shoot runs over onto pages, and odd names are printed as they are."""
    cameras = tuple(replace(slipway.camera("B"), key=f"B{n}") for n in range(60))
    found = pages(replace(slipway, cameras=cameras, name="Ä & <Öl>"), catalog, shelf)
    assert len(found) > 1
    assert "Ä & <Öl>" in found[0]
    assert "B59" in " ".join(found)


def test_an_empty_shoot_has_a_sheet_too(catalog, shelf):
    """A shoot of nothing prints."""
    (text,) = pages(Shoot("Nothing yet", 1, ()), catalog, shelf)
    assert "Nothing yet" in text


def test_the_table_has_a_row_a_camera_and_a_column_a_day(slipway, catalog, shelf):
    """The table's days add up to its total for each camera."""
    rows = list(csv.DictReader(io.StringIO(need_csv(planned(slipway, catalog, shelf)))))
    assert [row["camera"] for row in rows] == ["A", "B", "C", "D"]
    assert float(rows[0]["needed_write_bytes_per_s"]) == pytest.approx(287.35e6, rel=1e-4)
    days = [float(rows[1][f"day_{day}_bytes"]) for day in range(1, 7)]
    assert sum(days) == pytest.approx(float(rows[1]["bytes_in_all"]), rel=1e-9)


def test_a_sheet_that_cant_be_saved_leaves_the_old_one(tmp_path):
    """A sheet that can't be written leaves the one that was there."""
    old = tmp_path / "sheet.pdf"
    save_bytes(old, b"old")
    with pytest.raises(BadFileError, match="nothing was changed"):
        save_bytes(tmp_path / "missing" / "sheet.pdf", b"new")
    assert old.read_bytes() == b"old"
    assert [path.name for path in tmp_path.iterdir()] == ["sheet.pdf"]
