"""Units of one's own: added, refused, changed, recorded to, and there after a restart."""

from dataclasses import replace

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel

from vastcellar.core.cellar.story import EventKind
from vastcellar.core.errors import BadValueError
from vastcellar.core.evidence import Verdict
from vastcellar.core.parts.units import Unit
from vastcellar.services.match.matching import find_for
from vastcellar.store.cellar import Cellar
from vastcellar.ui.widgets.inputs import Choice, QuantityField


def type_into(dialog, name, text):
    widget = dialog.findChild(QuantityField, name)
    widget.setFocus()
    widget.selectAll()
    QTest.keyClicks(widget, text)
    QTest.keyClick(widget, Qt.Key.Key_Return)


def test_a_unit_of_ones_own_is_added_to_an_empty_cellar_and_recorded_to(start, qtbot, places):
    """From an empty cellar to a unit of one's own, its slips told in the dialog."""
    app = start(demo=False)
    cellar = app.window.station("cellar").shelf_page
    app.window.show_station("cellar")
    qtbot.waitUntil(lambda: "0 units" in cellar.subtitle.text())
    assert cellar.card.change_button.isHidden() and cellar.card.assign_button.isHidden()
    dialog = cellar.dialog()
    dialog.show()
    type_into(dialog, "Tag", "W-01")
    assert dialog.isVisible()  # Enter ends the entry, not the dialog
    dialog.findChild(Choice, "Drive").chosen.emit("torvane-t2-2")
    cases = dialog.findChild(Choice, "Enclosure")
    assert cases.count() > 3
    cases.chosen.emit(cases.itemData(1))
    type_into(dialog, "In use", "9 TB")
    dialog.accept()
    assert "more is said to be on it than the 2,000 GB" in dialog.message.text()
    type_into(dialog, "In use", "250 GB")
    dialog.accept()
    qtbot.waitUntil(lambda: app.workbench.shelf.unit("W-01") is not None)
    assert cellar.subtitle.text().startswith("1 unit, 0")
    assert cellar.card.title.text().startswith("W-01")
    again = cellar.dialog()
    type_into(again, "Tag", "W-01")
    again.accept()
    assert "there is one of this tag already" in again.message.text()
    change = cellar.dialog(app.workbench.shelf.unit("W-01"))
    change.findChild(Choice, "State").chosen.emit("on loan")
    type_into(change, "Note", "with the second crew")
    change.accept()
    qtbot.waitUntil(lambda: "second crew" in cellar.card.line.text())
    relabel = cellar.dialog(app.workbench.shelf.unit("W-01"))
    type_into(relabel, "Tag", "W-07")
    relabel.accept()
    qtbot.waitUntil(lambda: app.workbench.shelf.unit("W-07") is not None)
    assert app.workbench.shelf.unit("W-01") is None
    app.close()
    kept = Cellar(places.cellar_file)
    (unit,) = kept.units()
    kept.close()
    assert (unit.tag, unit.used_bytes, unit.state) == ("W-07", 250e9, "on loan")
    for each in (dialog, again, change, relabel):
        each.deleteLater()


def test_a_bare_unit_is_recorded_to_in_the_cheapest_case_that_holds(app, qtbot):
    """A bare drive is put into the cheapest case that holds for the camera."""
    app.workbench.units.keep(Unit("W-01", "torvane-t2-2"))
    qtbot.waitUntil(lambda: app.workbench.shelf.unit("W-01") is not None)
    app.workbench.assign("A", "W-01")
    setup = app.workbench.document.shoot.camera("A").setup
    assert setup.unit_tag == "W-01"
    qtbot.waitUntil(lambda: app.workbench.judgements["A"].verdict is Verdict.HOLDS)
    chosen = app.workbench.catalog.enclosure(setup.enclosure_key).price
    found = find_for(
        app.workbench.document.shoot,
        app.workbench.document.shoot.camera("A"),
        [app.workbench.catalog.host("maro-6")],
        app.workbench.catalog,
        app.workbench.shelf,
    ).table
    cheaper = [
        row
        for row in range(len(found))
        if found.unit(row) and found.unit(row).tag == "W-01" and found.holds[row]
    ]
    assert chosen == min(found.enclosure(row).price for row in cheaper)


def test_match_with_nothing_chosen_says_what_to_do_and_draws_no_empty_plot(start, qtbot):
    """With nothing chosen Match says what to do and draws nothing."""
    app = start(demo=False)
    app.window.station("shoot").add_camera()
    page = app.window.station("match").chain_page
    app.window.show_station("match")
    qtbot.waitUntil(lambda: app.workbench.judgement is not None)
    assert page.profile._nothing.isVisible() and not page.profile._rates.isVisible()
    assert page.room.value() == app.workbench.document.shoot.ambient_c
    assert not page.room.isEnabled()
    assert "Choose a drive above" in page._cards.itemAt(0).widget().text()


def test_in_a_cellar_of_ones_own_a_rig_is_a_rehearsal_and_proves_nothing(
    start, qtbot, places, slipway, monkeypatch
):
    """Kept and shown as that; the verdict stays computed. Only a demo takes it for a drive."""
    monkeypatch.setattr(
        "vastcellar.services.proving.planned_kinds.rig_speed", lambda _s: float("inf")
    )
    own = Cellar(places.cellar_file)
    own.add_unit(Unit("M-03", "pentle-q1-1", "drumlin-pocket"))
    own.close()
    app = start(demo=False)
    qtbot.waitUntil(lambda: app.workbench.shelf.unit("M-03") is not None)
    camera = replace(slipway.camera("C"), longest_take_s=60.0)
    camera = replace(camera, setup=replace(slipway.camera("A").setup, unit_tag="M-03"))
    app.workbench.document.edit(replace(slipway, cameras=(camera,)), "one camera")
    app.workbench.document.choose("C")
    qtbot.waitUntil(lambda: bool(app.workbench.judgement and app.workbench.judgement.chain))
    page = app.window.station("prove").measure
    page.form.target.rig_choice.setChecked(True)
    page.form.choose("recorder")
    qtbot.waitUntil(page.form.start_button.isEnabled)
    qtbot.mouseClick(page.form.start_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not app.jobs.is_busy and len(app.workbench.shelf.records) == 1)
    assert "simulated, a rehearsal" in page.mode_line.text()
    qtbot.waitUntil(lambda: "rehearsal" in page.verdict.evidence.text())
    assert app.workbench.judgement.evidence.value == "computed"
    cellar = app.window.station("cellar").shelf_page
    cellar.shelf.tag = "M-03"
    cellar.refresh()
    assert "0 with a test that counts" in cellar.subtitle.text()
    model = cellar.card.table.model()
    row = [model.index(0, column).data() for column in range(model.columnCount())]
    assert "recorder, simulated, a rehearsal" in row
    # One figure of one name: what stands under the test stands on the shelf.
    assert page.results.slowest.text in row


def test_a_new_label_is_followed_by_the_open_shoot_and_undone_with_it(app, qtbot):
    """M-03 gets another tag: camera A records to it under the new one, proofs and all."""
    shelf = app.workbench.shelf
    app.workbench.units.keep(replace(shelf.unit("M-03"), tag="M-30"), shelf.unit("M-03"))
    qtbot.waitUntil(lambda: app.workbench.shelf.unit("M-30") is not None)
    assert app.workbench.document.shoot.camera("A").setup.unit_tag == "M-30"
    qtbot.waitUntil(lambda: app.workbench.judgements["A"].chain.parts.name == "M-30")
    taken = app.workbench.shelf.unit("K-05")
    with pytest.raises(BadValueError, match="one of this tag already"):
        app.workbench.units.keep(replace(taken, tag="M-30"), taken)


def test_an_own_drive_is_described_where_the_unit_is_added(start, qtbot):
    """No invented part has to stand for it: kind, capacity, class and claims, then the shelf."""
    app = start(demo=False)
    cellar = app.window.station("cellar").shelf_page
    app.window.show_station("cellar")
    dialog = cellar.dialog()
    dialog.show()
    assert dialog.value.own is not None
    for name, text in (("Tag", "SSD 7"), ("Name", "Grey brick"), ("Capacity", "4 TB")):
        type_into(dialog, name, text)
    dialog.findChild(Choice, "It is a").chosen.emit("sata")
    classes = dialog.findChild(Choice, "Class")
    names = [classes.itemText(index) for index in range(classes.count())]
    assert names == ["don't know", "SATA SSD, TLC", "SATA SSD, QLC"]
    classes.chosen.emit("sata-qlc")
    type_into(dialog, "Box: writes", "520 MB/s")
    assert classes.currentText() == "SATA SSD, QLC"
    cases = dialog.findChild(Choice, "Enclosure")
    assert cases.count() > 1
    cases.chosen.emit(cases.itemData(1))
    dialog.accept()
    qtbot.waitUntil(lambda: app.workbench.shelf.unit("SSD 7") is not None)
    drive = app.workbench.catalog.drive(app.workbench.shelf.unit("SSD 7").drive_key)
    assert (drive.name, drive.capacity_bytes, drive.medium) == ("Grey brick", 4 * 10**12, "QLC")
    assert drive.writes.cache_write_bytes_per_s == 520e6
    assert cellar.card.title.text().startswith("SSD 7 · Grey brick in ")
    assert "4 TB of 4 TB free" in cellar.card.line.text()
    assert app.workbench.catalog.drives[drive.key] == drive
    dialog.deleteLater()


def test_a_described_drive_of_a_taken_tag_is_not_kept(app, qtbot):
    """K-07 is on the demo's shelf: neither unit nor drive is made, and the entry stays."""
    cellar = app.window.station("cellar").shelf_page
    drives = dict(app.workbench.catalog.drives)
    dialog = cellar.dialog()
    dialog.findChild(Choice, "Drive").chosen.emit("described")
    type_into(dialog, "Tag", "K-07")
    dialog.accept()
    assert "there is one of this tag already" in dialog.message.text()
    assert dict(app.workbench.catalog.drives) == drives
    dialog.findChild(Choice, "Drive").chosen.emit("torvane-t2-2")
    assert dialog.value.own is None
    assert not dialog.findChild(Choice, "Class").isVisibleTo(dialog)
    dialog.deleteLater()


def test_a_label_is_saved_and_its_code_opens_the_record(app, qtbot, tmp_path):
    """As PDF for one unit or all; scanned into the quick sum, the code leads to the unit."""
    cellar = app.window.station("cellar").shelf_page
    cellar.shelf.choose("K-11")
    dialog = cellar.label_dialog()
    type_into(dialog, "Duty", "camera B")
    dialog.findChild(Choice, "File system").chosen.emit("exFAT")
    dialog.findChild(Choice, "Size").chosen.emit("sheet-24")
    one, every = tmp_path / "one.pdf", tmp_path / "all.pdf"
    cellar.save_labels(one, dialog.value)
    dialog.findChild(Choice, "Units").chosen.emit("all")
    cellar.save_labels(every, dialog.value)
    assert one.read_bytes()[:5] == every.read_bytes()[:5] == b"%PDF-"
    assert len(every.read_bytes()) > len(one.read_bytes())
    app.window.show_station("shoot")
    app.window.toggle_quick_sum()
    QTest.keyClicks(app.window.quick_sum.line, "vastcellar:unit/K-07")
    qtbot.waitUntil(app.window.rail.buttons["cellar"].isChecked)
    assert cellar.shelf.tag == "K-07"
    assert not app.window.quick_sum.isVisible()
    app.window.show_unit("no-such")
    assert "No unit on the shelf is called no-such" in app.window.job_strip.text.text()
    cellar.save_labels(tmp_path / "nowhere" / "x.pdf", dialog.value)
    assert "x.pdf" in app.window.job_strip.text.text()
    dialog.deleteLater()


def test_what_the_drive_says_of_its_wear_stands_in_the_dialog(app, qtbot):
    """Plugged in, its own figure is offered and said; of a unit that is away nothing is."""
    cellar = app.workbench.workplace.cellar
    app.window.show()
    app.window.show_station("cellar")
    page = app.window.station("cellar").shelf_page
    qtbot.waitUntil(lambda: app.workbench.plugged.is_known)
    module = next(d for d in app.workbench.plugged.devices if d.device.name == "nvme1n1")
    cellar.add_unit(Unit("T-01", "torvane-s30-2"))
    cellar.bind_unit("T-01", module.device.identity)
    app.workbench.units.reload()
    qtbot.waitUntil(lambda: any(d.unit and d.unit.tag == "T-01"
                                for d in app.workbench.plugged.devices))  # fmt: skip
    qtbot.waitUntil(lambda: "T-01" in {bay.tag for bay in page._desk.shown.bays})
    page.shelf.choose("T-01")
    dialog = page.card.dialog(EventKind.WEAR)
    assert dialog.value.used_share == 0.05
    assert any("says 5 %" in each.text() for each in dialog.findChildren(QLabel))
    page.shelf.choose("K-10")
    assert page.card.dialog(EventKind.WEAR).value.used_share == 0.0
