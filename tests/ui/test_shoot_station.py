"""Shoot in the real window: presets, days, what-if, copies, clips, codecs, the quick sum."""

from dataclasses import replace
from fractions import Fraction

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMessageBox

from clips import HEIGHT, WIDTH, make_clip
from vastcellar.core.evidence import Evidence
from vastcellar.services.shoot.shoots import OpenShoot
from vastcellar.ui.stations.shoot.own_codec_dialog import OwnCodecDialog
from vastcellar.ui.widgets.inputs import Choice, QuantityField

LEFT = Qt.MouseButton.LeftButton


def field(parent, name):
    return parent.findChild(QuantityField, name)


def type_into(widget, text, key=Qt.Key.Key_Return):
    widget.setFocus()
    widget.selectAll()
    QTest.keyClicks(widget, text)
    QTest.keyClick(widget, key)


def choose(parent, name, text):
    choice = parent.findChild(Choice, name)
    index = next(i for i in range(choice.count()) if text in choice.itemText(i))
    choice.setCurrentIndex(index)
    choice.activated.emit(index)


@pytest.fixture
def shoot(app):
    station = app.window.station("shoot")
    app.workbench.document.choose("A")
    return station


def test_an_empty_shoot_becomes_a_need_in_two_choices(app, qtbot, shoot):
    """Two choices take an empty shoot to a need."""
    app.menu.new()
    qtbot.waitUntil(lambda: not app.workbench.document.shoot.cameras)
    QTest.keyClick(
        app.window, "A", Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    )
    qtbot.waitUntil(lambda: shoot.head.needed.text == "122 MB/s")
    choose(shoot, "Preset", "Maro 6 · 6K raw 5:1, 25")
    qtbot.waitUntil(lambda: shoot.head.needed.text == "287.3 MB/s")
    camera = app.workbench.subject
    assert (camera.model, camera.crest, camera.medium_guarantee) == ("Ostrey Maro 6", 1.5, "VPG400")
    assert shoot.head.carry.text == "3 × 1 TB"  # 2 h, and 30 min of it in one piece; a spare
    assert len(app.workbench.document.shoot.copies) == 2


def test_dragging_the_roll_bar_changes_that_day_alone(app, qtbot, shoot):
    """The bar dragged on day 3 changes day 3."""
    shoot.show_day(3)
    ribbons = shoot.ribbons
    qtbot.waitUntil(lambda: ribbons.width() > 300)
    start = ribbons.handle_of("B").toPoint()
    QTest.mousePress(ribbons, LEFT, pos=start)
    qtbot.waitUntil(lambda: app.workbench.subject.key == "B")
    QTest.mouseMove(ribbons, start + QPoint(80, 0))
    QTest.mouseRelease(ribbons, LEFT, pos=start + QPoint(80, 0))
    camera = app.workbench.document.shoot.camera("B")
    assert camera.hours_on(3) > 3.5
    assert [camera.hours_on(day) for day in (1, 2, 4, 5, 6)] == [2.5] * 5
    qtbot.waitUntil(lambda: float(app.workbench.planned.plan.cameras[1].media[2]) == 2)
    QTest.keyClick(ribbons, Qt.Key.Key_Left)
    changed = app.workbench.document.shoot.camera("B").hours_on(3)
    assert changed == pytest.approx(camera.hours_on(3) - 0.1)
    app.workbench.document.undo_stack.undo()
    app.workbench.document.undo_stack.undo()
    assert app.workbench.document.shoot.camera("B").hours_by_day == ()


def test_what_if_stands_beside_the_plan_until_it_is_taken_over(app, qtbot, shoot):
    """A what-if changes nothing until it is taken."""
    document = app.workbench.document
    before = document.shoot
    QTest.keyClick(app.window, "I", Qt.KeyboardModifier.ControlModifier)
    assert shoot.what_if is not None
    type_into(field(shoot.form.format, "Frame rate"), "50")
    assert document.shoot == before
    assert shoot.head.needed.text == "287.3 MB/s"
    assert (shoot.head.needed.ghost, shoot.head.medium.ghost) == ("574", "52")
    document.choose("B")  # another camera: the question is gone
    qtbot.waitUntil(lambda: shoot.what_if is None)
    assert shoot.head.needed.ghost == ""
    document.choose("A")
    qtbot.waitUntil(lambda: shoot.head.title.text() == "A Main")
    shoot.head.what_if_button.click()
    type_into(field(shoot.form.format, "Frame rate"), "50")
    qtbot.mouseClick(shoot.head.take_over_button, LEFT)
    assert document.shoot.camera("A").recording.frames_per_s == 50
    assert shoot.what_if is None
    document.undo_stack.undo()
    assert document.shoot == before


def test_warnings_stand_in_the_station(app, qtbot, shoot):
    """A reload inside the longest take and a camera's own stop are warned of as typed."""
    type_into(field(shoot.form, "Medium"), "400 GB")
    qtbot.waitUntil(lambda: "a reload falls inside it" in shoot.head.warning.text())
    type_into(field(shoot.form, "Medium"), "1 TB")
    type_into(field(shoot.form, "Stops after"), "29 min 59 s")
    qtbot.waitUntil(lambda: "stops by itself after 29 min 59 s" in shoot.head.warning.text())


def test_copies_are_held_against_their_units(app, qtbot, shoot):
    """A copy's units are held against its bytes, and unknown tags refused."""
    qtbot.mouseClick(shoot.days_button, LEFT)
    shoot.capacity.copy_chosen.emit("Working copy")
    form = shoot.copy_form
    type_into(field(form, "On units"), "K-99")
    assert "no unit 'K-99'" in form.message.text()
    type_into(field(form, "On units"), "H-02, K-08")
    qtbot.waitUntil(lambda: "Working copy" in app.workbench.planned.free_bytes)
    assert app.workbench.planned.free_bytes["Working copy"] == pytest.approx(4.4e12 + 3.1e12)
    type_into(field(form, "Kept for"), "1 day")
    copy = app.workbench.document.shoot.copies[0]
    assert (copy.keep_days, copy.unit_tags) == (1, ("H-02", "K-08"))
    qtbot.mouseClick(form.add_button, LEFT)
    type_into(field(form, "Copy"), "Safety copy")
    assert "two copies are called 'Safety copy'" in form.message.text()
    qtbot.mouseClick(form.remove_button, LEFT)
    assert len(app.workbench.document.shoot.copies) == 3
    type_into(field(shoot.shoot_form, "To"), "noon")
    assert "not a time of day" in shoot.shoot_message.text()


def test_a_copy_that_is_handed_over_and_a_drive_that_is_not_ours(app, shoot, qtbot):
    """Said of the chosen copy; the rate is typed in any unit, and can be not known again."""
    shoot.days_button.setChecked(True)
    shoot.capacity.copy_chosen.emit("Working copy")
    form = shoot.copy_form
    kind = next(each for each in form.findChildren(Choice) if each.accessibleName() == "It is")
    assert kind.currentText() == "ours"
    kind.chosen.emit("handed over")

    def working():
        return app.workbench.document.shoot.copies[0]

    assert working().is_handed_over
    type_into(field(form, "It writes"), "60 MB/s")
    assert working().write_bytes_per_s == 60e6
    type_into(field(form, "It writes"), "not known")
    assert working().write_bytes_per_s == 0
    assert form.rule.text() == "2 verified copies that stay with us before a card is wiped."


def test_a_copy_is_made_later_from_another_and_follows_its_name(app, shoot, qtbot):
    """Chosen beside the field of its hour; the other one renamed or removed it follows, and what
    would go in a ring is refused."""
    shoot.days_button.setChecked(True)
    shoot.capacity.copy_chosen.emit("Safety copy")
    form = shoot.copy_form

    def made():
        return next(each for each in form.findChildren(Choice)
                    if each.accessibleName() == "It is made")  # fmt: skip

    def copies():
        return {each.name: each for each in app.workbench.document.shoot.copies}

    assert [made().itemText(n) for n in range(made().count())] == [
        "from the cards", "later, from Working copy", "later, from Van copy"]  # fmt: skip
    made().chosen.emit("Van copy")
    type_into(field(form, "Not before"), "21:00")
    assert copies()["Safety copy"].made_from == "Van copy"
    assert copies()["Safety copy"].not_before_s == 21 * 3600
    shoot.capacity.copy_chosen.emit("Van copy")
    made().chosen.emit("Working copy")
    assert "no copy of that name is made from the cards" in form.message.text()
    type_into(field(form, "Copy"), "Owner's copy")
    assert copies()["Safety copy"].made_from == "Owner's copy"
    qtbot.mouseClick(form.remove_button, LEFT)
    assert copies()["Safety copy"].made_from == ""


def test_clips_become_the_proved_rate(app, qtbot, shoot, tmp_path):
    """Clips of another format are refused, those of this one become its rate."""
    clip = tmp_path / "A001.mov"
    make_clip(clip)
    shoot.clips.measure(clip)
    qtbot.waitUntil(lambda: "is set to 6144 x 3456" in shoot.form.clips_line.text())
    type_into(field(shoot.form.format, "Frame size"), f"{WIDTH} x {HEIGHT}")
    qtbot.waitUntil(lambda: app.workbench.subject.recording.width_px == WIDTH)
    shoot.clips.measure(clip)
    qtbot.waitUntil(lambda: app.workbench.subject.measured is not None)
    qtbot.waitUntil(lambda: app.workbench.planned.need("A").evidence is Evidence.PROVED)
    assert "1 clip, 6 s" in shoot.form.clips_line.text()
    shoot.clips.measure(clip)  # once more: nothing changes, and it is not left reading
    qtbot.waitUntil(lambda: "1 clip, 6 s" in shoot.form.clips_line.text())
    qtbot.mouseClick(shoot.form.forget_button, LEFT)
    assert app.workbench.subject.measured is None
    shoot.clips.measure(tmp_path / "missing.mov")
    qtbot.waitUntil(lambda: "can't be read" in shoot.form.clips_line.text())


def test_a_codec_of_ones_own_is_kept_and_there_after_a_restart(start, qtbot):
    """An own codec is kept and there after a restart."""
    app = start()
    shoot = app.window.station("shoot")
    dialog = OwnCodecDialog(shoot, app.look.numbers, shoot.use_own_codec)
    type_into(field(dialog, "Name"), "House intra")
    choose(dialog, "Its rate follows", "bits a pixel")
    type_into(field(dialog, "Bits a pixel"), "4")
    type_into(field(dialog, "Crest factor"), "0.5")
    assert "typical_crest is 0.5" in dialog.message.text()
    dialog.accept()  # not with an entry that was refused
    assert dialog.result() == 0
    type_into(field(dialog, "Crest factor"), "1.2")
    dialog.accept()
    qtbot.waitUntil(lambda: app.workbench.subject.recording.codec.key == "own-house-intra")
    video = 6144 * 3456 * 25 * 4 / 8
    qtbot.waitUntil(lambda: app.workbench.judgement.need.video_bytes_per_s == video)
    dialog.deleteLater()
    app.close()
    again = start()
    assert again.workbench.catalog.codec("own-house-intra").typical_crest == 1.2
    assert again.workbench.subject.recording.codec.key == "own-house-intra"


def test_the_quick_sum_answers_as_one_types_and_esc_closes_it(app, qtbot, shoot):
    """The sum follows each key, and Esc puts it away."""
    QTest.keyClick(app.window, "K", Qt.KeyboardModifier.ControlModifier)
    panel = app.window.quick_sum
    assert panel.isVisible()
    QTest.keyClicks(panel.line, "4 TB in 30 min")
    assert panel.headline.text() == "2\u202f222 MB/s"
    assert panel.verdict.text().startswith("More than a")
    panel.line.setText("160 mb/s")
    assert "bits or bytes" in panel.message.text()
    assert not panel.headline.isVisible()
    panel.line.setText("1 TB")
    assert not panel.ladder.isVisible()
    QTest.keyClick(panel.line, Qt.Key.Key_Escape)
    assert not panel.isVisible()
    QTest.keyClick(app.window, "K", Qt.KeyboardModifier.ControlModifier)
    assert panel.line.text() == "1 TB"


@pytest.mark.parametrize(
    ("name", "text", "says"),
    [
        ("Frame size", "15360 x 8640", "no recorder takes"),
        ("Frame rate", "-25", "the frame rate is -25"),
        ("Ratio", "0.5:1", "ratio is 0.5"),
        ("Sound tracks", "1.5", "not whole"),
        ("Longest take", "52", "has no unit"),
        ("Recorded a day", "30 h", "hours_a_day is 30"),
        ("Medium", "1 tb", "bits or bytes"),
        ("Medium", "1 MB", "less than a second"),
        ("It falls on", "someday", "not a number"),
        ("Crest factor", "0", "crest is 0"),
    ],
)
def test_what_cant_be_is_a_sentence_at_its_field(app, qtbot, shoot, name, text, says):
    """An impossible value is told at its field and changes nothing."""
    before = app.workbench.document.shoot
    if name == "Frame size":
        type_into(field(shoot.form, "Frame rate"), "960")
        before = app.workbench.document.shoot
    type_into(field(shoot.form, name), text)
    assert says in shoot.form.message.text()
    assert app.workbench.document.shoot == before
    QTest.keyClick(field(shoot.form, name), Qt.Key.Key_Escape)
    assert not shoot.form.message.text()


def test_five_hundred_cameras_and_four_hundred_days_are_shown(app, qtbot, shoot):
    """The window shows 500 cameras over 400 days."""
    base = app.workbench.document.shoot
    cameras = tuple(
        replace(base.camera("B"), key=f"B{n}", setup=None, hours_by_day=()) for n in range(500)
    )
    app.workbench.document.open(OpenShoot(replace(base, cameras=cameras, days=400)))
    qtbot.waitUntil(lambda: len(app.workbench.judgements) == 500)
    shoot.show_day(400)
    assert shoot.day_label.text() == "Day 400 of 400"
    shoot.days_button.click()
    shoot.capacity.grab()
    shoot.day_button.click()
    shoot.ribbons.grab()
    assert len(app.window.need_bar.tabs) == 500


def test_the_menu_saves_sheet_and_table_or_says_why_not(app, qtbot, shoot, tmp_path, monkeypatch):
    """The menu writes sheet and table, and says why where it can't."""
    app.menu.export_pdf(tmp_path / "sheet.pdf")
    app.menu.export_csv(tmp_path / "table.csv")
    assert (tmp_path / "sheet.pdf").read_bytes().startswith(b"%PDF")
    assert (tmp_path / "table.csv").read_text().startswith("camera,")
    assert "table.csv" in app.window.job_strip.text.text()
    told = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: told.append(box.informativeText()))
    app.menu.export_pdf(tmp_path / "nowhere" / "sheet.pdf")
    assert "can't be written" in told[0]


def test_slow_motion_says_how_long_it_plays(app, qtbot, shoot):
    """Slow motion says how long its take plays, by the rate that it is played at."""
    app.workbench.document.choose("D")
    qtbot.waitUntil(lambda: shoot.head.title.text() == "D Slow")
    lines = {line.label: line for line in app.workbench.sums()["take"].lines}
    assert lines["longest take plays"].value == "1 h 17 min"  # 8 min at 240 in 25
    type_into(field(shoot.form, "Played at"), "240")
    qtbot.waitUntil(lambda: app.workbench.subject.recording.project_frames_per_s is None)
    assert app.workbench.subject.recording.slow_factor == Fraction(1)
