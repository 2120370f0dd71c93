"""Several windows and desks on one cellar: edits of others appear, a server may go and come."""

from dataclasses import replace

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMessageBox

from vastcellar.core.parts.units import Unit
from vastcellar.services.workplace.databases import (
    DATABASE_VARIABLE,
    has_cellar,
    server_address,
    use_file,
    use_server,
)
from vastcellar.store.cellar import Cellar
from vastcellar.ui.app import Application
from vastcellar.ui.look import LIGHT, Look


def test_what_another_window_writes_appears_by_itself(app, places, qtbot):
    """A unit added and one changed elsewhere: on this shelf without anybody asking; and what
    isn't written elsewhere is not read again."""
    units = app.workbench.units
    qtbot.waitUntil(lambda: units._seen_changes is not None)
    reads = []
    units.read.connect(lambda: reads.append(1))
    for _ in range(3):
        units.look()
        qtbot.waitUntil(lambda: not units._is_looking)
    assert reads == []
    elsewhere = Cellar(places.cellar_file)
    elsewhere.add_unit(Unit("W-09", "torvane-t2-2"))
    before = next(unit for unit in elsewhere.units() if unit.tag == "K-06")
    elsewhere.change_unit(before, replace(before, note="loud fan"))
    elsewhere.close()
    qtbot.waitUntil(lambda: app.workbench.shelf.unit("W-09") is not None)
    qtbot.waitUntil(lambda: app.workbench.shelf.unit("K-06").note == "loud fan")


def test_a_server_that_goes_is_said_once_and_all_goes_on_when_it_is_back(
    start, places, server, monkeypatch, qtbot
):
    """Two windows of different desks on one server: an edit here is there. The server stops: one
    sentence, an edit is refused and kept by nobody; back again it says so, and edits go on."""
    monkeypatch.setenv(DATABASE_VARIABLE, server.new_database())
    app, other = start(demo=False), start(demo=False)
    assert not places.cellar_file.exists()
    for each in (app, other):
        qtbot.waitUntil(lambda each=each: each.workbench.units._seen_changes is not None)
    app.workbench.units.keep(Unit("W-01", "torvane-t2-2"))
    qtbot.waitUntil(lambda: other.workbench.shelf.unit("W-01") is not None)
    told, back = [], []
    app.workbench.trouble.disconnect()  # the window would ask for a click
    other.workbench.trouble.disconnect()
    app.workbench.trouble.connect(told.append)
    app.workbench.units.back.connect(lambda: back.append(1))
    server.stop()
    qtbot.waitUntil(lambda: bool(told))
    for _ in range(3):
        app.workbench.units.look()
        qtbot.waitUntil(lambda: not app.workbench.units._is_looking)
    assert len(told) == 1 and "can't be reached" in str(told[0])
    shelf = app.workbench.shelf
    app.workbench.units.keep(replace(shelf.unit("W-01"), note="lost?"), shelf.unit("W-01"))
    qtbot.waitUntil(lambda: len(told) == 2)
    assert "Nothing of this edit was kept" in str(told[1])
    server.start()
    qtbot.waitUntil(lambda: bool(back))
    assert "answers again" in app.window.job_strip.text.text()
    app.workbench.units.keep(replace(shelf.unit("W-01"), note="kept"), shelf.unit("W-01"))
    qtbot.waitUntil(lambda: other.workbench.shelf.unit("W-01").note == "kept")


def test_where_the_cellar_is_is_kept_for_this_user_alone(places, server, monkeypatch):
    """An address that answers is kept, closed to others; the environment counts before it, a demo
    is never on a server, and the file is as it was."""
    address = server.new_database()
    assert not has_cellar(places, demo=False)
    shown = use_server(places, address)
    assert shown.startswith("postgresql://desk@")
    assert server_address(places, demo=False) == address and has_cellar(places, demo=False)
    assert server_address(places, demo=True) == ""
    kept = places.config / "database"
    assert kept.stat().st_mode & 0o077 == 0
    monkeypatch.setenv(DATABASE_VARIABLE, "postgresql://desk@elsewhere/other")
    assert server_address(places, demo=False) == "postgresql://desk@elsewhere/other"
    monkeypatch.delenv(DATABASE_VARIABLE)
    assert use_file(places) == places.cellar_file
    assert server_address(places, demo=False) == "" and not places.cellar_file.exists()


def test_what_is_in_the_way_of_reading_is_said_once_and_read_when_it_is_gone(app, places, qtbot):
    """Somebody spoils the file of own parts while the window is open: one sentence, not one every
    two seconds, and the units are shown all the same; so is what comes after it is mended."""
    units = app.workbench.units
    qtbot.waitUntil(lambda: units._seen_changes is not None)
    app.workbench.trouble.disconnect()
    told = []
    app.workbench.trouble.connect(told.append)
    own = places.catalog_folder / "own.json"
    own.parent.mkdir(parents=True, exist_ok=True)
    own.write_text("[[[[", encoding="utf-8")
    elsewhere = Cellar(places.cellar_file)
    elsewhere.add_unit(Unit("W-09", "torvane-t2-2"))
    elsewhere.close()
    qtbot.waitUntil(lambda: app.workbench.shelf.unit("W-09") is not None)
    for _ in range(3):
        units.reload()
        qtbot.waitUntil(lambda: not units._is_looking and not units._is_reading)
    assert len(told) == 1 and "own.json" in str(told[0])
    own.unlink()
    units.keep(Unit("W-10", "torvane-t2-2"))
    qtbot.waitUntil(lambda: app.workbench.shelf.unit("W-10") is not None)
    assert len(told) == 1


@pytest.mark.parametrize("does_without", [True, False])
def test_a_server_that_is_away_at_the_start_keeps_nobody_from_planning(
    places, server, monkeypatch, qtbot, does_without
):
    """Without it the units of one's own file stand there, and the address is kept; tried again
    when it is back, its own units do."""
    own = Cellar(places.cellar_file)
    own.add_unit(Unit("OWN-1", "torvane-t2-2"))
    own.close()
    address = server.new_database()
    shared = Cellar(address)
    shared.add_unit(Unit("ALL-1", "torvane-t2-2"))
    shared.close()
    monkeypatch.setenv(DATABASE_VARIABLE, address)
    server.stop()
    asked = []

    def answer(box):
        buttons = {button.text(): button for button in box.buttons()}
        asked.append(set(buttons))
        if not does_without:
            server.start()
        wanted = buttons["Without it this time" if does_without else "Try again"]
        monkeypatch.setattr(type(box), "clickedButton", lambda _box: wanted)

    monkeypatch.setattr(QMessageBox, "exec", answer)
    app = Application(demo=False, places=places, look=Look(LIGHT))
    app.start()
    tag = "OWN-1" if does_without else "ALL-1"
    qtbot.waitUntil(lambda: app.workbench is not None)
    qtbot.waitUntil(lambda: app.workbench.shelf.unit(tag) is not None)
    assert asked == [{"Try again", "Without it this time", "Close"}]
    assert len(app.workbench.shelf.units) == 1
    app.close()
    app.window.deleteLater()
    if does_without:
        server.start()
    assert server_address(places, demo=False) == address


def test_the_cellar_is_had_on_a_server_from_the_window(start, places, server, qtbot):
    """The dialog says where it is; an address that answers nobody is refused and nothing kept; one
    that does counts from the next start on, and the file again after that."""
    app = start(demo=False)
    dialog = app.menu.shared_cellar()
    assert str(places.cellar_file) in dialog.where.text()
    assert not dialog.server_button.isEnabled() and not dialog.file_button.isEnabled()
    dialog.address.setText("postgresql://nobody@127.0.0.1:1/none")
    QTest.mouseClick(dialog.server_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: dialog.said.objectName() == "wrong")
    assert server_address(places, demo=False) == "" and dialog.server_button.isEnabled()
    address = server.new_database()
    dialog.address.setText(address)
    QTest.keyClick(dialog.address, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: dialog.said.text().startswith("From the next start"))
    assert server_address(places, demo=False) == address and dialog.file_button.isEnabled()
    app.close()
    again = start(demo=False)
    qtbot.waitUntil(lambda: again.workbench.units._seen_changes is not None)
    assert again.workbench.workplace.cellar.path is None
    other = again.menu.shared_cellar()
    assert other.where.text().startswith("The cellar is on ")
    QTest.mouseClick(other.file_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: str(places.cellar_file) in other.said.text())
    assert server_address(places, demo=False) == ""


def test_a_demo_stays_on_its_computer(app, places, monkeypatch):
    """Nothing can be chosen; where the environment names a server, that is said instead."""
    dialog = app.menu.shared_cellar()
    assert "A demo always" in dialog.said.text()
    assert not dialog.address.isEnabled() and not dialog.server_button.isEnabled()
