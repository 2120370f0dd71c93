"""A shoot's day at a real computer's ports: from the demo, and what can't be planned."""

import math
from dataclasses import replace
from datetime import UTC, datetime

import pytest

from core.roll.copied_cards import VERIFIED, clip, kept
from vastcellar.core.errors import BadValueError
from vastcellar.core.evidence import Verdict
from vastcellar.core.parts.units import Unit
from vastcellar.core.roll.claims import check_claim
from vastcellar.core.roll.day_run import run_day
from vastcellar.core.roll.drawn_days import Spread
from vastcellar.core.roll.levers import LeverKind, let_happen
from vastcellar.core.roll.offloading import HASH, LINK
from vastcellar.core.roll.time_left import expected_copy
from vastcellar.core.shoot.offload import CardOrder, Offload, Person
from vastcellar.core.shoot.shoot import Copy
from vastcellar.core.units import PLAIN
from vastcellar.services.match.judging import judge_camera
from vastcellar.services.roll.day_answers import (
    _other_drives,
    _spares_for_pools,
    answer_day,
    draw,
    taken,
)
from vastcellar.services.roll.day_planning import plan_day
from vastcellar.services.roll.day_wording import (
    FILLS_SUM,
    HOME_SUM,
    LAST_SUM,
    beside_plan,
    claim_text,
    drawn_text,
    last_text,
    later_text,
    lever_lines,
    lever_title,
    limit_text,
    moved_by_text,
    pool_text,
    roll_sums,
    spread_text,
    wait_sum_key,
    waits_text,
    waits_verdict,
)
from vastcellar.store.run_record import RunRecord


@pytest.fixture
def planned(slipway, catalog, shelf):
    """Day 1 of the demo."""
    return plan_day(slipway, 1, catalog, shelf)


@pytest.fixture
def answers(planned, catalog, shelf):
    """What follows from it."""
    return answer_day(planned, catalog, shelf)


def test_two_cameras_of_the_demo_wait_with_the_pool_as_it_is(planned):
    """A and B have one unit each, and stand while it is copied."""
    assert {wait.camera_key for wait in planned.run.waits} == {"A", "B"}
    assert waits_verdict(planned.run) is Verdict.FALLS_SHORT
    assert waits_text(planned.run, PLAIN).startswith("A waits ")
    assert math.isfinite(planned.run.last_verified_s)


def test_what_is_recorded_is_what_the_shoot_plans(planned, slipway):
    """The day's cards hold the hours that the shoot says, of each camera."""
    for camera in planned.day.cameras:
        cards = [trip for trip in planned.run.trips if trip.camera_key == camera.key]
        hours = slipway.camera(camera.key).hours_on(1)
        assert sum(t.card_bytes for t in cards) == pytest.approx(camera.bytes_per_s * hours * 3600)


def test_the_smallest_pool_mends_the_demo(planned, answers):
    """With it no camera waits; with one card fewer of a camera that has more, one does."""
    assert answers.pool.is_proved
    assert answers.pool.run.waits == ()
    assert dict(answers.pool.counts)["A"] > 1
    text = pool_text(answers.pool, planned.day, PLAIN)
    assert text.startswith("Smallest pool without waits: ")
    assert "missing: " in text


def test_every_change_that_can_be_taken_gives_the_day_that_it_showed(
    planned, answers, catalog, shelf
):
    """The shoot with the change taken is planned anew: same waits, same last verified copy."""
    kinds = set()
    for pulled in answers.pulled:
        shoot = taken(planned, pulled.lever)
        if shoot is None:
            continue
        kinds.add(pulled.lever.kind)
        again = plan_day(shoot, 1, catalog, shelf).run
        assert again.last_verified_s == pytest.approx(pulled.run.last_verified_s), pulled.lever
        assert again.waited_s == pytest.approx(pulled.run.waited_s), pulled.lever
    assert {LeverKind.POOL, LeverKind.CARD} <= kinds


def test_a_unit_into_a_pool_with_bought_cards_gives_what_was_claimed(slipway, catalog, shelf):
    """The plan puts units of the shelf before cards to buy, and so does the offer."""
    shoot = slipway
    for camera in slipway.cameras:
        shoot = shoot.with_camera(replace(shoot.camera(camera.key), more_media=1))
    planned = plan_day(shoot, 1, catalog, shelf)
    offered = let_happen(_spares_for_pools(planned, catalog, shelf), planned.run)
    assert offered
    for pulled in offered:
        again = plan_day(taken(planned, pulled.lever), 1, catalog, shelf).run
        assert again.last_verified_s == pulled.run.last_verified_s
        assert again.waited_s == pulled.run.waited_s


def test_a_unit_offered_for_a_pool_is_free_and_holds_the_camera(
    planned, answers, slipway, catalog, shelf
):
    """It is ready, in no other use, and Match says that its longest take holds."""
    from vastcellar.core.shoot.shoot import tags_in_use
    from vastcellar.services.match.matching import setup_for_unit

    offered = [p.lever for p in answers.pulled if p.lever.kind is LeverKind.POOL]
    assert offered
    for lever in offered:
        unit = shelf.unit(lever.with_what)
        assert unit.is_ready
        assert unit.tag not in tags_in_use(slipway)
        camera = slipway.camera(lever.subject)
        setup = setup_for_unit(slipway, camera, unit, catalog, shelf)
        verdict = judge_camera(slipway, replace(camera, setup=setup), catalog, shelf).verdict
        assert verdict in (Verdict.HOLDS, Verdict.TIGHT)


def test_of_a_large_shelf_only_the_quickest_drives_are_tried(planned, catalog, shelf):
    """Fifty more units that would do: a dozen are let happen for a day, the fastest of them."""
    kinds = ("kelmarsh-vane-4", "torvane-t2-4", "pentle-q1-4")
    more = tuple(Unit(f"Z-{n:02}", kinds[n % 3], "drumlin-fin") for n in range(50))
    large = replace(shelf, units=(*shelf.units, *more))
    offered = list(_other_drives(planned, catalog, large))
    assert len(offered) == 12
    best = max(catalog.drive(kind).behaviour.direct_write_bytes_per_s for kind in kinds)
    rates = [
        next(
            d for d in lever.day.drives if d.tag == lever.with_what
        ).behaviour.direct_write_bytes_per_s
        for lever in offered
    ]
    assert max(rates) >= best
    assert rates == sorted(rates, reverse=True)


def test_no_change_makes_it_worse_and_a_risk_stands_last(answers):
    """What is offered helps; what leaves a copy unverified comes after all the rest."""
    assert all(pulled.helps for pulled in answers.pulled)
    risks = [pulled.is_a_risk for pulled in answers.pulled]
    assert risks == sorted(risks)


def test_the_sums_end_in_the_moments_that_they_are_of(planned):
    """The last line of each sum is its figure, and every wait has one."""
    sums = roll_sums(planned, PLAIN)
    last = PLAIN.time_of_day(planned.run.last_verified_s)
    assert sums[LAST_SUM].lines[-1].value == last
    assert last_text(planned.run, PLAIN).endswith(last)
    for wait in planned.run.waits:
        found = sums[wait_sum_key(wait)]
        assert found.lines[-1].value == PLAIN.duration(round(wait.duration_s))
        assert found.lines[0].value == PLAIN.time_of_day(wait.from_s)


def test_the_stretches_of_a_copy_add_up_to_the_card(planned):
    """Bytes and seconds by limit are those of the whole copy: nothing of the sum is left out."""
    from vastcellar.services.roll.day_wording import _by_limit

    for trip in planned.run.trips:
        parts = _by_limit(planned.run, trip)
        assert sum(part[1] for part in parts) == pytest.approx(trip.card_bytes, rel=1e-6)
        assert sum(part[2] for part in parts) == pytest.approx(trip.copied_s - trip.start_s)


def test_drives_hang_on_ports_of_their_own_and_cards_find_another(planned):
    """No port has two devices, and the reader of a card is none that a drive hangs on."""
    ports = [copy.placed[0].port_key for copy in planned.copies]
    assert len(set(ports)) == len(ports)
    for placed in planned.cards.values():
        assert placed
        assert not set(placed) & set(ports)


def test_a_port_of_ones_own_choice_is_kept(slipway, catalog, shelf):
    """The safety copy is said to hang on the 10G port, and does; what can't work says why."""
    rules = replace(slipway.offload, ports=(("H-02", "c-10g"),))
    planned = plan_day(replace(slipway, offload=rules), 1, catalog, shelf)
    assert {c.tag: c.placed[0].port_key for c in planned.copies}["H-02"] == "c-10g"
    rules = replace(slipway.offload, ports=(("K-06", "a-5g"),))
    with pytest.raises(
        BadValueError, match=r"K-06 doesn't work in the Type-A 5G chosen for it: .* W"
    ):
        plan_day(replace(slipway, offload=rules), 1, catalog, shelf)


def test_a_computer_with_too_few_ports_is_refused_by_name(slipway, catalog, shelf):
    """The old tower has two ports: two drives and a card don't go together there."""
    rules = replace(slipway.offload, host_key="old-tower")
    with pytest.raises(BadValueError, match=r"Old tower has no ports that take H-02, K-06"):
        plan_day(replace(slipway, offload=rules), 1, catalog, shelf)


def test_what_cannot_be_planned_is_said(slipway, catalog, shelf):
    """A unit on loan, one nobody knows, a copy without a unit, a camera without a setup."""
    a, b = slipway.camera("A"), slipway.camera("B")
    shoot = slipway.with_camera(replace(a, pool_tags=("P-01", "X-99")))
    shoot = shoot.with_camera(replace(b, setup=None))
    notes = " | ".join(plan_day(shoot, 1, catalog, shelf).notes)
    assert "P-01 of A is on loan: it is left out" in notes
    assert "X-99 of A isn't in the cellar: it is left out" in notes
    assert "B records to nothing yet: it is left out" in notes
    assert "the Working copy has no unit to be made on" in notes


def test_more_copies_than_drives_are_said_before_anybody_waits(slipway, catalog, shelf):
    """Three are asked for, and two drives count: no card comes back, and the plan says why."""
    rules = replace(slipway.offload, verified_copies=3)
    planned = plan_day(replace(slipway, offload=rules), 1, catalog, shelf)
    assert planned.notes[-1] == (
        "3 verified copies are asked for and 2 drives count: no card is ever free again"
    )
    assert "A has no card from" in waits_text(planned.run, PLAIN)


def test_a_unit_that_is_copied_to_is_no_card_as_well(slipway, catalog, shelf):
    """K-06 takes the van's copy: in A's pool it is left out, and said."""
    shoot = slipway.with_camera(replace(slipway.camera("A"), pool_tags=("K-06", "M-01")))
    planned = plan_day(shoot, 1, catalog, shelf)
    assert [card.tag for card in planned.day.cameras[0].cards] == ["M-03", "M-01"]
    assert "K-06 of A is copied to as well: it is left out" in planned.notes


def test_a_day_on_which_nothing_is_recorded_says_so(slipway, catalog, shelf):
    """No camera rolls: no waits, no copy, and nothing that would help."""
    cameras = tuple(each.with_hours_on(1, 0.0) for each in slipway.cameras)
    planned = plan_day(replace(slipway, cameras=cameras), 1, catalog, shelf)
    assert planned.run.trips == ()
    assert last_text(planned.run, PLAIN) == "Nothing is recorded on this day"
    assert waits_text(planned.run, PLAIN) == "No camera waits"
    answers = answer_day(planned, catalog, shelf)
    assert answers.pulled == ()
    assert pool_text(answers.pool, planned.day, PLAIN) == "Nothing is recorded: no pool is needed"
    assert drawn_text(draw(planned, 3), PLAIN) == "Nothing is recorded on any drawn day"


def test_a_shoot_without_cameras_or_copies_is_refused(slipway, catalog, shelf):
    """There is no day to plan, and the sentence says where to begin."""
    with pytest.raises(BadValueError, match="no camera records"):
        plan_day(replace(slipway, cameras=()), 1, catalog, shelf)
    with pytest.raises(BadValueError, match="no copy of the shoot has a unit"):
        plan_day(replace(slipway, copies=()), 1, catalog, shelf)
    with pytest.raises(BadValueError, match="no day 7"):
        plan_day(slipway, 7, catalog, shelf)


def test_a_drive_that_is_not_ours_counts_by_what_it_is_said_to_write(slipway, catalog, shelf):
    """A client's drive of 60 MB/s sets the pace, and its copy frees no card."""
    client = Copy("Client copy", is_handed_over=True, write_bytes_per_s=60e6)
    planned = plan_day(replace(slipway, copies=(*slipway.copies, client)), 1, catalog, shelf)
    drive = planned.day.drives[-1]
    assert (drive.tag, drive.counts) == ("Client copy", False)
    assert "Client copy" in {each.limit for each in planned.run.copies}
    alone = replace(slipway, copies=(slipway.copies[1], client))
    run = plan_day(alone, 1, catalog, shelf).run
    assert all(math.isinf(trip.safe_s) for trip in run.trips)


def test_the_day_takes_the_next_unit_of_a_copy_when_the_first_is_full(slipway, catalog, shelf):
    """The safety copy of day 1 goes onto the larger disk; the second day has no room, and it is
    said."""
    planned = plan_day(slipway, 1, catalog, shelf)
    safety = planned.copies[0]
    assert safety.tag == "H-02"
    assert [each.fits for each in safety.filled][:2] == [True, False]
    assert any(
        "the Safety copy has no unit with room for the whole of day 2" in note
        for note in plan_day(slipway, 2, catalog, shelf).notes
    )


def test_more_media_are_cards_like_the_first(slipway, catalog, shelf):
    """One more medium for A is a card of the same room and rate that isn't on the shelf."""
    a = slipway.camera("A")
    planned = plan_day(slipway.with_camera(replace(a, more_media=1)), 1, catalog, shelf)
    first, more = planned.day.cameras[0].cards
    assert not more.is_on_shelf
    assert (more.room_bytes, more.reads) == (first.room_bytes, first.reads)


def test_drawn_days_are_told_with_what_moves_them(planned):
    """Half and nine of ten, in order; with nothing drawn nothing moves it."""
    days = draw(planned, 40)
    assert days.percentile_s(50) <= days.percentile_s(90)
    assert drawn_text(days, PLAIN).startswith("40 drawn days: half of them before ")
    assert moved_by_text(days, PLAIN).startswith("What moves it: ")
    still = draw(planned, 3, Spread(0, 0, 0, 0))
    assert moved_by_text(still, PLAIN) == "Nothing that was drawn moves it"
    assert spread_text(days.spread, PLAIN) == (
        "Assumed: wraps come 5 min late, ± 19 min; what cameras roll ± 6 %, "
        "how fast drives are ± 5 %"
    )


def test_levers_read_as_sentences(answers):
    """Each has a title, and says waits, evening and price; none shows a key or a figure raw."""
    for pulled in answers.pulled:
        lines = (lever_title(pulled, PLAIN), *lever_lines(pulled, PLAIN))
        assert all(lines)
        assert not any("_" in line or "inf" in line.split() for line in lines)


def test_a_claim_is_told_with_what_it_asks_and_what_stands_in_its_way(planned):
    """Onto a hard disk 2 TB in half an hour can't be; in a week they can."""
    told = claim_text(check_claim(planned.day, 2e12, 1800), PLAIN)
    assert told.startswith(
        "2 TB in 30 min ask 1\u202f111 MB/s of everything on the way: that can't"
    )
    assert "held by H-02" in told
    assert "that can be" in claim_text(check_claim(planned.day, 2e12, 7 * 86_400), PLAIN)


def test_who_can_go_home_when_is_told_the_first_first(planned):
    """Air wraps before the technician, who stays for the last verified copy."""
    lines = roll_sums(planned, PLAIN)[HOME_SUM].lines
    assert lines[-1].label == "technician"
    assert lines[-1].value == PLAIN.time_of_day(planned.run.last_verified_s)
    assert {line.label for line in lines} >= {"A Main", "C Air"}


def test_what_fits_by_day_adds_up(planned):
    """What is left of one day on a unit is what the next begins with there."""
    lines = roll_sums(planned, PLAIN)[FILLS_SUM].lines
    assert len(lines) == 2 * planned.shoot.days
    by_unit = {}
    for copy in planned.copies:
        for each in copy.filled:
            tag = copy.copy.unit_tags[each.drive]
            if tag in by_unit and copy.copy.keep_days == 0:
                assert each.free_bytes == pytest.approx(by_unit[tag])
            by_unit[tag] = max(each.free_bytes - each.day_bytes, 0.0)


def test_a_copied_card_stands_beside_its_plan(planned):
    """As long as planned, or how much longer; another name has no plan."""
    trip = planned.run.trips[0]
    size = int(trip.card_bytes)
    copy = kept(clip("C1", VERIFIED, VERIFIED, size=size), name=trip.card_tag)
    planned_s = trip.over_s - trip.start_s

    def told(seconds):
        outcome = replace(copy.outcome, elapsed_s=seconds)
        return beside_plan(planned, replace(copy, outcome=outcome), PLAIN)

    assert told(planned_s * 1.01).endswith("as planned")
    assert told(planned_s * 1.5).endswith("+50 % beside the plan")
    assert beside_plan(planned, replace(copy, card_name="X-1"), PLAIN) == ""


@pytest.mark.parametrize(
    ("limit", "says"),
    [
        (HASH, "the checksum"),
        ("M-03", "what comes off M-03"),
        ("K-06", "K-06"),
        (f"K-06{LINK}", "the link of K-06"),
        (f"K-06{LINK}\nin", "the link of K-06"),
    ],
)
def test_what_limits_a_copy_is_named(limit, says):
    """By what it is, never by a key."""
    assert limit_text(limit, "M-03") == says


def test_the_rules_of_the_shoot_reach_the_day(slipway, catalog, shelf):
    """People, walk, order, copies at once and the rule of wiping are those that were typed."""
    rules = Offload(
        "boathouse-desk", (Person("loader", fetches=True),), 120, 30, CardOrder.NEEDED, 2, 1
    )
    day = plan_day(replace(slipway, offload=rules), 1, catalog, shelf).day
    assert day.people == rules.people
    assert (day.walk_s, day.swap_s, day.order) == (120, 30, CardOrder.NEEDED)
    assert (day.copies_at_once, day.verified_copies) == (2, 1)
    assert run_day(day).trips


def copy_run_of(tag, whole_s, **changes):
    """A kept copy of 60 GB onto a unit, on a 10G link."""
    figures = {
        "written_bytes": 60e9, "verified_bytes": 60e9, "files": 20, "whole_s": whole_s,
        "sets_pace": True, "different": [], "bytes_per_s": 60e9 / whole_s, "card": "A001",
    }  # fmt: skip
    record = RunRecord(
        tag, "copy", datetime(2026, 11, 20, tzinfo=UTC), False, True, {"usb_bits_per_s": 10e9},
        figures,
    )  # fmt: skip
    return replace(record, **changes)


def test_the_plan_learns_from_measured_copies(planned, slipway, catalog, shelf):
    """H-02 took half as long again as its profile says: the day is planned by that, and it is
    said; another unit or an unknown link teach nothing."""
    drive = planned.day.drives[0]
    on_10g = catalog.modes["usb-10g"].typical_bytes_per_s
    as_it_hung = replace(drive, link_cap_bytes_per_s=on_10g, link_read_bytes_per_s=on_10g)
    usual_s = expected_copy(60e9, 20, 1e15, (as_it_hung,)).over_s
    slow = copy_run_of("H-02", usual_s * 1.5)
    taught = plan_day(slipway, 1, catalog, replace(shelf, records=(slow,)))
    assert dict(taught.learned)["H-02"].factor == pytest.approx(1 / 1.5)
    assert taught.run.last_verified_s > planned.run.last_verified_s
    assert "H-02 by a measured copy: \u221233 % beside its profile" in (
        roll_sums(taught, PLAIN)[LAST_SUM].source
    )
    for other in (
        replace(slow, unit_tag="K-07"),
        replace(slow, conditions={"usb_bits_per_s": 0.0}),
        replace(slow, is_complete=False),
        replace(slow, figures={**slow.figures, "sets_pace": False}),
        replace(slow, figures={**slow.figures, "verified_bytes": 1.0}),
    ):
        same = plan_day(slipway, 1, catalog, replace(shelf, records=(other,)))
        assert same.learned == ()
        assert same.run.last_verified_s == planned.run.last_verified_s


def with_later(shoot, **changes):
    """The demo with its safety copy made later, from the client's."""
    made = tuple(
        replace(each, made_from="Van copy", **changes) if each.name == "Safety copy" else each
        for each in shoot.copies
    )
    return replace(shoot, copies=made)


def test_a_copy_made_later_leaves_the_station_and_is_planned_after_the_day(
    slipway, catalog, shelf, planned
):
    """H-02 no longer holds the day up; the copy begins when K-06 has all, and has its sum."""
    after = plan_day(with_later(slipway), 1, catalog, shelf)
    assert [each.tag for each in after.day.drives] == ["K-06"]
    assert after.run.last_verified_s < planned.run.last_verified_s
    (goes,) = after.later
    assert (goes.copy.drive.tag, goes.copy.from_tag) == ("H-02", "K-06")
    assert goes.start_s == after.run.last_verified_s < goes.copied_s < goes.verified_s
    assert goes.size_bytes == pytest.approx(sum(t.card_bytes for t in after.run.trips))
    assert "no card is ever free before those are made" in " ".join(after.notes)
    told = later_text(after.later, PLAIN)
    assert told.startswith("Safety copy, made later from K-06, ")
    lines = roll_sums(after, PLAIN)["roll-later Safety copy"].lines
    assert lines[-1].value == told.rpartition(", ")[2]


def test_a_later_copy_waits_for_its_hour_and_past_midnight(slipway, catalog, shelf):
    """26:00 is two in the morning."""
    after = plan_day(with_later(slipway, not_before_s=26 * 3600.0), 1, catalog, shelf)
    assert after.later[0].start_s == 26 * 3600
    assert "not before the time that was set" in str(roll_sums(after, PLAIN))


def test_a_later_copy_of_nothing_or_without_room_is_said(slipway, catalog, shelf):
    """Its source has no unit, or its unit is full: a note each, and the day is planned."""
    from_working = tuple(
        replace(each, made_from="Working copy") if each.name == "Safety copy" else each
        for each in slipway.copies
    )
    after = plan_day(replace(slipway, copies=from_working), 1, catalog, shelf)
    assert after.later == () and "the Working copy has no unit" in " ".join(after.notes)
    small = tuple(
        replace(each, made_from="Van copy", unit_tags=("S-02",))
        if each.name == "Safety copy" else each
        for each in slipway.copies
    )  # fmt: skip
    cameras = tuple(c for c in slipway.cameras if c.key != "C")
    after = plan_day(replace(slipway, copies=small, cameras=cameras), 1, catalog, shelf)
    assert not after.later[0].has_room
    assert "S-02 has no room for the Safety copy: it isn't begun" in after.notes


def test_copies_in_a_ring_are_refused(slipway):
    """From itself, from one that is later too, from one that isn't there."""
    first, second, *rest = slipway.copies
    for wrong in (
        replace(first, made_from=first.name),
        replace(first, made_from="nobody's"),
    ):
        with pytest.raises(BadValueError, match="no copy of that name is made from the cards"):
            replace(slipway, copies=(wrong, second, *rest))
    with pytest.raises(BadValueError, match="made from the cards"):
        replace(slipway, copies=(replace(first, made_from=second.name),
                                 replace(second, made_from=first.name), *rest))  # fmt: skip
