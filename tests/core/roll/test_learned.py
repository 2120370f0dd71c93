"""What measured copies say of a drive, beside the same copies by its profile."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from core.roll.roll_days import FAST, GB, MB, drive
from vastcellar.core.roll.learned import MeasuredCopy, at_speed, learned_from
from vastcellar.core.roll.time_left import expected_copy


def measured(value, factor, size=60 * GB, link=FAST, files=20):
    """A copy onto *value* as it would be if it were so many times as fast."""
    real = at_speed(value, factor)
    found = expected_copy(size, files, 1e15, (real,))
    return MeasuredCopy(size, files, found.over_s, link)


@given(st.floats(0.3, 2.5))
def test_a_drive_that_is_so_much_slower_is_learned_to_be(factor):
    """What copies were made with is what is read out of them again."""
    value = drive(read=700 * MB)
    assert learned_from(value, [measured(value, factor)]).factor == pytest.approx(factor, rel=1e-6)


def test_a_link_that_was_the_limit_is_not_put_down_to_the_drive():
    """Behind 5G a quick drive copies at 430 MB/s: as its profile on that link, so nothing is
    learned to be slow."""
    value = drive(write=2000 * MB, read=2000 * MB, link=430 * MB)
    found = expected_copy(60 * GB, 20, 1e15, (value,))
    copy = MeasuredCopy(60 * GB, 20, found.over_s, 430 * MB)
    on_a_better_link = drive(write=2000 * MB, read=2000 * MB, link=980 * MB)
    assert learned_from(on_a_better_link, [copy]).factor == pytest.approx(1, rel=1e-6)


def test_the_middle_of_the_newest_five_counts():
    """One bad day among five doesn't move it, and a sixth, older one isn't asked."""
    value = drive()
    copies = [measured(value, each) for each in (0.9, 0.9, 0.3, 0.9, 0.9, 0.3, 0.3, 0.3)]
    found = learned_from(value, copies)
    assert (found.copies, found.factor) == (5, pytest.approx(0.9, rel=1e-6))


def test_small_copies_and_none_say_nothing():
    """Below 5 GB the flushes are most of it."""
    value = drive()
    assert learned_from(value, []) is None
    assert learned_from(value, [measured(value, 0.5, size=4 * GB)]) is None


def test_what_can_t_be_this_drive_is_held_within_reason():
    """A thousand times slower is another thing that was measured."""
    value = drive()
    assert learned_from(value, [MeasuredCopy(60 * GB, 20, 1e7, FAST)]).factor == 0.2
    assert learned_from(value, [MeasuredCopy(60 * GB, 20, 0.1, FAST)]).factor == 3.0
