"""The station Roll: a card copied for real from the window, in a process of its own."""

import os
from dataclasses import replace
from pathlib import Path

import bagit
import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QPushButton

from vastcellar.core.roll.copies import WipeRule
from vastcellar.core.roll.pace import Pace, PaceSetter, SharedHub
from vastcellar.services.roll.follow import CopyNow, CopyRefused, LegNow, said_line
from vastcellar.ui.models import copy_queue
from vastcellar.ui.models.copy_job import CopyAsked, CopyJob
from vastcellar.ui.stations.roll.legs_view import LegsView

LEFT = Qt.MouseButton.LeftButton
MB = 2**20


@pytest.fixture
def station(app):
    """Roll's page of copies, open."""
    roll = app.window.station("roll")
    roll.tabs[1].click()
    return roll.copy


@pytest.fixture
def card(tmp_path):
    """A card of three clips, and two folders to copy it into."""
    (tmp_path / "A001" / "CLIP").mkdir(parents=True)
    for number in range(3):
        (tmp_path / f"A001/CLIP/C{number}.MP4").write_bytes(os.urandom(9 * MB + number))
    for name in ("one", "two"):
        (tmp_path / name).mkdir()
    return tmp_path / "A001"


def ask(station, card, *names):
    """Enter a card and the folders beside it."""
    station.source.setText(str(card))
    for field, name in zip(station.destinations, names, strict=False):
        field.setText(str(card.parent / name))
    station.plan()


def test_a_card_is_copied_by_a_click_and_what_came_of_it_is_said(station, card, qtbot):
    """Announced first; both copies are the card's; on its own drive they make it safe for
    nothing, which the verdict says first."""
    ask(station, card, "one", "two")
    qtbot.waitUntil(lambda: "3 files, 28.3 MB" in station.plan_line.text())
    assert "0 drives of their own: a card is safe to wipe with 2" in station.plan_line.text()
    qtbot.mouseClick(station.start_button, LEFT)
    assert station.queue.is_busy and station.start_button.text() == "Queue it"
    qtbot.waitUntil(lambda: not station.queue.is_busy)
    assert station.current.verdict.sentence.text() == "Not safe to wipe"
    assert station.current.told.text().count("3 verified") == 2
    for name in ("one", "two"):
        for clip in (card / "CLIP").iterdir():
            copy = card.parent / name / "A001" / "CLIP" / clip.name
            assert copy.read_bytes() == clip.read_bytes()
    assert not station.current.legs.grab().isNull()
    assert station.current.legs.accessibleDescription().count("100 % verified") == 2


def test_what_is_in_the_way_is_said_before_and_by_the_copy_itself(station, card, qtbot):
    """Inside the card: the plan says so, and so does whoever starts it all the same."""
    ask(station, card, "A001/CLIP")
    qtbot.waitUntil(lambda: "inside the card itself" in station.plan_line.text())
    station.start()
    qtbot.waitUntil(lambda: not station.queue.is_busy)
    assert station.current.verdict.sentence.text() == "Not copied"
    assert "inside the card itself" in station.current.told.text()


def test_paused_and_cancelled_it_leaves_whole_files_only(station, card, qtbot):
    """Paused at once, then cancelled: nothing half is left, and the same card goes on later."""
    ask(station, card, "one")
    station.start()
    station.current.pause_button.click()
    assert station.current.pause_button.text() == "Go on"
    station.current.cancel_button.click()
    qtbot.waitUntil(lambda: not station.queue.is_busy)
    there = card.parent / "one" / "A001"
    files = [each for each in there.rglob("*") if each.is_file()] if there.exists() else []
    assert all((card / each.relative_to(there)).read_bytes() == each.read_bytes() for each in files)
    station.start()
    qtbot.waitUntil(lambda: not station.queue.is_busy)
    assert "3 verified" in station.current.told.text()


def test_a_window_that_closes_ends_its_copy(start, card, qtbot):
    """No process is left behind, and what it had begun is gone."""
    app = start()
    station = app.window.station("roll").copy
    ask(station, card, "one")
    station.start()
    station.current.pause_button.click()
    app.window.close()
    assert not station.queue.is_busy
    assert not [each for each in (card.parent / "one").rglob("*") if each.name.endswith(".part")]


def test_a_third_and_fourth_place_are_a_click_away(station):
    """Two rows at first; two more, and then no more."""
    assert [field.isVisible() for field in station.destinations] == [True, True, False, False]
    station.more_button.click()
    station.more_button.click()
    assert all(field.isVisible() for field in station.destinations)
    assert not station.more_button.isEnabled()


@pytest.mark.parametrize(
    "line",
    [b"", b"[" * 5000, b"null", b"7", b'{"now": {}}', b'{"x": 1}', b"\xff",
     b'{"refused": {"sentence": "no", "more": 1}}'],
)  # fmt: skip
def test_a_line_that_says_nothing_of_a_copy_is_left_out(line):
    """Brackets, numbers, halves: none of them stops the window."""
    assert said_line(line) is None


def test_a_process_that_dies_is_told_and_not_taken_for_a_copy(station, card, qtbot):
    """Killed from outside: not copied, and what to do."""
    ask(station, card, "one")
    said = []
    station.start()
    station.current.job.ended.connect(said.append)
    station.current.job.pause(is_on=True)
    station.current.job._process.waitForStarted()
    station.current.job._process.kill()
    qtbot.waitUntil(lambda: bool(said))
    if isinstance(said[0], CopyRefused):  # it may have been done by then
        assert station.current.verdict.sentence.text() == "Not copied"
        assert "it goes on where it was" in station.current.told.text()


def now_at(seconds, read, legs, *, total=10**11, waited=0.0, files=20):
    """How far a copy is: what it read, and (written, verified, busy, dropped by) of each drive."""
    return CopyNow(seconds, total, read, 0.2 * seconds, 0.1 * seconds, waited, "clip",
                   tuple(LegNow(*leg) for leg in legs), files, 40 * MB, 160 * MB)  # fmt: skip


PACES = [
    (None, "; who"),
    (Pace(PaceSetter.CARD), "A001 sets the pace"),
    (Pace(PaceSetter.HASH), "the checksum sets the pace"),
    (Pace(PaceSetter.DRIVE, leg=1), "/two sets the pace"),
    (Pace(PaceSetter.HUB, hub=SharedHub("blue hub", 430e6, (0, 1))), "blue hub, 430 MB/s sets the"),
]


@pytest.mark.parametrize(("pace", "said"), PACES)
def test_who_sets_the_pace_is_drawn_and_said(app, qtbot, pace, said):
    """Card, checksum, drive or hub: in the picture's own words, none before anybody is known."""
    view = LegsView(app.workbench.look)
    qtbot.addWidget(view)
    view.begin("A001", ["/one", "/two", "/three"])
    legs = [(900, 800, 1.0, ""), (500, 400, 2.0, ""), (10, 0, 2.0, "it is full")]
    view.follow(now_at(10.0, 950, legs, total=1000), pace)
    assert (said in view.accessibleDescription()) == (pace is not None)
    assert not view.grab().isNull()
    assert view.cut_texts == []


def shown(station, *targets):
    """A copy of A001 that is shown and not made."""
    asked = CopyAsked(Path("/media/A001"), tuple(map(Path, targets)), "", "xxh128", WipeRule(2))
    return station.show_begun(CopyJob(asked, station))


def test_the_copy_is_drawn_over_its_time_and_says_how_long_it_takes(station):
    """What was written, what is expected, when it is verified; by the profile where it is known."""
    panel = shown(station, "/media/one", "/media/two")
    for second in range(0, 40, 4):
        legs = [(second * rate, second * rate // 2, second * 1.0, "")
                for rate in (400 * MB, 390 * MB)]  # fmt: skip
        panel.follow(now_at(second, second * 390 * MB, legs, waited=second * 0.5))
    assert len(panel.history.samples) == 9
    assert panel.history.samples[-1].written_bytes_per_s == (400 * MB, 390 * MB)
    assert 150 < panel.history.left_s < 1000
    assert "by the rate so far" in panel.left_line.text()
    assert panel.history.pace == Pace(PaceSetter.DRIVE, leg=1)
    assert not panel.rates.grab().isNull()
    assert panel.rates.cut_texts == []


def test_a_copy_whose_destinations_all_fell_out_expects_nothing(station):
    """Nothing is promised where nothing goes on."""
    panel = shown(station, "/media/one")
    for second in (0, 5, 10):
        panel.follow(now_at(second, second * MB, [(second * MB, 0, 1.0 * second, "pulled out")]))
    assert panel.history.left_s == float("inf")
    assert panel.left_line.text() == ""
    assert not panel.rates.grab().isNull()


def test_a_copy_is_told_below_and_its_end_to_who_looks_elsewhere(app, station, monkeypatch):
    """The strip says how far it is while no test runs; a long one is announced at its end."""
    station._jobs.beside_moved.emit("Copying: 2 GB of 9 GB on every drive.")
    assert app.window.job_strip.text.text().startswith("Copying: 2 GB")
    station._jobs.beside_ended.emit("Copy: safe to wipe.", 5.0)
    assert app.window._end_notice.told == ""
    monkeypatch.setattr(app.window, "isActiveWindow", lambda: False)
    station._jobs.beside_ended.emit("Copy: safe to wipe.", 500.0)
    assert app.window._end_notice.told == "Copy: safe to wipe."
    assert app.window.job_strip.text.text() == "Copy: safe to wipe."


def more_cards(card, *names):
    """Further cards beside the first, of one clip each."""
    for name in names:
        (card.parent / name).mkdir()
        (card.parent / name / "one.mov").write_bytes(os.urandom(100_000))


def queued(station):
    """What waits, by its names."""
    return [each.title for each in station.queue.waiting]


def test_cards_wait_in_a_queue_whose_order_can_be_changed(station, card, qtbot):
    """Three asked for: the second and third wait, change places, and are copied by themselves."""
    more_cards(card, "B001", "C001")
    begun = []
    station.queue.begun.connect(lambda job: begun.append(job.asked.title))
    for name in ("A001", "B001", "C001"):
        station.source.setText(str(card.parent / name))
        station.destinations[0].setText(str(card.parent / "one"))
        station.start()
    assert queued(station) == ["B001", "C001"]
    assert station.queue_list.isVisibleTo(station)
    station.queue.first(1)
    assert queued(station) == ["C001", "B001"]
    qtbot.waitUntil(lambda: len(begun) == 3 and not station.queue.is_busy)
    assert begun == ["A001", "C001", "B001"]
    assert not station.queue_list.isVisibleTo(station)
    for name in begun:
        assert (card.parent / "one" / name).is_dir()


def test_a_card_can_be_taken_out_of_the_queue_again(station, card, qtbot):
    """Nothing of it is begun."""
    more_cards(card, "B001")
    ask(station, card, "one")
    station.start()
    station.source.setText(str(card.parent / "B001"))
    station.start()
    out = station.queue_list.findChildren(QPushButton)[1]
    qtbot.mouseClick(out, LEFT)
    qtbot.waitUntil(lambda: not station.queue.is_busy)
    assert not (card.parent / "one" / "B001").exists()


def test_after_a_cancelled_card_the_queue_waits_to_be_told(station, card, qtbot):
    """The next one doesn't begin by itself; “First” begins it."""
    more_cards(card, "B001")
    ask(station, card, "one")
    station.start()
    station.source.setText(str(card.parent / "B001"))
    station.start()
    station.current.pause_button.click()
    station.current.cancel_button.click()
    qtbot.waitUntil(lambda: not station.queue.is_busy)
    assert queued(station) == ["B001"]
    station.queue.first(0)
    qtbot.waitUntil(lambda: not station.queue.is_busy)
    assert (card.parent / "one/B001/one.mov").is_file()


def test_a_card_that_cannot_be_copied_does_not_hold_up_the_next(station, card, qtbot):
    """Refused with its sentence, and the queue goes on."""
    more_cards(card, "B001")
    station.source.setText(str(card.parent / "nowhere"))
    station.destinations[0].setText(str(card.parent / "one"))
    station.start()
    station.source.setText(str(card.parent / "B001"))
    station.start()
    qtbot.waitUntil(lambda: not station.queue.is_busy and not station.queue.waiting)
    assert (card.parent / "one/B001/one.mov").is_file()


def test_the_shoots_rule_of_wiping_is_the_copys(app, station, card, qtbot):
    """Three copies asked for in the plan: what would be copied, and the log, say three as well."""
    document = app.workbench.document
    rules = replace(document.shoot.offload, verified_copies=3)
    document.edit(replace(document.shoot, offload=rules), "three")
    ask(station, card, "one")
    qtbot.waitUntil(lambda: "a card is safe to wipe with 3" in station.plan_line.text())
    station.start()
    qtbot.waitUntil(lambda: not station.queue.is_busy)
    assert "0 of 3 verified copies" in station.current.told.text()


def test_a_bag_is_made_in_the_window_as_well(station, card, qtbot):
    """Chosen in the place of a checksum; others' library validates it."""
    ask(station, card, "one")
    station.algorithm.setCurrentIndex(station.algorithm.findData("bag"))
    station.start()
    qtbot.waitUntil(lambda: not station.queue.is_busy)
    assert "one/A001 is a bag" in station.current.told.text()
    bagit.Bag(str(card.parent / "one/A001")).validate()


def own_drives(monkeypatch):
    """Let every card's folder lie on a drive of its own."""
    monkeypatch.setattr(copy_queue, "drive_key", str)


def at_once(app, count):
    """Let so many cards be copied at once by the shoot's rules."""
    document = app.workbench.document
    rules = replace(document.shoot.offload, copies_at_once=count)
    document.edit(replace(document.shoot, offload=rules), "at once")


def test_cards_of_two_readers_are_copied_at_once(app, station, card, qtbot, monkeypatch):
    """Two by the rules: the second begins beside the first, the third waits; all three are copied,
    each with its own verdict."""
    own_drives(monkeypatch)
    at_once(app, 2)
    more_cards(card, "B001", "C001")
    together = []
    station.queue.begun.connect(lambda _job: together.append(len(station.queue.running)))
    ask(station, card, "one")
    station.start()
    station.current.pause_button.click()  # it stays until it is told to go on
    for name in ("B001", "C001"):
        station.source.setText(str(card.parent / name))
        station.start()
    qtbot.waitUntil(lambda: len(station.panels) == 3 and station.panels[0].is_over)
    assert max(together) == 2
    assert not station.panels[2].is_over and station.panels[2].job.is_paused
    station.panels[2].pause_button.click()
    qtbot.waitUntil(lambda: not station.queue.is_busy)
    assert [each.job.asked.title for each in station.panels] == ["C001", "B001", "A001"]
    assert all("Not safe to wipe" in each.told.text() for each in station.panels)
    assert (card.parent / "one/B001/one.mov").read_bytes() == (
        card.parent / "B001/one.mov"
    ).read_bytes()


def test_two_cards_of_one_medium_or_into_one_folder_wait_for_each_other(
    app, station, card, qtbot, monkeypatch
):
    """Four at once by the rules: the same drive, or the same folder to make, goes one by one."""
    at_once(app, 4)
    more_cards(card, "B001")
    together = []
    station.queue.begun.connect(lambda _job: together.append(len(station.queue.running)))
    ask(station, card, "one")
    station.start()
    station.source.setText(str(card.parent / "B001"))
    station.start()
    qtbot.waitUntil(lambda: not station.queue.is_busy)
    own_drives(monkeypatch)
    for name in ("A001", "B001"):
        station.source.setText(str(card.parent / name))
        station.name.setText("day 1")
        station.start()
    qtbot.waitUntil(lambda: not station.queue.is_busy)
    assert together == [1, 1, 1, 1]
    assert {each.name for each in (card.parent / "one/day 1").iterdir()} == {"CLIP", "one.mov"}


def test_more_at_once_begins_those_that_wait(app, station, card, qtbot, monkeypatch):
    """One by the rules, then two: the card that waited begins."""
    own_drives(monkeypatch)
    more_cards(card, "B001")
    ask(station, card, "one")
    station.start()
    station.current.pause_button.click()
    station.source.setText(str(card.parent / "B001"))
    station.start()
    assert queued(station) == ["B001"]
    at_once(app, 2)
    qtbot.waitUntil(lambda: station.panels[0].job.asked.title == "B001")
    qtbot.waitUntil(lambda: station.panels[0].is_over)
    station.panels[1].cancel_button.click()
    qtbot.waitUntil(lambda: not station.queue.is_busy)
