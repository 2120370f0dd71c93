"""The smallest pool against trying everything, and what a pool is made of."""

from itertools import product

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from core.roll.roll_days import GB, MB, camera, cards, day, drive
from vastcellar.core.roll import pools
from vastcellar.core.roll.day_run import run_day
from vastcellar.core.roll.pools import smallest_pool, with_cards, with_pools

DAYS = st.tuples(
    st.lists(st.tuples(st.integers(3, 16), st.integers(0, 30)), min_size=1, max_size=5),
    st.lists(st.tuples(st.integers(3, 16), st.integers(0, 30)), min_size=1, max_size=4),
    st.integers(60, 500),
)


def drawn(a, b, write):
    """A day of two cameras whose takes and pauses are given in minutes."""
    rolls = []
    for key, takes in (("A", a), ("B", b)):
        spans, at_h = [], 8.0
        for minutes, pause in takes:
            spans.append((at_h, minutes))
            at_h += (minutes + pause) / 60
        rolls.append(camera(spans, key, cards=cards(f"{key}-", 1)))
    return day(*rolls, drives=(drive(write=write * MB),), walk_s=120)


@settings(max_examples=40, deadline=None)
@given(DAYS)
def test_the_smallest_pool_is_what_trying_all_pools_finds(made):
    """No pool of fewer cards is without waits, by trying each of them."""
    value = drawn(*made)
    found = smallest_pool(value)
    assert found.is_proved
    assert found.run.waits == ()
    without = [
        sum(counts)
        for counts in product(range(1, 7), repeat=2)
        if not run_day(with_pools(value, dict(zip("AB", counts, strict=True)))).waits
    ]
    assert found.cards == min(without)


@settings(max_examples=15, deadline=None)
@given(DAYS)
def test_a_pool_too_large_to_try_out_is_found_by_adding_and_says_so(made):
    """Where too many pools would have to be tried, the answer has no waits and no card to spare."""
    value = drawn(*made)
    before, pools._MOST_RUNS = pools._MOST_RUNS, 0
    try:
        found = smallest_pool(value)
    finally:
        pools._MOST_RUNS = before
    assert not found.is_proved
    assert run_day(with_pools(value, dict(found.counts))).waits == ()
    for key, count in found.counts:
        if count > 1:
            fewer = with_pools(value, {**dict(found.counts), key: count - 1})
            assert run_day(fewer).waits


def test_a_camera_that_never_changes_needs_one_card():
    """One card that holds the day is the whole pool."""
    assert smallest_pool(day(camera([(8, 5), (9, 5)]))).counts == (("A", 1),)


def test_more_cards_are_like_the_first_and_not_on_the_shelf():
    """What a pool lacks is named after its camera, never like a card that is there."""
    roll = camera([(8, 5)], cards=(*cards("A+", 1), *cards("B", 1, room=50 * GB)))
    more = with_cards(roll, 4).cards
    assert [card.tag for card in more] == ["A+1", "B1", "A+2", "A+3"]
    assert [card.is_on_shelf for card in more] == [True, True, False, False]
    assert {card.room_bytes for card in more[2:]} == {100 * GB}
    assert with_cards(roll, 1).cards == roll.cards[:1]


@pytest.mark.parametrize("count", [1, 2, 3])
def test_a_pool_never_needs_more_cards_than_fills(count):
    """Fills in a row without a pause, and a drive too slow to give one back, need one card each."""
    spans = [(8 + n * 16 / 60, 16) for n in range(count)]
    value = day(camera(spans), drives=(drive(write=20 * MB),))
    assert smallest_pool(value).cards == count
