"""The whole path in a real window: shoot, match, prove, cellar, quit, start again."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from vastcellar.core.evidence import Evidence, Verdict
from vastcellar.ui.stations.match.mend_cards import MendCard
from vastcellar.ui.widgets.inputs import Choice, QuantityField
from windows import start_in_folder


def field(station, name):
    return station.findChild(QuantityField, name)


def type_into(qtbot, widget, text, key=Qt.Key.Key_Return):
    widget.setFocus()
    widget.selectAll()
    QTest.keyClicks(widget, text)
    QTest.keyClick(widget, key)
    qtbot.wait(5)


def choose(station, name, text):
    """Choose by the words that the user reads."""
    choice = station.findChild(Choice, name)
    index = next(i for i in range(choice.count()) if text in choice.itemText(i))
    choice.setCurrentIndex(index)
    choice.activated.emit(index)


def open_station(app, qtbot, key, name):
    QTest.keyClick(app.window, key, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: type(app.window.open_station).__name__ == name)
    return app.window.open_station


def test_from_the_shoot_to_a_proved_unit_that_is_there_after_a_restart(start, qtbot):
    """The whole way of a newcomer, from first field to a proof after a restart."""
    app = start()
    window = app.window

    # Shoot: camera B is picked, its take is typed in another unit; the need follows at once.
    shoot = app.window.open_station
    qtbot.mouseClick(window.need_bar.tabs[1], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: shoot.head.title.text() == "B Second")
    assert shoot.head.needed.text == "122 MB/s"
    type_into(qtbot, field(shoot, "Frame rate"), "50")
    qtbot.waitUntil(lambda: shoot.head.needed.text == "243.7 MB/s")
    type_into(qtbot, field(shoot, "Longest take"), "0.75 min")
    qtbot.waitUntil(lambda: field(shoot, "Longest take").text() == "45 s")
    assert app.workbench.document.is_unsaved

    # Match: the unit on a charging cable falls short; the cheapest mend is taken by click.
    match = open_station(app, qtbot, Qt.Key.Key_2, "MatchStation")
    assert match.title.text() == "B Second on K-11"
    assert "Holds the whole 45 s take" in match.verdict.sentence.text()
    choose(match, "Cable", "charging")
    qtbot.waitUntil(lambda: "from the first second" in match.verdict.sentence.text())
    assert "The cable carries USB 2 at most" in match.chain_page.link_line.text()
    qtbot.waitUntil(lambda: bool(match.findChildren(MendCard)))
    card = match.findChildren(MendCard)[0]
    assert card.outcome.startswith("holds")
    qtbot.mouseClick(card, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "Holds" in match.verdict.sentence.text())
    choose(match, "Drive", "K-11")
    choose(match, "Enclosure", "Drumlin Flat")
    choose(match, "Cable", "10G 1 m")
    qtbot.waitUntil(lambda: match.title.text() == "B Second on K-11")
    assert app.workbench.judgement.evidence is Evidence.COMPUTED

    # Prove: a simulated rig, watched live, with F5.
    prove = open_station(app, qtbot, Qt.Key.Key_4, "ProveStation").measure
    qtbot.waitUntil(lambda: "nothing is written to a disk" in prove.form.plan_line.text())
    QTest.keyClick(window, Qt.Key.Key_F5)
    qtbot.waitUntil(lambda: app.jobs.is_busy)
    qtbot.waitUntil(lambda: "simulated" in window.job_strip.text.text())
    qtbot.waitUntil(lambda: not app.jobs.is_busy)
    assert prove.results.dropped.text == "0"
    assert "kept as run 1 of K-11" in prove.mode_line.text()
    qtbot.waitUntil(lambda: "Held the whole 45 s take" in prove.verdict.sentence.text())
    assert "proved on a simulated rig" in prove.verdict.evidence.text()
    assert "simulated" in window.need_bar.tabs[1].state_text
    assert "proved" in window.need_bar.tabs[1].state_text
    assert window.rail.buttons["prove"].state == "1 of 4 proved"

    # Cellar: the run stands under its unit.
    cellar = open_station(app, qtbot, Qt.Key.Key_7, "CellarStation").shelf_page
    cellar.shelf.choose("K-11")
    assert cellar.card.runs.rowCount() == 1
    assert cellar.card.runs.index(0, 1).data() == "recorder, simulated"

    # Quit without saving, start again: edits, run and verdict are all there.
    app.close()
    again = start()
    document = again.workbench.document
    assert document.is_unsaved
    assert document.shoot.camera("B").longest_take_s == 45
    document.choose("B")
    qtbot.waitUntil(lambda: again.workbench.judgement.proof is not None)
    assert again.workbench.judgement.verdict is Verdict.HOLDS
    assert "Unsaved changes from last time" in again.window.job_strip.text.text()


def test_a_real_folder_is_tested_from_the_window_and_left_clean(app, qtbot, tmp_path):
    """A recorder test of a real folder from the window leaves it empty."""
    disk = tmp_path / "disk"
    disk.mkdir()
    app.workbench.document.choose("C")
    prove = app.window.station("prove").measure
    prove.form.target.folder_choice.setChecked(True)
    prove.form.target.folder_field.setText(str(disk))
    prove.form.target.folder_field.editingFinished.emit()
    type_into(qtbot, field(prove, "Take"), "1 s")
    qtbot.waitUntil(lambda: "free" in prove.form.plan_line.text())
    assert "18.8 MB paced at 18.8 MB/s" in prove.form.plan_line.text()
    start_in_folder(prove)
    qtbot.waitUntil(lambda: any(disk.iterdir()))
    qtbot.waitUntil(lambda: not app.jobs.is_busy)
    assert app.jobs.current.result.written_bytes == 18_750_000
    assert "simulated" not in prove.mode_line.text()
    assert list(disk.iterdir()) == []
    qtbot.waitUntil(lambda: bool(app.workbench.shelf.proofs))
    (proof,) = app.workbench.shelf.proofs
    assert (proof.unit_tag, proof.is_simulated) == ("S-02", False)


def test_cancel_ends_a_test_and_keeps_it_marked(app, qtbot, tmp_path):
    """A cancelled test is kept and marked as such."""
    app.workbench.document.choose("C")
    prove = app.window.station("prove").measure
    prove.form.target.folder_choice.setChecked(True)
    prove.form.target.folder_field.setText(str(tmp_path))
    prove.form.target.folder_field.editingFinished.emit()
    start_in_folder(prove)
    qtbot.waitUntil(
        lambda: (latest := app.jobs.current.latest) is not None and latest.moved_bytes > 0
    )
    app.window.show_station("cellar")  # it goes on while you look elsewhere
    app.window.activateWindow()
    QTest.keyClick(app.window, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: not app.jobs.is_busy)
    assert app.jobs.current.result.ended_by == "cancelled"
    assert "what was measured is kept" in app.window.job_strip.text.text()
    assert not list(tmp_path.glob("vast-cellar-test-*"))
    qtbot.waitUntil(lambda: bool(app.workbench.shelf.proofs))
    assert not app.workbench.shelf.proofs[0].is_complete


@pytest.mark.parametrize(
    ("folder", "says"),
    [("", "no folder is chosen"), ("/nowhere/at/all", "can't be reached")],
)
def test_a_folder_that_cant_be_used_is_a_sentence_not_a_test(app, qtbot, folder, says):
    """A folder that can't be used is told before a test begins."""
    prove = app.window.station("prove").measure
    prove.form.target.folder_choice.setChecked(True)
    prove.form.target.folder_field.setText(folder)
    qtbot.waitUntil(prove.form.start_button.isEnabled)
    prove.start()
    assert not app.jobs.is_busy
    assert says in prove.form.message.text()


def test_closing_the_window_stops_a_running_test_and_cleans_up(start, qtbot, tmp_path):
    """Closing the window ends a running test and takes its files away."""
    app = start()
    app.workbench.document.choose("C")
    prove = app.window.station("prove").measure
    prove.form.target.folder_choice.setChecked(True)
    prove.form.target.folder_field.setText(str(tmp_path))
    start_in_folder(prove)
    qtbot.waitUntil(lambda: any(tmp_path.glob("vast-cellar-test-*")))
    app.close()
    assert not list(tmp_path.glob("vast-cellar-test-*"))
