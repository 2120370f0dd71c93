"""A diagnosis hangs on the course of a trace, not on when it began or how its bytes are counted."""

import numpy as np
import pytest

from drawn_setups import draw_setup, log_runs
from vastcellar.core.diagnosis.diagnose import diagnose
from vastcellar.core.trace import Trace

DRAWN = [draw_setup(np.random.default_rng(seed)) for seed in range(400, 424)]
# Lows at random leave levels at a tie now and then: a last digit may part them otherwise.
SETUPS = [setup for setup in DRAWN if not setup.is_erratic]


@pytest.mark.parametrize("setup", SETUPS, ids=range(len(SETUPS)))
def test_a_clock_that_started_earlier_changes_no_cause(setup):
    """The same run with every stamp 100 s later: same causes, same bytes at each fall."""
    trace = log_runs(setup, (900.0,)).trace
    shifted = Trace(trace.elapsed_s + 100.0, trace.written_bytes.copy(), trace.temperature_c.copy())
    one = diagnose(trace, setup.known_link_bytes_per_s)
    other = diagnose(shifted, setup.known_link_bytes_per_s)
    assert other.causes == one.causes
    assert [each.written_bytes for each in other.drops] == pytest.approx(
        [each.written_bytes for each in one.drops], rel=0.02
    )


@pytest.mark.parametrize("setup", SETUPS, ids=range(len(SETUPS)))
def test_a_program_that_had_written_before_changes_no_cause(setup):
    """Bytes counted on from an earlier file, and rows without a change, say nothing of a drive."""
    trace = log_runs(setup, (900.0,)).trace
    rows = np.repeat(np.arange(trace.elapsed_s.size), 2)[1:]
    doubled = Trace(
        trace.elapsed_s[rows].copy(), trace.written_bytes[rows].copy(),
        trace.temperature_c[rows].copy(),
    )  # fmt: skip
    one = diagnose(trace, setup.known_link_bytes_per_s)
    other = diagnose(doubled, setup.known_link_bytes_per_s)
    assert other.causes == one.causes
    assert other.burst_bytes_per_s == pytest.approx(one.burst_bytes_per_s, rel=0.03)


@pytest.mark.parametrize("factor", [0.9, 1.1])
def test_a_drive_that_is_faster_throughout_has_the_same_causes(factor):
    """All bytes and the link by one factor, past the host's memory: the same causes, the same
    temperature, and every figure in bytes by that factor. (The memory has a rate of its own.)"""
    for setup in SETUPS:
        trace = log_runs(setup, (900.0,)).trace
        scaled = Trace(
            trace.elapsed_s.copy(), trace.written_bytes * factor, trace.temperature_c.copy()
        )
        link = setup.known_link_bytes_per_s
        one = diagnose(trace, link, is_direct=True)
        other = diagnose(scaled, link and link * factor, is_direct=True)
        assert other.causes == one.causes
        assert other.throttle_c == one.throttle_c
        assert other.burst_bytes_per_s == pytest.approx(one.burst_bytes_per_s * factor, rel=0.01)
        for mine, twin in zip(one.drops, other.drops, strict=True):
            assert twin.written_bytes == pytest.approx(mine.written_bytes * factor, rel=0.01)
