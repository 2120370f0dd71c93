"""Somebody's list of units in the window: columns and drives are said, wrong lines too."""

import pytest

from vastcellar.ui.widgets.inputs import Choice

LIST = """\
Asset,Model,Colour,Remarks
RX-1,our fast one,red,loud
RX-2,torvane-t2-2,blue,
"""


@pytest.fixture
def path(tmp_path):
    """A list on the disk."""
    made = tmp_path / "rental.csv"
    made.write_text(LIST, encoding="utf-8")
    return made


def choose(choice, key):
    """Choose *key* as its user does."""
    choice.setCurrentIndex(choice.findData(key))
    choice.activated.emit(choice.currentIndex())


def test_columns_and_drives_are_said_once_and_the_units_stand_on_the_shelf(app, path, qtbot):
    """What is usual is filled in; the strange column and drive are asked; wrong, nothing is taken
    and it is said; said, they are there, and the next list asks nothing."""
    dialog = app.menu.unit_list_dialog(path)
    dialog.show()
    assert {name: c.currentData() for name, c in dialog.columns.items()} == {
        "Asset": "tag", "Model": "drive", "Colour": "?", "Remarks": "note",
    }  # fmt: skip
    assert list(dialog.drives) == ["our fast one"]
    dialog.accept()
    assert dialog.isVisible() and "what 'Colour' means" in dialog.message.text()
    choose(dialog.columns["Colour"], "")
    dialog.accept()
    assert "line 2: the catalog has no drive 'our fast one'" in dialog.message.text()
    assert app.workbench.workplace.shelf().unit("RX-2") is None
    choose(dialog.drives["our fast one"], "torvane-t2-2")
    assert not dialog.grab().isNull()
    dialog.accept()
    assert not dialog.isVisible()
    qtbot.waitUntil(lambda: app.workbench.shelf.unit("RX-1") is not None)
    assert app.workbench.shelf.unit("RX-1").note == "loud"
    assert "2 units of rental.csv" in app.window.job_strip.text.text()
    app.workbench.undo_group.undo()
    qtbot.waitUntil(lambda: app.workbench.shelf.unit("RX-1") is None)
    assert app.workbench.shelf.unit("RX-2") is None and len(app.workbench.shelf.units) == 25
    app.workbench.undo_group.redo()
    qtbot.waitUntil(lambda: app.workbench.shelf.unit("RX-2") is not None)
    path.write_text(LIST.replace("RX-", "RY-"), encoding="utf-8")
    again = app.menu.unit_list_dialog(path)
    assert again.drives == {} and again.columns["Colour"].currentData() == ""
    for each in (dialog, again):
        each.deleteLater()


def test_another_column_for_the_drive_asks_for_its_names(app, path, qtbot):
    """Colour is said to be the drive: its colours are asked for as drives, and Model's aren't."""
    dialog = app.menu.unit_list_dialog(path)
    choose(dialog.columns["Model"], "note")
    assert dialog.drives == {}
    choose(dialog.columns["Colour"], "drive")
    assert list(dialog.drives) == ["red", "blue"]
    assert dialog.findChildren(Choice)
    dialog.deleteLater()


def test_a_file_that_is_no_list_is_said(app, tmp_path, monkeypatch):
    """No dialog, one sentence."""
    told = []
    monkeypatch.setattr(type(app.menu), "_tell", lambda _self, *said: told.append(said))
    bad = tmp_path / "x.csv"
    bad.write_bytes(b"\x00\xff\x00")
    assert app.menu.unit_list_dialog(bad) is None
    assert told and "can't be taken over" in told[0][0]
