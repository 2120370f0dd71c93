"""Steady state, runs together, and latencies in bins."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import mannwhitneyu

from vastcellar.core.errors import BadValueError
from vastcellar.core.protocols.latency import LatencyLog, StallLog
from vastcellar.core.protocols.steady import difference, is_steady, summarize


@pytest.mark.parametrize(
    ("rounds", "steady"),
    [
        ([500, 300, 100, 100, 100, 100, 100], True),
        ([100, 100, 100, 100], False),  # four are too few
        ([90, 110, 90, 110, 90], False),  # a range of 20.4 % of the mean
        ([95, 97, 100, 103, 106], False),  # rises by 11 %
        ([97, 98.5, 100, 101.5, 103], True),  # rises by 6 %
        ([0, 0, 0, 0, 0], False),
    ],
)
def test_steady_is_what_the_specification_says(rounds, steady):
    """Steadiness follows the written rule of rounds, at its limits too."""
    assert is_steady(rounds) is steady


def test_several_runs_have_a_median_and_a_spread():
    """Median and spread of several runs, and a refusal of none."""
    runs = summarize([90.0, 100.0, 120.0])
    assert (runs.median, runs.low, runs.high) == (100, 90, 120)
    assert runs.spread_share == pytest.approx(0.3)
    with pytest.raises(BadValueError):
        summarize([])


def test_a_difference_is_real_only_where_its_interval_leaves_zero_out():
    """A true difference excludes zero and an imagined one doesn't."""
    random = np.random.default_rng(5)
    slow, fast = random.normal(100, 2, 8), random.normal(115, 2, 8)
    found = difference(slow, fast)
    assert found.is_real
    assert found.low < 0.15 < found.high
    assert not difference(slow, random.normal(100, 2, 8)).is_real
    # Three runs each, however far apart: one order in ten would look like that by chance.
    assert difference([1.0, 2.0, 3.0], [30.0, 40.0, 50.0]) is None
    assert difference([1.0, 2.0, 3.0, 4.0], [30.0, 40.0, 50.0, 60.0]).is_real
    with pytest.raises(BadValueError, match="no rate"):
        difference([1.0, 0.0, 3.0, 4.0], [1.0, 2.0, 3.0, 4.0])


@given(runs=st.lists(st.integers(1, 10**6), min_size=8, max_size=20, unique=True),
       share=st.floats(0.25, 0.75))  # fmt: skip
def test_a_difference_is_real_exactly_where_the_exact_test_says_so(runs, share):
    """The interval agrees with the exact rank test for any two sets of runs."""
    cut = min(max(int(len(runs) * share), 3), len(runs) - 3)
    first, second = runs[:cut], runs[cut:]
    found = difference(first, second)
    widest = mannwhitneyu(range(cut), range(100, 100 + len(second)), method="exact").pvalue
    if found is None:
        assert widest > 0.05
    else:
        exact = mannwhitneyu(first, second, method="exact").pvalue
        assert found.is_real == (exact <= 0.05)
        assert found.low <= found.share <= found.high


def test_of_equal_things_hardly_one_pair_in_twenty_is_called_different():
    """Of 2,000 pairs drawn alike under one in twenty is called different."""
    random = np.random.default_rng(8)
    pairs = [difference(*random.lognormal(0, 0.1, (2, 5))) for _ in range(2000)]
    assert sum(pair.is_real for pair in pairs) / len(pairs) < 0.05


@given(st.lists(st.floats(1e-5, 100), min_size=1, max_size=200), st.floats(0.01, 1))
def test_percentiles_are_exact_to_one_per_cent(durations, share):
    """The compact log of latencies is within 1.5 % of the exact percentile."""
    log = LatencyLog()
    for duration in durations:
        log.add(5.0, 5.0 + duration)
    exact = sorted(durations)[max(int(np.ceil(share * len(durations))) - 1, 0)]
    assert log.percentile_s(share) == pytest.approx(exact, rel=0.0151, abs=1e-8)
    assert log.summary().longest_s == pytest.approx(max(durations))


def test_silence_between_blocks_is_a_stall_whoever_was_waiting():
    """A gap between two blocks is one stall with its place and length."""
    log = StallLog()
    log.begin(0.0)
    for at_s in (0.1, 0.2, 0.9, 1.0):
        log.came_back(at_s, 1000)
    assert [(s.at_s, s.at_bytes, round(s.duration_s, 3)) for s in log.stalls] == [(0.2, 2000, 0.7)]
