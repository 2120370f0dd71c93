"""A unit's own model: what runs teach, what they leave open, and what it predicts."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drawn_setups import Setup, draw_setup, log_runs
from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.parts import ThrottleStage, WriteBehaviour
from vastcellar.core.unit_model.calibration import calibrate
from vastcellar.core.unit_model.fitted_model import active_parameters, adjusted
from vastcellar.core.unit_model.prediction import WrittenRun, beside_model, predicted_run
from vastcellar.core.writing.heat import HeatPath

TYPICAL = WriteBehaviour(
    cache_write_bytes_per_s=1800e6,
    direct_write_bytes_per_s=300e6,
    cache_static_bytes=10e9,
    cache_share_of_free=0.15,
    fold_bytes_per_s=200e6,
    fold_while_writing=0.3,
    direct_j_per_gb=5.0,
    throttle=(ThrottleStage(80.0, 75.0, 400e6),),
)
PATH = HeatPath(12, 200, 2.0, 3.0, 0.7, 22.0)


def run_of(behaviour, *, link=1000e6, free=600e9, seconds=900.0, path=PATH, seed=3, celsius=True):
    setup = Setup(behaviour, path, link, free, link, False, 0.0, 1e9, False, seed)
    trace = log_runs(setup, (seconds,)).trace
    if not celsius:
        trace = replace(trace, temperature_c=np.full(trace.elapsed_s.shape, math.nan))
    return WrittenRun(trace, path, link, free, free)


def figure(fit, key):
    return next(each for each in fit.figures if each.key == key)


def test_a_run_past_the_cliff_teaches_cache_and_lasting_rate_with_their_intervals():
    """A run past the knee gives cache and lasting rate, each within its interval."""
    own = replace(TYPICAL, direct_write_bytes_per_s=190e6, cache_static_bytes=30e9,
                  cache_share_of_free=0.2)  # fmt: skip
    fit = calibrate(TYPICAL, [run_of(own)])
    lasting, cache = figure(fit, "direct_write_bytes_per_s"), figure(fit, "cache_bytes")
    assert lasting.is_learned and cache.is_learned
    assert lasting.estimate.value == pytest.approx(190e6, rel=0.02)
    assert lasting.estimate.low < 190e6 < lasting.estimate.high
    assert cache.estimate.value == pytest.approx(150e9, rel=0.04)
    assert lasting.typical == 300e6
    # Behind a 1000 MB/s link nobody sees whether the cache takes 1800.
    fast = figure(fit, "cache_write_bytes_per_s")
    assert not fast.is_learned
    assert fast.estimate.value == pytest.approx(1800e6, rel=0.05)


def test_what_a_run_never_reached_stays_as_the_class_has_it():
    """Figures that a short run didn't reach keep their class's value and interval."""
    fit = calibrate(TYPICAL, [run_of(TYPICAL, seconds=40.0)])
    assert not any(figure(fit, key).is_learned for key in (
        "direct_write_bytes_per_s", "cache_bytes", "throttle_c"))  # fmt: skip
    assert fit.behaviour.direct_write_bytes_per_s == pytest.approx(300e6, rel=0.03)
    low, high = (figure(fit, "direct_write_bytes_per_s").estimate.low,
                 figure(fit, "direct_write_bytes_per_s").estimate.high)  # fmt: skip
    assert high / low > 3


def test_a_run_counts_only_up_to_a_drop_whose_cause_is_open():
    """A drop that may be heat or cache teaches neither, and asks for a fan."""
    hot = HeatPath(10, 40, 6.0, 11.0, 0.7, 30.0)
    own = replace(TYPICAL, cache_static_bytes=60e9, throttle=(ThrottleStage(72, 66, 350e6),))
    fit = calibrate(TYPICAL, [run_of(own, path=hot, celsius=False)])
    assert fit.open_questions
    assert "fan" in fit.open_questions[0]
    assert not figure(fit, "direct_write_bytes_per_s").is_learned


def test_heat_is_learned_from_a_throttling_run_with_a_sensor():
    """With a sensor a throttling run teaches when it sets in and how it heats."""
    hot = HeatPath(10, 40, 6.0, 11.0, 0.7, 26.0)
    own = replace(TYPICAL, cache_static_bytes=900e9, cache_j_per_gb=2.6,
                  throttle=(ThrottleStage(74, 68, 300e6),))  # fmt: skip
    typical = replace(TYPICAL, cache_static_bytes=900e9)
    fit = calibrate(typical, [run_of(own, path=hot, free=2e12, seconds=1500.0)])
    assert figure(fit, "throttle_c").estimate.value == pytest.approx(74, abs=1.5)
    assert figure(fit, "heat_j_per_gb").estimate.value == pytest.approx(2.6, rel=0.08)
    cap = figure(fit, "throttle_cap_bytes_per_s")
    assert figure(fit, "cache_write_bytes_per_s").estimate.value > 990e6
    assert cap.is_learned and cap.estimate.value == pytest.approx(300e6, rel=0.03)


def test_a_hard_disk_has_zones_and_no_cache():
    """A hard disk is fitted by its zones and never by a cache."""
    disk = WriteBehaviour(210e6, 210e6, inner_share=0.5, idle_w=3.0, heat_capacity_j_per_k=400)
    own = replace(disk, cache_write_bytes_per_s=170e6, direct_write_bytes_per_s=170e6)
    fit = calibrate(disk, [run_of(own, free=300e9, seconds=1500.0)])
    assert {each.key for each in fit.figures} == {
        "direct_write_bytes_per_s", "heat_j_per_gb", "inner_share"}  # fmt: skip
    assert fit.behaviour.direct_write_bytes_per_s == pytest.approx(170e6, rel=0.02)


def test_a_run_too_short_teaches_nothing_and_says_what_would():
    """A run of seconds teaches nothing and says what would."""
    with pytest.raises(BadValueError, match="Write flat out past the first drop"):
        calibrate(TYPICAL, [run_of(TYPICAL, seconds=8.0)])


def test_fitted_to_one_run_the_model_predicts_the_next_far_better_than_its_class():
    """Over drawn drives a fit to one run foretells the next far better than the class."""
    random = np.random.default_rng(11)
    before, after, inside = [], [], 0
    for _ in range(14):
        setup = replace(draw_setup(random), host_cache_bytes=0.0, is_erratic=False)
        count = len(active_parameters(setup.behaviour))
        typical = adjusted(setup.behaviour, random.normal(0, 1, count).clip(-2, 2))
        first = log_runs(setup, (1200.0,)).trace
        fit = calibrate(typical, [WrittenRun(first, setup.path, setup.link_cap_bytes_per_s,
                                             setup.free_bytes, setup.free_bytes)])  # fmt: skip
        warmer = replace(setup.path, ambient_c=setup.path.ambient_c + 5)
        following = replace(setup, path=warmer, free_bytes=setup.free_bytes * 0.7,
                            seed=setup.seed + 1)  # fmt: skip
        then = WrittenRun(log_runs(following, (1200.0,)).trace, warmer,
                          setup.link_cap_bytes_per_s, following.free_bytes,
                          following.free_bytes)  # fmt: skip
        prediction = beside_model(then, fit.behaviour, None, fit.draws(20), 0.03)
        inside += prediction.is_as_predicted
        if not fit.open_questions:
            before.append(abs(beside_model(then, typical, None).off_share))
            after.append(abs(prediction.off_share))
    assert len(after) >= 7  # the other runs leave open what their drop was
    assert np.median(after) < 0.02
    assert np.median(before) > 6 * np.median(after)
    assert inside >= 10


@settings(max_examples=25)
@given(place=st.lists(st.floats(-2, 2), min_size=8, max_size=8))
def test_any_place_is_a_behaviour_that_can_be_and_its_middle_is_the_class(place):
    """No point of the search is an impossible drive, and its centre is the class."""
    moved = adjusted(TYPICAL, np.array(place))
    assert moved.direct_write_bytes_per_s <= moved.cache_write_bytes_per_s
    assert moved.throttle[0].off_c < moved.throttle[0].on_c
    assert adjusted(TYPICAL, np.zeros(8)) == TYPICAL


def test_a_prediction_says_where_the_rate_first_falls():
    """A prediction names the byte at which the rate first falls."""
    run = run_of(TYPICAL)
    prediction = beside_model(run, TYPICAL, None)
    model = predicted_run(TYPICAL, run, run.trace.duration_s)
    assert prediction.predicted_drop_bytes == pytest.approx(model.events[0].written_bytes)
    assert prediction.is_as_predicted
    assert beside_model(run_of(replace(TYPICAL, direct_write_bytes_per_s=80e6)), TYPICAL,
                        None).off_share < -0.1  # fmt: skip
