"""Every station, tab and dialog at every size: no text cut, nothing over another or outside.

Text at 150 % is the whole window at 1.5: what is left of a screen is two thirds of it.
"""

import pytest
from PySide6.QtCore import QSettings, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialog, QLabel

from fitting import misfits
from vastcellar.ui.look import DARK, LIGHT, TEXT_SETTING, text_percent
from vastcellar.ui.shell.own_drive_dialog import OwnDriveDialog
from vastcellar.ui.stations.shoot.own_codec_dialog import OwnCodecDialog
from vastcellar.ui.stations.station_list import STATIONS
from vastcellar.ui.widgets.cards import label

SIZES = {
    "1280 x 720": (1280, 720),
    "1280 x 800": (1280, 800),
    "1920 x 1080": (1920, 1080),
    "1280 x 720 at 150 %": (853, 480),
    "1280 x 800 at 150 %": (853, 533),
}


def walk(app, qtbot):
    """Yield the name of each view, once it is open and drawn."""
    for entry in STATIONS:
        station = app.window.station(entry.key)
        for tab in getattr(station, "tabs", None) or [None]:
            if tab is not None:
                tab.click()
            qtbot.wait(60)
            app.window.grab()
            yield f"{entry.key} {tab.text() if tab else ''}".strip()


def settles(app, qtbot, view):
    """See that nothing is cut once all has come that is reckoned beside the window."""
    for _ in range(40):
        app.window.grab()
        found = misfits(app.window)
        if not found:
            return
        qtbot.wait(50)
    assert not found, view


def resize(app, qtbot, size):
    """Give the window *size*, and see that it takes it."""
    app.window.resize(*size)
    qtbot.waitUntil(lambda: app.window.size().toTuple() == size)


@pytest.mark.parametrize("size", SIZES.values(), ids=SIZES.keys())
def test_nothing_is_cut_in_the_demo(app, qtbot, size):
    """Four cameras, 24 units, five devices: by day and by night."""
    resize(app, qtbot, size)
    app.workbench.plugged.watch()
    qtbot.waitUntil(lambda: app.workbench.plugged.is_known)
    for palette in (LIGHT, DARK):
        app.look.set_palette(palette)
        for view in walk(app, qtbot):
            settles(app, qtbot, view)
            assert app.window.size().toTuple() == size


@pytest.mark.parametrize("size", SIZES.values(), ids=SIZES.keys())
def test_nothing_is_cut_where_nothing_is_yet(start, qtbot, size):
    """The empty start of a new user."""
    app = start(demo=False)
    resize(app, qtbot, size)
    for view in walk(app, qtbot):
        settles(app, qtbot, view)


@pytest.mark.parametrize("size", [(1280, 720), (853, 480)], ids=["1280 x 720", "at 150 %"])
def test_no_dialog_is_larger_than_the_screen_or_cut(app, qtbot, size):
    """Add a unit, change one, an own drive, an own codec, an own set."""
    resize(app, qtbot, size)
    cellar = app.window.station("cellar").shelf_page
    dialogs = [
        cellar.dialog(),
        cellar.dialog(app.workbench.shelf.units[0]),
        OwnDriveDialog(app.window, app.look.numbers),
        app.window.station("prove").measure.form.dialog(),
        OwnCodecDialog(app.window, app.look.numbers, lambda _codec: None),
    ]
    for dialog in dialogs:
        assert isinstance(dialog, QDialog)
        dialog.show()
        qtbot.wait(60)
        dialog.grab()
        assert not misfits(dialog), dialog.windowTitle()
        assert dialog.width() <= size[0] and dialog.height() <= size[1], dialog.windowTitle()
        dialog.close()


@pytest.mark.parametrize("size", [(1280, 800), (1920, 1080)])
def test_nothing_scrolls_where_there_is_room(app, qtbot, size):
    """On a usual screen each station stands whole, with the sums beside it."""
    resize(app, qtbot, size)
    for view in walk(app, qtbot):
        area = app.window.stage.currentWidget()
        bars = area.horizontalScrollBar(), area.verticalScrollBar()
        assert not any(bar.maximum() for bar in bars), view


def test_the_drawer_folds_by_itself_and_stays_as_somebody_wants_it(app, qtbot):
    """Narrow it goes, wide it comes back; F2 and a click on a figure outrank the width."""
    drawer = app.window.drawer
    resize(app, qtbot, (1280, 800))
    assert drawer.isVisible()
    resize(app, qtbot, (1000, 700))
    assert not drawer.isVisible()
    resize(app, qtbot, (1280, 800))
    assert drawer.isVisible()
    app.window.toggle_drawer()
    resize(app, qtbot, (1400, 800))
    assert not drawer.isVisible()
    app.workbench.sum_asked.emit("need")
    resize(app, qtbot, (1000, 700))
    assert drawer.isVisible()


def test_the_drawer_has_the_sums_of_its_station_and_all_of_each(app, qtbot):
    """Need in Shoot, margin in Match, the chosen unit on the shelf; none of it is shortened."""
    firsts = {"shoot": "Need", "match": "Margin", "cellar": "C-05: room and wear"}
    for key, title in firsts.items():
        app.window.show_station(key)
        qtbot.wait(50)
        app.window.grab()
        views = [view for view in app.window.drawer._views if view.isVisible()]
        assert views[0].accessibleName().startswith(title)
        assert not any(view.cut_texts for view in views)
    app.workbench.sum_asked.emit("guarantee")
    assert app.window.drawer._views[0].accessibleName().startswith("Guaranteed classes")


def test_help_says_what_each_station_answers_with_its_keys(app, qtbot):
    """F1 on every station: its own words, the marks in words too, and nothing cut."""
    for entry in STATIONS:
        app.window.show_station(entry.key)
        QTest.keyClick(app.window, Qt.Key.Key_F1)
        panel = app.window.help_panel
        qtbot.waitUntil(panel.isVisible)
        qtbot.wait(30)
        said = [each.text() for each in panel.findChildren(QLabel)]
        assert entry.title in said and entry.purpose in said
        assert all(f"· {answer}" in said for answer in entry.answers)
        assert all(key in said for key, _ in entry.keys)
        assert any(text.startswith("falls short") for text in said)
        assert not misfits(panel)


def test_every_empty_station_has_its_next_step_to_press(start, qtbot):
    """From nothing: Match leads to Shoot, Cellar to Prove, Shoot to its first camera."""
    app = start(demo=False)
    match = app.window.station("match")
    qtbot.mouseClick(match.next_step.buttons[0], Qt.MouseButton.LeftButton)
    assert app.window.rail.buttons["shoot"].isChecked()
    cellar = app.window.station("cellar").shelf_page
    qtbot.mouseClick(cellar.next_step.buttons[0], Qt.MouseButton.LeftButton)
    assert app.window.rail.buttons["prove"].isChecked()
    prove = app.window.station("prove")
    assert prove.measure.form.target.browse.isVisibleTo(prove)
    assert prove.measure.form.test.kind == "write"
    shoot = app.window.station("shoot")
    shoot.add_camera()
    qtbot.waitUntil(lambda: app.workbench.judgement is not None)
    assert not match.next_step.isVisibleTo(match)


def test_the_size_of_text_is_chosen_in_the_menu_and_kept(app, start, places):
    """150 % stands in the settings for the next start; nonsense there counts as the usual."""
    sizes = {action.text(): action for action in app.menu.text_sizes.actions()}
    assert [text for text, action in sizes.items() if action.isChecked()] == ["100 %"]
    sizes["150 %"].trigger()
    assert "150 % from the next start on" in app.window.job_strip.text.text()
    assert app.window.text_percent == 150
    app.close()
    file = places.config / "window.ini"
    settings = QSettings(str(file), QSettings.Format.IniFormat)
    assert text_percent(settings) == 150
    for wrong in ("900", "-1", "[[[", ""):
        settings.setValue(TEXT_SETTING, wrong)
        assert text_percent(settings) == 100


def test_a_text_that_does_not_fit_is_found(app, qtbot):
    """The walk itself: a label cut in half, and two that lie over each other, are told."""
    one, other = label("A sentence that needs its room"), label("Another")
    for widget in (one, other):
        widget.setParent(app.window.stage)
        widget.setGeometry(10, 10, 40, 20)
        widget.show()
    found = misfits(app.window)
    assert any("A sentence" in line and "needs" in line for line in found)
    assert any("lies over" in line for line in found)
    one.setGeometry(-20, 10, 40, 20)
    assert any("sticks out" in line for line in misfits(app.window))
