"""In the window: whose device it is, what the cellar couldn't take, text that is no markup."""

import pytest
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtGui import QHelpEvent
from PySide6.QtWidgets import QApplication, QMessageBox, QToolTip

from disks import loop_disk
from vastcellar.core.errors import CellarError
from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.core.protocols.amounts import Amount
from vastcellar.services.workplace.rescuing import rescued_runs
from vastcellar.ui.widgets.plain import plain_box

FIRST = DeviceIdentity("Carry One", "SN-77120", 2_000_000_000_000, "aaaa-1111")
SECOND = DeviceIdentity("Carry One", "SN-77121", 2_000_000_000_000, "bbbb-2222")


@pytest.fixture
def page(app, qtbot, tmp_path):
    """Prove with a folder chosen for 8 MB, on the unit of camera A, M-03."""
    app.workbench.document.choose("A")
    disk = tmp_path / "disk"
    disk.mkdir()
    made = app.window.station("prove").measure
    app.window.show_station("prove")
    made.form.target.folder_choice.setChecked(True)
    made.form.target.folder_field.setText(str(disk))
    made.form.asked = Amount(8_000_000)
    made.form.choose("write")
    return made


def test_the_first_run_asks_and_no_means_measured_and_not_kept(app, page, qtbot, lies_on):
    """Saying no at the first run measures without keeping."""
    lies_on(FIRST)
    runs = len(app.workbench.shelf.records)
    page.start()
    assert page.binding.isVisibleTo(page)
    assert "serial SN-77120" in page.binding.text.text()
    assert page.binding.yes.text() == "Yes, that is M-03"
    assert not app.jobs.is_busy
    assert not page.form.start_button.isEnabled()
    qtbot.mouseClick(page.binding.no, Qt.MouseButton.LeftButton)
    assert not page.binding.isVisibleTo(page)
    qtbot.waitUntil(lambda: not app.jobs.is_busy)
    assert app.jobs.current.result.write.moved_bytes > 7_000_000
    app.workbench.units.reload()
    qtbot.wait(200)
    assert len(app.workbench.shelf.records) == runs
    assert app.workbench.shelf.unit("M-03").device is None


def test_yes_binds_and_another_device_is_then_refused_until_it_is_released(
    app, page, qtbot, lies_on
):
    """After yes another device is refused until the unit is released."""
    lies_on(FIRST)
    runs = len(app.workbench.shelf.records)
    page.start()
    qtbot.mouseClick(page.binding.yes, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not app.jobs.is_busy and len(app.workbench.shelf.records) > runs)
    assert app.workbench.shelf.unit("M-03").device == FIRST
    lies_on(SECOND)
    page.start()
    assert not page.binding.isVisibleTo(page)
    assert not app.jobs.is_busy
    said = page.form.message.text()
    assert "SN-77121" in said and "M-03 is Carry One, serial SN-77120" in said
    cellar = app.window.station("cellar").shelf_page
    app.window.show_station("cellar")
    cellar.shelf.tag = "M-03"
    cellar.refresh()
    qtbot.waitUntil(lambda: cellar.card.release_button.isVisibleTo(cellar))
    qtbot.mouseClick(cellar.card.release_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: app.workbench.shelf.unit("M-03").device is None)
    page.start()
    assert "SN-77121" in page.binding.text.text()


def test_a_yes_to_one_device_starts_nothing_on_another(app, page, qtbot, lies_on):
    """The disk is swapped while the question stands: it is asked anew, and nothing is bound."""
    devices = {unit.tag: unit.device for unit in app.workbench.workplace.shelf().units}
    lies_on(FIRST)
    page.start()
    lies_on(SECOND)
    qtbot.mouseClick(page.binding.yes, Qt.MouseButton.LeftButton)
    assert not app.jobs.is_busy
    assert devices["M-03"] is None
    assert page.binding.isVisibleTo(page) and "SN-77121" in page.binding.text.text()
    # And where another camera's unit was chosen meanwhile, the yes is none of it.
    app.workbench.document.choose("B")
    qtbot.waitUntil(lambda: app.workbench.judgement.chain.parts.unit.tag != "M-03")
    qtbot.mouseClick(page.binding.yes, Qt.MouseButton.LeftButton)
    assert not app.jobs.is_busy
    kept = {unit.tag: unit.device for unit in app.workbench.workplace.shelf().units}
    assert kept == devices
    assert "Is that K-11?" in page.binding.text.text()


@pytest.mark.real_disk
def test_two_real_disks_are_told_apart(app, page, qtbot, tmp_path):
    """By what the system says of them: the first is bound, the second refused with its name."""
    with loop_disk(tmp_path, "first") as first, loop_disk(tmp_path, "second") as second:
        page.form.target.folder_field.setText(str(first))
        page.start()
        qtbot.mouseClick(page.binding.yes, Qt.MouseButton.LeftButton)
        qtbot.waitUntil(lambda: not app.jobs.is_busy)
        qtbot.waitUntil(lambda: app.workbench.shelf.unit("M-03").device is not None)
        assert [entry.name for entry in first.iterdir()] == ["lost+found"]
        page.form.target.folder_field.setText(str(second))
        page.start()
        assert str(second) in page.form.message.text()
        assert not app.jobs.is_busy
        assert [entry.name for entry in second.iterdir()] == ["lost+found"]


def answer(button_text):
    """Click *button_text* in the box that opens next, and return what it said."""
    said = []

    def click():
        box = QApplication.activeModalWidget()
        if not isinstance(box, QMessageBox):
            QTimer.singleShot(50, click)
            return
        said.append(f"{box.text()} {box.informativeText()}")
        next(each for each in box.buttons() if each.text() == button_text).click()

    QTimer.singleShot(0, click)
    return said


def test_a_run_that_the_cellar_refused_is_offered_at_the_next_start(
    app, page, start, qtbot, lies_on, places, monkeypatch
):
    """A run that couldn't be kept is offered again at the next start."""
    lies_on(FIRST)

    def refuse(*_args, **_kwargs):
        raise CellarError("database or disk is full", where="cellar.db", mend="Make room")

    page.start()
    with monkeypatch.context() as broken:
        broken.setattr("vastcellar.store.cellar.Cellar.add_run", refuse)
        qtbot.mouseClick(page.binding.yes, Qt.MouseButton.LeftButton)
        qtbot.waitUntil(lambda: len(rescued_runs(places)) == 1)
        qtbot.waitUntil(lambda: not app.jobs.is_busy)
    app.close()
    said = answer("Later")
    later = start()
    assert said and "write of M-03" in said[0]
    assert len(rescued_runs(places)) == 1
    later.close()
    answer("Keep now")
    again = start()
    before = len(again.workbench.shelf.records)
    qtbot.waitUntil(lambda: rescued_runs(places) == ())
    qtbot.waitUntil(lambda: any(each.kind == "write" for each in again.workbench.shelf.records))
    assert len(again.workbench.shelf.records) >= before


MARKUP = '<b>disk</b> & <img src="/etc/x.png">'


def test_boxes_and_tips_show_markup_to_the_letter(app, qtbot, monkeypatch):
    """A folder or a camera named like markup is text: nothing is fetched, nothing turns bold."""
    box = plain_box(app.window, "A box", MARKUP, MARKUP)
    assert box.textFormat() is Qt.TextFormat.PlainText
    assert box.text() == MARKUP
    box.deleteLater()
    shown = []
    monkeypatch.setattr(QToolTip, "showText", lambda *words: shown.append(words[1]))
    widget = app.window.job_strip
    widget.setToolTip(MARKUP)
    event = QHelpEvent(QHelpEvent.Type.ToolTip, QPoint(1, 1), widget.mapToGlobal(QPoint(1, 1)))
    QApplication.sendEvent(widget, event)
    assert shown
    assert "<b>" not in shown[0] and "<img" not in shown[0]
    assert "&lt;b&gt;disk&lt;/b&gt; &amp; &lt;img" in shown[0]
