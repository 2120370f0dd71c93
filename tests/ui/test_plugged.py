"""Plugged in: devices in the window, measured for themselves, and kept as units, on real disks."""

from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton

from computers import shipped
from disks import loop_disk
from vastcellar.core.protocols.amounts import Amount
from vastcellar.devices.system import System


@pytest.fixture
def empty(start, qtbot):
    """The application as a new user meets it: no shoot, no unit, this very computer."""
    return start(demo=False)


def row_of(app, qtbot, station="prove"):
    """Open *station* and return its row of devices, once it has looked."""
    opened = app.window.station(station)
    qtbot.waitUntil(lambda: app.workbench.plugged.is_known)
    if station == "prove":
        return opened.measure.plugged
    opened.shelf_page.plugged.fold(False)
    return opened.shelf_page.plugged


def card_named(row, title):
    """Return the card of that title, or None."""
    return next((card for card in row.bar.cards if card.title == title), None)


def click_card(row, qtbot, key):
    """Click the card *key*, where it is drawn."""
    row.bar.grab()  # its places are known once it is drawn
    box = next(box for box, each in row.bar._places if each == key)
    qtbot.mouseClick(row.bar, Qt.MouseButton.LeftButton, pos=box.center().toPoint())


@pytest.mark.real_disk
def test_from_an_empty_cellar_three_clicks_measure_and_one_makes_a_unit(empty, qtbot, tmp_path):
    """Rail, device, Prove it; then Keep as a unit. A second run goes under it without a word."""
    app = empty
    with loop_disk(tmp_path, "first") as disk:
        qtbot.mouseClick(app.window.rail.buttons["prove"], Qt.MouseButton.LeftButton)
        row = row_of(app, qtbot)
        qtbot.waitUntil(lambda: card_named(row, "first.img") is not None)
        click_card(row, qtbot, card_named(row, "first.img").key)
        page = app.window.station("prove").measure
        assert page.form.target.folder == disk
        qtbot.waitUntil(lambda: "Writes" in page.form.plan_line.text())
        assert "its rated endurance isn't known" in page.form.plan_line.text()
        assert page.form.asked.size_bytes < 192 * 2**20
        page.form.asked = Amount(20_000_000)
        qtbot.mouseClick(page.form.start_button, Qt.MouseButton.LeftButton)
        qtbot.waitUntil(lambda: page.keep_card.isVisibleTo(page))
        assert not app.workbench.shelf.units
        assert page.keep_card.tag.text() == "D-01"
        assert page.keep_card.classes.itemText(0) == "don't know"
        qtbot.mouseClick(page.keep_card.button, Qt.MouseButton.LeftButton)
        qtbot.waitUntil(lambda: app.workbench.shelf.unit("D-01") is not None)
        # The shelf may be read by the run's own end, before the new unit is announced.
        qtbot.waitUntil(lambda: not page.keep_card.isVisibleTo(page))
        qtbot.waitUntil(lambda: app.workbench.shelf.unit("D-01").device is not None)
        assert "kept as run 1 of D-01" in page.view.mode_line.text()
        qtbot.waitUntil(lambda: card_named(row, "D-01") is not None)
        qtbot.mouseClick(page.form.start_button, Qt.MouseButton.LeftButton)
        qtbot.waitUntil(lambda: len(app.workbench.shelf.records) == 2)
        assert {record.unit_tag for record in app.workbench.shelf.records} == {"D-01"}
        assert [each.name for each in disk.iterdir()] == ["lost+found"]


@pytest.mark.real_disk
def test_a_device_comes_and_goes_while_the_window_is_open(empty, qtbot, tmp_path):
    """A disk that is mounted stands there by itself, and is gone with its choice when it is."""
    app = empty
    row = row_of(app, qtbot, "cellar")
    with loop_disk(tmp_path, "comes"):
        qtbot.waitUntil(lambda: card_named(row, "comes.img") is not None)
        key = card_named(row, "comes.img").key
        click_card(row, qtbot, key)
        assert row.bar.key == key and row.button.isVisibleTo(row)
        prove = app.window.station("prove")
        prove.tabs[1].click()
        row.button.click()
        assert prove.measure.isVisible(), "whatever was compared there before"
        app.window.show_station("cellar")
    qtbot.waitUntil(lambda: card_named(row, "comes.img") is None)
    assert key not in {card.key for card in row.bar.cards}
    assert row.bar.key == "" and not row.button.isVisibleTo(row)


def test_the_computers_own_disk_is_asked_for_twice(empty, qtbot, tmp_path):
    """A click on it measures nothing; the button asks once more, and only then Prove has it."""
    app = empty
    row = row_of(app, qtbot)
    own = next((each for each in app.workbench.plugged.devices if each.device.is_system), None)
    if own is None:
        pytest.skip("lsblk tells of no disk that this computer runs from")
    page = app.window.station("prove").measure
    click_card(row, qtbot, own.device.name)
    assert not page.form.target.has_folder
    assert "runs from it" in row.said.text()
    assert row.button.text() == "Measure it all the same"
    qtbot.mouseClick(row.button, Qt.MouseButton.LeftButton)
    assert not page.form.target.has_folder
    assert row.button.text() == "Yes, measure this computer's own disk"
    qtbot.mouseClick(row.button, Qt.MouseButton.LeftButton)
    assert page.form.target.folder == Path.home()
    assert page.form.measured_for().device is not None
    # Every path lies below its root: another folder is none of what was meant.
    page.form.target.folder_field.setText(str(tmp_path))
    assert page.form.measured_for().device is None


def test_choosing_another_device_forgets_that_the_own_disk_was_meant(empty, qtbot, tmp_path):
    """The first yes counts for what it was said of, and not for what is clicked later."""
    app = empty
    app.workbench.plugged.system = System()
    row = row_of(app, qtbot)
    own = next((each for each in app.workbench.plugged.devices if each.device.is_system), None)
    if own is None:
        pytest.skip("lsblk tells of no disk that this computer runs from")
    row.bar.choose(own.device.name)
    row.button.click()
    row.bar.choose(own.device.name)
    assert row.button.text() == "Measure it all the same"


def test_the_demos_devices_are_drawn_with_their_links_and_never_written_to(app, qtbot):
    """K-07 at 5G of 10G with its suspects in words; what is made up can't be measured."""
    row = row_of(app, qtbot)
    assert app.workbench.plugged.is_made_up
    ssd = card_named(row, "K-07")
    assert (ssd.link, ssd.could, ssd.is_suspect) == ("5G", "10G", True)
    assert ssd.could_bytes_per_s > ssd.link_bytes_per_s
    assert ssd.line == "this unit could do 10G: hub or cable?"
    page = app.window.station("prove").measure
    click_card(row, qtbot, ssd.key)
    assert not page.form.target.has_folder
    assert "made-up computer" in row.said.text()
    assert not row.button.isVisibleTo(row)


def test_every_shipped_computer_is_drawn_by_key_and_arrow(app, qtbot, tmp_path):
    """Arrows walk the cards, the drawing tells all of it in words, and nothing is cut off."""
    names = ("bulk-only", "card-reader", "encrypted", "nas-mount", "pcie-carrier")
    row = row_of(app, qtbot, "cellar")
    for name in names:
        app.workbench.plugged.system = shipped(name, tmp_path / name)
        app.workbench.plugged.look_again()
        old = row.bar.cards
        qtbot.waitUntil(lambda old=old: row.bar.cards != old)
        row.bar.choose(row.bar.cards[0].key)
        for card in row.bar.cards:
            assert row.bar.key == card.key
            assert row.bar.accessibleDescription() == card.whole
            assert card.whole and card.line
            QTest.keyClick(row.bar, Qt.Key.Key_Right)
        assert not row.bar.grab().isNull()


def test_two_hundred_devices_and_hostile_names_stand_in_the_bar(app, qtbot, tmp_path):
    """Names with markup, line feeds and any script are shown as they are; the bar scrolls."""
    import json

    system = shipped("nothing", tmp_path)
    answer = system.path("tools/lsblk.json")
    tree = json.loads(answer.read_text())
    one = {"name": "x", "path": "/dev/x", "type": "disk", "size": 10**12, "children": []}
    tree["blockdevices"] += [
        {**one, "name": f"sd{n}", "path": f"/dev/sd{n}", "model": f"<b>\u0634\n{n}</b>\x1b[2J"}
        for n in range(200)
    ]
    answer.write_text(json.dumps(tree))
    app.workbench.plugged.system = system
    app.workbench.plugged.look_again()
    row = row_of(app, qtbot, "cellar")
    qtbot.waitUntil(lambda: len(row.bar.cards) >= 200)
    titles = [card.title for card in row.bar.cards]
    assert all("\n" not in title and "\x1b" not in title for title in titles)
    assert any(title.startswith("<b>") for title in titles)
    assert row.cards_area.horizontalScrollBar().maximum() > 0
    assert row.button in row.findChildren(QPushButton)
