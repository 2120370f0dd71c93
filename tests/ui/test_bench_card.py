"""The bench card's clock and photos: kept with the step, and what is no photo says so."""

import os
from datetime import UTC, datetime, timedelta

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QImage

from vastcellar.core.build.cooling import TOUCHED_C, cooling_s
from vastcellar.core.build.layout import Layout
from vastcellar.core.errors import BadFileError
from vastcellar.services.build.chosen import Chosen
from vastcellar.services.build.photos import keep_photo, photos_of
from vastcellar.services.build.progress import start_clock, started_clock

LEFT = Qt.MouseButton.LeftButton
BUILD = Chosen("torvane-t2-2", "drumlin-fin")


@pytest.fixture
def bench(app, qtbot):
    """Build on its bench card, of a module in the finned case."""
    app.workbench.document.choose("B")
    app.window.show_station("build")
    station = app.window.station("build")
    qtbot.waitUntil(lambda: station.made is not None)
    station.choose(BUILD)
    qtbot.waitUntil(lambda: station.made.chosen == BUILD)
    station.tabs[2].click()
    return station


def photo(folder, name="hand.jpg", color="teal"):
    """Make a small photo at *folder*."""
    picture = QImage(64, 48, QImage.Format.Format_RGB32)
    picture.fill(QColor(color))
    assert picture.save(str(folder / name))
    return folder / name


def test_cooling_by_hand(catalog):
    """(110 + 12) J/K x 6 K/W = 732 s; from 60 to 43 in 24: x ln(36/19) = 468 s; nothing from 40."""
    layout = Layout(catalog.drive("torvane-t2-2"), catalog.enclosure("drumlin-fin"))
    own = layout.drive.behaviour.heat_capacity_j_per_k
    constant_s = (110 + own) * 6
    assert cooling_s(layout, None) == pytest.approx(constant_s * 0.6391, rel=1e-3)
    assert cooling_s(layout, 40.0) == cooling_s(layout, TOUCHED_C) == 0.0
    assert cooling_s(layout, 70.0, 24.0) > cooling_s(layout, 60.0, 24.0)
    assert cooling_s(layout, 60.0, 45.0) == pytest.approx(5 * constant_s), "no such room cools it"


def test_a_case_that_stays_cool_has_no_clock(bench):
    """Camera B's take warms this case to 33 °C only: there is nothing to wait for."""
    assert bench.made.heat.case_c < TOUCHED_C
    assert "cool" not in {step.key for step in bench.made.steps} and not bench.bench.clocks


def test_a_clock_goes_on_over_a_restart(start, qtbot, places):
    """Started by a click, kept with its end; the next window shows what is left; then it's over."""
    app = start(demo=False)
    station = app.window.station("build")
    qtbot.waitUntil(lambda: station.made is not None)
    station.choose(BUILD)
    qtbot.waitUntil(lambda: station.made.chosen == BUILD)
    clock = station.bench.clocks["cool"]
    assert clock.text().startswith("Start clock: ")
    qtbot.mouseClick(clock, LEFT)
    assert clock.text().endswith(" left") and 0 < clock.left_s <= station.made.steps[-2].wait_s
    ends = started_clock(BUILD, "cool", places)
    assert ends > datetime.now(UTC)
    start_clock(BUILD, "cool", datetime.now(UTC) - timedelta(seconds=1), places)
    station.refresh()
    qtbot.waitUntil(lambda: station.bench.clocks["cool"].text().startswith("Over"))


@pytest.mark.parametrize("kept", ["tomorrow", 7, None, "2026-11-27T10:00:00"])
def test_a_clock_that_is_none_counts_as_not_started(places, kept):
    """A word, a number, a time without its zone in the file: no clock, and no crash."""
    start_clock(BUILD, "cool", datetime.now(UTC), places)
    path = places.state / "builds.json"
    good = started_clock(BUILD, "cool", places).isoformat()
    path.write_text(path.read_text().replace(f'"{good}"', str(kept) if kept == 7 else f'"{kept}"'))
    assert started_clock(BUILD, "cool", places) is None


def test_a_photo_stays_with_its_step(bench, tmp_path, app):
    """The newest stands on the button; the file is a copy: the source may go."""
    first = photo(tmp_path)
    bench.add_photo("open", first)
    bench.add_photo("open", photo(tmp_path, "two.png", "red"))
    places = app.workbench.workplace.folders
    kept = photos_of(BUILD, "open", places)
    assert [path.suffix for path in kept] == [".jpg", ".png"]
    content = kept[0].read_bytes()
    first.unlink()
    assert kept[0].read_bytes() == content
    button = bench.bench.photo_buttons["open"]
    assert not button.icon().isNull() and "2 kept" in button.toolTip()
    assert bench.bench.photo_buttons["ground"].text() == "Photo …"
    assert photos_of(BUILD, "ground", places) == ()


def test_what_is_no_photo_says_so_and_nothing_is_kept(bench, tmp_path, app):
    """A text by the name of a photo, a folder, one that is missing: a sentence each."""
    places = app.workbench.workplace.folders
    text = tmp_path / "hand.jpg"
    text.write_text("{" * 100)
    os.mkfifo(tmp_path / "pipe.png")
    for source, words in ((text, "it is no photo"), (tmp_path, "can't be read"),
                          (tmp_path / "pipe.png", "it is no file"),
                          (tmp_path / "gone.png", "there is no such file")):  # fmt: skip
        bench.add_photo("open", source)
        assert words in bench.message.text()
        with pytest.raises(BadFileError):
            keep_photo(BUILD, "open", source, places)
    assert photos_of(BUILD, "open", places) == ()


def test_a_photo_cut_short_is_shown_as_one_that_cant_be(bench, tmp_path):
    """The head of a JPEG and nothing behind it: kept as it came, and said."""
    cut = tmp_path / "cut.jpg"
    cut.write_bytes(b"\xff\xd8\xff\xe0 and no more")
    bench.add_photo("open", cut)
    assert bench.bench.photo_buttons["open"].text() == "Photo can't be shown"


def test_a_photo_that_the_disk_refuses_leaves_none_half_kept(places, tmp_path):
    """A file where the folder should be: one sentence, nothing written."""
    places.data.mkdir(parents=True, exist_ok=True)
    (places.data / "photos").write_text("in the way")
    with pytest.raises(BadFileError, match="no folder can be made"):
        keep_photo(BUILD, "open", photo(tmp_path), places)
    assert photos_of(BUILD, "open", places) == ()
