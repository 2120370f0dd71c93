"""Traces and second logs: bytes are conserved however they are cut."""

import itertools
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.errors import BadValueError
from vastcellar.core.trace import SecondsLog, Trace, rates_bytes_per_s

WRITES = st.lists(
    st.tuples(st.floats(0, 3), st.floats(0, 2.5), st.integers(1, 10**9)), min_size=1, max_size=12
)


def laid_out(writes):
    """Writes one after the other: (pause before, how long, bytes) as (begin, end, bytes)."""
    at_s, found = 0.0, []
    for pause_s, long_s, count in writes:
        found.append((at_s + pause_s, at_s + pause_s + long_s, count))
        at_s = found[-1][1]
    return found


@given(WRITES)
def test_a_log_by_seconds_loses_no_byte(writes):
    """Whatever seconds a write spans, its bytes are spread over them and none is lost."""
    log = SecondsLog()
    for begin_s, end_s, count in laid_out(writes):
        log.add(begin_s, end_s, count)
    total = sum(count for _, _, count in writes)
    assert sum(log._bytes) == pytest.approx(total)
    busy = sum(end - begin for begin, end, _ in laid_out(writes))
    assert sum(log._busy_s) == pytest.approx(busy, abs=1e-6)


@given(WRITES, st.integers(2, 5))
def test_a_write_in_pieces_is_logged_as_in_one(writes, pieces):
    """Cutting a write into equal pieces, one after the other, changes no second."""
    whole, cut = SecondsLog(), SecondsLog()
    for begin_s, end_s, count in laid_out(writes):
        whole.add(begin_s, end_s, count * pieces)
        edges = np.linspace(begin_s, end_s, pieces + 1)
        for left, right in itertools.pairwise(edges):
            cut.add(float(left), float(right), count)
    assert cut._bytes == pytest.approx(whole._bytes, rel=1e-6, abs=1.0)


@given(st.integers(2, 40), st.floats(0.3, 2.0), st.randoms(use_true_random=False))
def test_rates_over_a_trace_add_up_to_its_bytes(rows, every_s, random):
    """Rates times their steps are the bytes of the whole steps, whatever the stamps."""
    elapsed = np.cumsum([0.0] + [random.uniform(0.05, 1.5) for _ in range(rows)])
    written = np.cumsum([0.0] + [random.uniform(0, 1e9) for _ in range(rows)])
    trace = Trace(elapsed, written, np.full(elapsed.size, np.nan))
    _, rates = rates_bytes_per_s(trace, every_s)
    end_s = rates.size * every_s
    assert rates.sum() * every_s == pytest.approx(
        float(np.interp(end_s, elapsed, written)) if rates.size else 0.0
    )
    assert trace.duration_s - end_s < every_s * 1.001


def test_a_second_without_bytes_is_the_slowest_and_shorter_runs_have_none():
    """A stall counts as seconds with nothing; of less than a second no rate is made."""
    log = SecondsLog()
    log.add(0.0, 1.0, 100)
    log.add(3.0, 4.0, 100)
    assert log.slowest_second_bytes(4.0) == 0
    assert math.isnan(log.slowest_second_bytes(0.4))


@pytest.mark.parametrize(
    ("elapsed", "written", "says"),
    [
        ([0, 2, 1], [0, 1, 2], "elapsed_s falls"),
        ([0, 1, 2], [0, 2, 1], "written_bytes falls"),
        ([0, 1, math.inf], [0, 1, 2], "elapsed_s falls or is missing"),
        ([0, 1], [0, 1, 2], "shapes"),
    ],
)
def test_a_trace_that_cant_be_is_refused_by_its_row(elapsed, written, says):
    """Time and bytes never fall, and every row has both."""
    columns = [np.array(values, dtype=float) for values in (elapsed, written)]
    with pytest.raises(BadValueError, match=says):
        Trace(*columns, np.full(len(elapsed), np.nan))
