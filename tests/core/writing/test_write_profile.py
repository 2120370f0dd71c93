"""The model held to its worked examples, its closed forms and to small time steps."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.parts import ThrottleStage, WriteBehaviour
from vastcellar.core.writing.drive_in_use import EventKind, balance_rate_bytes_per_s
from vastcellar.core.writing.heat import Course, HeatPath, largest_rate_without_throttle_bytes_per_s
from vastcellar.core.writing.write_profile import Phase, sample, write_profile

CACHED = WriteBehaviour(
    cache_write_bytes_per_s=2500e6,
    direct_write_bytes_per_s=250e6,
    cache_static_bytes=12e9,
    cache_share_of_free=0.22,
    fold_bytes_per_s=300e6,
    fold_while_writing=1.0,
)
PATH = HeatPath(12, 60, 6, 12, 0.7, 28)
WARM = WriteBehaviour(
    cache_write_bytes_per_s=900e6,
    direct_write_bytes_per_s=900e6,
    idle_w=0.6,
    cache_j_per_gb=2.0,
    direct_j_per_gb=4.2,
    heat_capacity_j_per_k=12,
    throttle=(ThrottleStage(74, 70, 300e6),),
)
FLAT_OUT = math.inf


def run(behaviour=CACHED, path=PATH, offered=800e6, seconds=600.0, link=5e9, free=650e9, **kwargs):
    return write_profile(
        behaviour, path, link, (Phase(offered, seconds),), free_bytes=free, **kwargs
    )


def test_the_cliff_comes_where_the_closed_form_says():
    """t_x = (C - F0)/n and W_x = r t_x; below r* it never comes."""
    full = run().first(EventKind.CACHE_FULL)
    assert full.at_s == pytest.approx(260.1, abs=0.1)
    assert full.written_bytes == pytest.approx(208.05e9, rel=1e-4)
    assert balance_rate_bytes_per_s(CACHED) == pytest.approx(267.9e6, rel=1e-3)
    below = run(offered=balance_rate_bytes_per_s(CACHED) * 0.999, seconds=36_000, free=1e14)
    assert below.first(EventKind.CACHE_FULL) is None


def test_steady_heat_and_the_largest_rate_without_throttling():
    """The temperature in the end, and the most that never throttles, as worked by hand."""
    assert PATH.steady_c(2.4) == pytest.approx((79.6, 65.2))
    in_cache = largest_rate_without_throttle_bytes_per_s(PATH, 74, 0.6, 2.0)
    direct = largest_rate_without_throttle_bytes_per_s(PATH, 74, 0.6, 4.2)
    assert (in_cache, direct) == pytest.approx((744.4e6, 354.5e6), rel=1e-3)
    assert largest_rate_without_throttle_bytes_per_s(PATH, 30, 0.6, 2.0) == 0


def test_throttling_begins_on_time_and_saws():
    """Two nodes: 1780 s, where one node would say 2878; then a period of 208.7 s."""
    hot = run(WARM, offered=FLAT_OUT, seconds=18_000, free=1e15, starts_at_ambient=True)
    assert hot.first(EventKind.THROTTLE).at_s == pytest.approx(1780, abs=1)
    late = hot.events[40:61]
    assert (late[-1].at_s - late[0].at_s) / 10 == pytest.approx(208.7, abs=0.2)
    written = late[-1].written_bytes - late[0].written_bytes
    assert written / (late[-1].at_s - late[0].at_s) == pytest.approx(696e6, rel=2e-3)


def test_the_time_constants():
    """The two time constants of the heat path, as worked by hand."""
    assert [1 / rate for rate in PATH.decay_per_s()] == pytest.approx([59.1, 876.9], rel=1e-3)


def step_by_step(behaviour, path, offered, seconds, link, free, step_s=0.02):
    """The same model in small steps: slow, and easy to see right."""
    drive_c, case_c = path.idle_c(behaviour.idle_w)
    cache = behaviour.cache_static_bytes + behaviour.cache_share_of_free * free
    cached = written = 0.0
    stage = 0
    for _ in range(round(seconds / step_s)):
        cap = min(link, behaviour.throttle[stage - 1].cap_bytes_per_s if stage else math.inf)
        rate = min(offered, cap, behaviour.cache_write_bytes_per_s)
        fold = behaviour.fold_while_writing * behaviour.fold_bytes_per_s
        fold *= 1 - rate / behaviour.cache_write_bytes_per_s
        joule = behaviour.cache_j_per_gb
        if cached >= cache and rate > fold:
            rate, fold = min(offered, cap, behaviour.direct_write_bytes_per_s), 0.0
            joule = behaviour.direct_j_per_gb
        else:
            cached = min(max(cached + (rate - fold) * step_s, 0.0), cache)
        rate = 0.0 if written >= free else rate
        watts = behaviour.idle_w + joule * rate / 1e9
        flow_w = (drive_c - case_c) / path.drive_to_case_k_per_w
        out_w = (case_c - path.ambient_c) / path.case_to_room_k_per_w
        drive_c += step_s * (watts - flow_w) / path.drive_j_per_k
        case_c += step_s * (path.bridge_w + flow_w - out_w) / path.case_j_per_k
        written += rate * step_s
        if stage < len(behaviour.throttle) and drive_c >= behaviour.throttle[stage].on_c:
            stage += 1
        elif stage and drive_c <= behaviour.throttle[stage - 1].off_c:
            stage -= 1
    return written, drive_c


@pytest.mark.parametrize("offered", [150e6, 400e6, FLAT_OUT])
@pytest.mark.parametrize("ambient_c", [20.0, 38.0])
def test_events_agree_with_small_steps(offered, ambient_c):
    """Cache, two throttle stages and heat together, over half an hour."""
    behaviour = WriteBehaviour(
        cache_write_bytes_per_s=1800e6,
        direct_write_bytes_per_s=420e6,
        cache_static_bytes=6e9,
        cache_share_of_free=0.1,
        fold_bytes_per_s=250e6,
        fold_while_writing=0.5,
        cache_j_per_gb=2.0,
        direct_j_per_gb=5.0,
        heat_capacity_j_per_k=8,
        throttle=(ThrottleStage(70, 65, 300e6), ThrottleStage(75, 70, 120e6)),
    )
    path = HeatPath(8, 40, 6, 12, 0.7, ambient_c)
    written, drive_c = step_by_step(behaviour, path, offered, 1800, 1e9, 900e9)
    found = run(behaviour, path, offered, 1800, 1e9, 900e9)
    assert found.written_bytes == pytest.approx(written, rel=2e-3)
    end = sample(found, np.array([1800.0]))
    assert end.drive_c[0] == pytest.approx(drive_c, abs=0.5)


def test_a_full_drive_delivers_nothing_more():
    """At the last free byte the drive stops, and the event says so."""
    found = run(offered=1e9, seconds=1000, free=100e9)
    full = found.first(EventKind.DRIVE_FULL)
    assert full.written_bytes == 100e9
    assert found.written_bytes == 100e9
    assert found.intervals[-1].ability_bytes_per_s == 0


def test_a_hard_disk_slows_towards_its_inner_zone():
    """Mean of a full fill = r_outer (1 + rho)/2."""
    disk = WriteBehaviour(130e6, 130e6, inner_share=0.5)
    found = run(disk, offered=FLAT_OUT, seconds=20_000, free=1e12)
    full = found.first(EventKind.DRIVE_FULL)
    assert 1e12 / full.at_s == pytest.approx(97.5e6, rel=1e-3)
    assert found.lowest_ability_bytes_per_s == 0
    rates = [i.ability_bytes_per_s for i in found.intervals[:-1]]
    assert rates == sorted(rates, reverse=True)


HOT = replace(
    CACHED, throttle=(ThrottleStage(70, 64, 200e6),), direct_j_per_gb=6.0, cache_j_per_gb=3.0
)


@given(offered=st.floats(50e6, 200e6), ambient_c=st.floats(-10, 45), warmer_k=st.floats(0, 30))
def test_a_hotter_room_never_improves_a_paced_take(offered, ambient_c, warmer_k):
    """Below the cap the power is the same in both rooms, so the warmer drive throttles no later.

    Flat out this does not hold: a throttled drive folds its cache meanwhile, and may gain by it.
    """
    cool = run(HOT, replace(PATH, ambient_c=ambient_c), offered, 1800)
    warm = run(HOT, replace(PATH, ambient_c=ambient_c + warmer_k), offered, 1800)
    moments = np.linspace(0, 1800, 400)
    in_cool = sample(cool, moments).ability_bytes_per_s
    in_warm = sample(warm, moments).ability_bytes_per_s
    assert np.all(in_warm <= in_cool * (1 + 1e-9))
    assert warm.lowest_ability_bytes_per_s <= cool.lowest_ability_bytes_per_s * (1 + 1e-9)


@given(offered=st.floats(50e6, 3e9), ambient_c=st.floats(-10, 45), free=st.floats(20e9, 2e12))
def test_bytes_and_time_add_up_whatever_happens(offered, ambient_c, free):
    """Bytes are rate times time and never exceed the room, whatever is drawn."""
    found = run(HOT, replace(PATH, ambient_c=ambient_c), offered, 1800, free=free)
    added = sum(i.written_bytes_per_s * i.duration_s for i in found.intervals)
    assert found.written_bytes == pytest.approx(added, rel=1e-9, abs=10)
    assert sum(i.duration_s for i in found.intervals) == pytest.approx(1800)
    assert found.written_bytes <= free + 1


@given(offered=st.floats(50e6, 3e9), ambient_c=st.floats(-10, 45), seconds=st.floats(60, 3600))
def test_energy_is_conserved(offered, ambient_c, seconds):
    """What was put in is what both nodes hold and what went into the room."""
    path = replace(PATH, ambient_c=ambient_c)
    found = run(HOT, path, offered, seconds, free=1e13)
    moments = np.linspace(0, seconds, 40_001)
    at = sample(found, moments)
    drawn = 0.0
    for each in found.intervals:
        case_c = each.course.case_steady_c  # steady: all power leaves through R2a
        watts = (case_c - ambient_c) / path.case_to_room_k_per_w
        drawn += watts * each.duration_s
    to_room = np.trapezoid((at.case_c - ambient_c) / path.case_to_room_k_per_w, moments)
    held = path.drive_j_per_k * (at.drive_c[-1] - at.drive_c[0]) + path.case_j_per_k * (
        at.case_c[-1] - at.case_c[0]
    )
    assert drawn == pytest.approx(to_room + held, rel=2e-3, abs=1.0)


@given(
    drive_c=st.floats(10, 95),
    case_c=st.floats(10, 95),
    watts=st.floats(0, 8),
    threshold_c=st.floats(20, 90),
    rising=st.booleans(),
)
def test_a_threshold_is_found_where_a_fine_scan_finds_it(
    drive_c, case_c, watts, threshold_c, rising
):
    """Also when the curve comes and goes within the interval."""
    course = Course.start(PATH, watts, drive_c, case_c)
    found = course.reaches_after_s(threshold_c, 3000, rising=rising)
    moments = np.linspace(0, 3000, 30_001)
    temperatures = np.array([course.drive_c(t) for t in moments])
    beyond = temperatures >= threshold_c if rising else temperatures <= threshold_c
    if beyond.any():
        assert found == pytest.approx(moments[np.argmax(beyond)], abs=0.11)
    elif math.isfinite(found):  # it grazes between two points of the scan
        assert course.drive_c(found) == pytest.approx(threshold_c, abs=1e-3)


def test_nothing_to_write_is_refused():
    """A profile of no phases and a throttle that never lets go are refused."""
    with pytest.raises(BadValueError, match="nothing to write"):
        write_profile(CACHED, PATH, 1e9, (), free_bytes=1e9)
    with pytest.raises(BadValueError, match="lets go"):
        ThrottleStage(70, 70, 1e8)
