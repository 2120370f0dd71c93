"""Packing and the calendar as a user sees them: sets, booking, ticks, clashes, all undone again."""

from datetime import date, timedelta

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from vastcellar.core.cellar.jobs import Job
from vastcellar.core.cellar.packing import Goal
from vastcellar.core.errors import BadValueError
from vastcellar.ui.stations.cellar.packing_page import _IN, _OUT, _PIECE
from vastcellar.ui.widgets.inputs import QuantityField

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def cellar(two_years, app, qtbot):
    """The station of the demo with its two years, once all is worked out."""
    app.window.show_station("cellar")
    cellar = app.window.station("cellar")
    qtbot.waitUntil(lambda: cellar.desk.shown is not None and bool(cellar.desk.shown.bays))
    return cellar


@pytest.fixture
def page(cellar, qtbot):
    """The packing page with its sets."""
    cellar.tabs[1].setChecked(True)
    qtbot.waitUntil(lambda: cellar.packing_desk.packing is not None)
    return cellar.packing_page


def piece(page, tag):
    """Return the line of a piece in the list."""
    items = (page.list.topLevelItem(n) for n in range(page.list.topLevelItemCount()))
    return next(item for item in items if item.text(_PIECE) == tag)


def test_the_job_of_the_open_shoot_is_packed_for_and_what_is_short_is_said(page, qtbot):
    """Its own bookings don't keep it out, another job's do; the copies don't fit the shelf."""
    assert page.desk.job_name == "Slipway"
    assert "Falls short of Working copy and Safety copy" in page.verdict.sentence.text()
    assert "no lighter set exists" in page.verdict.evidence.text()
    assert "H-01 booked for Lightship Winter" in page.stays.text()
    assert page.needs.minimumHeight() > 200
    page.grab()
    assert not page.needs.cut_texts and not page.cards.cut_texts and not page.case.cut_texts


def test_with_money_all_is_held_and_another_set_is_chosen_by_key(page, qtbot):
    """2 500 are enough: tight; the safest holds with reserve; arrows lead through the sets."""
    page.spend.setFocus()
    page.spend.selectAll()
    QTest.keyClicks(page.spend, "2500")
    QTest.keyClick(page.spend, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: "Holds every need" in page.verdict.sentence.text())
    page.cards.setFocus()
    for _ in range(3):
        QTest.keyClick(page.cards, Qt.Key.Key_Right)
    assert page.desk.goal is Goal.SAFEST and "tight" not in page.verdict.sentence.text()
    page.grab()
    assert not page.needs.cut_texts and not page.cards.cut_texts


def test_a_unit_chosen_anywhere_is_chosen_everywhere(page, qtbot):
    """In the bars, in the case, in the list."""
    page.needs.grab()
    box, tag = next((box, key) for box, key in page.needs._places if key != page.tag)
    qtbot.mouseClick(page.needs, LEFT, pos=box.center().toPoint())
    assert page.tag == tag == page.case.tag == page.needs.tag
    assert page.list.currentItem().text(_PIECE) == tag
    page.case.grab()
    box, other = next((box, key) for box, key in page.case._places if key != tag)
    qtbot.mouseClick(page.case, LEFT, pos=box.center().toPoint())
    assert page.tag == other


def test_booked_ticked_out_and_in_and_all_of_it_undone(app, page, qtbot):
    """The set becomes the job's bookings; a tick is a step of undo; in before out is refused."""
    planned = lambda: page.desk.desk.shown.planned  # noqa: E731
    before = planned().of("Slipway")
    qtbot.mouseClick(page.book_button, LEFT)
    packed = set(page.desk.packing.tags)
    qtbot.waitUntil(lambda: {each.unit_tag for each in planned().of("Slipway")} == packed)
    tag = next(iter(sorted(packed)))
    qtbot.waitUntil(lambda: piece(page, tag).checkState(_OUT) is Qt.CheckState.Unchecked)
    piece(page, tag).setCheckState(_IN, Qt.CheckState.Checked)
    # Its own call is over before anything is filled anew: the line still stands when it returns.
    assert piece(page, tag).checkState(_IN) is Qt.CheckState.Checked
    qtbot.waitUntil(lambda: "it never went out" in app.window.job_strip.text.text())

    def booking():
        return next(each for each in planned().of("Slipway") if each.unit_tag == tag)

    qtbot.waitUntil(lambda: piece(page, tag).checkState(_IN) is Qt.CheckState.Unchecked)
    piece(page, tag).setCheckState(_OUT, Qt.CheckState.Checked)
    qtbot.waitUntil(lambda: booking().is_out)
    app.workbench.undo_group.undo()
    qtbot.waitUntil(lambda: not booking().is_out)
    app.workbench.undo_group.undo()
    qtbot.waitUntil(lambda: planned().of("Slipway") == before)


def test_the_calendar_names_clashes_and_its_jobs_come_and_go(app, cellar, qtbot):
    """One unit for two jobs, said once; a job added, moved, removed, and undone each."""
    cellar.tabs[2].setChecked(True)
    page = cellar.calendar_page
    assert page.clashes.text().count("H-01") == 1 and "Lightship Winter" in page.clashes.text()
    rows = [row.name for row in page.view._rows]
    assert rows[:2] == ["Slipway", "Lightship Winter"] and rows[2] == "H-01"
    first = date.today() + timedelta(days=30)
    page.keep(None, Job("Regatta", first, first + timedelta(days=2)))
    qtbot.waitUntil(lambda: "Regatta" in [row.name for row in page.view._rows])
    assert "3 days" in page.line.text()
    with pytest.raises(BadValueError, match="a job of this name"):
        page.keep(None, Job("Regatta", first, first))
    app.workbench.undo_group.undo()
    qtbot.waitUntil(lambda: "Regatta" not in [row.name for row in page.view._rows])
    page.choose("Slipway")
    qtbot.mouseClick(page.remove_button, LEFT)
    qtbot.waitUntil(lambda: "Slipway" not in [row.name for row in page.view._rows])
    assert "None" in page.clashes.text()
    app.workbench.undo_group.undo()
    qtbot.waitUntil(lambda: "H-01" in page.clashes.text())
    assert len(cellar.desk.shown.planned.of("Slipway")) == 8


def test_a_job_is_typed_in_and_a_day_that_is_none_refused(cellar, qtbot):
    """Its last day moves with the first; nonsense is marked and the dialog stays."""
    page = cellar.calendar_page
    dialog = page.dialog()
    dialog.show()
    for name, text in (("Name", "Night ferry"), ("First day", "2099-03-30"), ("Days", "4")):
        field = dialog.findChild(QuantityField, name)
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Return)
    assert dialog.value.last_day == date(2099, 4, 2)
    field = dialog.findChild(QuantityField, "First day")
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, "soon")
    QTest.keyClick(field, Qt.Key.Key_Return)
    dialog.accept()
    assert dialog.isVisible() and "is no day" in dialog.message.text()
    dialog.reject()
    dialog.deleteLater()


def test_a_unit_of_the_calendar_opens_on_the_shelf(cellar, qtbot):
    """A click on its row."""
    cellar.tabs[2].setChecked(True)
    cellar.calendar_page.view.grab()
    box = next(box for box, key in cellar.calendar_page.view._places if key == "H-01")
    qtbot.mouseClick(cellar.calendar_page.view, LEFT, pos=box.center().toPoint())
    assert cellar.tabs[0].isChecked() and cellar.shelf_page.shelf.tag == "H-01"
