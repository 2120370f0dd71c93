"""What a user meets around the path: typing, undoing, saving, going wrong, looking."""

import json
import os
import subprocess
import sys
from itertools import product

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMessageBox

from vastcellar.core.evidence import Verdict
from vastcellar.services.workplace.autosaving import restore_unsaved
from vastcellar.ui.look import DARK, LIGHT
from vastcellar.ui.models.document import AUTOSAVE_AFTER_MS
from vastcellar.ui.stations.match.mend_cards import MendCard
from vastcellar.ui.stations.station_list import STATIONS
from vastcellar.ui.widgets.inputs import QuantityField


def field(station, name):
    return station.findChild(QuantityField, name)


def type_into(widget, text):
    widget.setFocus()
    widget.selectAll()
    QTest.keyClicks(widget, text)
    QTest.keyClick(widget, Qt.Key.Key_Return)


@pytest.mark.parametrize(
    ("name", "typed", "says"),
    [
        ("Longest take", "52", "has no unit"),
        ("Longest take", "0 s", "longest_take_s is 0"),
        ("Medium", "1 tb", "bits or bytes"),
        ("Medium", "-1 TB", "below zero"),
        ("Frame size", "big", "is not a frame size"),
        ("Frame size", "16000 x 90000", "height_px is 90000"),
        ("Frame rate", "0", "frame rate is 0"),
        ("Crest factor", "0.5", "crest is 0.5"),
        ("Ratio", "0:1", "ratio is 0"),
        ("Sound tracks", "2.5", "not whole"),
    ],
)
def test_a_bad_entry_stays_as_typed_with_its_sentence_and_changes_nothing(
    app, qtbot, name, typed, says
):
    """A bad entry stays as typed, with its sentence, and changes nothing."""
    shoot = app.window.station("shoot")
    before = app.workbench.document.shoot
    entry = field(shoot, name)
    shown = entry.text()
    type_into(entry, typed)
    assert says in shoot.form.message.text()
    assert entry.text() == typed
    assert app.workbench.document.shoot == before
    QTest.keyClick(entry, Qt.Key.Key_Escape)
    assert entry.text() == shown
    assert not shoot.form.message.isVisible()


def test_every_edit_can_be_undone_and_done_again(app, qtbot):
    """Undo and redo walk through every state exactly."""
    document, shoot = app.workbench.document, app.window.station("shoot")
    states = [document.shoot]
    type_into(field(shoot, "Longest take"), "1 h")
    states.append(document.shoot)
    shoot.form.format.codec.chosen.emit("vc3")
    states.append(document.shoot)
    shoot.duplicate_camera()
    states.append(document.shoot)
    shoot.remove_camera()
    states.append(document.shoot)
    assert len({id(state) for state in states}) == 5
    for state in reversed(states[:-1]):
        QTest.keyClick(app.window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        assert document.shoot == state
    assert not document.is_unsaved
    for state in states[1:]:
        document.undo_stack.redo()
        assert document.shoot == state


def test_a_new_camera_has_its_need_and_can_be_matched_at_once(app, qtbot):
    """A new camera is judged as soon as it is there."""
    shoot = app.window.station("shoot")
    qtbot.mouseClick(shoot.add_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: shoot.head.title.text() == "E Camera E")
    assert shoot.head.needed.text == "122 MB/s"
    match = app.window.station("match")
    assert "choose what camera E records to" in match.verdict.sentence.text()
    choice = match.chain_page.pickers.drive
    index = next(i for i in range(choice.count()) if choice.itemText(i).startswith("K-07"))
    choice.activated.emit(index)
    qtbot.waitUntil(lambda: "Holds" in match.verdict.sentence.text())


def test_an_edit_is_on_disk_within_two_seconds(app, qtbot, places, catalog):
    """A crash loses nothing that was entered before that."""
    type_into(field(app.window.station("shoot"), "Longest take"), "33 min")
    assert AUTOSAVE_AFTER_MS < 1500  # the rest is for writing it
    qtbot.waitUntil(lambda: any(places.unsaved_folder.glob("*.json")))
    assert restore_unsaved(catalog, places) is None  # its window lives: nobody else's to open
    (kept,) = places.unsaved_folder.glob("*.json")
    content = json.loads(kept.read_text())["shoot"]
    assert content["cameras"][0]["longest_take_s"] == 33 * 60


def test_saving_and_opening(app, qtbot, tmp_path, monkeypatch):
    """What is saved is what is opened, under any name."""
    document, path = app.workbench.document, tmp_path / "mein Dreh ü.shoot.json"
    type_into(field(app.window.station("shoot"), "Shoot"), "Hafen")
    assert app.menu._save_to(path)
    assert not document.is_unsaved
    assert json.loads(path.read_text(encoding="utf-8"))["name"] == "Hafen"
    assert app.window.windowTitle().startswith("Hafen (demo)")
    told = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: told.append(box.informativeText()))
    bad = tmp_path / "bad.shoot.json"
    bad.write_text(path.read_text(encoding="utf-8").replace('"days": 6', '"days": "x"'))
    assert not app.menu.open(bad)
    assert "bad.shoot.json: days" in told[0]
    assert document.shoot.name == "Hafen"
    assert not app.menu._save_to(tmp_path / "no" / "such" / "folder" / "x.shoot.json")
    assert "nothing was changed" in told[1]


def test_two_windows_on_one_file_never_overwrite_each_other(start, qtbot, tmp_path, monkeypatch):
    """The second to save is told, keeps its own under another name, and the first's stands."""
    told = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: told.append(box.informativeText()))
    path, other_path = tmp_path / "day.shoot.json", tmp_path / "mine.shoot.json"
    first = start()
    type_into(field(first.window.station("shoot"), "Shoot"), "From the first")
    assert first.menu._save_to(path)
    second = start(shoot_path=path)
    assert second.workbench.document.shoot.name == "From the first"
    type_into(field(first.window.station("shoot"), "Shoot"), "First, again")
    assert first.menu._save_to(path)
    type_into(field(second.window.station("shoot"), "Shoot"), "From the second")
    assert not second.menu._save_to(path)
    assert "Save as" in told[-1]
    assert json.loads(path.read_text())["name"] == "First, again"
    assert second.workbench.document.is_unsaved
    assert second.menu._save_to(other_path)
    assert json.loads(other_path.read_text())["name"] == "From the second"
    assert json.loads(path.read_text())["name"] == "First, again"


@pytest.mark.parametrize("content", ["[" * 4000, '{"format": "vast-cellar/unsaved"}', "\x00\xff"])
def test_a_damaged_autosave_is_set_aside_and_the_window_opens(start, places, content):
    """An unreadable autosave is put aside and the window opens."""
    places.unsaved_folder.mkdir(parents=True)
    (places.unsaved_folder / "0123456789abcdef.json").write_text(content, encoding="utf-8")
    app = start()
    assert app.workbench.document.shoot.cameras
    (aside,) = places.unsaved_folder.glob("*.damaged")
    assert aside.read_text(encoding="utf-8") == content


def test_a_shoot_that_cant_be_opened_at_the_start_is_told_and_the_window_works(
    start, tmp_path, monkeypatch
):
    """A shoot that can't be opened at the start is told in a working window."""
    told = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: told.append(box.informativeText()))
    path = tmp_path / "x.shoot.json"
    path.write_text("{")
    app = start(demo=False, shoot_path=path)
    assert "x.shoot.json, line 1" in told[0]
    assert app.workbench.document.shoot.cameras == ()


def test_every_station_opens_by_its_key(app, qtbot):
    """Ctrl+1 to Ctrl+7, each with its button down."""
    for number, entry in enumerate(STATIONS, 1):
        QTest.keyClick(
            app.window, getattr(Qt.Key, f"Key_{number}"), Qt.KeyboardModifier.ControlModifier
        )
        qtbot.waitUntil(
            lambda key=entry.key: app.window.open_station is app.window._stations.get(key)
        )
        assert app.window.rail.buttons[entry.key].isChecked()


def test_a_figure_opens_its_sum(app, qtbot):
    """A click on a figure opens the sum that it came from."""
    shoot = app.window.station("shoot")
    app.window.drawer.hide()
    qtbot.mouseClick(shoot.head.medium, Qt.MouseButton.LeftButton)
    assert app.window.drawer.isVisible()
    first = app.window.drawer._views[0]
    assert first.accessibleName().startswith("Take and medium")
    match = app.window.station("match")
    qtbot.waitUntil(
        lambda: match.chain_page.channel.place_at(QPointF(*_stage_centre(match, "cache"))) != ""
    )
    qtbot.mouseClick(
        match.chain_page.channel,
        Qt.MouseButton.LeftButton,
        pos=QPointF(*_stage_centre(match, "cache")).toPoint(),
    )
    assert app.window.drawer._views[0].accessibleName().startswith("Cache full after 23 min 46 s")


def _stage_centre(match, key):
    match.chain_page.channel.grab()  # paints it, so that its places are known
    boxes = [box for box, place in match.chain_page.channel._places if place == key]
    return boxes[0].center().toTuple()


def test_hovering_a_mend_draws_its_ghost_and_changes_nothing(app, qtbot):
    """Hovering a mend draws what would be, and changes nothing."""
    match = app.window.station("match")
    qtbot.waitUntil(lambda: bool(match.findChildren(MendCard)))
    before, plain = app.workbench.document.shoot, match.chain_page.channel.grab().toImage()
    card = match.findChildren(MendCard)[1]
    card.hovered.emit(card.mend)
    assert match.chain_page.channel.grab().toImage() != plain
    card.hovered.emit(None)
    assert match.chain_page.channel.grab().toImage() == plain
    assert app.workbench.document.shoot == before


def test_a_long_camera_list_scrolls_and_an_empty_shoot_says_what_to_do(start, qtbot):
    """44 cameras keep their own keys; an empty shoot says at each station what to do."""
    app = start()
    shoot = app.window.station("shoot")
    for _ in range(40):
        shoot.add_camera()
    qtbot.waitUntil(lambda: len(app.window.need_bar.tabs) == 44)
    assert len({camera.key for camera in app.workbench.document.shoot.cameras}) == 44
    app.menu._document.undo_stack.setClean()
    app.menu.new()
    qtbot.waitUntil(lambda: len(app.window.need_bar.tabs) == 0)
    qtbot.waitUntil(lambda: shoot._pages.currentIndex() == 1)
    match = app.window.station("match")
    assert match.next_step.isVisibleTo(match)
    form = app.window.station("prove").measure.form
    assert form.target.is_folder and "Choose a folder on the drive" in form.plan_line.text()
    form.target.rig_choice.setChecked(True)
    form.plan()
    assert "A real drive needs none" in form.plan_line.text()
    assert not form.start_button.isEnabled()


def test_a_drive_that_doesnt_fit_delivers_nothing_and_says_why(app, qtbot):
    """A drive that doesn't fit shows "Delivers nothing" with the reason."""
    match = app.window.station("match")
    choice = match.chain_page.pickers.enclosure
    index = choice.findData("sedgeway-hollow")
    choice.activated.emit(index)
    qtbot.waitUntil(lambda: match.verdict.sentence.text() == "Delivers nothing")
    assert "tunnel-only device on a plain USB port" in match.reason.text()
    assert app.workbench.judgement.verdict is Verdict.FALLS_SHORT
    assert match.chain_page.channel.grab().width() > 0


def _luminance(color):
    parts = [int(color[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    red, green, blue = (c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4 for c in parts)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


@pytest.mark.parametrize("palette", [LIGHT, DARK], ids=lambda p: p.name)
def test_all_text_can_be_read(palette):
    """WCAG 2 AA: at least 4.5 to 1 for every ink on every ground it stands on."""
    inks = ("ink", "soft", "copper_text", "moss_text", "ochre_text", "brick_text")
    pairs = [*product(inks, ("ground", "panel", "drawer", "chosen"))]
    pairs += [("on_copper", "copper"), ("rail_soft", "rail")]
    for ink, ground in pairs:
        high, low = sorted(
            (_luminance(getattr(palette, ink)), _luminance(getattr(palette, ground))), reverse=True
        )
        assert (high + 0.05) / (low + 0.05) >= 4.5, f"{ink} on {ground}"


def test_the_look_is_remembered_and_every_view_follows(app, qtbot, places):
    """Dark or light is kept and reaches every view."""
    match = app.window.station("match")
    light = match.grab().toImage()
    app.window.set_dark(True)
    assert match.grab().toImage() != light
    color = match.verdict.sentence.styleSheet()
    assert DARK.brick_text.lower() in color.lower()
    app.window._settings.sync()
    assert "dark" in (places.config / "window.ini").read_text()


def test_the_window_opens_on_a_real_screen(tmp_path):
    """The xcb plugin finds all its libraries; the demo comes up under Xvfb and quits by key."""
    screen = subprocess.Popen(
        ["Xvfb", "-displayfd", "1", "-screen", "0", "1400x900x24"],
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
    )
    display = f":{screen.stdout.readline().strip()}"
    environment = {
        **os.environ,
        "DISPLAY": display,
        "HOME": str(tmp_path),
        "QT_QPA_PLATFORM": "xcb",
    }
    for name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME"):
        environment.pop(name, None)
    code = (
        "import sys; sys.argv = ['vast-cellar', '--demo'];"
        "from vastcellar.cli.main import main; main()"
    )
    window = subprocess.Popen([sys.executable, "-c", code], env=environment)
    try:
        find = ["xdotool", "search", "--sync", "--name", "Slipway"]
        found = subprocess.run(find, env=environment, capture_output=True, timeout=30, check=True)
        number = found.stdout.split()[0].decode()
        keys = ["xdotool", "windowfocus", number, "key", "ctrl+q"]
        subprocess.run(keys, env=environment, timeout=30, check=True)
        assert window.wait(timeout=30) == 0
        assert (tmp_path / ".local/share/vast-cellar/demo/cellar.db").exists()
        assert not (tmp_path / ".local/share/vast-cellar/cellar.db").exists()
    finally:
        window.kill()
        window.wait()
        screen.terminate()
        screen.wait()
        screen.stdout.close()
