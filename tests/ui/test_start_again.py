"""A window that is started again: what the last one showed is there at once, and is the truth."""

import os
import subprocess
import sys
from dataclasses import replace

import pytest
from PySide6.QtWidgets import QMessageBox

from vastcellar.core.parts.units import Unit
from vastcellar.services.workplace.databases import DATABASE_VARIABLE
from vastcellar.services.workplace.last_seen import recall
from vastcellar.store.cellar import Cellar
from vastcellar.store.late_cellar import LateCellar

START = """
import sys
from pathlib import Path
from vastcellar.ui.app import Application, prepare_qt
from vastcellar.services.workplace.folders import Folders

application = prepare_qt(["vast-cellar"])
from PySide6.QtCore import QTimer
app = Application(demo=True, places=Folders(*map(Path, sys.argv[1:4])))

def filled():
    if app.workbench and app.workbench.judgements and app.workbench.shelf.units:
        heavy = ("sqlalchemy", "alembic", "pydantic", "scipy", "av", "opentimelineio")
        print("units", len(app.workbench.shelf.units), "loaded", *(set(heavy) & set(sys.modules)))
        application.quit()
    else:
        QTimer.singleShot(5, filled)

app.start()
QTimer.singleShot(5, filled)
application.exec()
app.close()
"""


@pytest.fixture
def seen_before(start, places, two_years):
    """A demo whose window was open and closed; return its verdicts and units."""
    first = start()
    found = (dict(first.workbench.judgements), first.workbench.shelf.units)
    first.close()
    assert recall(places, demo=True) is not None
    return found


def test_the_second_window_shows_what_the_first_did(start, seen_before):
    """Every verdict and every unit, while the cellar isn't even open."""
    verdicts, units = seen_before
    again = start()
    assert isinstance(again.workbench.workplace.cellar, LateCellar)
    assert again.workbench.shelf.units == units
    assert again.workbench.judgements.keys() == verdicts.keys()
    for key, now in again.workbench.judgements.items():
        before = verdicts[key]
        assert (now.verdict, now.evidence, now.margin) == (
            before.verdict, before.evidence, before.margin)  # fmt: skip


def test_nothing_heavy_is_loaded_until_the_window_stands(places, seen_before):
    """What reads files and databases takes longer to load than all the rest takes."""
    folders = [str(places.data), str(places.state), str(places.config)]
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run(
        [sys.executable, "-c", START, *folders], env=environment, capture_output=True, text=True,
        check=True, timeout=120,
    )  # fmt: skip
    assert done.stdout.split() == ["units", str(len(seen_before[1])), "loaded"]


def test_an_edit_of_somebody_else_appears(start, seen_before, places, qtbot):
    """Between the two windows: it is read. Right after the second has begun: it is seen."""
    other = Cellar(places.cellar_file, is_demo=True)
    other.add_unit(Unit("BETWEEN-1", "torvane-t2-2"))
    other.close()
    again = start()
    assert again.workbench.shelf.unit("BETWEEN-1") is not None
    again.close()
    third = start()
    assert third.workbench.shelf.unit("BETWEEN-1") is not None
    assert isinstance(third.workbench.workplace.cellar, LateCellar)
    other = Cellar(places.cellar_file, is_demo=True)
    other.add_unit(Unit("AFTER-1", "torvane-t2-2"))
    other.close()
    qtbot.waitUntil(lambda: third.workbench.shelf.unit("AFTER-1") is not None)


def test_an_edit_before_the_cellar_is_open_is_kept(start, seen_before, places, qtbot):
    """It waits for the cellar and stands in it; the next window shows it."""
    again = start()
    units = again.workbench.units
    assert not again.workbench.workplace.cellar.is_open
    before = units.shelf.units[0]
    units.keep(replace(before, note="wet since Tuesday"), before)
    qtbot.waitUntil(lambda: units.shelf.unit(before.tag).note == "wet since Tuesday")
    again.close()
    third = start()
    assert third.workbench.shelf.unit(before.tag).note == "wet since Tuesday"


def test_what_is_damaged_behind_the_picture_is_said(start, seen_before, places, qtbot,
                                                    monkeypatch):  # fmt: skip
    """The same size, the same times: it is told once the cellar is asked; the next start doesn't
    show the picture but the offer of the backup."""
    asked = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: asked.append(box.text()))
    status = places.cellar_file.stat()
    with places.cellar_file.open("r+b") as file:
        file.write(b"eaten by the sea")
    os.utime(places.cellar_file, ns=(status.st_atime_ns, status.st_mtime_ns))
    again, told = start(), []
    again.workbench.trouble.connect(lambda error: told.append(str(error)))
    qtbot.waitUntil(lambda: any("damaged" in each for each in told))
    assert recall(places, demo=True) is None


def test_a_shared_cellar_shows_what_was_seen_last_and_then_what_is(
    start, places, server, monkeypatch, qtbot
):
    """What another desk did between two windows comes a moment after the old shelf."""
    address = server.new_database()
    monkeypatch.setenv(DATABASE_VARIABLE, address)
    shared = Cellar(address)
    shared.add_unit(Unit("ALL-1", "torvane-t2-2"))
    first = start(demo=False)
    qtbot.waitUntil(lambda: first.workbench.shelf.unit("ALL-1") is not None)
    qtbot.waitUntil(lambda: first.workbench.units.seen_changes is not None)
    first.close()
    shared.add_unit(Unit("ALL-2", "torvane-t2-2"))
    shared.close()
    again = start(demo=False)
    assert isinstance(again.workbench.workplace.cellar, LateCellar)
    assert again.workbench.shelf.unit("ALL-1") is not None
    qtbot.waitUntil(lambda: again.workbench.shelf.unit("ALL-2") is not None)


def test_with_its_server_away_the_last_shelf_stands_there(
    start, places, server, monkeypatch, qtbot
):
    """Said once; nothing is asked of anybody; read when it is back. The picture is kept."""
    address = server.new_database()
    monkeypatch.setenv(DATABASE_VARIABLE, address)
    shared = Cellar(address)
    shared.add_unit(Unit("ALL-1", "torvane-t2-2"))
    shared.close()
    first = start(demo=False)
    qtbot.waitUntil(lambda: first.workbench.shelf.unit("ALL-1") is not None)
    qtbot.waitUntil(lambda: first.workbench.units.seen_changes is not None)
    first.close()
    server.stop()
    told, back = [], []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: told.append(box.text()))
    again = start(demo=False)
    again.workbench.trouble.connect(lambda error: told.append(str(error)))
    assert again.workbench.shelf.unit("ALL-1") is not None
    again.workbench.units.back.connect(lambda: back.append(1))
    qtbot.waitUntil(lambda: bool(told))
    assert recall(places, demo=False) is not None
    assert again.workbench.units.seen_changes is None  # closed now, it would ask nobody
    server.start()
    qtbot.waitUntil(lambda: bool(back))
    again.workbench.units.keep(Unit("ALL-2", "torvane-t2-2"))
    qtbot.waitUntil(lambda: again.workbench.shelf.unit("ALL-2") is not None)


def test_the_own_file_used_while_the_server_is_away_is_not_taken_for_it(
    start, places, server, monkeypatch, qtbot
):
    """Without it this time: what is seen then is never shown as the server's."""
    own = Cellar(places.cellar_file)
    own.add_unit(Unit("OWN-1", "torvane-t2-2"))
    own.close()
    monkeypatch.setenv(DATABASE_VARIABLE, server.new_database())
    server.stop()

    def without(box):
        button = next(b for b in box.buttons() if b.text() == "Without it this time")
        monkeypatch.setattr(type(box), "clickedButton", lambda _box: button)

    monkeypatch.setattr(QMessageBox, "exec", without)
    app = start(demo=False)
    qtbot.waitUntil(lambda: app.workbench.shelf.unit("OWN-1") is not None)
    app.close()
    server.start()
    assert recall(places, demo=False) is None
