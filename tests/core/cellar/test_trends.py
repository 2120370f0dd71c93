"""What the runs of a unit say: its level against how it was accepted."""

from dataclasses import replace

import pytest

from histories import SETTING, noisy, point, rng, series
from vastcellar.core.cellar.trends import Figure, unit_trends


def test_slower_since_it_was_accepted_with_the_band_in_which_it_happened():
    """Baseline of the accepted level, now of the last one, the change between two runs."""
    draw = rng(2)
    runs = series([*noisy(draw, 418e6, 11), *noisy(draw, 297e6, 7)])
    trend = unit_trends(runs, baseline_ids=(1, 2)).of(Figure.RATE)
    assert trend.share == pytest.approx(-0.29, abs=0.02)
    assert trend.between == (runs[10].at, runs[11].at)
    assert (trend.baseline_count, trend.now_count) == (11, 7)
    assert trend.sure_share > 0.99 and trend.maybe is None


def test_runs_in_another_case_are_not_counted():
    """Half as fast in the tower's slot: left out, and nothing is said to have changed."""
    tower = replace(SETTING, host="tower")
    runs = [*series(noisy(rng(3), 2e8, 4), setting=tower),
            *series(noisy(rng(4), 4e8, 9), first=5)]  # fmt: skip
    trends = unit_trends(runs)
    assert [each.run_id for each in trends.left_out] == [1, 2, 3, 4]
    assert trends.of(Figure.RATE).change is None and trends.elsewhere is None


def test_slower_since_it_is_in_another_case_says_what_differs():
    """Six before, six after in another case: not like, so the case may be it; both are said."""
    other = replace(SETTING, enclosure="another")
    runs = [
        *series(noisy(rng(5), 4e8, 6)),
        *series(noisy(rng(6), 2.8e8, 5), first=7, setting=other),
    ]
    elsewhere = unit_trends(runs).elsewhere
    assert elsewhere.differs == ("enclosure",)
    assert elsewhere.by.share == pytest.approx(-0.3, abs=0.03) and elsewhere.by.is_real


def test_it_went_and_came_back():
    """Slow for a while and well again: nothing is said to be wrong with it now."""
    draw = rng(7)
    runs = series([*noisy(draw, 4e8, 9), *noisy(draw, 2e8, 9), *noisy(draw, 4e8, 9)])
    trend = unit_trends(runs, baseline_ids=(1,)).of(Figure.RATE)
    assert trend.change is None and abs(trend.share) < 0.03


def test_the_newest_run_below_all_others_asks_for_more():
    """One alone decides nothing: it is a maybe, by the chance of one in so many."""
    trend = unit_trends(series([400.0, 402, 398, 401, 399, 403, 300])).of(Figure.RATE)
    assert trend.change is None
    assert trend.maybe.index == 6 and trend.maybe.chance == pytest.approx(2 / 7)
    again = unit_trends(series([400.0, 402, 398, 401, 399, 403, 300, 299])).of(Figure.RATE)
    assert again.maybe.index == 6 and again.maybe.chance == pytest.approx(2 / 28)


def test_a_slide_over_the_months_is_a_trend_too():
    """A percent a run: told from the first third to the last one, and without a day."""
    trend = unit_trends(series([400 * (1 - 0.01 * n) + n % 2 for n in range(24)])).of(Figure.RATE)
    assert trend.change.is_drift and trend.between is None
    assert trend.share == pytest.approx(-0.166, abs=0.01)


def test_standstills_and_heat_have_trends_of_their_own():
    """It began to stall and to get hot while its rate stayed what it was."""
    runs = [
        point(
            n, 4e8, stall_s=0.1 if n < 9 else 4.0 + n / 100, hottest_c=50.0 + n / 50 + 12 * (n > 8)
        )
        for n in range(1, 17)
    ]
    trends = unit_trends(runs)
    assert trends.of(Figure.RATE).change is None
    assert trends.of(Figure.STALL).change.index == 8
    assert trends.of(Figure.HEAT).now - trends.of(Figure.HEAT).baseline == pytest.approx(
        12.2, abs=0.1
    )


def test_a_unit_without_a_run_has_no_trend():
    """Nothing is said of nothing, and a take held to a rate says nothing of its own."""
    assert unit_trends([]).like is None
    held = [point(1, None)]
    assert unit_trends(held).left_out == tuple(held)


def test_runs_of_the_acceptance_choose_what_is_compared():
    """Fewer than the bursts, but it was accepted by long writes: these are compared."""
    burst = replace(SETTING, kind="burst")
    runs = [*series([9e8] * 6, setting=burst), *series([4e8] * 4, first=7)]
    assert unit_trends(runs).like.typical.setting.kind == "burst"
    assert unit_trends(runs, baseline_ids=(7,)).like.typical.setting.kind == "write"
