"""The tests of a duty as one set in Prove: announced together, one after the other, or ended."""

from dataclasses import replace

import pytest
from PySide6.QtCore import Qt

from vastcellar.core.parts.acceptance import DUTIES
from vastcellar.services.build.acceptance import acceptance_steps, acceptance_tests, waiting
from vastcellar.services.proving.duty_set import TestsAsked, plan_set, require_same_unit
from vastcellar.services.proving.planned_tests import plan_test
from vastcellar.services.proving.tests_offered import TESTS

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def prove(app, qtbot, monkeypatch):
    """Prove on the rig of camera B's unit, as fast as a rig goes."""
    monkeypatch.setattr(
        "vastcellar.services.proving.planned_kinds.rig_speed", lambda _s: float("inf")
    )
    app.workbench.document.choose("B")
    app.window.show_station("prove")
    page = app.window.station("prove").measure
    page.form.target.rig_choice.setChecked(True)
    return page


def asked_of(app, *kinds):
    """Ask *kinds* of the unit that the camera records to."""
    tag = app.workbench.judgement.chain.parts.name
    app.workbench.tests_asked.emit(TestsAsked(tag, "recorder media", kinds))
    return tag


def test_one_click_makes_them_all_and_build_then_has_its_baseline(app, prove, qtbot):
    """Capacity, then the take: announced together, both kept, nothing left between the unit and
    its service."""
    tag = asked_of(app, "capacity", "recorder")
    card = prove.duty_set
    assert card.isVisible() and "Capacity proof, then Recorder test" in card.head.text()
    qtbot.waitUntil(lambda: "2 tests together: writes" in card.text.text())
    qtbot.mouseClick(card.start_button, LEFT)
    assert app.jobs.is_busy and not card.start_button.isVisible()
    qtbot.waitUntil(lambda: len(card.made) == 2)
    assert "Build says what came of them" in card.text.text()
    qtbot.waitUntil(lambda: len(app.workbench.shelf.records) >= 2)
    bench = app.workbench
    tests = acceptance_tests("recorder media", is_seller_unknown=True)
    steps = acceptance_steps(
        tests, bench.workplace, bench.shelf, bench.shelf.unit(tag), bench.look.numbers
    )
    assert all(step.run_id for step in steps) and card.back_button.isVisible()
    qtbot.mouseClick(card.back_button, LEFT)
    assert app.window.station("build").isVisible()


def test_a_take_that_loses_frames_ends_the_set_before_the_rest(app, prove, qtbot):
    """Camera A's drive falls short of its take: the set says so, and writes no capacity proof."""
    app.workbench.document.choose("A")
    asked_of(app, "recorder", "capacity")
    card = prove.duty_set
    card.start()
    qtbot.waitUntil(lambda: "ended with a test that failed" in card.text.text())
    assert card.made == ["recorder"]
    assert not app.jobs.is_busy and card.start_button.isVisible()
    assert {each.kind for each in app.workbench.shelf.records} == {"recorder"}


def test_a_cancelled_test_ends_the_set_which_goes_on_where_it_was(app, prove, qtbot):
    """Cancel the first: nothing is made, the second doesn't begin; Go on begins the first anew."""
    asked_of(app, "capacity", "recorder")
    card = prove.duty_set
    card.start()
    app.jobs.current.cancel()
    qtbot.waitUntil(lambda: not app.jobs.is_busy)
    assert card.made == [] or len(card.made) == 1  # it may have ended before it was cancelled
    if not card.made:
        assert "wasn't made to its end" in card.text.text() and card.start_button.isVisible()
        assert prove.form.test.kind == "capacity"


def test_a_set_asked_of_another_unit_than_is_chosen_begins_nothing(app, prove, qtbot):
    """K-07's tests with another drive chosen: one sentence, and no run."""
    before = len(app.workbench.shelf.records)
    app.workbench.tests_asked.emit(TestsAsked("K-07", "working drive", ("write",)))
    prove.duty_set.start()
    assert "not K-07" in prove.duty_set.text.text()
    assert not app.jobs.is_busy and len(app.workbench.shelf.records) == before
    qtbot.mouseClick(prove.duty_set.leave_button, LEFT)
    assert not prove.duty_set.isVisible()


def test_what_is_in_the_way_of_one_is_said_of_the_set(app, prove, qtbot):
    """Files on a rig: the offload of a working drive needs a real folder, before anything runs."""
    asked_of(app, "write", "offload")
    qtbot.waitUntil(lambda: "simulated rig has no files" in prove.duty_set.text.text())


def test_without_a_unit_its_first_test_is_shown_and_no_set(app, prove):
    """From Build with no unit chosen: the test is chosen in Prove, for whatever is measured."""
    app.workbench.tests_asked.emit(TestsAsked("", "edit storage", ("edit",)))
    assert prove.form.test.kind == "edit" and not prove.duty_set.isVisible()


def test_a_set_is_announced_as_the_sum_of_its_tests(app, prove):
    """Bytes and time are those of the tests planned one by one."""
    wish, chain = prove.form.wish(), prove.form.measured_for().chain
    kinds = ("burst", "write", "recorder")
    spec = chain, app.workbench.document.shoot.ambient_c, app.workbench.workplace
    offered = {each.kind: each for each in TESTS}
    alone = [plan_test(replace(wish, test=offered[kind]), *spec) for kind in kinds]
    whole = plan_set(wish, kinds, *spec)
    assert whole.bytes_to_write == sum(each.bytes_to_write for each in alone)
    assert whole.most_s == sum(each.most_s for each in alone)
    tbw = chain.parts.drive.tbw_bytes
    assert whole.endurance_share == pytest.approx(whole.bytes_to_write / tbw)


def test_every_test_of_every_duty_is_one_that_prove_offers():
    """Acceptance asks for no test that nobody can make."""
    offered = {each.kind for each in TESTS}
    for duty in DUTIES:
        asked = acceptance_tests(duty, is_seller_unknown=True)
        assert {each.kind for each in asked} <= offered
        assert waiting(()) == ()
    require_same_unit(TestsAsked("K-07", DUTIES[0], ("write",)), "K-07", "K-07")
