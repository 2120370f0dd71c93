"""Two falls, one throttle: whoever simulates both stages is never told that it can't be."""

import itertools
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.diagnosis.causes import Cause
from vastcellar.core.diagnosis.diagnose import diagnose
from vastcellar.core.diagnosis.levels import Drop
from vastcellar.core.diagnosis.two_stages import may_be_two_stages
from vastcellar.core.parts.parts import ThrottleStage, WriteBehaviour
from vastcellar.core.trace import Trace
from vastcellar.core.writing.drive_in_use import EventKind
from vastcellar.core.writing.heat import Course, HeatPath
from vastcellar.core.writing.heat_columns import Courses, HeatPathColumns
from vastcellar.core.writing.write_profile import Phase, sample, write_profile

RUN_S = 1800.0


def between(low, high):
    return st.floats(low, high)


@st.composite
def throttling_drives(draw):
    """A drive that never leaves its cache, with two stages, in a case that lets it get hot."""
    full = draw(between(900, 3000)) * 1e6
    on_c, further_k = draw(between(68, 78)), draw(between(3, 8))
    first_cap = full * draw(between(0.3, 0.7))
    stages = (
        ThrottleStage(on_c, on_c - draw(between(4, 9)), first_cap),
        ThrottleStage(on_c + further_k, on_c + further_k - draw(between(3, 6)), first_cap * 0.5),
    )
    c1, c2 = draw(between(5, 15)), draw(between(15, 60))
    behaviour = WriteBehaviour(
        full, full, idle_w=draw(between(0.4, 1.0)), cache_j_per_gb=draw(between(1.3, 2.6)),
        heat_capacity_j_per_k=c1, throttle=stages,
    )  # fmt: skip
    path = HeatPath(c1, c2, draw(between(3, 6)), draw(between(9, 20)), draw(between(0.3, 1.5)),
                    draw(between(20, 36)))  # fmt: skip
    return behaviour, path, full


def falls_of(run, full):
    """The two falls of a run that went down stage by stage and never up again; else None."""
    changes = [e for e in run.events if e.kind in (EventKind.THROTTLE, EventKind.RECOVER)]
    if [event.kind for event in changes] != [EventKind.THROTTLE] * 2:
        return None
    rates = [run.intervals[0].written_bytes_per_s]
    rates += [next(i.written_bytes_per_s for i in run.intervals if i.start_s >= event.at_s - 1e-6)
              for event in changes]  # fmt: skip
    bounds = [event.at_s for event in changes] + [RUN_S]
    if bounds[0] < 5 or bounds[2] - bounds[1] < 5:
        return None
    return [
        Drop(bounds[n], 0.0, rates[n], rates[n + 1], bounds[n + 1] - bounds[n], math.nan, 0.0)
        for n in (0, 1)
    ]


@given(drive=throttling_drives())
def test_two_stages_that_were_simulated_are_held_possible(drive):
    """Two falls simulated with two throttle stages are never ruled out as two stages."""
    behaviour, path, full = drive
    run = write_profile(behaviour, path, full, (Phase(math.inf, RUN_S),), free_bytes=20e12)
    falls = falls_of(run, full)
    if falls is not None:
        assert may_be_two_stages(*falls, begin_s=0.0)


def step_down(at_s, before, after, held_s):
    return Drop(at_s, 0.0, before * 1e6, after * 1e6, held_s, math.nan, 0.0)


@pytest.mark.parametrize("share", [0.2, 0.3])
def test_a_drive_that_had_nearly_settled_warms_no_further_on_less_heat(share):
    """45 min at full rate, then a stage: on much less heat it cools from there on, even folding."""
    first = step_down(2700, 1000, 1000 * share, 60)
    second = step_down(2760, 1000 * share, 500 * share, 600)
    assert not may_be_two_stages(first, second, begin_s=0.0)
    # The same two falls while all is still cold underneath may well be two stages.
    soon = step_down(40, 1000, 1000 * share, 200), step_down(240, 1000 * share, 500 * share, 600)
    assert may_be_two_stages(*soon, begin_s=0.0)


def test_heat_that_settled_and_then_a_cliff_are_not_told_apart_without_a_sensor():
    """Throttled, then past the cache: a folding drive on a second stage may look the same."""
    behaviour = WriteBehaviour(
        1600e6, 210e6, 1.2e12, 0.0, 1e6, 0.0, idle_w=0.6, cache_j_per_gb=2.0, direct_j_per_gb=4.0,
        heat_capacity_j_per_k=12.0, throttle=(ThrottleStage(60.0, 52.0, 520e6),),
    )  # fmt: skip
    path = HeatPath(12, 100, 3.0, 7.2, 1.2, 30.0)
    run = write_profile(behaviour, path, 1000e6, (Phase(math.inf, RUN_S),), free_bytes=4e12)
    kinds = [e.kind for e in run.events if e.kind in (EventKind.THROTTLE, EventKind.CACHE_FULL)]
    assert kinds == [EventKind.THROTTLE, EventKind.CACHE_FULL]
    moments = np.arange(0.0, RUN_S)
    written = sample(run, moments).written_bytes
    noise = np.random.default_rng(4).normal(0, 0.03, moments.size)
    written = np.concatenate([[0.0], np.cumsum(np.diff(written) * (1 + noise[1:]))])
    found = diagnose(Trace(moments, written, np.full(moments.size, np.nan)), 1000e6)
    # Two lasting falls: heat is among them. Which of them it is, only a fan or a sensor tells.
    assert set(found.causes) == {Cause.THERMAL}
    assert "fan" in found.deciding_test


@given(
    values=st.lists(
        st.tuples(between(4, 20), between(10, 500), between(1, 9), between(2, 25), between(0, 3),
                  between(15, 40), between(0, 8), between(15, 90), between(15, 90)),
        min_size=1, max_size=6,
    )
)  # fmt: skip
def test_many_courses_at_once_are_the_single_ones(values):
    """The vectorised heat courses equal the single ones value by value."""
    columns = [np.array(column) for column in zip(*values, strict=True)]
    watts, drive_c, case_c = columns[6:]
    many = Courses(HeatPathColumns(*columns[:6]), watts, drive_c, case_c)
    for after_s, (index, row) in itertools.product((0.0, 7.0, 900.0), enumerate(values)):
        one = Course.start(HeatPath(*row[:6]), *row[6:])
        moment = np.array([[after_s]])
        assert many.drive_c(moment)[0, index] == pytest.approx(one.drive_c(after_s), abs=1e-6)
        assert many.case_c(moment)[0, index] == pytest.approx(one.case_c(after_s), abs=1e-6)
