"""What happened to a unit, and what follows for today."""

from datetime import date, timedelta

import pytest

from histories import START, happened
from vastcellar.core.cellar.story import EventKind, Story, UnitEvent, stories, worth_now
from vastcellar.core.errors import BadValueError


def test_a_module_that_moved_has_both_stays():
    """In the tower until March, in the flat case since: each with its times."""
    story = Story((happened(60, "case", was="tower-slot", now="flat"),))
    first, second = story.stays(EventKind.CASE, "flat")
    assert (first.name, first.since, first.until) == (
        "tower-slot",
        None,
        START + timedelta(days=60),
    )
    assert (second.name, second.until) == ("flat", None)
    assert [each.name for each in Story().stays(EventKind.CASE, "flat")] == ["flat"]


def test_a_loan_is_open_until_it_is_returned_and_overdue_after_its_day():
    """Lent, back, lent again: the second is open, and 6 days late on the 6th day after."""
    story = Story((
        happened(1, "lent", to="office"), happened(9, "returned"),
        happened(30, "lent", to="office", due_on="2025-03-01"),
    ))  # fmt: skip
    assert [each.until is None for each in story.loans] == [False, True]
    assert story.loan.days_overdue(date(2025, 3, 7)) == 6
    assert story.loan.days_overdue(date(2025, 2, 28)) == 0
    lent_on = Story((happened(1, "lent", to="one"), happened(5, "lent", to="two")))
    assert [(each.to, each.until is None) for each in lent_on.loans] == [
        ("one", False),
        ("two", True),
    ]


def test_after_it_was_dropped_what_was_proved_says_nothing():
    """Dropped doubts its duty; a label that was printed doesn't, nor does heat."""
    assert (
        Story((happened(3, "label"), happened(4, "incident", what="got hot"))).doubted_since()
        is None
    )
    assert (
        Story((happened(5, "incident", what="dropped"),)).doubted_since().text("what") == "dropped"
    )


def test_events_fall_to_their_units_in_order_of_time():
    """Whatever order they were kept in."""
    found = stories(
        [happened(9, "returned", "A"), happened(2, "lent", "A", to="x"), happened(1, "label", "B")]
    )
    assert [each.kind for each in found["A"].events] == [EventKind.LENT, EventKind.RETURNED]
    assert set(found) == {"A", "B"}


@pytest.mark.parametrize(
    ("kind", "data", "words"),
    [
        ("lent", {}, "to is missing"),
        ("lent", {"to": "  "}, "nobody is named"),
        ("lent", {"to": "office", "due_on": "soon"}, "is no day"),
        ("incident", {"what": "vanished"}, "there is no incident"),
        ("bought", {"price": -1}, "price"),
        ("wear", {"used_share": -0.1}, "used_share"),
        ("case", {"now": "flat"}, "was is missing"),
    ],
)
def test_what_cannot_have_happened_is_refused(kind, data, words):
    """One sentence that names what is wrong with it."""
    with pytest.raises(BadValueError, match=words):
        happened(1, kind, **data)
    with pytest.raises(BadValueError, match="no time zone"):
        UnitEvent("A", START.replace(tzinfo=None), EventKind.LABEL)


def test_it_is_written_off_evenly():
    """Half of its price at half of its years, nothing after all of them, never above it."""
    bought = date(2024, 1, 1)
    assert worth_now(200, bought, date(2026, 1, 1), 4) == pytest.approx(100, rel=0.01)
    assert worth_now(200, bought, date(2030, 1, 1), 4) == 0
    assert worth_now(200, bought, date(2023, 1, 1), 4) == 200
    with pytest.raises(BadValueError):
        worth_now(200, bought, bought, 0)


def test_set_ready_by_hand_or_retired_it_isnt_lent_any_more():
    """The story follows what somebody said of its state without noting that it came back."""
    by_hand = Story((happened(1, "lent", to="x"), happened(9, "state", was="on loan", now="ready")))
    assert by_hand.loan is None and by_hand.loans[0].until is not None
    assert (
        Story((happened(1, "lent", to="x"), happened(9, "retired", wiped="shredded"))).loan is None
    )
    other = Story((happened(1, "lent", to="x"), happened(2, "state", was="ready", now="on loan")))
    assert other.loan is not None
