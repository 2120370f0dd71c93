"""The hours of the editors in the real window: added, changed, drawn, and what they decide."""

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from vastcellar.services.edit.edit_sums import HOURS_SUM
from vastcellar.services.edit.edit_wording import spell_line

LEFT, HOUR = Qt.MouseButton.LeftButton, 3600.0


@pytest.fixture
def page(app, qtbot):
    """Edit's page of hours, on the demo's store."""
    app.window.show()
    app.window.show_station("edit")
    station = app.window.station("edit")
    qtbot.waitUntil(lambda: station.desk.planned is not None and station.desk.planned.cut)
    station.tabs[1].setChecked(True)
    return station.hours


def editors_of(app):
    """Who edits, in the open shoot."""
    return app.workbench.document.shoot.edit.editors


def enter(field, text):
    """Type *text* into a field."""
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)


def add(app, page, qtbot, count=1):
    """Add editors by the button."""
    for _ in range(count):
        before = len(editors_of(app))
        QTest.mouseClick(page.add_button, LEFT)
        qtbot.waitUntil(lambda before=before: len(page.rows) == before + 1)


def test_two_editors_at_once_are_more_than_gigabit(app, page, qtbot):
    """One from nine to six is held; a second one in the afternoon isn't, and the headline, the
    line under it, the picture and the rail say so; undone, the ladder decides again."""
    station = app.window.station("edit")
    add(app, page, qtbot)
    enter(page.rows[0].streams, "1")
    qtbot.waitUntil(lambda: "editors ask for 92 MB/s" in station.verdict.sentence.text())
    assert station.desk.planned.chosen.verdict.value == "holds"
    add(app, page, qtbot)
    enter(page.rows[1].start, "13:00")
    enter(page.rows[1].end, "22:00")
    qtbot.waitUntil(lambda: "from 13:00 to 18:00" in station.verdict.sentence.text())
    chosen = station.desk.planned.chosen
    assert chosen.verdict.value == "falls short"
    assert "editors ask 168 % of it" in station.limit_line.text()
    assert [each.name for each in editors_of(app)] == ["Editor 1", "Editor 2"]
    told = page.view.accessibleDescription()
    assert told == ". ".join(spell_line(each, app.window.look.numbers) for each in chosen.spells)
    assert app.window.rail.buttons["edit"].state == "1 of 2 streams"
    for _ in range(5):
        app.workbench.document.undo_stack.undo()
    qtbot.waitUntil(lambda: station.verdict.sentence.text().endswith("; 2 wanted"))
    assert editors_of(app) == () and page.rows == [] and page._scroll.isHidden()


def test_what_is_wanted_at_once_is_shown_and_not_typed(app, page, qtbot):
    """With editors named the ladder's fields show what they come to, and are locked."""
    form = app.window.station("edit").ladder.load_form
    assert form.streams.isEnabled() and form.streams.text() == "2"
    add(app, page, qtbot, 2)
    qtbot.waitUntil(lambda: form.streams.text() == "4")
    assert form.desks.text() == "2" and not form.streams.isEnabled() and not form.desks.isEnabled()
    QTest.mouseClick(page.rows[1].remove, LEFT)
    qtbot.waitUntil(lambda: form.streams.text() == "2")
    QTest.mouseClick(page.rows[0].remove, LEFT)
    qtbot.waitUntil(form.streams.isEnabled)


def test_every_field_of_an_editor_is_taken(app, page, qtbot):
    """Name, hours past midnight, proxies, sound and renders; the picture is drawn without a word
    cut off, and a click on it opens the sum."""
    add(app, page, qtbot)
    row = page.rows[0]
    enter(row.name, "Mix")
    enter(row.start, "22:00")
    enter(row.end, "6:00")
    enter(row.sound, "48")
    enter(row.renders, "20 MB/s")
    proxy = next(row.stream.itemData(n) for n in range(row.stream.count())
                 if str(row.stream.itemData(n)).startswith("camera:"))  # fmt: skip
    row.stream.chosen.emit(proxy)
    (made,) = editors_of(app)
    assert (made.name, made.start_s, made.end_s) == ("Mix", 22 * HOUR, 30 * HOUR)
    assert (made.sound_tracks, made.write_bytes_per_s) == (48, 20e6)
    assert made.stream.camera_key == proxy.partition(":")[2]
    assert row.end.text() == "6:00"
    qtbot.waitUntil(lambda: [len(spell.desks[0].beside) for spell in
                             page._desk.planned.chosen.spells] == [2])  # fmt: skip
    assert not page.view.grab().isNull() and page.view.cut_texts == []
    asked = []
    page.view.asked.connect(asked.append)
    point = QPoint(page.view.width() // 2, page.view.height() - 40)
    QTest.mouseClick(page.view, LEFT, pos=point)
    assert asked == [HOURS_SUM]


def test_what_cant_be_is_said_and_the_field_goes_back(app, page, qtbot):
    """A second of the same name, more tracks than there are: one sentence, nothing changed."""
    add(app, page, qtbot, 2)
    told = []
    app.workbench.trouble.connect(lambda error: told.append(str(error)))
    before = editors_of(app)
    enter(page.rows[1].name, "Editor 1")
    enter(page.rows[0].sound, "9999")
    assert len(told) == 2 and "two editors" in told[0] and "512" in told[1]
    assert editors_of(app) == before
    assert page.rows[1].name.text() == "Editor 2" and page.rows[0].sound.text() == "0"


def test_sixteen_editors_and_not_one_more(app, page, qtbot):
    """The list scrolls; the seventeenth is refused with a sentence."""
    add(app, page, qtbot, 16)
    told = []
    app.workbench.trouble.connect(lambda error: told.append(str(error)))
    QTest.mouseClick(page.add_button, LEFT)
    assert len(told) == 1 and "16" in told[0] and len(editors_of(app)) == 16
    assert page._scroll.height() < 200
