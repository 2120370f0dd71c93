"""Levels of a rate: runs parted, knees placed, outliers taken out, changes found."""

import itertools
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.diagnosis.change_points import change_candidates, optimal_partition
from vastcellar.core.diagnosis.levels import apart, temperature_at_c
from vastcellar.core.diagnosis.rate_levels import find_levels
from vastcellar.core.diagnosis.runs_of_trace import RUN_GAP_S, split_runs
from vastcellar.core.diagnosis.smoothing import median_of_5, smooth_swings
from vastcellar.core.trace import Trace

RATES = st.lists(st.floats(20, 3000), min_size=1, max_size=5)


def written(pieces, *, step_s=1.0, noise=0.0, seed=3):
    """A trace of (seconds, MB/s) pieces without a sensor; rates vary by *noise*."""
    moments = np.arange(0.0, sum(piece[0] for piece in pieces) + 1e-9, step_s)
    edges = np.cumsum([0.0, *(piece[0] for piece in pieces)])
    whole = np.cumsum([0.0, *(seconds * rate * 1e6 for seconds, rate in pieces)])
    total = np.interp(moments, edges, whole)
    rough = np.exp(np.random.default_rng(seed).normal(0, noise, total.size - 1))
    total = np.concatenate([[0.0], np.cumsum(np.diff(total) * rough)])
    return Trace(moments, total, np.full(moments.size, np.nan))


@given(
    runs=st.lists(st.tuples(st.integers(8, 60), st.integers(31, 400)), min_size=1, max_size=4),
    rate=st.floats(50, 2000),
)
def test_pauses_of_half_a_minute_part_runs_and_no_byte_is_lost(runs, rate):
    """A pause parts a log into runs that together keep all bytes."""
    pieces = [piece for busy_s, idle_s in runs for piece in ((busy_s, rate), (idle_s, 0.0))]
    trace = written(pieces)
    found = split_runs(trace)
    assert len(found) == len(runs)
    assert sum(float(run.written_bytes[-1]) for run in found) == pytest.approx(
        float(trace.written_bytes[-1])
    )
    for run, (busy_s, _) in zip(found, runs, strict=True):
        assert run.written_bytes[0] == 0
        assert run.elapsed_s[-1] - run.elapsed_s[0] == pytest.approx(busy_s, abs=1.01)
    assert all(
        later.elapsed_s[0] - earlier.elapsed_s[-1] >= RUN_GAP_S - 1.01
        for earlier, later in itertools.pairwise(found)
    )


def test_a_pause_of_the_logger_with_bytes_in_it_parts_nothing():
    """Where bytes went on during the gap, it was the logger that paused."""
    moments = np.array([0.0, 1, 2, 3, 90, 91, 92])
    trace = Trace(moments, moments * 200e6, np.full(7, np.nan))
    assert len(split_runs(trace)) == 1
    assert split_runs(Trace(np.zeros(1), np.zeros(1), np.zeros(1))) == ()
    still = Trace(np.arange(9.0), np.full(9, 5.0), np.full(9, np.nan))
    assert split_runs(still) == ()


@given(
    knee_s=st.floats(20, 200),
    high=st.floats(300, 3000),
    share=st.floats(0.05, 0.75),
    seed=st.integers(0, 50),
)
def test_a_knee_is_placed_within_two_seconds(knee_s, high, share, seed):
    """Over drawn rates and noise the drop is found within two seconds of its place."""
    trace = written([(knee_s, high), (240, high * share)], noise=0.02, seed=seed)
    levels = find_levels(trace)
    (drop,) = levels.drops
    assert drop.at_s == pytest.approx(knee_s, abs=2.0)
    assert drop.before_bytes_per_s == pytest.approx(high * 1e6, rel=0.03)
    assert drop.after_bytes_per_s == pytest.approx(high * share * 1e6, rel=0.03)
    assert abs(drop.written_bytes - knee_s * high * 1e6) < max(
        2 * drop.error_bytes, 2.0 * high * 1e6
    )


@given(rates=RATES)
def test_levels_cover_the_run_and_hold_its_bytes(rates):
    """Levels follow one another without a gap and add up to the bytes of the trace."""
    trace = written([(60, rate) for rate in rates], noise=0.01)
    levels = find_levels(trace).levels
    assert levels[0].start_s == 0
    assert levels[-1].end_s == pytest.approx(trace.duration_s, abs=1.0)
    for before, after in itertools.pairwise(levels):
        assert before.end_s == pytest.approx(after.start_s, abs=1e-6)
    held = sum(level.bytes_per_s * level.duration_s for level in levels)
    assert held == pytest.approx(float(trace.written_bytes[-1]), rel=0.02)


def test_a_run_of_seconds_is_one_level_and_nothing_else():
    """A trace of seconds is one level without drops or dips."""
    levels = find_levels(written([(4, 300)]))
    assert len(levels.levels) == 1 and not levels.drops and not levels.dips
    assert levels.levels[0].bytes_per_s == pytest.approx(300e6)


@given(st.lists(st.floats(-50, 50), min_size=1, max_size=60))
def test_the_median_of_five_takes_one_odd_value_out(values):
    """The quick median is the exact one of five, the ends held."""
    series = np.array(values)
    found = median_of_5(series)
    held = np.concatenate([[series[0]] * 2, series, [series[-1]] * 2])
    exact = [np.median(held[n : n + 5]) for n in range(series.size)]
    assert found == pytest.approx(np.array(exact))


def test_quick_swings_become_their_mean_and_a_single_step_does_not():
    """A fast seesaw becomes its mean, a single step stays a step."""
    swinging = np.where(np.arange(120) // 3 % 2, 140.0, 60.0)
    smooth, swings = smooth_swings(swinging, 1.0)
    assert swings[20:100].all()
    assert smooth[20:100] == pytest.approx(100, rel=0.16)
    step = np.where(np.arange(120) < 60, 140.0, 60.0)
    smooth, swings = smooth_swings(step, 1.0)
    assert not swings.any()
    assert smooth == pytest.approx(step)


@given(values=st.lists(st.floats(-3, 3), min_size=6, max_size=11), penalty=st.floats(0.05, 4))
def test_the_partition_is_the_best_of_all(values, penalty):
    """The search finds the cheapest of all partitions, by trying every one."""
    series = np.array(values)
    count, least = series.size, 3

    def cost(starts):
        bounds = [*starts, count]
        pieces = [series[a:b] for a, b in itertools.pairwise(bounds)]
        return sum(((piece - piece.mean()) ** 2).sum() for piece in pieces) + penalty * (
            len(pieces) - 1
        )

    every = [
        (0, *inner)
        for size in range(count // least)
        for inner in itertools.combinations(range(least, count - least + 1), size)
        if all(b - a >= least for a, b in itertools.pairwise((0, *inner, count)))
    ]
    found = optimal_partition(series, penalty)
    assert cost(found) == pytest.approx(min(map(cost, every)), abs=1e-9)


def test_a_change_of_level_is_among_the_places_that_are_tried():
    """The place of a true step is never left out of the search."""
    series = np.concatenate([np.zeros(300), np.full(300, 1.0)])
    series += np.random.default_rng(1).normal(0, 0.05, series.size)
    assert min(abs(place - 300) for place in change_candidates(series, 0.05)) <= 1


@given(one=st.floats(0, 1e10), other=st.floats(0, 1e10))
def test_how_far_apart_two_rates_are_is_the_same_from_either_side(one, other):
    """The distance of two rates is symmetric, within 0 and 1, and zero for itself."""
    assert apart(one, other) == apart(other, one)
    assert 0 <= apart(one, other) <= 1
    assert apart(one, one) == 0


def test_a_temperature_is_known_only_near_a_reading():
    """Between far readings a temperature is unknown rather than guessed."""
    moments = np.arange(0.0, 100.0)
    celsius = np.full(100, np.nan)
    celsius[[10, 60]] = 40.0, 50.0
    trace = Trace(moments, moments * 1e8, celsius)
    assert temperature_at_c(trace, 12.0) == pytest.approx(40.4)
    assert math.isnan(temperature_at_c(trace, 35.0))
    nothing = Trace(moments, moments * 1e8, np.full(100, np.nan))
    assert math.isnan(temperature_at_c(nothing, 12.0))
