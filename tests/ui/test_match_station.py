"""Match in the real window: candidates, compare, computers, conditions, units onto cameras."""

from dataclasses import replace

import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMessageBox

from vastcellar.core.candidates.picks import Pick, RankingPreset
from vastcellar.core.evidence import Verdict
from vastcellar.ui.shell.own_drive_dialog import OwnDriveDialog
from vastcellar.ui.stations.match.hosts_view import cable_words
from vastcellar.ui.widgets.inputs import QuantityField
from vastcellar.ui.widgets.picture import UNIT_MIME

LEFT = Qt.MouseButton.LeftButton


def type_into(widget, text):
    widget.setFocus()
    widget.selectAll()
    QTest.keyClicks(widget, text)
    QTest.keyClick(widget, Qt.Key.Key_Return)


@pytest.fixture
def match(app, qtbot):
    station = app.window.station("match")
    app.workbench.document.choose("A")
    qtbot.waitUntil(lambda: "A Main" in station.title.text())
    return station


@pytest.fixture
def candidates(match, qtbot):
    qtbot.mouseClick(match.tabs[1], LEFT)
    page = match.candidates
    qtbot.waitUntil(lambda: page.found is not None)
    return page


def test_a_candidate_is_chosen_on_the_map_compared_and_taken(app, qtbot, match, candidates):
    """A click on the map chooses, four rows compare, and taking one can be undone."""
    page, table = candidates, candidates.found.table
    assert f"{len(table)} combinations" in page.summary.text()
    assert page.advice.text().startswith("Buy nothing: C-06")
    cheapest = page.found.picks[Pick.CHEAPEST]
    at = page.map.place_of(cheapest).toPoint()
    QTest.mouseClick(page.map, LEFT, pos=at)
    assert table.price[page.map.row] == table.price[cheapest]
    shift = Qt.KeyboardModifier.ShiftModifier
    other = page.found.picks[Pick.BEST_KEPT]
    page.add_to_compare(other)
    assert len(page.compare._rows) == 2
    for row in range(5):
        page.add_to_compare(row)
    assert len(page.compare._rows) == 4  # no more than four
    QTest.mouseClick(page.map, LEFT, shift, page.map.place_of(cheapest).toPoint())
    chosen = page.map.row
    qtbot.mouseClick(page.take_button, LEFT)
    assert app.workbench.document.shoot.camera("A").setup == table.setup(chosen)
    qtbot.waitUntil(lambda: app.workbench.judgement.verdict is table.verdict(chosen))
    app.workbench.document.undo_stack.undo()
    assert app.workbench.document.shoot.camera("A").setup.unit_tag == "M-03"


def test_schools_hosts_and_arrows_lead_through_the_candidates(qtbot, candidates):
    """School, host and arrow keys each lead to rows that they promise."""
    page = candidates
    page.school.chosen.emit(RankingPreset.SEALED.value)
    table = page.found.table
    assert page.map._rows.size < len(table)
    assert all(table.enclosure(row).is_sealed for row in page.map._rows.tolist())
    page.school.chosen.emit(RankingPreset.BY_NEED.value)
    QTest.keyClick(page.map, Qt.Key.Key_Right)
    first = page.map.row
    QTest.keyClick(page.map, Qt.Key.Key_Right)
    assert table.price[page.map.row] > table.price[first]
    assert table.sustained_write[page.map.row] > table.sustained_write[first]
    before = page.found
    page.host.chosen.emit("old-tower")
    qtbot.waitUntil(lambda: page.found is not before)
    hosts = {page.found.table.way_of(row).host.key for row in range(len(page.found.table))}
    assert hosts == {"old-tower"}
    page.map.grab()
    page.compare.grab()


def test_the_conditions_of_the_profile_are_asked_about_not_changed(app, qtbot, match):
    """Room and fill on the profile are questions that leave the shoot as it is."""
    page = match.chain_page
    before = app.workbench.document.shoot
    assert (page.room.value(), page.fill.value()) == (24, 37)
    page.fill.setValue(90)  # 100 GB free: a cache of 34 GB, and no room for the take
    assert page.what_if_line.text().startswith("What if: short")
    page.reset_button.click()
    assert page.what_if_line.text() == ""
    assert page.fill.value() == 37
    page.day_button.click()  # the medium of the longest take, over its day
    assert page.day_button.text() == "its medium's day"
    assert page.profile._judgement.run.duration_s > 2 * 3120
    page.day_button.click()
    assert page.profile._judgement.run.duration_s == 3120
    assert app.workbench.document.shoot == before


def test_computers_stand_side_by_side(app, qtbot, match):
    """Each computer by its own best link, and a slow card named as what holds all back."""
    qtbot.mouseClick(match.tabs[2], LEFT)
    found = {each.host.key: each for each in match.hosts._found}
    assert set(found) == {"van-laptop", "boathouse-desk", "old-tower"}
    assert found["old-tower"].chain.mode.key == "usb-5g"
    assert found["van-laptop"].chain.mode.key == "usb-10g"
    assert found["van-laptop"].copy.limit.name == "the link"
    match.hosts.grab()
    # A card that reads 180 MB/s makes every computer equally slow.
    app.workbench.document.choose("C")
    qtbot.waitUntil(lambda: "C Air" in match.title.text())
    slow = {each.host.key: each for each in match.hosts._found}["van-laptop"]
    assert slow.copy.bytes_per_s == 180e6
    assert "S-02" in slow.copy.limit.name


def drop(widget, tag):
    """Qt lets nobody but its own drag loop send these events: they are handed over."""
    carried = QMimeData()
    carried.setData(UNIT_MIME, tag.encode())
    action, none = Qt.DropAction.CopyAction, Qt.KeyboardModifier.NoModifier
    enter = QDragEnterEvent(QPoint(20, 20), action, carried, LEFT, none)
    widget.dragEnterEvent(enter)
    assert enter.isAccepted()
    widget.dropEvent(QDropEvent(QPointF(20, 20), action, carried, LEFT, none))


def test_a_unit_dropped_on_a_camera_is_assigned_the_best_way(app, qtbot, match):
    """A dropped unit gets the port that holds; what can't connect changes nothing."""
    tabs = app.window.need_bar.tabs
    drop(tabs[0], "K-07")
    setup = app.workbench.document.shoot.camera("A").setup
    assert (setup.unit_tag, setup.host_key, setup.port_key) == ("K-07", "maro-6", "usb-c")
    qtbot.waitUntil(lambda: app.workbench.judgement.verdict is Verdict.HOLDS)
    drop(tabs[2], "K-07")  # an SD camera has no port for it
    assert app.workbench.document.shoot.camera("C").setup.unit_tag == "S-02"
    assert "connects to nothing on Hadrel Kite" in app.window.job_strip.text.text()
    drop(tabs[2], "no such unit")
    assert app.workbench.document.shoot.camera("C").setup.unit_tag == "S-02"


def test_the_cellar_assigns_by_button_too(app, qtbot, match):
    """The button of the cellar assigns the chosen unit to the chosen camera."""
    app.workbench.document.choose("B")
    cellar = app.window.station("cellar").shelf_page
    cellar.shelf.choose("P-02")
    qtbot.waitUntil(lambda: cellar.card.assign_button.text() == "Record B to it")
    qtbot.mouseClick(cellar.card.assign_button, LEFT)
    assert app.workbench.document.shoot.camera("B").setup.unit_tag == "P-02"
    qtbot.waitUntil(lambda: bool(cellar.shelf.tags))
    first = cellar.shelf.tags[0]
    at = cellar.shelf.bay_box(first).center().toPoint()
    QTest.mousePress(cellar.shelf, LEFT, pos=at)
    QTest.mouseRelease(cellar.shelf, LEFT, pos=at)
    assert cellar.shelf.tag == first


def test_a_hub_a_file_system_and_encryption_lie_between(app, qtbot, match):
    """Hub, file system and encryption are folded away until asked for, and then limit."""
    page = match.chain_page
    assert not page.pickers.hub.isVisible()
    qtbot.mouseClick(page.more_button, LEFT)
    assert page.pickers.hub.isVisible()
    page.pickers.hub.chosen.emit("sedgeway-berth-4")
    page.pickers.sharing.chosen.emit("4")
    qtbot.waitUntil(lambda: "Behind Sedgeway Berth" in page.link_line.text())
    assert app.workbench.judgement.chain.bottleneck.key == "hub"
    page.pickers.hub.chosen.emit("")
    page.pickers.encryption.chosen.emit("yes")
    page.pickers.file_system.chosen.emit("exfat")
    qtbot.waitUntil(lambda: app.workbench.judgement.chain.bottleneck.key == "encryption")
    page.channel.grab()


def test_a_drive_of_ones_own_is_known_by_its_box_until_more_is_entered(app, qtbot, match):
    """Known by its box a drive isn't judged; with its lasting rate entered it holds."""
    dialog = OwnDriveDialog(app.window, app.look.numbers, app.menu.keep_drive)
    for name, text in (("Name", "Merle 4 TB"), ("Capacity", "4 TB"), ("Box: writes", "2900 MB/s")):
        type_into(dialog.findChild(QuantityField, name), text)
    type_into(dialog.findChild(QuantityField, "After its cache"), "9 GB/s")
    assert "less than the 9000 MB/s" in dialog.message.text()
    type_into(dialog.findChild(QuantityField, "After its cache"), "not known")
    dialog.accept()
    match.chain_page.pickers.drive.chosen.emit("drive:own-merle-4-tb")
    qtbot.waitUntil(lambda: match.verdict.sentence.text().startswith("Not known: its box"))
    assert "only a proof can say" in match.reason.text()
    assert "claimed" in match.verdict.evidence.text()
    type_into(dialog.findChild(QuantityField, "After its cache"), "800 MB/s")
    dialog.accept()
    qtbot.waitUntil(lambda: match.verdict.sentence.text().startswith("Holds"))
    dialog.deleteLater()


def test_parts_come_from_a_file_or_the_file_is_named(app, qtbot, match, tmp_path, monkeypatch):
    """An imported table's parts are there at once; a bad table is named."""
    good = tmp_path / "parts.csv"
    good.write_text("part,name,rating,price\ncable,Cord,10 Gb/s,4\n")
    app.menu.import_parts(good)
    assert "1 part of parts.csv" in app.window.job_strip.text.text()
    assert "own-cord" in app.workbench.catalog.cables
    bad = tmp_path / "bad.csv"
    bad.write_text("part,name,rating,price\ncable,Cord,10 GB/s,4\n")
    told = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: told.append(box.informativeText()))
    app.menu.import_parts(bad)
    assert "bad.csv, line 2, rating" in told[0]


def test_a_bridge_measured_on_this_port_counts_there_and_after_a_restart(start, qtbot):
    """A measured bridge counts on its port, and still after a restart."""
    app = start()
    match = app.window.station("match")
    app.workbench.assign("A", "K-05")
    qtbot.waitUntil(lambda: "K-05" in match.title.text())
    page = match.chain_page
    qtbot.mouseClick(page.more_button, LEFT)
    type_into(page.measured, "9 GB/s")
    assert "more than 10G carries" in page.measured_note.text()
    type_into(page.measured, "905 MB/s")
    cap = lambda: app.workbench.judgement.chain.link_cap_bytes_per_s  # noqa: E731
    qtbot.waitUntil(lambda: cap() == 905e6)
    assert "stated, not measured here" in page.measured_note.text()
    app.close()
    again = start()
    again.workbench.document.choose("A")
    qtbot.waitUntil(lambda: again.workbench.judgement.chain.link_cap_bytes_per_s == 905e6)
    page = again.window.station("match").chain_page
    page.more_button.click()
    type_into(page.measured, "typical")
    qtbot.waitUntil(lambda: again.workbench.judgement.chain.link_cap_bytes_per_s == 1000e6)


def test_computers_name_the_cable_that_is_missing(match, app, qtbot):
    """A 40G case on the 10G cable one has: the row says which cable would carry how much."""
    camera = app.workbench.subject
    setup = replace(
        camera.setup, unit_tag="", drive_key="kelmarsh-vane-4", enclosure_key="sedgeway-hull",
        host_key="van-laptop", port_key="bolt-1", cable_key="wr-10g",
    )  # fmt: skip
    app.workbench.document.edit_camera(replace(camera, setup=setup), "A 40G case")
    qtbot.mouseClick(match.tabs[2], LEFT)
    qtbot.waitUntil(lambda: any(each.setup == setup for each in match.hosts._found))
    rows = {each.host.key: each for each in match.hosts._found}
    words = cable_words(rows["van-laptop"], app.look.numbers)
    assert words.startswith("a cable is what is missing: Wickham & Rudd 40G")
    assert "at first" in words
    match.hosts.grab()
    qtbot.waitUntil(lambda: "The link delivers" in match.reason.text())
    locked = replace(setup, is_encrypted=True)
    app.workbench.document.edit_camera(replace(app.workbench.subject, setup=locked), "Encrypted")
    qtbot.waitUntil(lambda: match.reason.text().startswith("Encryption leaves"))
