"""Changes of a series: found where there is one, and seldom where there is none."""

from math import comb

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from histories import noisy, rng
from vastcellar.core.cellar.changes import best_change, level_starts


def test_eleven_runs_and_seven_below_all_of_them_are_parted_there():
    """At that one place by chance twice in C(18, 7); at any of 13 a little more often."""
    values = [*np.linspace(414, 422, 11), *np.linspace(295, 299, 7)]
    found = best_change(values)
    assert (found.index, found.before, found.after) == (11, 418, 297)
    assert found.share == pytest.approx(-0.289, abs=0.001)
    assert 2 / comb(18, 7) < found.chance < 2 / comb(18, 7) * 13
    assert found.is_sure and not found.is_drift
    assert level_starts(values) == (0, 11)


def test_two_runs_are_no_level():
    """Three on either side at least, or there is nothing to compare."""
    assert best_change([4.0, 4, 4, 3, 3]) is None
    assert level_starts([4.0, 4, 4, 3, 3]) == (0,)


def test_a_few_runs_are_not_sure():
    """Three against three: one in ten by chance, however far apart they are."""
    found = best_change([400, 401, 402, 200, 201, 202])
    assert found.index == 3 and found.chance == pytest.approx(0.1, abs=0.01) and not found.is_sure


def test_a_slide_is_a_drift_and_has_no_place():
    """A percent a run over twenty: told as a line from its beginning to its end."""
    values = [400 * (1 - 0.01 * n) + (n % 3) for n in range(20)]
    found = best_change(values)
    assert found.is_drift and found.is_sure
    assert found.before == pytest.approx(400, rel=0.01) and found.after == pytest.approx(
        325, rel=0.01
    )
    assert level_starts(values) == (0,)


def test_three_levels_are_found_as_three():
    """It got slow, then very slow: each has its beginning."""
    draw = rng(4)
    values = [*noisy(draw, 400, 10), *noisy(draw, 320, 10), *noisy(draw, 200, 10)]
    assert level_starts(values) == (0, 10, 20)


def test_one_odd_run_changes_nothing():
    """A single slow test among twenty is no level of its own."""
    values = noisy(rng(3), 400, 20)
    values[12] = 90.0
    assert level_starts(values) == (0,)


@given(st.lists(st.floats(1, 1e9), min_size=6, max_size=40), st.floats(0.1, 10))
def test_the_unit_of_the_figures_changes_nothing(values, scale):
    """MB/s or MiB/s: the same place, by the same chance."""
    one, other = best_change(values), best_change([scale * each for each in values])
    kinds = {np.unique(values).size, np.unique([scale * each for each in values]).size}
    if one is not None and other is not None and len(kinds) == 1:
        assert one.chance == pytest.approx(other.chance)
        if not one.is_drift and not other.is_drift:
            assert one.index == other.index


@given(st.permutations(range(12)))
def test_what_comes_in_any_order_is_seldom_sure(order):
    """Sure takes all late runs beyond all early ones, or nearly."""
    found = best_change([float(each) for each in order])
    first, last = order[: found.index], order[found.index :]
    if found.is_sure and not found.is_drift:
        wrong = sum(one > other for one in first for other in last)
        assert min(wrong, len(first) * len(last) - wrong) <= 3


def test_an_odd_run_among_those_before_hides_no_step():
    """One of eight at half the rate: left out, and the step after it is as sure as without."""
    values = [
        100.0,
        101,
        48,
        99,
        100.5,
        101.5,
        99.5,
        98.5,
        85,
        86,
        84,
        85.5,
        86.5,
        84.5,
        85.2,
        86.2,
    ]
    found = best_change(values)
    assert found.index == 8 and found.is_sure
    assert found.share == pytest.approx(-0.145, abs=0.01)


def test_three_beside_each_other_are_no_outliers():
    """The first three of a new level say so, though seven around them say otherwise."""
    values = [*noisy(rng(9), 400, 12), 280.0, 281, 282]
    assert best_change(values).index == 12 and not best_change(values).is_sure
    assert level_starts([*values, 283.0]) == (0, 12)


def test_chance_alone_is_called_a_change_less_than_once_in_a_hundred():
    """Four thousand histories without any: by chance about forty, and no rule may add to that."""
    draw = rng(11)
    found = sum(best_change(noisy(draw, 400, 16)).is_sure for _ in range(4000))
    assert found < 40 + 3 * 40**0.5
