"""What a drive writes at first and what lasts are the two ends of its profile."""

import math
from dataclasses import replace

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from drawn_catalogs import behaviours
from vastcellar.core.parts.parts import ThrottleStage, WriteBehaviour
from vastcellar.core.writing.heat import HeatPath, largest_rate_without_throttle_bytes_per_s
from vastcellar.core.writing.lasting_rate import (
    write_at_first_bytes_per_s,
    write_when_warm_bytes_per_s,
    zone_write_bytes_per_s,
)
from vastcellar.core.writing.write_profile import Phase, write_profile

DAY_S = 24 * 3600.0
NO_LINK = 1e12


@st.composite
def paths(draw):
    return HeatPath(
        draw(st.floats(5, 15)), draw(st.floats(20, 200)), draw(st.floats(2, 8)),
        draw(st.floats(3, 14)), draw(st.floats(0, 2)), draw(st.floats(10, 35)),
    )  # fmt: skip


def lowest_of_a_day(behaviour, path, rate):
    """The least that a drive could take at any moment of a day that asks so much of it."""
    run = write_profile(behaviour, path, NO_LINK, (Phase(rate, DAY_S),), free_bytes=1e15)
    return run.lowest_ability_bytes_per_s


@given(behaviours(), paths())
@settings(deadline=None)
def test_what_lasts_can_be_asked_of_it_all_day_and_more_cannot(behaviour, path):
    """A recorder paced just below it is served for a day; just above it, heat stops that."""
    # A cache that is never full, or empties again, would take more for as long as that lasts.
    behaviour = replace(behaviour, cache_share_of_free=0.0, fold_while_writing=0.0)
    warm = write_when_warm_bytes_per_s(path, behaviour)
    lasts = min(warm, behaviour.direct_write_bytes_per_s)
    assume(lasts > 5e6)
    assert lowest_of_a_day(behaviour, path, lasts * 0.99) >= lasts * 0.989
    more = lasts * 1.05
    if more * DAY_S > 2 * behaviour.cache_static_bytes and warm < math.inf:
        assert lowest_of_a_day(behaviour, path, more) < more


def test_where_the_first_cap_still_heats_to_the_second_stage_the_second_counts():
    """By hand: 20 K/W in a room of 25 °C, 5 J a GB, 0.5 W idle, stages at 70 and 80 °C."""
    path = HeatPath(10, 30, 8, 12, 0.0, 25)
    stages = (ThrottleStage(70, 65, 900e6), ThrottleStage(80, 75, 300e6))
    behaviour = WriteBehaviour(3e9, 1.5e9, cache_static_bytes=1e9, direct_j_per_gb=5.0,
                               throttle=stages)  # fmt: skip
    # (80 - 25) / 20 = 2.75 W; less 0.5 W idle, 2.25 W at 5 J a GB are 450 MB/s: less than the 900.
    assert largest_rate_without_throttle_bytes_per_s(path, 80, 0.5, 5.0) == pytest.approx(450e6)
    assert write_when_warm_bytes_per_s(path, behaviour) == pytest.approx(450e6)
    gentle = WriteBehaviour(3e9, 1.5e9, cache_static_bytes=1e9, direct_j_per_gb=2.0,
                            throttle=stages)  # fmt: skip
    # (70 - 25) / 20 - 0.5 = 1.75 W at 2 J a GB are 875 MB/s; the cap of 900 heats to no 80 °C.
    assert write_when_warm_bytes_per_s(path, gentle) == pytest.approx(900e6)


def test_without_a_stage_no_heat_slows_it():
    """A drive that never throttles lasts at its own rate, however hot its case."""
    assert write_when_warm_bytes_per_s(
        HeatPath(10, 30, 8, 12, 0, 40), WriteBehaviour(1e9, 5e8)
    ) == (math.inf)


@given(st.floats(0.3, 1.0), st.floats(0, 1), st.floats(0, 1))
def test_a_disk_slows_down_from_the_outside_in(inner_share, one, other):
    """Fuller is never faster; empty it runs near its outer rate, full at its inner one."""
    disk = WriteBehaviour(200e6, 200e6, inner_share=inner_share)
    fuller, emptier = max(one, other), min(one, other)
    assert zone_write_bytes_per_s(disk, fuller) <= zone_write_bytes_per_s(disk, emptier)
    assert zone_write_bytes_per_s(disk, 0) == pytest.approx(200e6, rel=0.01)
    assert zone_write_bytes_per_s(disk, 1) == pytest.approx(200e6 * inner_share)


@given(behaviours(), st.sampled_from((0.0, 0.3, 0.9)))
@settings(deadline=None)
def test_the_first_second_of_a_profile_is_what_it_takes_at_first(behaviour, filled_share):
    """The closed form at the start is what the profile begins with, cool and with room."""
    whole = 1e12
    run = write_profile(
        behaviour, HeatPath(10, 60, 2, 3, 0.2, 20), NO_LINK, (Phase(math.inf, 1.0),),
        free_bytes=whole * (1 - filled_share), capacity_bytes=whole,
    )  # fmt: skip
    first = run.intervals[0]
    assert first.ability_bytes_per_s == pytest.approx(
        write_at_first_bytes_per_s(behaviour, filled_share)
    )
