"""Takes of a day: they add up to its roll time, in order, within its hours."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.errors import BadValueError
from vastcellar.core.shoot.offload import Break
from vastcellar.core.shoot.roll_patterns import RollPattern
from vastcellar.core.shoot.rolls import RollCount, count_takes, lay_out_takes, ordinary_take_s

START_S, END_S = 8 * 3600.0, 18 * 3600.0


def takes_of(pattern, roll_s, longest_s, *, has_longest=True):
    counts = count_takes(
        np.array([ordinary_take_s(pattern, longest_s)]),
        np.array([roll_s]),
        np.array([longest_s]),
        np.array([has_longest]),
    )
    return counts.at(0), lay_out_takes(counts.at(0), START_S, END_S)


@given(
    pattern=st.sampled_from(list(RollPattern)),
    roll_s=st.floats(0, 10 * 3600),
    longest_s=st.floats(5, 3 * 3600),
    has_longest=st.booleans(),
)
def test_takes_add_up_in_order_within_the_day(pattern, roll_s, longest_s, has_longest):
    """Any pattern fills its rolling time with takes in order that don't overlap."""
    count, takes = takes_of(pattern, roll_s, longest_s, has_longest=has_longest)
    assert sum(take.duration_s for take in takes) == pytest.approx(roll_s, abs=1e-6)
    assert len(takes) == count.takes
    for before, after in pairwise(takes):
        assert after.start_s >= before.end_s - 1e-6
    if takes:
        assert takes[0].start_s == START_S
        assert takes[-1].end_s <= END_S + 1e-3
    longest = [take for take in takes if take.is_longest]
    assert len(longest) == (1 if has_longest and roll_s > 0 else 0)
    for take in longest:
        assert take.duration_s == pytest.approx(min(longest_s, roll_s))


def test_patterns_differ_as_the_work_does():
    """Documentary, interview and high speed give the takes that their work does."""
    many, _ = takes_of(RollPattern.DOCUMENTARY, 3.2 * 3600, 3120)
    few, _ = takes_of(RollPattern.INTERVIEW, 3.2 * 3600, 3120)
    bursts, _ = takes_of(RollPattern.HIGH_SPEED, 0.15 * 3600, 60, has_longest=False)
    assert many.takes == 48  # 52 min, and 140 min in threes
    assert few.takes == 7
    assert bursts.takes == 68
    assert bursts.take_s == pytest.approx(8, rel=0.02)


def test_a_day_longer_than_its_hours_has_no_pauses():
    """A day filled with rolling has takes from first to last minute."""
    _, takes = takes_of(RollPattern.EVENT, 12 * 3600, 3600)
    assert takes[-1].end_s == pytest.approx(START_S + 12 * 3600)


@pytest.mark.parametrize(("roll_s", "longest_s"), [(-1.0, 60.0), (25 * 3600.0, 60.0), (60.0, 0.0)])
def test_days_that_cant_be_are_refused(roll_s, longest_s):
    """Rolling times of less than nothing are refused."""
    with pytest.raises(BadValueError):
        count_takes(np.array([60.0]), np.array([roll_s]), np.array([longest_s]), np.array([True]))


def test_no_take_runs_into_a_break_and_none_is_lost():
    """Takes that would run into lunch begin after it, in order and without overlap."""
    count = RollCount(before=9, after=0, take_s=1500.0, longest_s=0.0)
    lunch = Break(12.5 * 3600, 13.25 * 3600)
    free = lay_out_takes(count, 8 * 3600, 18 * 3600)
    takes = lay_out_takes(count, 8 * 3600, 18 * 3600, (lunch,))
    assert len(takes) == len(free)
    assert any(take.start_s == lunch.end_s for take in takes)
    for before, after in pairwise(takes):
        assert before.end_s <= after.start_s
    assert all(take.end_s <= lunch.start_s or take.start_s >= lunch.end_s for take in takes)
    assert all(t.start_s >= f.start_s for t, f in zip(takes, free, strict=True))
