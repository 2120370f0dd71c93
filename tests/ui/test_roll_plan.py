"""The page of the day: shown as it is planned, dragged, keyed, mended by a click."""

from dataclasses import replace

import pytest
from PySide6.QtCore import QPoint, Qt

from vastcellar.core.roll.day_run import run_day
from vastcellar.core.roll.levers import LeverKind
from vastcellar.core.shoot.offload import Break, Person
from vastcellar.core.shoot.shoot import Copy
from vastcellar.core.shoot.stations import FIRST, at_station, station_names
from vastcellar.services.roll.day_wording import LAST_SUM, wait_sum_key
from vastcellar.ui.stations.roll.day_rows import least_height

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def page(app, qtbot):
    """Roll's page of the day, open, with all that follows from it."""
    app.window.show()
    page = app.window.station("roll").plan
    qtbot.waitUntil(lambda: page.plan.planned is not None)
    qtbot.waitUntil(lambda: page.plan.drawn is not None)
    return page


def shoot_of(app):
    """The open shoot."""
    return app.workbench.document.shoot


def drag(qtbot, view, handle, dx, dy=0):
    """Take hold of a handle, move it, let go."""
    view.grab()  # what is drawn is what can be taken hold of
    start = view.handle_at(handle).toPoint()
    qtbot.mousePress(view, LEFT, pos=start)
    qtbot.mouseMove(view, start + QPoint(dx // 2, dy // 2))
    qtbot.mouseMove(view, start + QPoint(dx, dy))
    qtbot.mouseRelease(view, LEFT, pos=start + QPoint(dx, dy))


def replanned(qtbot, page, before):
    """Wait for the plan that follows an edit."""
    qtbot.waitUntil(lambda: page.plan.planned is not before)
    return page.plan.planned


def test_the_demo_says_who_waits_and_when_the_last_copy_is_verified(app, page):
    """Headline, rail and picture say the same; the sums stand beside them."""
    assert "A waits " in page.verdict.sentence.text()
    assert "B waits " in page.verdict.sentence.text()
    last = app.window.look.numbers.time_of_day(page.plan.planned.run.last_verified_s)
    assert page.last.text() == f"Last verified copy {last}"
    assert last in page.view.accessibleDescription()
    assert "nine of ten before" in page.drawn_line.text()
    assert "Smallest pool without waits" in page.help_line.text()
    assert LAST_SUM in app.workbench.sums()
    assert page.view.height() >= least_height(page.plan.planned)
    page.view.grab()
    assert page.view.cut_texts == []


def test_a_click_on_a_wait_asks_for_its_sum(page, qtbot):
    """Every wait of the picture opens its own arithmetic."""
    page.view.grab()
    wait = page.plan.planned.run.waits[0]
    rows = page.view.rows()
    box = rows.span(rows.cameras[wait.camera_key], wait.from_s, wait.until_s)
    with qtbot.waitSignal(page.view.asked) as asked:
        qtbot.mouseClick(page.view, LEFT, pos=box.center().toPoint())
    assert asked.args == [wait_sum_key(wait)]


def test_dragging_the_wrap_moves_it_and_undo_brings_it_back(app, page, qtbot):
    """An hour's width to the left is an hour less of the day, one step of the history."""
    before, planned = shoot_of(app), page.plan.planned
    rows = page.view.rows()
    hour_px = round(rows.x(12 * 3600) - rows.x(11 * 3600))
    drag(qtbot, page.view, "wrap", -hour_px)
    after = shoot_of(app)
    assert after.day_end_s == pytest.approx(before.day_end_s - 3600, abs=600)
    assert after.day_start_s == before.day_start_s
    replanned(qtbot, page, planned)
    app.workbench.document.undo_stack.undo()
    assert shoot_of(app) == before


def test_while_it_is_dragged_the_day_follows_and_the_shoot_stays(app, page, qtbot):
    """The picture is of the wrap that is held; only letting go changes the shoot."""
    view, before = page.view, shoot_of(app)
    view.grab()
    start = view.handle_at("wrap").toPoint()
    qtbot.mousePress(view, LEFT, pos=start)
    qtbot.mouseMove(view, start - QPoint(80, 0))
    assert view._shown.shoot.day_end_s < before.day_end_s
    assert shoot_of(app) == before
    qtbot.mouseRelease(view, LEFT, pos=start - QPoint(80, 0))
    assert shoot_of(app).day_end_s < before.day_end_s


def test_a_pool_is_pulled_down_by_a_card_and_keys_do_the_same(app, page, qtbot):
    """One row down is one card more for A, that isn't on the shelf; minus takes it away."""
    planned = page.plan.planned
    drag(qtbot, page.view, "pool A", 0, 30)
    assert shoot_of(app).camera("A").more_media == 1
    planned = replanned(qtbot, page, planned)
    assert not planned.day.cameras[0].cards[-1].is_on_shelf
    app.workbench.document.choose("A")
    qtbot.keyClick(page.view, Qt.Key.Key_Plus)
    assert shoot_of(app).camera("A").more_media == 2
    for _ in range(4):
        qtbot.keyClick(page.view, Qt.Key.Key_Minus)
        qtbot.waitUntil(lambda: page.plan.planned.shoot == shoot_of(app))
    assert shoot_of(app).camera("A").more_media == 0


def test_the_end_of_a_cameras_takes_can_be_dragged(app, page, qtbot):
    """To the left it rolls less on this day, and on no other."""
    before = shoot_of(app).camera("C")
    drag(qtbot, page.view, "roll C", -20)
    after = shoot_of(app).camera("C")
    assert after.hours_on(1) < before.hours_on(1)
    assert after.hours_on(2) == before.hours_on(2)


def test_keys_move_the_wrap_and_choose_the_camera(app, page, qtbot):
    """Five minutes to a key; up and down go from camera to camera and stop at the ends."""
    end_s = shoot_of(app).day_end_s
    qtbot.keyClick(page.view, Qt.Key.Key_Right)
    assert shoot_of(app).day_end_s == end_s + 300
    app.workbench.document.choose("A")
    qtbot.keyClick(page.view, Qt.Key.Key_Up)
    assert app.workbench.document.subject_key == "A"
    qtbot.keyClick(page.view, Qt.Key.Key_Down)
    assert app.workbench.document.subject_key == "B"


def test_a_change_that_helps_is_taken_by_a_click_and_gives_what_it_said(app, page, qtbot):
    """The missing cards end all waits, as their card says; undo brings the waits back."""
    planned = page.plan.planned
    card = next(c for c in page.cards if c.pulled.lever.kind is LeverKind.SMALLEST_POOL)
    assert card.text.comes_to == "no waits"
    qtbot.mouseClick(card, LEFT)
    after = replanned(qtbot, page, planned)
    assert after.run.waits == ()
    assert after.run.last_verified_s == pytest.approx(card.pulled.run.last_verified_s)
    qtbot.waitUntil(lambda: page.verdict.sentence.text() == "No camera waits")
    app.workbench.document.undo_stack.undo()
    qtbot.waitUntil(lambda: "A waits" in page.verdict.sentence.text())


def test_hovering_a_change_draws_its_evening_and_changes_nothing(app, page):
    """A ghost comes and goes with the pointer."""
    before, card = shoot_of(app), page.cards[0]
    card.hovered.emit(card.pulled)
    page.view.grab()
    assert page.view._ghost is card.pulled
    card.hovered.emit(None)
    assert page.view._ghost is None
    assert shoot_of(app) == before


def test_a_risk_is_shown_last_and_cannot_be_taken(page, qtbot):
    """Skipping a check is told with its price; this tool always reads back."""
    risk = page.cards[-1]
    assert risk.pulled.is_a_risk
    with qtbot.assertNotEmitted(risk.taken):
        qtbot.mouseClick(risk, LEFT)
        qtbot.keyClick(risk, Qt.Key.Key_Return)


def test_rules_are_edited_in_their_fields(app, page, qtbot):
    """Order, walk and computer are the shoot's; what can't be is refused in a sentence."""
    rules = page.rules
    rules.order.chosen.emit("needed first")
    assert shoot_of(app).offload.order.value == "needed first"
    rules.walk.selectAll()
    qtbot.keyClicks(rules.walk, "2 min")
    qtbot.keyClick(rules.walk, Qt.Key.Key_Return)
    assert shoot_of(app).offload.walk_s == 120
    rules.at_once.selectAll()
    qtbot.keyClicks(rules.at_once, "99")
    qtbot.keyClick(rules.at_once, Qt.Key.Key_Return)
    assert shoot_of(app).offload.copies_at_once == 1
    assert "copies_at_once" in app.window.job_strip.text.text()


def test_people_are_named_in_a_field_and_keep_their_breaks(app, page, qtbot):
    """Two, one of whom fetches; twice the same name is refused; nobody is refused."""
    document = app.workbench.document
    lunch = (Break(43200, 45000),)
    first = replace(document.shoot.offload, people=(Person("technician", lunch),))
    document.edit(replace(document.shoot, offload=first), "lunch")

    def enter(text):
        page.rules.people.selectAll()
        qtbot.keyClicks(page.rules.people, text)
        qtbot.keyClick(page.rules.people, Qt.Key.Key_Return)
        return shoot_of(app).offload.people

    two = (Person("technician", lunch), Person("loader", (), fetches=True))
    assert enter("technician, loader (fetches)") == two
    assert page.rules.people.text() == "technician, loader (fetches)"
    assert enter("loader, loader") == two
    assert "two people are called 'loader'" in app.window.job_strip.text.text()
    assert enter(" , ") == two
    assert "nobody changes the cards" in app.window.job_strip.text.text()


def test_a_day_that_cannot_be_planned_says_why(app, page, qtbot):
    """On the old tower there are too few ports: one sentence, and no stale picture."""
    page.rules.host.chosen.emit("old-tower")
    qtbot.waitUntil(lambda: page.plan.error is not None)
    assert "Old tower has no ports" in page.notes_line.text()
    assert page.view.isHidden() or not page._frame.isVisibleTo(page)
    assert page.cards == []
    app.workbench.document.undo_stack.undo()
    qtbot.waitUntil(lambda: page.plan.planned is not None)


def test_another_day_is_planned_when_it_is_chosen(page, qtbot):
    """Day 6 has the launch; its plan is its own."""
    planned = page.plan.planned
    page.day_choice.chosen.emit("6")
    assert replanned(qtbot, page, planned).number == 6
    assert page.plan.planned.day.cameras[0].longest_take_s > 3000


def test_an_empty_shoot_shows_what_to_do_next(app, page, qtbot):
    """Without cameras there is a step to Shoot in the place of a picture."""
    document = app.workbench.document
    document.edit(replace(document.shoot, cameras=()), "none")
    qtbot.waitUntil(lambda: page.plan.planned is None)
    assert page.next_step.isVisibleTo(page)
    page.next_step.buttons[0].click()
    assert app.window.open_station is app.window.station("shoot")


def test_a_page_that_nobody_looks_at_plans_nothing_until_it_is_opened(app, page, qtbot):
    """Edits made elsewhere are planned when Roll is shown again."""
    planned = page.plan.planned
    app.window.show_station("shoot")
    document = app.workbench.document
    document.edit(replace(document.shoot, day_end_s=document.shoot.day_end_s + 1800), "later")
    qtbot.wait(50)
    assert page.plan.planned is planned
    app.window.show_station("roll")
    assert replanned(qtbot, page, planned).shoot == document.shoot


def test_the_picture_is_of_the_plan_in_both_looks(app, page):
    """Light and dark draw without cutting a text, also with a camera that never gets a card."""
    from vastcellar.ui.look import DARK

    app.look.set_palette(DARK)
    assert not page.view.grab().isNull()
    assert page.view.cut_texts == []
    shoot = shoot_of(app)
    rules = replace(shoot.offload, verified_copies=3)
    app.workbench.document.edit(replace(shoot, offload=rules), "three copies")
    page.plan.plan()
    assert run_day(page.plan.planned.day).waited_s == float("inf")
    assert not page.view.grab().isNull()
    assert "has no card from" in page.verdict.sentence.text()


def test_units_go_into_a_pool_and_out_again(app, page, qtbot):
    """What is free is offered with its room; taken, it is offered no more, and undo works."""
    app.workbench.document.choose("A")
    pool = page.pool
    qtbot.waitUntil(lambda: pool.title.text() == "Pool of A: M-03")
    assert pool.add.findData("M-01") >= 0
    assert pool.add.findData("K-11") < 0  # B records to it
    assert not pool.out.isEnabled()
    pool.add.chosen.emit("M-01")
    assert shoot_of(app).camera("A").pool_tags == ("M-01",)
    qtbot.waitUntil(lambda: pool.title.text() == "Pool of A: M-03, M-01")
    assert pool.add.findData("M-01") < 0
    pool.out.chosen.emit("M-01")
    assert shoot_of(app).camera("A").pool_tags == ()
    app.workbench.document.undo_stack.undo()
    assert shoot_of(app).camera("A").pool_tags == ("M-01",)


def typed(qtbot, field, text):
    """Type over what stands in a field."""
    field.selectAll()
    qtbot.keyClicks(field, text) if text else field.clear()
    field.setModified(True)
    qtbot.keyClick(field, Qt.Key.Key_Return)


def test_hours_of_a_camera_and_breaks_of_all_are_typed(app, page, qtbot):
    """Its own call, the shoot's again when it is emptied; breaks of cameras and people at once."""
    app.workbench.document.choose("B")
    qtbot.waitUntil(lambda: page.pool.call.text() == "13:15")
    typed(qtbot, page.pool.call, "9:00")
    assert shoot_of(app).camera("B").call_s == 9 * 3600
    typed(qtbot, page.pool.call, "")
    assert shoot_of(app).camera("B").call_s is None
    typed(qtbot, page.pool.breaks, "12:00-12:30, 16:00-16:10")
    shoot = shoot_of(app)
    assert [(each.start_s, each.end_s) for each in shoot.breaks] == [(43200, 45000), (57600, 58200)]
    assert shoot.offload.people[0].breaks == shoot.breaks


@pytest.mark.parametrize(
    ("text", "says"),
    [("noon", "is no break"), ("13:00-12:00", "it goes from 13 h to 12 h"), ("12:30-x", "x")],
)
def test_a_break_that_is_none_stays_as_typed_with_its_sentence(app, page, qtbot, text, says):
    """Nothing of the shoot changes."""
    before = shoot_of(app)
    typed(qtbot, page.pool.breaks, text)
    assert shoot_of(app) == before
    assert says in app.window.job_strip.text.text()
    assert page.pool.breaks.text() == text


def test_a_wrap_before_the_call_is_refused(app, page, qtbot):
    """One sentence, and the old hours stand again."""
    app.workbench.document.choose("B")
    qtbot.waitUntil(lambda: page.pool.wrap.text() == "17:30")
    typed(qtbot, page.pool.wrap, "8:00")
    assert "its day ends at 8 h" in app.window.job_strip.text.text()
    assert shoot_of(app).camera("B").wrap_s == 63000


def tick(page, text):
    """Open the menu of members and click one of them."""
    menu = page.stations.members.menu()
    menu.aboutToShow.emit()
    action = next(each for each in menu.actions() if each.text() == text)
    assert action.isEnabled()
    action.trigger()


def choose(choice, key):
    """Choose what stands under *key*, as a user does."""
    choice.setCurrentIndex(choice.findData(key))
    choice.activated.emit(choice.currentIndex())


def second_station(qtbot, app, page):
    """Add a station at the desk to which C and D belong, with two drives of its own."""
    shoot = shoot_of(app)
    desk_copies = (Copy("Desk copy", unit_tags=("K-07",)), Copy("More", unit_tags=("K-14",)))
    app.workbench.document.edit(replace(shoot, copies=(*shoot.copies, *desk_copies)), "copies")
    choose(page.stations.choice, "\0add")
    assert page.plan.station == "Station 2" and page.plan.planned is None
    assert "nothing is copied there yet" in page.notes_line.text()
    choose(page.rules.host, "boathouse-desk")
    for text in ("Cards of C", "Cards of D", "Desk copy", "More"):
        tick(page, text)
    qtbot.waitUntil(lambda: page.plan.planned is not None)


def test_another_station_has_its_cameras_its_copies_and_its_computer(qtbot, app, page):
    """Added and filled by hand: each station is planned and drawn by itself, both are told."""
    second_station(qtbot, app, page)
    assert {trip.camera_key for trip in page.plan.planned.run.trips} == {"C", "D"}
    assert page.plan.planned.host.key == "boathouse-desk"
    assert shoot_of(app).offload.host_key == "van-laptop"
    assert "first station: " in page.last.text() and "A waits " in page.last.text()
    page.view.grab()
    assert page.view.cut_texts == []
    choose(page.stations.choice, FIRST)
    assert {trip.camera_key for trip in page.plan.planned.run.trips} == {"A", "B"}
    assert "Station 2: " in page.last.text()
    assert page.stations.members.isVisible()


def test_what_is_done_at_one_station_stays_there(qtbot, app, page):
    """A dragged pool, people and walk of the second; breaks are everybody's; undo takes it back."""
    second_station(qtbot, app, page)
    before = shoot_of(app)
    page.view.camera_chosen.emit("C")
    qtbot.keyClick(page.view, Qt.Key.Key_Plus)
    assert shoot_of(app).camera("C").more_media == before.camera("C").more_media + 1
    typed(qtbot, page.rules.walk, "90 s")
    assert shoot_of(app).offload.further[0].walk_s == 90
    assert shoot_of(app).offload.walk_s == before.offload.walk_s
    assert at_station(shoot_of(app), FIRST).cameras == at_station(before, FIRST).cameras
    typed(qtbot, page.pool.breaks, "16-16:30")
    people = (*shoot_of(app).offload.people, *shoot_of(app).offload.further[0].people)
    assert {each.breaks for each in people} == {shoot_of(app).breaks}
    app.workbench.document.undo_stack.undo()
    app.workbench.document.undo_stack.undo()
    assert shoot_of(app).offload.further[0].walk_s == before.offload.further[0].walk_s


def test_a_station_is_renamed_and_removed_with_nothing_lost(qtbot, app, page):
    """Its cameras follow the new name; removed, they are the first's, and the plan is too."""
    second_station(qtbot, app, page)
    typed(qtbot, page.stations.name, "Boathouse")
    assert page.plan.station == "Boathouse" and page.plan.planned is not None
    assert shoot_of(app).camera("C").station == "Boathouse"
    tick(page, "Cards of D")
    assert shoot_of(app).camera("D").station == FIRST
    page.stations.remove.trigger()
    assert page.plan.station == FIRST and not shoot_of(app).offload.further
    assert all(each.station == FIRST for each in (*shoot_of(app).cameras, *shoot_of(app).copies))
    app.workbench.document.undo_stack.undo()
    assert station_names(shoot_of(app)) == (FIRST, "Boathouse")


def test_the_first_station_gives_nothing_away_and_takes_what_it_is_given(qtbot, app, page):
    """What is there can't be unticked: nobody would have it. What is elsewhere can be taken."""
    second_station(qtbot, app, page)
    choose(page.stations.choice, FIRST)
    menu = page.stations.members.menu()
    menu.aboutToShow.emit()
    ticked = {each.text(): each for each in menu.actions() if each.isChecked()}
    assert set(ticked) >= {"Cards of A", "Cards of B"}
    assert not any(each.isEnabled() for each in ticked.values())
    tick(page, "Cards of C")
    assert shoot_of(app).camera("C").station == FIRST
