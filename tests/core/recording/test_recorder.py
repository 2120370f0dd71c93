"""The frame queue against the buffer arithmetic it must agree with."""

import itertools
from dataclasses import replace
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.errors import BadValueError
from vastcellar.core.recording.frame_sizes import FrameVariation
from vastcellar.core.recording.recorder import (
    FrameQueue,
    RecorderLoad,
    fluid_outcome,
    predicted_drops,
)


def record(load, drive_bytes_per_s, *, stall_at_s=None, stall_s=0.0, block_bytes=1):
    """Drive a queue with a drive of steady rate that may stall once; return its totals."""
    queue, now_s, stalled = FrameQueue(load, block_bytes=block_bytes), 0.0, False
    while not queue.is_done:
        queue.arrive_until(now_s)
        size = queue.take(1 << 20)
        if size == 0:
            now_s = max(now_s, queue.next_arrival_s)
            continue
        if stall_at_s is not None and not stalled and now_s >= stall_at_s:
            now_s, stalled = now_s + stall_s, True
        now_s += size / drive_bytes_per_s
        queue.arrive_until(now_s)
        queue.complete(size, now_s)
    return queue.totals


def test_a_fast_drive_loses_nothing_and_is_never_late():
    """With enough speed no frame is dropped, late or lost in counting."""
    load = RecorderLoad(160e6, Fraction(25), 512_000_000, 60)
    totals = record(load, 900e6)
    assert (totals.frames_dropped, totals.frames_late) == (0, 0)
    assert totals.frames_written == totals.frames_arrived == load.frame_count == 1500


def test_a_slow_drive_loses_the_share_that_buffer_arithmetic_says():
    """r < R: full after B/(R - r), then the share 1 - r/R of all frames."""
    load = RecorderLoad(60e6, Fraction(25), 256_000_000, 20)
    totals = record(load, 30e6)
    assert predicted_drops(load, 30e6) == pytest.approx(500 * 0.5 * (1 - 8.533 / 20), rel=1e-3)
    assert totals.frames_dropped == pytest.approx(predicted_drops(load, 30e6), rel=0.02)
    assert totals.first_drop_s == pytest.approx(256 / 30, abs=0.1)
    assert predicted_drops(load, 61e6) == 0


@pytest.mark.parametrize(("stall_s", "lost_bytes"), [(1.0, 0), (4.0, 4 * 100e6 - 300e6)])
def test_a_stall_fits_into_the_buffer_or_costs_what_overflows(stall_s, lost_bytes):
    """peak = min(B, R D), lost = max(0, R D - B)."""
    load = RecorderLoad(100e6, Fraction(50), 300_000_000, 20)
    totals = record(load, 400e6, stall_at_s=5.0, stall_s=stall_s)
    assert totals.frames_dropped == pytest.approx(lost_bytes / load.bytes_per_frame, abs=2)
    assert totals.worst_backlog_bytes == pytest.approx(min(300e6, 100e6 * stall_s), rel=0.03)
    assert totals.worst_delay_s == pytest.approx(stall_s, abs=0.05)


@given(
    rate=st.floats(5e6, 400e6),
    drive=st.floats(5e6, 800e6),
    buffer_mb=st.integers(0, 900),
    fps=st.sampled_from([Fraction(24000, 1001), Fraction(25), Fraction(60)]),
)
def test_frames_agree_with_the_fluid_limit_and_none_gets_lost_in_counting(
    rate, drive, buffer_mb, fps
):
    """Frames in are frames out plus frames dropped, and close to the fluid limit."""
    load = RecorderLoad(rate, fps, buffer_mb * 10**6, 15)
    totals = record(load, drive, block_bytes=4096)
    assert totals.frames_arrived == load.frame_count
    assert totals.frames_written + totals.frames_dropped == totals.frames_arrived
    assert totals.worst_backlog_bytes <= max(load.buffer_bytes, load.bytes_per_frame + 1)
    if buffer_mb * 1e6 > 8 * load.bytes_per_frame:  # a buffer of few frames is no fluid
        expected = predicted_drops(load, drive)
        assert totals.frames_dropped == pytest.approx(expected, abs=4 + 0.02 * expected)


def test_stalls_that_fit_one_by_one_add_up():
    """Stable only if r (1 - D/P) > R."""
    fits = [(3.0, 200e6), (1.0, 0.0)] * 40
    climbs = [(1.0, 120e6), (1.0, 0.0)] * 40
    assert fluid_outcome(fits, 100e6, 150e6).lost_bytes == 0
    assert fluid_outcome(climbs, 100e6, 150e6).lost_bytes > 0


@given(st.fractions(min_value=Fraction(10), max_value=Fraction(240)), st.floats(1e6, 5e8))
def test_frame_sizes_add_up_to_the_rate(fps, rate):
    """Whole bytes a frame, without drifting from the rate."""
    load = RecorderLoad(rate, fps, 0, 10)
    exact = rate * load.frame_count / float(fps)
    assert load.total_bytes == pytest.approx(exact, abs=2)


@given(
    crest=st.floats(1.0, 2.5),
    gop=st.sampled_from([1, 12, 25]),
    fps=st.sampled_from([Fraction(24000, 1001), Fraction(25), Fraction(120)]),
    seed=st.integers(0, 99),
)
def test_frames_that_vary_keep_the_mean_and_reach_the_crest(crest, gop, fps, seed):
    """Variation moves bytes from easy seconds to hard ones and adds none."""
    steady = RecorderLoad(80e6, fps, 0, 60)
    varied = replace(steady, variation=FrameVariation(crest, gop, seed))
    assert varied.total_bytes == pytest.approx(steady.total_bytes, abs=2)
    ends = [varied.frame_end_bytes(index) for index in range(varied.frame_count)]
    assert all(later >= sooner for sooner, later in itertools.pairwise(ends))
    by_second = np.diff(varied.sent_bytes(np.arange(0.0, 60.0) - 1e-6))
    # A GOP that straddles the second's edge puts one whole picture more or less into it.
    assert by_second.max() / 80e6 == pytest.approx(
        crest, rel=0.04 + 1.2 / float(fps) * (gop > 1) * 4
    )
    if gop > 1:
        sizes = np.diff([0, *ends])
        whole, changed = sizes[::gop], np.delete(sizes, np.arange(0, sizes.size, gop))
        assert np.median(whole) / np.median(changed) == pytest.approx(5, rel=0.3)
    assert varied.total_bytes == replace(varied, name="again").total_bytes


def test_a_crest_that_outlasts_the_buffer_loses_frames_though_the_mean_would_fit():
    """A crest longer than the buffer loses frames at a mean that would fit."""
    steady = RecorderLoad(100e6, Fraction(25), 60_000_000, 120)
    varied = replace(steady, variation=FrameVariation(crest=1.6, seed=4))
    assert record(steady, 115e6).frames_dropped == 0
    assert record(varied, 115e6).frames_dropped > 0
    assert record(varied, 170e6).frames_dropped == 0


def test_frames_cant_vary_beyond_reason():
    """A crest below one or beyond reason is refused."""
    for wrong in ({"crest": 0.9}, {"crest": 11.0}, {"gop_frames": 0}):
        with pytest.raises(BadValueError):
            FrameVariation(**wrong)
