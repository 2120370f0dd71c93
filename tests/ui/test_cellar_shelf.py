"""The shelf as a user sees it: look first, find, groups, a unit's history, notes and undo."""

from dataclasses import replace
from datetime import UTC, date, datetime

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QScrollArea

from vastcellar.core.cellar.story import EventKind
from vastcellar.core.evidence import Evidence
from vastcellar.core.parts.units import Unit
from vastcellar.services.cellar.bays import Bay, BayGroup
from vastcellar.store.cellar import Cellar
from vastcellar.store.run_record import RunRecord
from vastcellar.ui.look import LIGHT, Look, style_sheet
from vastcellar.ui.stations.cellar import shelf_view
from vastcellar.ui.stations.cellar.bay_drawing import BAY_HEIGHT_PX
from vastcellar.ui.stations.cellar.happening_dialog import Happening
from vastcellar.ui.stations.cellar.shelf_view import ShelfView
from vastcellar.ui.widgets.inputs import Choice, QuantityField

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def page(two_years, app, qtbot):
    """The shelf of the demo with its two years, once all is worked out."""
    app.window.show_station("cellar")
    page = app.window.station("cellar").shelf_page
    qtbot.waitUntil(lambda: bool(page.look_first.entries))
    return page


def click(qtbot, picture, key):
    """Click the place *key* where it is drawn."""
    picture.grab()
    box = next(box for box, name in picture._places if name == key)
    qtbot.mouseClick(picture, LEFT, pos=box.center().toPoint())


def settled(qtbot, page, tags):
    """Wait until the strip begins with these."""
    qtbot.waitUntil(lambda: [e.title for e in page.look_first.entries][: len(tags)] == tags)


def test_what_is_found_stands_first_and_a_click_opens_its_unit(app, page, qtbot):
    """Numbered by harm, the same number on the bay; the pair of swapped labels is one entry."""
    titles = [each.title for each in page.look_first.entries]
    assert titles[:3] == ["C-07", "M-04", "M-03"] and "P-02, P-03" in titles
    click(qtbot, page.look_first, "M-04")
    assert page.shelf.tag == "M-04" and "stalls, its twins do not" in page.card.found.text().lower()
    bays = {bay.tag: bay for bay in page._desk.shown.bays}
    assert (bays["C-07"].number, bays["M-04"].number, bays["K-06"].number) == (1, 2, 0)
    assert bays["P-02"].number == bays["P-03"].number
    QTest.keyClick(page.look_first, Qt.Key.Key_Right)
    assert page.shelf.tag == "M-03"


def test_a_slow_drive_tells_since_when_and_what_to_do(page, qtbot):
    """K-10: 27 % slower, its runs on the axis, those in another case pale, steps that decide."""
    page.shelf.choose("K-10")
    assert "27 % slower since" in page.card.found.text()
    assert "over 99" in page.card.evidence.text() and "came back" in page.card.evidence.text()
    axis = page.card.history._axis
    assert sum(each.is_like for each in axis.points) == 18
    assert sum(each.is_after for each in axis.points) == 7 and axis.left_out == 3
    assert len(axis.cases) == 2 and any(each.is_away for each in axis.places)
    assert "same test" in page.card.steps.accessibleDescription()
    page.card.history.grab()
    assert any("not compared" in text for _box, text in page.card.history._tips)


def test_looked_after_it_is_quiet_and_undo_brings_it_back(app, page, qtbot):
    """One click, one step of undo; both are there after a restart."""
    page.shelf.choose("C-07")
    qtbot.mouseClick(page.card.looked_button, LEFT)
    settled(qtbot, page, ["M-04"])
    assert not page.card.found.isVisible()
    app.workbench.undo_group.undo()
    settled(qtbot, page, ["C-07", "M-04"])
    app.workbench.undo_group.redo()
    settled(qtbot, page, ["M-04"])


def test_undo_takes_back_what_was_done_last_wherever(app, page, qtbot):
    """A note of the cellar, then an edit of the shoot: undone in the other order."""
    page.card.show_unit("K-06")
    page.card.keep("K-06", Happening(EventKind.PLACE, date.today(), place="the drawer"))
    qtbot.waitUntil(lambda: app.workbench.shelf.story("K-06").place == "the drawer")
    app.workbench.assign("B", "K-06")
    assert app.workbench.document.shoot.camera("B").setup.unit_tag == "K-06"
    app.workbench.undo_group.undo()
    assert app.workbench.document.shoot.camera("B").setup.unit_tag == "K-11"
    app.workbench.undo_group.undo()
    qtbot.waitUntil(lambda: app.workbench.shelf.story("K-06").place == "van")


def test_a_change_of_a_unit_is_undone(app, page, qtbot):
    """Its note is what it was; the story tells neither."""
    before = app.workbench.shelf.unit("K-06")
    app.workbench.units.keep(replace(before, note="loud fan", state="in doubt"), before)
    qtbot.waitUntil(lambda: app.workbench.shelf.unit("K-06").note == "loud fan")
    app.workbench.undo_group.undo()
    qtbot.waitUntil(lambda: app.workbench.shelf.unit("K-06").note == "")
    assert app.workbench.shelf.unit("K-06").state == "ready"


def test_a_slower_unit_says_what_it_still_holds(app, page, qtbot):
    """K-10 at what it writes now, for each camera that it connects to; another unit's sentence
    doesn't stay."""
    page.shelf.choose("K-10")
    qtbot.waitUntil(lambda: "In Slipway it" in page.card.evidence.text())
    assert "B (+" in page.card.evidence.text()
    assert app.workbench.shelf.unit("K-10").slowed is not None
    page.shelf.choose("C-07")
    assert "In Slipway" not in page.card.evidence.text()


def test_adding_a_unit_is_undone_unless_something_is_known_of_it(app, page, qtbot):
    """Undone it never stood there, redone it does; with a run it stays, and it is said why."""
    app.workbench.units.keep(Unit("W-09", "torvane-t2-2"))
    qtbot.waitUntil(lambda: app.workbench.shelf.unit("W-09") is not None)
    app.workbench.undo_group.undo()
    qtbot.waitUntil(lambda: app.workbench.shelf.unit("W-09") is None)
    app.workbench.undo_group.redo()
    qtbot.waitUntil(lambda: app.workbench.shelf.unit("W-09") is not None)
    run = RunRecord("W-09", "write", datetime.now(UTC), True, True, {}, {})
    app.workbench.workplace.cellar.add_run(run, "")
    with qtbot.waitSignal(app.workbench.trouble) as said:
        app.workbench.undo_group.undo()
    assert "something is known of it" in str(said.args[0])
    assert {unit.tag for unit in app.workbench.workplace.cellar.units()} >= {"W-09"}


def test_changes_and_undos_in_one_breath_end_as_the_last_one_says(app, page, qtbot):
    """Twenty changes and undos asked for at once: written in order, none lost, none in between."""
    before = app.workbench.shelf.unit("K-06")
    for number in range(10):
        changed = replace(before, note=f"note {number}")
        app.workbench.units.keep(changed, before)
        if number % 3 == 2:
            app.workbench.undo_group.undo()
            app.workbench.undo_group.redo()
        before = changed
    kept = lambda: {u.tag: u.note for u in app.workbench.workplace.cellar.units()}["K-06"]  # noqa: E731
    qtbot.waitUntil(lambda: kept() == "note 9")
    for _ in range(10):
        app.workbench.undo_group.undo()
    qtbot.waitUntil(lambda: app.workbench.shelf.unit("K-06").note == "" and kept() == "")


def test_lent_by_the_dialog_and_refused_without_a_name(app, page, qtbot):
    """Nobody named: the dialog stays. Named: it stands away, dashed, with whom and until when."""
    page.shelf.choose("K-06")
    dialog = page.card.dialog(EventKind.LENT)
    dialog.show()
    dialog.accept()
    assert dialog.isVisible() and "nobody is named" in dialog.message.text()
    assert app.workbench.shelf.unit("K-06").state == "ready"
    again = page.card.dialog(EventKind.LENT)
    again.show()
    for name, text in (("To", "the museum"), ("Due", "2099-05-04"), ("Note", "with its cable")):
        field = again.findChild(QuantityField, name)
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Return)
    again.accept()
    qtbot.waitUntil(lambda: app.workbench.shelf.unit("K-06").state == "on loan")
    qtbot.waitUntil(lambda: "with the museum until 4 May 2099" in page.card.line.text())
    bay = next(bay for bay in page._desk.shown.bays if bay.tag == "K-06")
    assert bay.is_away and "museum" in bay.where
    wrong = page.card.dialog(EventKind.LENT)
    wrong.show()
    field = wrong.findChild(QuantityField, "Due")
    field.setFocus()
    QTest.keyClicks(field, "next week")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert "is no day" in wrong.message.text()
    for each in (dialog, again, wrong):
        each.deleteLater()


def test_dropped_it_is_found_at_once(app, page, qtbot):
    """The incident is noted by a choice; the unit asks for a proof."""
    page.shelf.choose("K-08")
    dialog = page.card.dialog(EventKind.INCIDENT)
    dialog.findChild(Choice, "What").chosen.emit("dropped")
    dialog.accept()
    qtbot.waitUntil(lambda: "not proved since" in page.card.found.text())
    assert app.workbench.shelf.unit("K-08").doubted_at is not None
    dialog.deleteLater()


FINDS = [
    ("k-1", {"K-10", "K-11", "K-12", "K-13", "K-14"}),
    ("DF10-00417", {"K-07"}),
    ("dashboard", {"K-10"}),
    ("slower than it was", {"K-10"}),
    ("on loan", {"P-01"}),
    ("free 5 TB", {"N-01"}),
    ("free 3.5 TB", {"H-02", "N-01"}),
    ("to look at kelmarsh", {"K-05", "K-10", "P-01", "P-02", "H-02"}),
    ("no such thing", set()),
]


def test_find_as_you_type_in_words(page, qtbot):
    """Tag, serial, note, filters in words and both together; what isn't there is said."""
    for wanted, tags in FINDS:
        page.find_field.setText(wanted)
        assert set(page.shelf.tags) == tags, wanted
        said = page.subtitle.text()
        assert f"{len(tags)} of 25 units" in said
        assert ("nothing is called that" in said) == (not tags)
        page.find_field.clear()
        assert len(page.shelf.tags) == 25


def test_groups_by_what_one_chooses_and_folded_ones_keep_what_is_wrong(page, qtbot):
    """By duty, place, job, state, model; a click on a head folds it, a choice unfolds it."""
    for by, name in (
        ("place", "Van"),
        ("job", "Slipway"),
        ("state", "On loan"),
        ("duty", "Record"),
    ):
        page.grouping.chosen.emit(by)
        assert name.lower() in {group.name.lower() for group in page.shelf._groups}
        assert len(page.shelf.tags) == 25
    head = page.shelf._rows[0]
    group = page.shelf._groups[0]
    qtbot.mouseClick(page.shelf, LEFT, pos=page.shelf.rect().topLeft() + _at(20, head.top + 8))
    assert not set(page.shelf.tags) & {bay.tag for bay in group.bays}
    page.shelf.grab()
    page.shelf.choose(group.bays[-1].tag)
    assert group.bays[-1].tag in page.shelf.tags


def _at(x, y):
    from PySide6.QtCore import QPoint

    return QPoint(int(x), int(y))


def test_keys_lead_to_every_bay(page, qtbot):
    """Home, End, the arrows, page by page; none is out of sight."""
    shelf = page.shelf
    shelf.setFocus()
    QTest.keyClick(shelf, Qt.Key.Key_Home)
    assert shelf.tag == shelf.tags[0]
    QTest.keyClick(shelf, Qt.Key.Key_End)
    assert shelf.tag == shelf.tags[-1]
    seen = page._bays.viewport().rect()
    box = shelf.bay_box(shelf.tag).toRect()
    assert seen.contains(shelf.mapTo(page._bays.viewport(), box.center()))
    QTest.keyClick(shelf, Qt.Key.Key_Up)
    assert shelf.tag != shelf.tags[-1]
    QTest.keyClick(shelf, Qt.Key.Key_PageUp)
    QTest.keyClick(shelf, Qt.Key.Key_PageUp)
    QTest.keyClick(shelf, Qt.Key.Key_PageUp)
    assert shelf.tag == shelf.tags[0]


def test_thousands_of_units_are_drawn_only_where_they_are_seen(start, qtbot, places, monkeypatch):
    """Folded at first, as a skyline; unfolded only those in sight are drawn."""
    own = Cellar(places.cellar_file)
    own.save_units(tuple(
        Unit(f"Q-{number:05}", "torvane-t2-1", used_bytes=number * 3e8,
             written_bytes=5.9e14 if number == 2000 else 0.0)
        for number in range(3_000)
    ))  # fmt: skip
    own.close()
    app = start(demo=False)
    app.window.show_station("cellar")
    page = app.window.station("cellar").shelf_page
    qtbot.waitUntil(lambda: page._desk.shown is not None and len(page._desk.shown.bays) == 3_000)
    assert page.shelf.tags == [] and page.look_first.entries[0].tag == "Q-02000"
    click(qtbot, page.look_first, "Q-02000")
    assert page.shelf.tag == "Q-02000" and len(page.shelf.tags) == 3_000
    drawn = []
    monkeypatch.setattr(
        "vastcellar.ui.stations.cellar.shelf_view.draw_bay",
        lambda _view, _painter, _box, bay, **_more: drawn.append(bay.tag),
    )
    page.shelf.repaint()
    assert "Q-02000" in drawn and len(drawn) < 200
    page.find_field.setText("q-0123")
    assert page.shelf.tags == [f"Q-0123{n}" for n in range(10)]


def test_scrolled_by_a_row_only_what_comes_into_sight_is_drawn(qtbot, monkeypatch):
    """Six rows stand in sight: a notch of the wheel draws the new one and no more than a row
    beside it, in the window's own style; the rest is moved as it is."""
    look, drawn = Look(LIGHT), []
    bays = tuple(
        Bay(f"Q-{n:03}", "nvme", 1.0, 0.5, 0.3, False, (1.0, 0.9), False, Evidence.PROVED, "20 d",
            False, "van", False, 0, 4, "ready", "")
        for n in range(400)
    )  # fmt: skip
    view, area = ShelfView(look), QScrollArea()
    qtbot.addWidget(area)
    area.setStyleSheet(style_sheet(look))
    view._folded["all"] = False
    area.setWidgetResizable(True)
    area.setWidget(view)
    area.resize(860, 6 * BAY_HEIGHT_PX)
    area.show()
    view.show_groups((BayGroup("all", "400 units", bays),))
    qtbot.waitExposed(area)
    QApplication.processEvents()
    plain = shelf_view.draw_bay
    monkeypatch.setattr(shelf_view, "draw_bay", lambda *args, **given: (
        drawn.append(args[3].tag), plain(*args, **given)))  # fmt: skip
    area.verticalScrollBar().setValue(BAY_HEIGHT_PX)
    QApplication.processEvents()
    assert 0 < len(drawn) <= 2 * view._columns
    area.verticalScrollBar().setValue(2 * BAY_HEIGHT_PX)
    QApplication.processEvents()
    moved = area.grab().toImage()
    view.update()
    QApplication.processEvents()
    assert area.grab().toImage() == moved
