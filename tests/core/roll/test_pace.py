"""Who sets the pace of a copy."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.errors import BadValueError
from vastcellar.core.roll.pace import CopyMoved, PaceSetter, SharedHub, pace_of


def moved(*, waited=0.0, read_s=5.0, hash_s=1.0, read=4_000, legs=((4_000, 4_000), (3_000, 0)),
          is_going=(True, True)):  # fmt: skip
    """Ten seconds of a copy to two drives, each as (written, verified)."""
    return CopyMoved(
        10.0, read, read_s, hash_s, waited, tuple(each[0] for each in legs),
        tuple(each[1] for each in legs), tuple(read - each[0] for each in legs), is_going,
    )  # fmt: skip


def test_a_reader_that_hardly_waits_is_the_card_or_its_checksum():
    """Which of the two by what took longer."""
    assert pace_of(moved(waited=2.9)).by is PaceSetter.CARD
    assert pace_of(moved(read_s=1.0, hash_s=5.0)).by is PaceSetter.HASH


def test_a_reader_that_waits_is_held_by_the_drive_that_is_furthest_behind():
    """Never by one that was left."""
    found = pace_of(moved(waited=3.0))
    assert (found.by, found.leg) == (PaceSetter.DRIVE, 1)
    assert pace_of(moved(waited=9.0, is_going=(True, False))).leg == 0
    assert pace_of(moved(waited=9.0, is_going=(False, False))) is None


@pytest.mark.parametrize(
    ("waited", "hub", "is_named"),
    [
        (5.0, SharedHub("hub", 700.0, (0, 1)), True),  # 7,000 written in 10 s
        (5.0, SharedHub("hub", 800.0, (0, 1)), False),
        (5.0, SharedHub("hub", 300.0, (1,)), True),
        (5.0, SharedHub("hub", 300.0, (0,)), False),  # full, but who holds it up isn't on it
        (0.0, SharedHub("hub", 400.0, (), has_card=True), True),
        (0.0, SharedHub("hub", 800.0, (0,), has_card=True), True),  # 4,000 read and 4,000 back
        (0.0, SharedHub("hub", 400.0, (0, 1)), False),
    ],
)
def test_a_full_hub_is_named_where_whoever_would_be_hangs_on_it(waited, hub, is_named):
    """Each way on its own: down the writes, up the card and what is read back."""
    found = pace_of(moved(waited=waited), (hub,))
    assert (found.hub is hub) == is_named
    assert (found.by is PaceSetter.HUB) == is_named


def test_of_two_full_hubs_in_a_row_the_narrower_one_is_named():
    """A hub on a hub."""
    hubs = (SharedHub("wide", 700.0, (0, 1)), SharedHub("narrow", 650.0, (0, 1)))
    assert pace_of(moved(waited=5.0), hubs).hub.name == "narrow"


def test_a_hub_that_carries_nothing_is_refused():
    """Its link isn't known: it can't be full."""
    with pytest.raises(BadValueError, match="bytes_per_s is 0"):
        SharedHub("hub", 0.0, (0,))


@given(
    waited=st.floats(0, 10), read=st.integers(0, 10**12), read_s=st.floats(0, 10),
    written=st.lists(st.integers(0, 10**12), min_size=1, max_size=4), limit=st.floats(1, 1e12),
)  # fmt: skip
def test_whoever_is_named_is_there_and_goes_on(waited, read, read_s, written, limit):
    """Any copy: a leg that exists, a hub that was given and is full."""
    count = len(written)
    hub = SharedHub("hub", limit, tuple(range(count)), has_card=True)
    it = CopyMoved(10.0, read, read_s, 1.0, waited, tuple(written), (0,) * count,
                   tuple(max(read - each, 0) for each in written), (True,) * count)  # fmt: skip
    found = pace_of(it, (hub,))
    assert (found is None) == (read == 0)
    if found is not None and found.by is PaceSetter.HUB:
        assert max(sum(written), read) / 10 >= 0.95 * limit
    if found is not None and found.by is PaceSetter.DRIVE:
        assert it.behind_bytes[found.leg] == max(it.behind_bytes)
