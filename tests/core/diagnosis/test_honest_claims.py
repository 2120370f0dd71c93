"""What real traces have and tidy ones don't, and no claim that physics doesn't force."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.diagnosis.causes import Cause
from vastcellar.core.diagnosis.diagnose import diagnose
from vastcellar.core.parts.parts import ThrottleStage, WriteBehaviour
from vastcellar.core.trace import Trace
from vastcellar.core.writing.drive_in_use import EventKind
from vastcellar.core.writing.heat import HeatPath
from vastcellar.core.writing.write_profile import Phase, sample, write_profile


def trace_of(*stretches, seed=3, noise=0.03, late_s=0.0):
    """Rates in MB/s, each for so many seconds, logged each second; nothing is hot or cold."""
    random = np.random.default_rng(seed)
    rates = np.concatenate([np.full(int(seconds * 4), mb * 1e6) for mb, seconds in stretches])
    rates = np.concatenate([np.zeros(int(late_s * 4)), rates * random.normal(1, noise, rates.size)])
    written = np.concatenate([[0.0], np.cumsum(rates) / 4])
    fine_s = np.arange(written.size) / 4
    seconds = np.arange(0.0, fine_s[-1] + 0.1)
    return Trace(seconds, np.interp(seconds, fine_s, written), np.full(seconds.size, math.nan))


@given(late_s=st.floats(0.25, 8.0), rate=st.floats(900, 1000), seed=st.integers(0, 50))
def test_a_late_first_byte_makes_a_flat_run_no_healthy_one(late_s, rate, seed):
    """The program opened files first: it is flat at the link all the same."""
    found = diagnose(trace_of((rate, 120), late_s=late_s, seed=seed), rate * 1e6)
    assert found.causes == (Cause.LINK,)
    assert found.burst.value == pytest.approx(rate * 1e6, rel=0.02)


@given(
    first_s=st.integers(1, 5), share=st.floats(0.3, 0.9), rate=st.floats(300, 3000),
    seed=st.integers(0, 50),
)  # fmt: skip
def test_the_burst_is_met_whatever_the_first_seconds_were(first_s, share, rate, seed):
    """A median of what came after the start, with an interval that holds it."""
    found = diagnose(trace_of((rate * share, first_s), (rate, 90), seed=seed), None)
    assert found.burst.value == pytest.approx(rate * 1e6, rel=0.03)
    assert found.burst.low * 0.99 <= rate * 1e6 <= found.burst.high * 1.01


@given(slow_s=st.integers(2, 9), share=st.floats(0.1, 0.7))
def test_slow_seconds_at_the_very_end_are_no_cliff(slow_s, share):
    """The host flushes and closes: nobody knows what would have come next."""
    found = diagnose(trace_of((940, 200), (940 * share, slow_s)), 1000e6)
    assert found.causes == (Cause.LINK,)
    assert not found.drops


@pytest.mark.parametrize("burst_s", [0.5, 1.0, 3.0])
def test_a_small_early_burst_with_the_link_unknown_is_memory_or_cache(burst_s):
    """Neither is named, and the test that would decide is."""
    found = diagnose(trace_of((2600, burst_s), (450, 200)), None)
    assert Cause.CACHE not in found.causes
    if found.causes == ():
        assert found.deciding_test


def test_more_than_the_stated_link_carries_is_asked_about_not_explained():
    """1,951 MB/s for minutes under a stated 980: it is another link, and nothing rests on it."""
    found = diagnose(trace_of((1951, 200)), 980e6)
    assert found.causes == ()
    assert Cause.LINK in found.candidates
    (asked,) = found.findings[0].said
    assert (asked.kind, dict(asked.values)["link_bytes_per_s"]) == ("another link", 980e6)
    assert found.deciding_test.startswith("Name the ceiling of the link")


PATH = HeatPath(10, 45, 5.0, 11.0, 0.6, 24.0)


@pytest.mark.parametrize("fold_j", [0.0, 1.5, 3.0])
@pytest.mark.parametrize("cold", [False, True])
def test_a_throttle_on_a_folding_drive_cold_from_the_shelf_is_never_called_cache(fold_j, cold):
    """Idling, folding and a bridge weigh more on a slower byte: that makes it no cliff."""
    behaviour = WriteBehaviour(
        2600e6, 800e6, 3e12, 0.0, 450e6, 1.0, idle_w=1.0, cache_j_per_gb=1.6, direct_j_per_gb=4.0,
        fold_j_per_gb=fold_j, heat_capacity_j_per_k=10.0,
        throttle=(ThrottleStage(62.0, 57.0, 350e6),),
    )  # fmt: skip
    run = write_profile(behaviour, PATH, 1000e6, (Phase(math.inf, 1500.0),), free_bytes=4e12,
                        starts_at_ambient=cold)  # fmt: skip
    assert run.first(EventKind.THROTTLE) is not None
    moments = np.arange(0.0, 1500.0)
    found = sample(run, moments)
    celsius = np.round(np.interp(moments - 2.0, moments, found.drive_c))
    told = diagnose(Trace(moments, found.written_bytes, celsius), 1000e6)
    assert Cause.CACHE not in told.causes


def test_each_finding_says_what_kind_of_reason_it_is():
    """So that each reason can be held against what really happened."""
    found = diagnose(trace_of((900, 120), (140, 400)), 1000e6)
    for finding in found.findings:
        assert (finding.cause is None) == (finding.why.value == "open")
