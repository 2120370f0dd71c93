"""The station Edit in the real window: the ladder, the store's fields, the cut, what would help."""

import io
import json
import time
from datetime import UTC, datetime

import pytest
from pypdf import PdfReader
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel

from timelines import clip, gap, timeline, track, write
from vastcellar.bench.cut_run import part_of
from vastcellar.core.parts.parts import DriveKind
from vastcellar.report.edit_sheet import edit_sheet_pdf
from vastcellar.services.edit.edit_sums import HELD_SUM, REBUILD_SUM
from vastcellar.services.edit.helping import HelpKind
from vastcellar.services.edit.measured import clips_key
from vastcellar.store.edit_files import read_edit
from vastcellar.store.run_record import RunRecord
from vastcellar.ui.widgets.inputs import QuantityField

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def station(app, qtbot):
    """Edit, open on the demo's store, with what would help."""
    app.window.show()
    app.window.show_station("edit")
    station = app.window.station("edit")
    qtbot.waitUntil(lambda: station.desk.planned is not None and station.desk.planned.cut)
    qtbot.waitUntil(lambda: bool(station.desk.helps))
    return station


def plan_of(app):
    """The edit plan of the open shoot."""
    return app.workbench.document.shoot.edit


def enter(field, text):
    """Type *text* into a field."""
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)


def test_the_demos_store_holds_one_stream_and_says_why(app, station):
    """Headline, limit, rail and drawer say the same as the ladder's own words."""
    assert station.verdict.sentence.text() == ("Holds one stream of UHD 422 HQ at 25; 2 wanted")
    assert "its 1 GbE port, not the disks" in station.limit_line.text()
    assert "193 frames of the cut are late at 5 places" in station.limit_line.text()
    assert app.window.rail.buttons["edit"].state == "1 of 2 streams"
    told = station.ladder.ladder.accessibleDescription()
    assert told.startswith("1 streams ask 92 MB/s, held; 2 streams ask 184 MB/s, late")
    assert "protective 8 TB" in station.ladder.store_view.accessibleDescription()


def test_every_picture_is_drawn_without_a_word_cut_off(station):
    """Ladder, store, cut and late place, comparison and months, at the usual size."""
    page = station.ladder
    for view in (page.ladder, page.store_view, page.demand, page.late, station.compare.view,
                 station.months.view):  # fmt: skip
        assert not view.grab().isNull()
        assert view.cut_texts == []


def test_figures_open_their_sums(app, station, qtbot):
    """A click on the rebuild and on a rung."""
    asked = []
    app.workbench.sum_asked.connect(asked.append)
    view = station.ladder.store_view
    view.grab()
    box = next(box for box, key in view._places if key == REBUILD_SUM)
    qtbot.mouseClick(view, LEFT, pos=box.center().toPoint())
    ladder = station.ladder.ladder
    ladder.grab()
    box = next(box for box, key in reversed(ladder._places) if key == HELD_SUM)
    qtbot.mouseClick(ladder, LEFT, pos=box.center().toPoint())
    assert asked == [REBUILD_SUM, HELD_SUM]


def test_a_change_that_helps_is_taken_by_a_click_and_undone(app, station, qtbot):
    """10 GbE in place of gigabit: five streams; undo brings one back."""
    card = next(c for c in station.ladder.cards if c.about.kind is HelpKind.FASTER_PORT)
    shown = card.about.planned.ladder.held
    station.ladder.ladder.show_ghost(card.about.planned)
    assert not station.ladder.ladder.grab().isNull()
    qtbot.mouseClick(card, LEFT)
    qtbot.waitUntil(lambda: "Holds 5 streams" in station.verdict.sentence.text())
    assert station.desk.planned.chosen.ladder.held == shown
    assert plan_of(app).store.port_mode == "eth-10g"
    app.workbench.document.undo_stack.undo()
    qtbot.waitUntil(lambda: "Holds one stream" in station.verdict.sentence.text())


def test_what_would_not_help_stands_last_and_says_so(station):
    """SSDs behind gigabit."""
    last = station.ladder.cards[-1]
    assert last.about.kind is HelpKind.SSDS
    assert last.text.is_warning and last.text.price.startswith("would not help: 636 EUR")


def test_the_store_is_changed_in_its_fields(app, station, qtbot):
    """Level, disks, fill and link; what can't be is a sentence, and the fields go back."""
    form = station.ladder.store_form
    form.level.chosen.emit("raid-10")
    assert plan_of(app).store.level == "raid-10"
    enter(form.count, "3")
    qtbot.waitUntil(lambda: "it has 3 disks, and needs 4" in station.notes.text())
    assert station.verdict.sentence.text() == "No plan"
    enter(form.count, "4")
    qtbot.waitUntil(lambda: station.notes.text() == "")
    enter(form.used, "90 %")
    form.port.chosen.emit("eth-10g-jumbo")
    store = plan_of(app).store
    assert (store.used_share, store.port_mode) == (0.9, "eth-10g-jumbo")
    enter(form.name, "N-01 at 10G")
    assert "two stores are called" in app.window.job_strip.text.text()
    assert form.name.text() == "N-01"


def test_edits_in_quick_succession_build_on_each_other(app, station):
    """Before anything is planned anew: none of them is lost."""
    form = station.ladder.store_form
    form.level.chosen.emit("raid-6")
    enter(form.used, "70 %")
    enter(station.ladder.load_form.streams, "3")
    enter(station.ladder.load_form.ahead, "1 s")
    plan = plan_of(app)
    assert (plan.store.level, plan.store.used_share) == ("raid-6", 0.7)
    assert (plan.streams, plan.read_ahead_s) == (3, 1.0)


def test_disks_of_two_sizes_show_what_is_wasted(app, station, qtbot):
    """Two of 4 TB beside four of 8: half of each larger one."""
    form = station.ladder.store_form
    form.where.chosen.emit("")  # out of the box with four bays
    form.others.setCurrentIndex(form.others.findData("kelmarsh-dray-4"))
    form.others.chosen.emit("kelmarsh-dray-4")
    enter(form.other_count, "2")
    assert plan_of(app).store.disk_keys == ("kelmarsh-dray-8",) * 4 + ("kelmarsh-dray-4",) * 2
    qtbot.waitUntil(lambda: "wasted 16 TB" in
                    station.ladder.store_view.accessibleDescription())  # fmt: skip
    assert station.ladder.store_view.cut_texts == []


def test_a_store_is_added_chosen_and_removed(app, station, qtbot):
    """Four are the most; one removed, another of the same kind can come."""
    form = station.ladder.store_form
    assert not form.add_button.isEnabled()
    station.store_choice.chosen.emit("H-02")
    qtbot.waitUntil(lambda: "Holds 2 streams" in station.verdict.sentence.text())
    qtbot.mouseClick(form.remove_button, LEFT)
    qtbot.waitUntil(lambda: len(plan_of(app).stores) == 3)
    qtbot.mouseClick(form.add_button, LEFT)
    qtbot.waitUntil(lambda: plan_of(app).store.name == "Store 1")


def test_a_place_brings_its_own_links(app, station, qtbot):
    """A hub's uplink, a box's network, the desk itself."""
    form = station.ladder.store_form
    form.where.chosen.emit("hub:sedgeway-berth-4")
    form.level.chosen.emit("each by itself")
    assert plan_of(app).store.hub_key == "sedgeway-berth-4"
    assert form.port.findData("usb-10g") >= 0 and form.port.findData("eth-1g") < 0
    assert not form.desk.isEnabled()
    form.where.chosen.emit("box:sedgeway-loft-4")
    assert form.port.findData("eth-10g-jumbo") >= 0
    form.desk.chosen.emit("eth-2.5g")
    assert plan_of(app).store.desk_mode == "eth-2.5g"
    qtbot.waitUntil(lambda: station.desk.planned.chosen is not None)


def test_a_cameras_own_recording_or_proxy_is_played(app, station, qtbot):
    """A as recorded, then its proxy, then a rate typed in."""
    form = station.ladder.load_form
    form.stream.chosen.emit("camera:A")
    qtbot.waitUntil(lambda: "A as recorded" in station.verdict.sentence.text())
    assert "Holds no stream" in station.verdict.sentence.text()
    form.stream.chosen.emit("proxy:A")
    qtbot.waitUntil(lambda: "A proxy" in station.verdict.sentence.text())
    enter(form.rate, "20 MB/s")
    assert plan_of(app).stream.bytes_per_s == 20e6
    assert plan_of(app).stream.camera_key == ""
    enter(form.streams, "0")
    assert "streams" in app.window.job_strip.text.text()
    assert plan_of(app).streams == 2
    enter(form.beside, "100 MB/s")
    assert plan_of(app).beside[0].write_bytes_per_s == 100e6
    enter(form.beside, "nothing")
    assert plan_of(app).beside == ()


def test_late_places_are_gone_through_with_keys_and_clicks(station, qtbot):
    """From the worst to the next; its own picture follows, with the clips' names."""
    demand, late = station.ladder.demand, station.ladder.late
    worst = demand.spot
    assert "76 of 250 frames late" in late.accessibleDescription()
    demand.setFocus()
    qtbot.keyClick(demand, Qt.Key.Key_Right)
    assert demand.spot == worst + 1
    assert "76 of" not in late.accessibleDescription()
    first = demand.late[0]
    qtbot.mouseClick(demand, LEFT, pos=QPoint(int(demand._x(first.start_s)), 40))
    assert demand.spot == 0
    qtbot.keyClick(demand, Qt.Key.Key_Left)
    assert demand.spot == 0


def test_another_cut_is_taken_and_let_go_again(app, station, qtbot, tmp_path):
    """Two long clips over each other; then none; then one that is gone, which is said."""
    path = write(tmp_path / "mine.otio", timeline(track(clip("A", 60)),
                                                  track(gap(10), clip("B", 20))))  # fmt: skip
    form = station.ladder.load_form
    form.take_cut(path)
    qtbot.waitUntil(lambda: "at one place" in station.limit_line.text())
    assert "A, B" in station.ladder.late.accessibleDescription()
    path.unlink()
    station.desk.refresh()
    qtbot.waitUntil(lambda: "no such file" in station.notes.text())
    assert not station.ladder._cut.isVisibleTo(station)
    qtbot.mouseClick(form.no_cut_button, LEFT)
    qtbot.waitUntil(lambda: station.notes.text() == "")
    assert "cut" not in station.limit_line.text()


def test_stores_stand_side_by_side_and_are_chosen_there(app, station, qtbot):
    """A click in a column makes it the one that is looked at."""
    station.tabs[1].click()
    view = station.compare.view
    assert view.accessibleDescription().startswith("Streams held: 1, 5, 10, 2; Limit: its 1 GbE")
    at = view._column(2).center()
    qtbot.mouseClick(view, LEFT, pos=QPoint(int(at.x()), 20))
    qtbot.waitUntil(lambda: "Holds 10 streams" in station.verdict.sentence.text())
    assert plan_of(app).chosen == "Dock"


def test_months_follow_their_fields(app, station, qtbot):
    """Half as much a month lasts twice as long; archived it never fills; a wrong one is said."""
    station.tabs[2].click()
    page = station.months
    assert page.told.text() == "Full in 5.0 months, 10 % kept free."
    enter(page.month, "1.2 TB")
    qtbot.waitUntil(lambda: page.told.text().startswith("Full in 10.0 months"))
    enter(page.archived, "3")
    qtbot.waitUntil(lambda: page.told.text() == "It isn't full within ten years.")
    assert not page.view.grab().isNull()
    enter(page.kept, "300 %")
    assert "kept_share" in app.window.job_strip.text.text()
    enter(page.month, "what the shoot records")
    assert plan_of(app).growth.month_bytes == 0


def test_an_empty_shoot_leads_to_a_first_store(start, qtbot):
    """Two ways to begin; the second stands in a network, and is planned at once."""
    app = start(demo=False)
    app.window.show()
    app.window.show_station("edit")
    station = app.window.station("edit")
    assert station.next_step.isVisibleTo(station)
    assert app.window.rail.buttons["edit"].state == "no store"
    qtbot.mouseClick(station.next_step.buttons[1], LEFT)
    qtbot.waitUntil(lambda: station.verdict.sentence.text().startswith("Holds one stream"))
    assert not station.next_step.isVisibleTo(station)


def test_it_is_saved_on_paper_and_as_a_plan(app, station, tmp_path):
    """A PDF for whoever pays; the plan in its own format comes back the same; a place that can't
    be written is one sentence."""
    station.save(tmp_path / "boathouse.pdf")
    assert (tmp_path / "boathouse.pdf").read_bytes().startswith(b"%PDF")
    station.save(tmp_path / "boathouse.edit.json")
    assert read_edit(tmp_path / "boathouse.edit.json") == plan_of(app)
    assert json.loads((tmp_path / "boathouse.edit.json").read_text())["name"] == "Slipway"
    station.save(tmp_path / "nowhere" / "x.pdf")
    assert "can't be written" in app.window.job_strip.text.text()


def test_a_hidden_station_plans_nothing(app, station, monkeypatch):
    """Edits elsewhere cost nothing until somebody looks again."""
    app.window.show_station("shoot")
    calls = []
    monkeypatch.setattr(type(station.desk), "refresh", lambda _self: calls.append(time.monotonic()))
    app.workbench.judged.emit()
    assert calls == []
    app.window.show_station("edit")
    assert len(calls) >= 1


def test_a_cut_is_read_beside_the_window(app, station, qtbot, tmp_path):
    """While it is, everything else stands and it is said; read once, whatever the streams are."""
    path = write(tmp_path / "long.otio", timeline(track(*(clip(f"c{n}", 2) for n in range(400)))))
    station.ladder.load_form.take_cut(path)
    qtbot.waitUntil(lambda: station.desk.is_reading)
    assert station.notes.text() == "the cut is being read …"
    assert "Holds one stream" in station.verdict.sentence.text()
    qtbot.waitUntil(lambda: not station.desk.is_reading)
    qtbot.waitUntil(lambda: "Played once" in station.limit_line.text())
    enter(station.ladder.load_form.rate, "50 MB/s")
    qtbot.waitUntil(lambda: "Holds 2 streams" in station.verdict.sentence.text())
    assert not station.desk.is_reading and station.notes.text() == ""


def test_a_long_ladder_is_drawn_in_steps(app, station, qtbot):
    """Sixty proxies on ten gigabit: some rungs, with the last that holds and the first that
    doesn't."""
    station.store_choice.chosen.emit("N-01 at 10G")
    enter(station.ladder.load_form.rate, "2 MB/s")
    enter(station.ladder.load_form.streams, "60")
    qtbot.waitUntil(lambda: "60 wanted" in station.verdict.sentence.text())
    held = station.desk.planned.chosen.ladder.held
    shown = [rung.streams for rung in station.ladder.ladder.rungs]
    assert len(shown) < 16 and {1, 60, held, held + 1} <= set(shown)
    assert not station.ladder.ladder.grab().isNull()


def test_a_unit_brings_its_drive_and_its_own_edit_tests(app, station, qtbot):
    """H-02 in the place of the array: its disk, as full as it is; two streams measured in time
    are two solid rungs, and the verdict is proved. So is the cut, once it was played from it."""
    figures = {
        "plan": {"stream_bytes_per_s": 92.2e6, "frames_per_s": 25.0, "read_ahead_frames": 6,
                 "render_bytes_per_s": 0.0, "streams": 2},
        "most_streams": 2,
        "steps": [{"streams": 1, "frames": 150, "missed": 0},
                  {"streams": 2, "frames": 300, "missed": 0}],
    }  # fmt: skip
    at = datetime(2026, 11, 24, tzinfo=UTC)
    app.workbench.workplace.cellar.add_run(
        RunRecord("H-02", "edit", at, False, True, {}, figures), ""
    )
    app.workbench.units.reload()
    qtbot.waitUntil(lambda: any(r.kind == "edit" for r in app.workbench.shelf.records))
    station.store_choice.chosen.emit("H-02")
    qtbot.waitUntil(lambda: "Holds 2 streams" in station.verdict.sentence.text())
    station.ladder.store_form.unit.chosen.emit("H-02")
    store = plan_of(app).store
    assert (store.unit_tag, store.disk_keys) == ("H-02", ("kelmarsh-dray-8",))
    qtbot.waitUntil(lambda: station.verdict.evidence.text().startswith("H-02: 2 streams in time"))
    assert station.ladder.ladder._measured == {1: 0.0, 2: 0.0}

    clips = station.desk.planned.cut.demand.clips
    cut = {
        "cut": "Slipway", "from_s": 1450.0, "duration_s": 20.0, "read_ahead_s": 0.24,
        "frames": 500, "late_frames": 25, "worst_second_s": 1460,
        "clips_key": clips_key(part_of("", clips, 1450.0, 20.0, 0.24)),
    }  # fmt: skip
    app.workbench.workplace.cellar.add_run(RunRecord("H-02", "cut", at, False, True, {}, cut), "")
    app.workbench.units.reload()
    line = station.ladder.cut_line
    qtbot.waitUntil(lambda: "500 frames late" in line.text())
    assert line.text().startswith("H-02 played 24:10 to 24:30 on 2026-11-24: 25 of 500 frames")
    cellar = app.window.station("cellar").shelf_page
    cellar.shelf.choose("H-02")
    cells = [cellar.card.runs.index(0, column).data() for column in range(5)]
    assert cells[1:] == ["cut", "–", "20 s", "Slipway: 25 frames late"]
    paper = edit_sheet_pdf("Slipway", station.desk.planned, (), app.look.numbers)
    text = PdfReader(io.BytesIO(paper)).pages[0].extract_text().replace("\n", " ")
    assert "Verdict by what was measured (H-02: 2 streams in time on 2026-11-24)" in text
    assert "25 of 500 frames late" in text and "not measured" not in text
    enter(station.ladder.store_form.count, "2")
    assert plan_of(app).store.unit_tag == ""  # two disks aren't that unit
    station.ladder.store_form.unit.chosen.emit("H-02")
    station.ladder.store_form.unit.chosen.emit("none")
    assert plan_of(app).store.unit_tag == ""


def test_a_store_goes_onto_the_shelf_is_changed_and_brought_up_to_date(app, station, qtbot):
    """Put there under a tag, a copy can be made to it; with another level it says that it is
    another by now, and one choice brings the unit along. A taken tag is refused where it stands."""
    station.store_choice.chosen.emit("N-01 at 10G")
    form = station.ladder.store_form
    qtbot.waitUntil(lambda: form.name.text() == "N-01 at 10G")
    dialog = station.ladder.shelve_dialog(plan_of(app).store)
    dialog.show()
    said = " ".join(each.text() for each in dialog.findChildren(QLabel))
    assert "24 TB as one drive; its disks write 750 MB/s empty, 375 MB/s full." in said
    tag = dialog.findChild(QuantityField, "Tag")
    enter(tag, "N-01")
    dialog.accept()
    assert dialog.isVisible() and "one of this tag already" in dialog.message.text()
    enter(tag, "N-02")
    dialog.accept()
    qtbot.waitUntil(lambda: app.workbench.shelf.unit("N-02") is not None)
    dialog.deleteLater()
    assert plan_of(app).store.unit_tag == "N-02"
    drive_now = lambda: app.workbench.catalog.drive_of(app.workbench.shelf.unit("N-02"))  # noqa: E731
    drive = drive_now()
    assert drive.kind is DriveKind.STORE and drive.capacity_bytes == 24e12
    assert ":again" not in [form.unit.itemData(row) for row in range(form.unit.count())]
    form.level.chosen.emit("raid-0")
    qtbot.waitUntil(lambda: form.unit.findData(":again") >= 0)
    form.unit.chosen.emit(":again")
    qtbot.waitUntil(lambda: drive_now().capacity_bytes == 32e12)
    qtbot.waitUntil(lambda: form.unit.findData(":again") < 0)
    form.unit.chosen.emit("N-01")
    assert plan_of(app).store.unit_tag == "N-01"
    assert len(plan_of(app).store.disk_keys) == 4  # its disks stand as they were typed
