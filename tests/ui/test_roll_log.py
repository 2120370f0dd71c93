"""The page of the log: cards that were copied, searched, read back, noted as wiped."""

import os

import pytest
from PySide6.QtCore import QBuffer, Qt
from PySide6.QtGui import QColor, QImage

from core.roll.copied_cards import VERIFIED, clip, kept
from vastcellar.services.roll.clip_ends import ClipEnds
from vastcellar.store.clip_frames import EndFrames, keep_frames
from vastcellar.store.copy_log import add_copy

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def page(app, qtbot):
    """Roll's log, open."""
    app.window.show()
    roll = app.window.station("roll")
    roll.tabs[2].click()
    return roll.log


@pytest.fixture
def logged(app, page, qtbot):
    """The log with one card that is safe and one that isn't."""
    cellar = app.workbench.workplace.cellar
    add_copy(cellar, kept(clip("C1.MOV", VERIFIED, VERIFIED), name="A001"))
    add_copy(cellar, kept(clip("C7.MOV", VERIFIED), name="B001", drives=("one",)))
    page.refresh()
    qtbot.waitUntil(lambda: len(page.kept) == 2)
    return page


def chosen(page, name):
    """Choose the card called *name*."""
    page.choose(next(each.copy_id for each in page.kept if each.card_name == name))


def test_an_empty_log_leads_to_the_copying(page, qtbot, app):
    """Nothing was copied: the next step is to copy a card."""
    qtbot.waitUntil(lambda: page.next_step.isVisibleTo(page))
    page.next_step.buttons[0].click()
    assert app.window.station("roll").tabs[1].isChecked()


def test_cards_stand_with_their_state_in_shape_and_words(logged):
    """Safe or not, and why, also for whoever reads by ear."""
    told = logged.view.accessibleDescription()
    assert "A001: safe to wipe: 2 verified copies" in told
    assert "B001: not safe to wipe: 1 of 2 verified copies on drives of their own" in told
    assert not logged.view.grab().isNull()
    assert logged.view.cut_texts == []


def test_a_card_is_chosen_by_a_click_and_by_keys(logged, qtbot):
    """What is told below is of the chosen one."""
    logged.view.grab()
    box, copy_id = logged.view._boxes[1]
    qtbot.mouseClick(logged.view, LEFT, pos=box.center().toPoint())
    assert logged.chosen.copy_id == copy_id
    assert logged.chosen.card_name in logged.told.text()
    qtbot.keyClick(logged.view, Qt.Key.Key_Up)
    assert logged.chosen.copy_id == logged.view._boxes[0][1]
    qtbot.keyClick(logged.view, Qt.Key.Key_Up)
    assert logged.chosen.copy_id == logged.view._boxes[0][1]


def test_a_clip_is_looked_for_as_it_is_typed(logged, qtbot):
    """The table has it with its card and places; emptied, the cards are back."""
    qtbot.keyClicks(logged.search, "c7")
    qtbot.waitUntil(lambda: logged.clips.isVisibleTo(logged))
    model = logged.clips.model()
    qtbot.waitUntil(lambda: model.rowCount() == 1)
    row = [model.index(0, column).data() for column in range(model.columnCount())]
    assert row == ["C7.MOV", "B001", "2026-11-27", "/media/one", "100 B", "1"]
    logged.search.clear()
    qtbot.waitUntil(lambda: logged.view.isVisibleTo(logged))


def jpeg(color):
    """A picture of one colour."""
    image, data = QImage(32, 18, QImage.Format.Format_RGB32), QBuffer()
    image.fill(QColor(color))
    image.save(data, "JPG")
    return bytes(data.data())


def test_the_chosen_cards_clips_are_shown_with_their_first_and_last_picture(app, logged, qtbot):
    """Red goes to blue; a card without pictures has no strip, and the strip of the one before
    goes; a picture that is none stays grey."""
    cellar = app.workbench.workplace.cellar
    digest = next(each for each in logged.kept if each.card_name == "A001").outcome.files[0].digest
    keep_frames(cellar, digest, EndFrames(jpeg("red"), jpeg("blue")))
    chosen(logged, "B001")
    chosen(logged, "A001")
    qtbot.waitUntil(lambda: logged.frames.isVisibleTo(logged))
    assert logged.frames.accessibleDescription() == "C1.MOV"
    picture = logged.frames.grab().toImage()
    assert picture.pixelColor(40, 25).red() > 200 and picture.pixelColor(140, 25).blue() > 200
    chosen(logged, "B001")
    assert not logged.frames.isVisibleTo(logged)
    logged.frames.show_clips([ClipEnds("x.mov", b"none", b"")])
    assert not logged.frames.grab().isNull()


def test_a_card_is_noted_as_wiped_with_its_name_typed(logged, qtbot):
    """The button stays shut until the name is the card's, and for a card that isn't safe it is
    refused in a sentence."""
    chosen(logged, "A001")
    assert not logged.wiped_button.isEnabled()
    qtbot.keyClicks(logged.tag_field, "A00")
    assert not logged.wiped_button.isEnabled()
    qtbot.keyClicks(logged.tag_field, "1")
    qtbot.mouseClick(logged.wiped_button, LEFT)
    qtbot.waitUntil(lambda: "noted as wiped" in logged.told.text())
    assert not logged.check_button.isEnabled()


def test_a_card_that_is_not_safe_is_never_noted(logged, qtbot, app):
    """Its name typed, the reason is said, and nothing is noted."""
    chosen(logged, "B001")
    qtbot.keyClicks(logged.tag_field, "B001")
    qtbot.keyClick(logged.tag_field, Qt.Key.Key_Return)
    assert "B001 must not be wiped" in app.window.job_strip.text.text()
    assert logged.chosen.wiped_at is None


def test_a_copy_made_in_the_window_is_in_its_log_and_can_be_read_back(app, page, qtbot, tmp_path):
    """Copied on the page beside, listed here; read back again all is the same; changed it isn't."""
    (tmp_path / "C001").mkdir()
    (tmp_path / "C001/one.mov").write_bytes(os.urandom(200_000))
    (tmp_path / "there").mkdir()
    copy = app.window.station("roll").copy
    copy.source.setText(str(tmp_path / "C001"))
    copy.destinations[0].setText(str(tmp_path / "there"))
    copy.who.setText(" loader ")
    copy.plan()
    copy.start()
    qtbot.waitUntil(lambda: not copy.queue.is_busy)
    qtbot.waitUntil(lambda: [each.card_name for each in page.kept] == ["C001"])
    assert page.kept[0].who == "loader"
    page.check_again()
    qtbot.waitUntil(lambda: page.kept[0].checked_at is not None)
    assert "all 1 read back the same" in app.window.job_strip.text.text()
    (tmp_path / "there/C001/one.mov").write_bytes(b"something else")
    page.check_again()
    qtbot.waitUntil(lambda: "read back wrong" in app.window.job_strip.text.text())
    qtbot.waitUntil(lambda: "0 of 1 verified" in page.told.text())
    copy.plan()
    qtbot.waitUntil(lambda: "copied before: C001" in copy.plan_line.text())


def test_the_log_is_saved_as_pdf_and_csv(logged, tmp_path, app):
    """By the name's ending; a place that can't be written is one sentence."""
    logged.save(tmp_path / "log.csv")
    logged.save(tmp_path / "log.pdf")
    assert (tmp_path / "log.csv").read_text().count("C7.MOV") == 1
    assert (tmp_path / "log.pdf").read_bytes().startswith(b"%PDF")
    logged.save(tmp_path / "nowhere" / "log.csv")
    assert "log.csv" in app.window.job_strip.text.text()
