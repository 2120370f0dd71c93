"""A whole shoot: additive over cameras and days, copies that hold what they keep, warnings."""

from dataclasses import replace
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.errors import BadValueError, UnknownPartError
from vastcellar.core.shoot.guarantees import find_guarantee, guarantee_margins
from vastcellar.core.shoot.needs import camera_need
from vastcellar.core.shoot.roll_patterns import RollPattern
from vastcellar.core.shoot.shoot import (
    Camera,
    CameraLimits,
    Copy,
    SecondStream,
    Shoot,
    default_copies,
)
from vastcellar.core.shoot.shoot_plan import day_on_media, held_bytes, plan_shoot
from vastcellar.core.shoot.shoot_warnings import Concern, shoot_warnings


def concerns(shoot, free=None):
    found = shoot_warnings(shoot, plan_shoot(shoot), free or {})
    return {(each.concern, each.camera_key) for each in found}


def test_the_demo_comes_to_its_worked_numbers(slipway):
    """The whole demo shoot against its worked numbers, media and all."""
    plan = plan_shoot(slipway)
    a = plan.cameras[0]
    assert a.recorded_bytes == pytest.approx(np.full(6, 3.2 * 575.3825e9), rel=1e-5)
    assert a.media.tolist() == [2, 2, 2, 2, 2, 3]  # the launch starts on a fresh medium
    assert a.media_to_carry == 4
    assert plan.cameras[2].copied_bytes == pytest.approx(np.full(6, 47.25e9))
    day = day_on_media(slipway, a.camera, a.need, 6)
    assert not any(reload.is_inside_take for reload in day.reloads)
    assert [take.duration_s for take in day.takes if take.is_longest] == [3120]


@given(cut=st.integers(1, 3), days=st.integers(2, 30), split=st.integers(1, 29))
def test_capacity_adds_up_over_cameras_and_days(slipway, cut, days, split):
    """Planning parts of a shoot and adding them is planning the whole."""
    split = min(split, days - 1)
    whole = plan_shoot(replace(slipway, days=days))
    parts = [
        plan_shoot(replace(slipway, days=days, cameras=slipway.cameras[:cut])),
        plan_shoot(replace(slipway, days=days, cameras=slipway.cameras[cut:])),
    ]
    assert whole.total_bytes == pytest.approx(sum(part.total_bytes for part in parts))
    assert whole.copied_bytes == pytest.approx(parts[0].copied_bytes + parts[1].copied_bytes)
    assert whole.total_bytes == pytest.approx(
        plan_shoot(replace(slipway, days=split)).total_bytes
        + plan_shoot(replace(slipway, days=days - split)).total_bytes
    )
    assert whole.easy_bytes <= whole.total_bytes * (1 + 1e-12)
    assert whole.total_bytes <= whole.hard_bytes * (1 + 1e-12)


@given(
    by_day=st.lists(st.floats(0, 5e12), min_size=1, max_size=40),
    keep=st.integers(0, 45),
    reserve=st.floats(0, 1),
)
def test_a_copy_holds_the_days_it_keeps_and_no_others(by_day, keep, reserve):
    """A copy that keeps some days holds exactly those, plus its reserve."""
    held = held_bytes(Copy("c", keep_days=keep), np.array(by_day), reserve)
    for day in range(len(by_day)):
        first = max(0, day + 1 - keep) if keep else 0
        expected = sum(by_day[first : day + 1]) * (1 + reserve)
        assert held[day] == pytest.approx(expected, rel=1e-9, abs=1e5)


def test_a_second_stream_adds_to_the_need_only_on_the_same_medium(slipway):
    """A proxy adds to the medium that it is on, and to no other."""
    camera = replace(slipway.camera("B"), second=None)
    proxy = replace(slipway.camera("C").recording, menu_bits_per_s=16e6)
    alone = camera_need(camera)
    beside = camera_need(replace(camera, second=SecondStream(proxy, 1.3)))
    apart = camera_need(replace(camera, second=SecondStream(proxy, 1.3, is_on_same_medium=False)))
    assert beside.average_bytes_per_s == pytest.approx(alone.average_bytes_per_s + 2e6)
    assert beside.peak_bytes_per_s == pytest.approx(alone.peak_bytes_per_s + 2.6e6)
    assert apart.needed_write_bytes_per_s == alone.needed_write_bytes_per_s
    assert apart.copied_bytes_per_s == beside.copied_bytes_per_s


def test_changing_one_day_leaves_the_others(slipway):
    """An edit of one day's hours leaves the others and can be taken back."""
    camera = slipway.camera("A").with_hours_on(3, 5.0)
    assert [camera.hours_on(day) for day in range(1, 7)] == [3.2, 3.2, 5.0, 3.2, 3.2, 3.2]
    assert camera.with_hours_on(3, 3.2).hours_by_day == ()


def test_guarantees_say_what_they_leave():
    """V30 guarantees 18.75 MB/s with 60 % to spare."""
    margins = {m.guarantee.name: m for m in guarantee_margins(18.75e6)}
    assert margins["V30"].margin == pytest.approx(0.6)
    assert not margins["V10"].covers
    assert find_guarantee("vpg400").write_bytes_per_s == 400e6
    with pytest.raises(UnknownPartError, match="Use one of V6"):
        find_guarantee("V75")


def test_warnings_stand_where_they_belong(slipway):
    """Each warning is there for its camera and for no other."""
    # D's 448 MB/s are more than VPG200 guarantees; a drone's clip ends at 4 GiB.
    assert concerns(slipway) == {
        (Concern.GUARANTEE, "D"),
        (Concern.FILE_SPLIT, "C"),
    }
    a = slipway.camera("A")
    changes = {
        Concern.TAKE_OVER_MEDIUM: {"medium_bytes": 400_000_000_000},
        Concern.TAKE_TIGHT: {"medium_bytes": 512_000_000_000},
        Concern.CLIP_LIMIT: {"limits": CameraLimits(longest_clip_s=1799)},
        Concern.LONG_DAY: {"hours_a_day": 11.0},
        Concern.LONGEST_NOT_ROLLED: {"longest_on_day": 7},
        Concern.CLASS_TOO_LOW: {"medium_guarantee": "VPG200"},
    }
    for concern, change in changes.items():
        assert (concern, "A") in concerns(slipway.with_camera(replace(a, **change))), concern
    found = shoot_warnings(slipway, plan_shoot(slipway), {"Safety copy": 6.5e12})
    (full,) = [each for each in found if each.concern is Concern.COPY_FULL]
    assert (full.day, full.is_grave) == (3, True)


def test_many_cameras_and_a_year_of_days_are_planned(slipway):
    """500 cameras over 400 days come to the product that they are."""
    cameras = tuple(replace(slipway.camera("B"), key=f"B{n}") for n in range(500))
    plan = plan_shoot(replace(slipway, cameras=cameras, days=400))
    assert plan.total_bytes == pytest.approx(500 * 400 * 2.5 * 3600 * 92_459_520)


def test_an_empty_shoot_comes_to_nothing():
    """A shoot without cameras needs nothing and is no error."""
    plan = plan_shoot(Shoot("none", 3, (), copies=default_copies(2)))
    assert plan.total_bytes == 0
    assert plan.copies[0].needed_bytes == 0
    assert plan.largest_day_bytes == 0


@pytest.mark.parametrize(
    "change",
    [
        {"days": 0},
        {"days": 1001},
        {"ambient_c": 90.0},
        {"reserve": -0.1},
        {"day_end_s": 3600.0},
        {"copies": (Copy("a"), Copy("a"))},
    ],
)
def test_shoots_that_cant_be_are_refused(slipway, change):
    """Shoots of no days, of odd hours or with two copies of one name are refused."""
    with pytest.raises(BadValueError):
        replace(slipway, **change)


@pytest.mark.parametrize(
    "change",
    [
        {"hours_a_day": 25.0},
        {"hours_by_day": (3.0, -1.0)},
        {"longest_take_s": 0.0},
        {"medium_bytes": 0},
        {"medium_bytes": 1_000_000},
        {"longest_take_s": 0.5},
        {"crest": 0.5},
    ],
)
def test_cameras_that_cant_be_are_refused(slipway, change):
    """A bad camera is refused by its key."""
    with pytest.raises(BadValueError, match="camera 'A'"):
        replace(slipway.camera("A"), **change)


def test_absurd_formats_are_refused_with_a_sentence(slipway):
    """Rates beyond any recorder are taken for a slip, with the factor that it may be."""
    raw = slipway.camera("A").recording
    with pytest.raises(BadValueError, match="no recorder takes over 20 GB/s"):
        replace(raw, width_px=15360, height_px=8640, frames_per_s=Fraction(960))
    menu = slipway.camera("C").recording
    with pytest.raises(BadValueError, match="factor of 8"):
        replace(menu, menu_bits_per_s=1200e6)


def test_every_pattern_can_be_planned(slipway):
    """No pattern of rolling is left out by the planner."""
    for pattern in RollPattern:
        camera: Camera = replace(slipway.camera("A"), pattern=pattern)
        assert plan_shoot(slipway.with_camera(camera)).cameras[0].media[0] >= 2
