"""Copies run as fast as their slowest stage; workloads add up; a trace answers other formats."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.errors import BadValueError
from vastcellar.core.evidence import Verdict
from vastcellar.core.parts.parts import WriteBehaviour
from vastcellar.core.recording.replay import replay
from vastcellar.core.shoot.needs import camera_need
from vastcellar.core.shoot.rolls import Take
from vastcellar.core.trace import Trace
from vastcellar.core.writing.copying import CopyStage, copy_rate, what_a_faster_part_gains
from vastcellar.core.writing.drive_in_use import EventKind
from vastcellar.core.writing.heat import HeatPath
from vastcellar.core.writing.workloads import cards_in_a_row, flat_out, paced, takes_and_pauses
from vastcellar.core.writing.write_profile import Phase, write_profile

DRIVE = WriteBehaviour(
    cache_write_bytes_per_s=1000e6,
    direct_write_bytes_per_s=120e6,
    cache_static_bytes=60e9,
    fold_bytes_per_s=200e6,
    fold_while_writing=0.5,
)
PATH = HeatPath(12, 60, 6, 12, 0.7, 24)


@pytest.mark.parametrize("drive_mb_per_s", [900, 2400])
def test_a_slow_card_makes_every_drive_behind_it_equally_slow(drive_mb_per_s):
    """47 GB from a card that reads 180 MB/s takes 4 min 21 s, whatever the drive."""
    stages = [
        CopyStage("card", 180e6),
        CopyStage("reader", 265e6),
        CopyStage("internal disk", 2600e6),
        CopyStage("drive", drive_mb_per_s * 1e6),
    ]
    found = copy_rate(stages)
    assert 47e9 / found.bytes_per_s == pytest.approx(261.1, abs=0.1)
    assert found.limit.name == "card"
    assert what_a_faster_part_gains(stages, "drive", 7000e6) == 1
    assert what_a_faster_part_gains(stages, "card", 360e6) == pytest.approx(265 / 180)


@given(rates=st.lists(st.floats(1e6, 1e10), min_size=1, max_size=8), widen=st.floats(1, 10))
def test_widening_a_stage_never_slows_a_copy(rates, widen):
    """A faster stage never slows the copy."""
    stages = [CopyStage(str(index), rate) for index, rate in enumerate(rates)]
    found = copy_rate(stages)
    assert found.bytes_per_s == min(rates)
    for index, rate in enumerate(rates):
        assert what_a_faster_part_gains(stages, str(index), rate * widen) >= 1


def test_copies_of_nothing_are_refused():
    """Copies without stages, and stages without rates, are refused."""
    with pytest.raises(BadValueError, match="nothing is copied"):
        copy_rate([])
    with pytest.raises(BadValueError, match="no stage 'x'"):
        what_a_faster_part_gains([CopyStage("a", 1e6)], "x", 2e6)
    with pytest.raises(BadValueError, match="bytes_per_s is 0"):
        CopyStage("a", 0)


def test_pauses_let_a_drive_fold():
    """The same bytes in one piece fill the cache; with a pause in the middle they don't."""
    whole = paced(200e6, 800)
    rested = takes_and_pauses([Take(0, 400), Take(900, 400)], 200e6)
    found = [write_profile(DRIVE, PATH, 1e9, load, free_bytes=1e12) for load in (whole, rested)]
    assert found[0].first(EventKind.CACHE_FULL) is not None
    assert found[1].first(EventKind.CACHE_FULL) is None
    assert found[1].written_bytes == pytest.approx(160e9)


@given(
    count=st.integers(1, 4),
    card_gb=st.floats(1, 120),
    reads_mb_per_s=st.floats(20, 3000),
    pause_s=st.sampled_from((0.0, 60.0)),
)
def test_a_copy_waits_until_its_last_byte_is_written(count, card_gb, reads_mb_per_s, pause_s):
    """However slow the drive, all bytes of every card arrive; never faster than the card reads."""
    load = cards_in_a_row(count, card_gb * 1e9, reads_mb_per_s * 1e6, pause_s)
    run = write_profile(DRIVE, PATH, 1e9, load, free_bytes=1e12)
    assert run.written_bytes == pytest.approx(count * card_gb * 1e9)
    ends = [run.written_after_s((number + 1) * card_gb * 1e9) for number in range(count)]
    fastest_s = card_gb * 1e9 / min(reads_mb_per_s * 1e6, 1e9)
    starts = [0.0, *(end + pause_s for end in ends[:-1])]
    for start, end in zip(starts, ends, strict=True):
        assert end - start >= fastest_s * (1 - 1e-9)
    assert ends[-1] == pytest.approx(run.duration_s)


def test_a_slow_card_takes_its_own_time_and_a_full_drive_ends_the_copy():
    """50 GB at 100 MB/s, which this drive takes, are 500 s; what doesn't fit is never written."""
    slow = write_profile(DRIVE, PATH, 1e9, cards_in_a_row(1, 50e9, 100e6), free_bytes=1e12)
    assert slow.duration_s == pytest.approx(500)
    full = write_profile(DRIVE, PATH, 1e9, cards_in_a_row(3, 50e9, np.inf), free_bytes=120e9)
    assert full.written_bytes == pytest.approx(120e9)
    assert full.written_after_s(100e9) < np.inf
    assert full.written_after_s(150e9) == np.inf


def test_no_workload_is_made_of_nothing():
    """A day without a take, no card at all: said, not simulated."""
    assert flat_out(10)[0].offered_bytes_per_s == np.inf
    with pytest.raises(BadValueError):
        takes_and_pauses([], 1e6)
    with pytest.raises(BadValueError):
        cards_in_a_row(0, 1e9, 1e8)
    with pytest.raises(BadValueError, match="total_bytes is -1"):
        Phase(1e6, np.inf, -1.0)


def trace_of(*pieces):
    """A trace of (seconds, bytes per second), a row every quarter second."""
    rates = np.concatenate([np.full(round(s * 4), r / 4) for s, r in pieces])
    elapsed = np.arange(rates.size + 1) / 4
    return Trace(elapsed, np.concatenate([[0.0], np.cumsum(rates)]), np.full(elapsed.size, np.nan))


def test_one_trace_holds_one_format_and_not_another(slipway):
    """900 MB/s for 300 GB, then 140: enough for 92 MB/s, not for 160."""
    trace = trace_of((333, 900e6), (2200, 140e6))
    b, a = slipway.camera("B"), slipway.camera("A")
    held = replay(trace, b, camera_need(b))
    assert held.verdict is Verdict.HOLDS
    # B's 222 GB were all written while it was fast.
    assert held.margin == pytest.approx(900 / 122.0 - 1, rel=1e-2)
    long = replace(b, longest_take_s=1.6 * 3600)
    assert replay(trace, long, camera_need(long)).margin == pytest.approx(140 / 122 - 1, rel=1e-2)
    short = replay(trace, a, camera_need(a))
    assert short.verdict is Verdict.FALLS_SHORT
    # Full after the fast bytes at the camera's pace, then B/(R - r).
    fast_s = 333 * 900e6 / camera_need(a).average_bytes_per_s
    expected = fast_s + 1.1e9 / (camera_need(a).average_bytes_per_s - 140e6)
    assert short.outcome.first_loss_s == pytest.approx(expected, rel=1e-2)


def test_a_trace_promises_nothing_beyond_what_it_saw(slipway):
    """Past the last byte of a trace nothing is promised."""
    a = slipway.camera("A")
    found = replay(trace_of((100, 900e6)), a, camera_need(a))
    assert (found.verdict, found.margin) == (Verdict.NOT_KNOWN, None)
    assert found.covered_share == pytest.approx(90e9 / 498.7e9, rel=1e-2)


def test_a_stall_is_met_by_the_buffer_or_not(slipway):
    """A stall shorter than the buffer is bridged, a longer one isn't."""
    b = slipway.camera("B")
    for stall_s, verdict in ((3, Verdict.HOLDS), (9, Verdict.FALLS_SHORT)):
        trace = trace_of((100, 900e6), (stall_s, 0), (300, 900e6))
        found = replay(trace, b, camera_need(b))
        assert found.verdict is verdict
        assert (found.margin < 0) == (verdict is Verdict.FALLS_SHORT)
    with pytest.raises(BadValueError, match="shorter"):
        replay(trace_of((0.25, 1e8)), b, camera_need(b))
