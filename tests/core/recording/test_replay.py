"""Replay: of a constant trace it is the closed form, and it depends on nothing but the trace."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vastcellar.core.evidence import Verdict, verdict_for_margin
from vastcellar.core.recording.replay import lowest_mean_bytes_per_s, recordable, replay
from vastcellar.core.shoot.needs import camera_need
from vastcellar.core.trace import Trace


def constant(rate, seconds, rows=400):
    elapsed = np.linspace(0, seconds, rows)
    return Trace(elapsed, elapsed * rate, np.full(rows, np.nan))


@given(times=st.floats(0.3, 4.0), key=st.sampled_from("ABC"))
@settings(deadline=None)
def test_a_constant_trace_has_the_margin_of_its_rate(slipway, times, key):
    """A drive that writes r all along has the margin r / need - 1, or loses what is beyond it."""
    camera = replace(slipway.camera(key), longest_take_s=600.0)
    need = camera_need(camera)
    rate = need.needed_write_bytes_per_s * times
    found = replay(constant(rate, 600.0 * max(1.0, need.average_bytes_per_s / rate) + 5), camera,
                   need)  # fmt: skip
    if rate >= need.average_bytes_per_s:
        assert found.margin == pytest.approx(times - 1, abs=2e-3)
        assert found.outcome.lost_bytes == 0
        return
    # The buffer fills at (average - rate); what comes after that is lost.
    short = need.average_bytes_per_s - rate
    full_after_s = camera.buffer_bytes / short
    lost = max((600.0 - full_after_s) * short, 0.0)
    assert found.outcome.lost_bytes == pytest.approx(lost, rel=0.02, abs=2 * short)
    assert found.verdict is Verdict.FALLS_SHORT


@given(scale=st.floats(1.1, 3.0))
@settings(deadline=None)
def test_a_faster_drive_is_never_judged_worse(slipway, scale):
    """The same course, every rate so many times as high: margin and losses only get better."""
    camera = replace(slipway.camera("A"), longest_take_s=300.0)
    need = camera_need(camera)
    elapsed = np.linspace(0, 400, 800)
    rates = np.where(elapsed < 150, 900e6, 180e6)
    written = np.concatenate([[0.0], np.cumsum(rates[1:] * np.diff(elapsed))])
    nothing = np.full(elapsed.size, np.nan)
    slow = replay(Trace(elapsed, written, nothing), camera, need)
    fast = replay(Trace(elapsed.copy(), written * scale, nothing.copy()), camera, need)
    assert fast.outcome.lost_bytes <= slow.outcome.lost_bytes
    if slow.margin is not None and fast.margin is not None:
        assert fast.margin >= slow.margin
        assert fast.verdict is verdict_for_margin(fast.margin)


@given(st.lists(st.floats(0, 1e9), min_size=1, max_size=40), st.integers(1, 50))
def test_the_lowest_mean_lies_between_the_least_and_the_mean_of_all(rates, steps):
    """A window as wide as all is the mean, of one step the least; others lie between.

    Above the mean of all it can be only where windows don't tile the whole: what lies at the ends
    is then in fewer of them than the rest.
    """
    array = np.array(rates)
    found = lowest_mean_bytes_per_s(array, steps)
    assert array.min() - 1e-3 <= found <= array.max() + 1e-3
    if len(rates) % min(steps, len(rates)) == 0:
        assert found <= array.mean() + 1e-3
    assert lowest_mean_bytes_per_s(array, 1) == pytest.approx(array.min(), abs=1.0)
    assert lowest_mean_bytes_per_s(array, len(rates)) == pytest.approx(array.mean(), abs=1.0)


def test_what_lies_beyond_the_trace_is_not_known(slipway):
    """Half a take seen and nothing lost: no verdict, and the share that was seen."""
    camera = replace(slipway.camera("B"), longest_take_s=1000.0)
    need = camera_need(camera)
    found = replay(constant(need.average_bytes_per_s * 2, 250), camera, need)
    assert (found.verdict, found.margin) == (Verdict.NOT_KNOWN, None)
    assert found.covered_share == pytest.approx(0.5, rel=0.01)


@pytest.mark.parametrize("key", ["A", "B", "C", "D"])
def test_a_steady_drive_is_recordable_for_as_long_as_it_was_measured(key, slipway):
    """Of a constant trace above the need: its bytes at the camera's average, and no loss."""
    camera = slipway.camera(key)
    need = camera_need(camera)
    rate = 2 * need.needed_write_bytes_per_s
    found = recordable(constant(rate, 200.0), camera, need)
    assert not found.loses_then
    expected = min(rate * 200.0 / need.average_bytes_per_s, 24 * 3600.0)
    assert found.seconds == pytest.approx(expected, rel=0.01)


def test_a_cliff_ends_what_is_recordable_where_the_buffer_is_full(slipway):
    """Fast for 30 GB, then half the camera's rate: the bytes before, and the buffer after."""
    camera = slipway.camera("A")
    need = camera_need(camera)
    average = need.average_bytes_per_s
    elapsed = np.array([0.0, 30.0, 330.0])
    written = np.array([0.0, 30e9, 30e9 + 300.0 * average / 2])
    found = recordable(Trace(elapsed, written, np.full(3, np.nan)), camera, need)
    assert found.loses_then
    by_hand = 30e9 / average + camera.buffer_bytes / (average / 2)
    assert found.seconds == pytest.approx(by_hand, rel=0.02)
