"""Days drawn at random: repeatable, true to the plan without spread, and said what moves them."""

import numpy as np
import pytest

from core.roll.roll_days import HOUR, MB, camera, day, drive
from vastcellar.core.errors import BadValueError
from vastcellar.core.roll.day_run import run_day
from vastcellar.core.roll.drawn_days import Spread, draw_days

STILL = Spread(0, 0, 0, 0)
DAY = day(
    camera([(8, 14), (9, 14), (17, 10)], count=2),
    drives=(drive("K-1", write=200 * MB), drive("K-2", write=900 * MB)),
    walk_s=300,
)


def test_days_without_spread_are_the_plan():
    """With nothing drawn every day ends when the plan says."""
    planned = run_day(DAY).last_verified_s
    drawn = draw_days(DAY, 5, 1, STILL)
    assert drawn.last_verified_s == pytest.approx(planned)
    assert drawn.percentile_s(50) == drawn.percentile_s(90) == pytest.approx(planned)
    assert drawn.explained_share == 0


def test_a_later_wrap_moves_the_end_by_as_much():
    """Every day wraps an hour late and nothing else differs: the end is an hour later."""
    planned = run_day(DAY)
    drawn = draw_days(DAY, 3, 1, Spread(3600, 0, 0, 0))
    pause_s = (DAY.cameras[0].takes[-1].start_s - 8 * HOUR) / (
        DAY.cameras[0].takes[-1].end_s - 8 * HOUR
    )
    assert drawn.last_verified_s == pytest.approx(planned.last_verified_s + 3600 * pause_s)


def test_the_same_seed_draws_the_same_days():
    """Two draws with one seed agree; another seed differs."""
    first, again, other = (draw_days(DAY, 30, seed).last_verified_s for seed in (7, 7, 8))
    assert np.array_equal(first, again)
    assert not np.array_equal(first, other)


def test_nine_of_ten_days_end_before_the_90_per_cent_case():
    """The figure is one of the days, and at most a tenth of them is later."""
    drawn = draw_days(DAY, 200, 3)
    at_s = drawn.percentile_s(90)
    assert at_s in drawn.last_verified_s
    assert np.mean(drawn.last_verified_s > at_s) <= 0.1
    assert drawn.percentile_s(50) <= at_s


@pytest.mark.parametrize(
    ("spread", "first"),
    [
        (Spread(0, 1200, 0, 0), "wrap"),
        (Spread(0, 0, 0.1, 0), "A"),
        (Spread(0, 0, 0, 0.1), "K-1"),
    ],
)
def test_what_moves_the_end_is_named_first(spread, first):
    """Only one thing differs from day to day, so all of the difference is put down to it.

    Of two drives it is the slow one: the fast one is never waited for.
    """
    drawn = draw_days(DAY, 300, 5, spread)
    name, share = drawn.moved_by[0]
    assert name == first
    assert share > 0.9
    assert drawn.explained_share > 0.8
    assert sum(each for _name, each in drawn.moved_by) == pytest.approx(1)


def test_how_often_a_camera_waits_is_counted_by_day():
    """With one card and a change after ten minutes it waits on every day, with two never."""
    spans, spread = [(8, 14), (8.25, 14)], Spread(0, 0, 0.02, 0.05)
    assert draw_days(day(camera(spans)), 20, 1, spread).waits_share("A") == 1
    assert draw_days(day(camera(spans, count=2)), 20, 1, spread).waits_share("A") == 0


def test_no_days_at_all_are_refused():
    """At least one day has to be drawn."""
    with pytest.raises(BadValueError, match="drawn days"):
        draw_days(DAY, 0, 1)


def test_days_that_nobody_wants_any_more_are_not_finished():
    """Once the answer is no, nothing comes of it, and no further day is let happen."""
    asked = []

    def is_wanted():
        asked.append(1)
        return len(asked) < 4

    assert draw_days(DAY, 1000, 1, is_wanted=is_wanted) is None
    assert len(asked) == 4
