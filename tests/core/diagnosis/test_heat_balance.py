"""The heat of a byte: more past the cache, no more while throttled."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.diagnosis.heat_balance import HeatBalance
from vastcellar.core.parts.parts import ThrottleStage, WriteBehaviour
from vastcellar.core.trace import Trace
from vastcellar.core.writing.heat import HeatPath
from vastcellar.core.writing.write_profile import EventKind, Phase, sample, write_profile

PATH = HeatPath(12, 90, 3.5, 7.0, 0.8, 23.0)
RUN_S = 1500.0


def logged(behaviour, link=1000e6, path=PATH):
    run = write_profile(behaviour, path, link, (Phase(math.inf, RUN_S),), free_bytes=3e12)
    moments = np.arange(0.0, RUN_S)
    found = sample(run, moments)
    lagged = np.interp(moments - 2.0, moments, found.drive_c)
    return run, Trace(moments, found.written_bytes, np.round(lagged))


def falling_at(at_bytes, direct_j, direct=400e6, throttle=()):
    return WriteBehaviour(
        2500e6, direct, at_bytes, 0.0, 1e6, 0.0, idle_w=0.6, cache_j_per_gb=2.0,
        direct_j_per_gb=direct_j, heat_capacity_j_per_k=12.0, throttle=throttle,
    )  # fmt: skip


@given(at_s=st.floats(250, 800), factor=st.floats(2.0, 4.5))
def test_past_the_cache_each_byte_makes_more_heat_and_the_cache_is_never_ruled_out(at_s, factor):
    """How much more is met within a step of the grid; a throttle's byte makes 2.2 times at most."""
    run, trace = logged(falling_at(at_s * 1000e6, 2.0 * factor))
    cliff = run.first(EventKind.CACHE_FULL)
    (weight,) = HeatBalance(trace).weigh([cliff.at_s], RUN_S)
    assert weight.may_be_cliff
    if factor > 3.2:
        assert not weight.may_be_heat
    assert weight.low <= factor * 1.2 and weight.high >= factor * 0.85  # a grid of 15


def throttled(on_c, share):
    stage = ThrottleStage(on_c, on_c - 12.0, 1000e6 * share)
    run, trace = logged(falling_at(9e12, 5.0, throttle=(stage,)), path=replace(PATH, ambient_c=30))
    (weight,) = HeatBalance(trace).weigh([run.first(EventKind.THROTTLE).at_s], RUN_S)
    return weight


@given(on_c=st.floats(50, 57), share=st.floats(0.3, 0.6))
def test_while_throttled_a_byte_makes_as_much_heat_as_before_and_heat_is_never_ruled_out(
    on_c, share
):
    weight = throttled(on_c, share)
    assert weight.may_be_heat
    assert weight.low < 1.25  # from there on a byte surely made more


def test_a_throttle_after_a_long_warming_rules_the_cache_out():
    weight = throttled(57.0, 0.6)
    assert not weight.may_be_cliff
    assert weight.low <= 1.01 <= weight.high * 1.01


def test_without_a_sensor_or_warming_the_temperature_says_nothing():
    run, trace = logged(falling_at(400e9, 5.0))
    at_s = run.first(EventKind.CACHE_FULL).at_s
    blind = Trace(trace.elapsed_s, trace.written_bytes, np.full(trace.elapsed_s.size, np.nan))
    assert HeatBalance(blind).weigh([at_s], RUN_S) is None
    cool = Trace(trace.elapsed_s, trace.written_bytes, np.full(trace.elapsed_s.size, 31.0))
    assert HeatBalance(cool).weigh([at_s], RUN_S) is None
    assert HeatBalance(trace).weigh([], RUN_S) is None
    # A drop right at the end leaves no time in which its heat could show.
    assert HeatBalance(trace).weigh([RUN_S - 10], RUN_S) is None


def test_a_course_that_no_two_nodes_have_is_not_read_for_heat():
    run, trace = logged(falling_at(400e9, 5.0))
    jumping = trace.temperature_c + 9.0 * np.sin(trace.elapsed_s / 40)
    odd = Trace(trace.elapsed_s, trace.written_bytes, jumping)
    assert HeatBalance(odd).weigh([run.first(EventKind.CACHE_FULL).at_s], RUN_S) is None


@given(first=st.integers(0, 60), seen=st.integers(30, 60))
def test_what_was_written_later_is_smoothed_as_if_by_itself(first, seen):
    """The short way, taking what is left of before off the whole, is the long way."""
    random = np.random.default_rng(first)
    moments = np.arange(0.0, 61.0)
    whole = np.concatenate([[0.0], np.cumsum(random.uniform(0, 2e9, 60))])
    balance = HeatBalance(Trace(moments, whole, 30.0 + moments))
    first = min(first, seen)
    found = balance._smoothed_from(first, seen)
    gb_per_s = np.diff(whole)[:seen] / 1e9 * (np.arange(seen) >= first)
    for row in (0, 7, 15):
        kept, state, exact = balance._left[row, 1], 0.0, []
        for rate in gb_per_s:
            state = kept * state + (1 - kept) * rate
            exact.append(state)
        assert found[row] == pytest.approx(np.array(exact), abs=1e-9)
