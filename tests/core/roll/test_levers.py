"""What would help, each let happen: gains are differences of two days and nothing else."""

import math
from dataclasses import replace

import pytest

from core.roll.roll_days import HOUR, MB, camera, day, drive
from vastcellar.core.roll.day_run import run_day
from vastcellar.core.roll.levers import (
    Lever,
    LeverKind,
    latest_start_s,
    levers_of,
    pull,
    that_night_s,
)
from vastcellar.core.shoot.offload import CardOrder, Person

WAITS = day(camera([(8, 16), (8.3, 16), (12, 10)]), drives=(drive(write=200 * MB),))


def pulled(value):
    """What helps a day, by kind and subject."""
    run = run_day(value)
    return {(p.lever.kind, p.lever.subject): p for p in pull(levers_of(value, run), run)}


def test_one_more_card_ends_the_wait_of_the_camera_that_has_one():
    """A waits for its only card; with a second it never does, and the gain is the whole wait."""
    found = pulled(WAITS)
    card = found[LeverKind.CARD, "A"]
    assert card.run.waits == ()
    assert card.waits_less_s == pytest.approx(run_day(WAITS).waited_s)
    assert not card.is_a_risk


def test_skipping_the_check_gains_and_is_a_risk():
    """The card is back sooner by its check, and a copy is left that nobody read."""
    skip = pulled(WAITS)[LeverKind.SKIP_CHECK, "K-1"]
    assert skip.waits_less_s > 0
    assert skip.is_a_risk
    assert list(pulled(WAITS))[-1] == (LeverKind.SKIP_CHECK, "K-1")


def test_faster_cards_help_only_where_the_cards_are_the_limit():
    """Behind a drive of 200 MB/s cards of 4 GB/s gain nothing; at 100 MB/s they do."""
    assert (LeverKind.FASTER_CARDS, "") not in pulled(WAITS)
    slow = camera([(8, 16), (8.3, 16), (12, 10)])
    slow = replace(
        slow, cards=tuple(replace(card, reads=(("r", 100 * MB),)) for card in slow.cards)
    )
    assert (LeverKind.FASTER_CARDS, "") in pulled(replace(WAITS, cameras=(slow,)))


def test_another_order_helps_the_camera_that_waits():
    """B's large card came first and A has no other: A's goes first where need counts."""
    rolls = (
        camera([(8, 16)], "B", count=2),
        camera([(8, 16.1), (8.6, 3)], "A", rate=99 * MB),
        camera([(8, 16.05)], "C", count=2),
    )
    value = day(*rolls, drives=(drive(write=200 * MB),), order=CardOrder.OLDEST)
    (best,) = [each for (kind, _), each in pulled(value).items() if kind is LeverKind.ORDER]
    assert best.waits_less_s > 600
    needed = run_day(replace(value, order=CardOrder.NEEDED))
    assert needed.waited_s == pytest.approx(best.run.waited_s)


def test_a_card_changed_early_sends_people_home_sooner():
    """The second half of a card that is full at wrap is copied while the camera still rolls."""
    spans = [(8 + n, 1) for n in range(9)]
    found = pulled(day(camera(spans, count=2), drives=(drive(write=20 * MB),)))
    early = found[LeverKind.EARLY_CHANGE, "A"]
    assert early.home_earlier_s > 60
    assert early.run.waits == ()


def test_what_changes_nothing_is_not_offered():
    """A day without waits and with a fast drive has nothing that would help by a minute."""
    assert pulled(day(camera([(8, 1)]), drives=(drive(write=4000 * MB, read=4000 * MB),))) == {}


def test_two_days_that_never_end_are_no_gain_of_each_other():
    """Infinite before and after isn't a difference."""
    never = day(camera([(8, 16), (8.3, 16)]), verified_copies=2)
    run = run_day(never)
    lever = Lever(LeverKind.ORDER, "", never)
    assert math.isinf(run.waited_s)
    assert pull([lever], run) == ()


def test_a_day_may_move_by_what_is_left_until_home():
    """All is verified 310 s after the only take; to be home at 10 it may start that much later."""
    value = day(camera([(8, 10)]), drives=(drive(read=400 * MB),))
    end_s = run_day(value).last_verified_s
    assert latest_start_s(value, 10 * HOUR) == pytest.approx(10 * HOUR - end_s, abs=30)
    assert latest_start_s(value, 8 * HOUR) < 0


def test_no_start_helps_a_day_whose_copies_never_are_verified():
    """Where a card never has its copy, no hour of the morning is early enough."""
    value = day(camera([(8, 10)]), drives=(drive(free_bytes=1.0),))
    assert latest_start_s(value, 20 * HOUR) == -math.inf


def test_somebody_who_fetches_is_a_lever_from_outside():
    """A lever is any other day: with the crew bringing the cards the technician isn't away."""
    fetching = replace(WAITS, people=(Person("technician", fetches=True),), walk_s=600)
    run = run_day(fetching)
    lever = Lever(LeverKind.READER, "crew", replace(fetching, people=(Person("technician"),)))
    (gain,) = pull([lever], run)
    assert gain.waits_less_s > 0


def test_a_time_before_the_first_take_is_that_night():
    """Home by 00:30 on a day that begins in the morning is half past midnight after it."""
    value = day(camera([(8, 10)]))
    first_s = min(take.start_s for camera in value.cameras for take in camera.takes)
    assert that_night_s(value, first_s - 1) == first_s - 1 + 24 * HOUR
    assert that_night_s(value, first_s + HOUR) == first_s + HOUR
