"""The menu of the shoot and the keyboard, in the real window; nothing is lost on the way."""

import json

import pytest
from PySide6.QtCore import Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QMessageBox

from vastcellar.ui.stations.match.mend_cards import MendCard


@pytest.fixture
def answers(monkeypatch):
    """What the user answers when asked: set .file, .button; read .told."""

    class Answers:
        file = ""
        button = QMessageBox.StandardButton.Cancel
        told: list[str]

    said = Answers()
    said.told = []
    for name in ("getOpenFileName", "getSaveFileName"):
        monkeypatch.setattr(QFileDialog, name, lambda *_: (str(said.file), ""))

    def answer(box):
        said.told.append(box.informativeText())
        return said.button

    monkeypatch.setattr(QMessageBox, "exec", answer)
    return said


def rename(app, name):
    from dataclasses import replace

    document = app.workbench.document
    document.edit(replace(document.shoot, name=name), "name")


def test_unsaved_edits_are_asked_about_before_another_shoot_takes_their_place(
    app, answers, tmp_path
):
    """No other shoot takes the place of unsaved edits without asking."""
    document = app.workbench.document
    rename(app, "Night tide")
    app.menu.new()  # Cancel: nothing happens
    assert document.shoot.name == "Night tide"
    answers.file, answers.button = tmp_path / "night", QMessageBox.StandardButton.Save
    document.path = None
    app.menu.new()
    assert document.shoot.name == "New shoot"
    saved = tmp_path / "night.shoot.json"
    assert json.loads(saved.read_text())["name"] == "Night tide"
    rename(app, "Throw away")
    answers.file, answers.button = saved, QMessageBox.StandardButton.Discard
    app.menu.ask_open()
    assert document.shoot.name == "Night tide"
    assert not document.is_unsaved


def test_recent_shoots_open_again_and_revert_is_one_step_back(app, qtbot, answers, tmp_path):
    """Recent shoots reopen, and revert is itself undone by one step."""
    document = app.workbench.document
    answers.file = tmp_path / "one.shoot.json"
    assert app.menu.ask_save()
    answers.button = QMessageBox.StandardButton.Discard
    app.menu.new()
    app.menu._recent.aboutToShow.emit()
    first = app.menu._recent.actions()[0]
    assert first.text() == "one.shoot.json"
    first.trigger()
    assert document.shoot.name == "Slipway"
    rename(app, "Changed")
    app.menu.revert()
    assert document.shoot.name == "Slipway"
    document.undo_stack.undo()
    assert document.shoot.name == "Changed"


def test_files_that_cant_be_opened_or_saved_are_told_and_change_nothing(app, answers, tmp_path):
    """Files that can't be read or written are told, and the shoot stays."""
    before = app.workbench.document.shoot
    bad = tmp_path / "bad.shoot.json"
    bad.write_text('{"format": "vast-cellar/shoot", "version": 1}')
    assert not app.menu.open(bad)
    assert "bad.shoot.json" in answers.told[-1]
    answers.file = tmp_path / "no such folder" / "x.shoot.json"
    assert not app.menu.ask_save()
    assert "can't be written" in answers.told[-1]
    app.workbench.document.path = bad
    app.menu.revert()
    assert "bad.shoot.json" in answers.told[-1]
    assert app.workbench.document.shoot == before
    answers.file = ""
    app.menu.ask_open()  # the dialog was closed
    app.menu.ask_pdf()
    app.menu.ask_csv()
    app.menu.ask_parts()
    assert app.workbench.document.shoot == before


def test_mends_and_bays_work_by_keyboard(app, qtbot):
    """Return takes a mend, and the arrow keys lead through the bays."""
    match = app.window.station("match")
    app.workbench.document.choose("A")
    qtbot.waitUntil(lambda: bool(match.findChildren(MendCard)))
    card = match.findChildren(MendCard)[0]
    card.grab()
    QTest.keyClick(card, Qt.Key.Key_Return)
    assert app.workbench.document.shoot.camera("A").setup == card.mend.setup
    cellar = app.window.station("cellar").shelf_page
    qtbot.waitUntil(lambda: bool(cellar.shelf.tags))
    tags = cellar.shelf.tags
    cellar.shelf.choose(tags[0])
    QTest.keyClick(cellar.shelf, Qt.Key.Key_Right)
    assert cellar.shelf.tag == tags[1]
    QTest.keyClick(cellar.shelf, Qt.Key.Key_Down)
    assert tags.index(cellar.shelf.tag) > 2
    for _ in range(len(tags)):
        QTest.keyClick(cellar.shelf, Qt.Key.Key_Left)
    assert cellar.shelf.tag == tags[0]


def test_a_cellar_that_cant_be_opened_ends_with_its_sentence(qtbot, places, answers):
    """A broken cellar ends the start with its sentence."""
    from vastcellar.ui.app import Application
    from vastcellar.ui.look import LIGHT, Look

    places.data.mkdir(parents=True)
    places.cellar_file.write_text("this is no database")
    application = Application(demo=True, places=places, look=Look(LIGHT))
    application.start()
    qtbot.waitUntil(lambda: bool(answers.told))
    assert "cellar.db" in answers.told[0]
    assert places.cellar_file.read_text() == "this is no database"
    application.close()
    application.window.deleteLater()


@pytest.mark.parametrize("takes", [True, False])
def test_a_damaged_cellar_offers_its_backup(qtbot, places, monkeypatch, takes):
    """Taken: the window goes on with it, the damaged bytes beside it. Else nothing changed."""
    from PySide6.QtWidgets import QMessageBox

    from vastcellar.core.parts.units import Unit
    from vastcellar.store.backups import back_up
    from vastcellar.store.cellar import Cellar
    from vastcellar.ui.app import Application
    from vastcellar.ui.look import LIGHT, Look

    own = Cellar(places.cellar_file)
    own.add_unit(Unit("W-01", "torvane-t2-2"))
    own.close()
    back_up(places.cellar_file, "asked")
    damaged = b"eaten by the sea" * 500
    places.cellar_file.write_bytes(damaged)
    said = []

    def answer(box):
        said.append(box.informativeText())
        button = next(b for b in box.buttons() if (b.text() == "Open the backup") == takes)
        monkeypatch.setattr(type(box), "clickedButton", lambda _box: button)

    monkeypatch.setattr(QMessageBox, "exec", answer)
    application = Application(demo=False, places=places, look=Look(LIGHT))
    application.start()
    qtbot.waitUntil(lambda: bool(said))
    assert "is whole" in said[0]
    kept = [each for each in places.data.iterdir() if "damaged" in each.name]
    if takes:
        qtbot.waitUntil(lambda: application.workbench is not None)
        qtbot.waitUntil(lambda: application.workbench.shelf.unit("W-01") is not None)
        assert damaged in [each.read_bytes() for each in kept]
    else:
        assert kept == [] and places.cellar_file.read_bytes() == damaged
        assert not application.window.isVisible()
    application.close()
    application.window.deleteLater()


def test_alt_s_opens_the_shoots_menu_also_after_its_name_has_changed(app, qtbot):
    """A button's own shortcut goes with each new text; this one stays."""
    rename(app, "Slipway, second unit")
    button = app.window.need_bar.shoot_button
    qtbot.waitUntil(lambda: "second unit" in button.text())
    opened = []

    def close():
        popup = QApplication.activePopupWidget()
        opened.append(popup)
        if popup is not None:
            popup.close()

    QTimer.singleShot(300, close)
    qtbot.keyClick(app.window, Qt.Key.Key_S, Qt.KeyboardModifier.AltModifier)
    qtbot.waitUntil(lambda: bool(opened))
    assert opened == [button.menu()]
