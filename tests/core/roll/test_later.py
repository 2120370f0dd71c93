"""Copies that are made after the day: when they begin, how long they take, what they free."""

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from core.roll.roll_days import FAST, GB, HOUR, MB, camera, day, drive
from vastcellar.core.errors import BadValueError
from vastcellar.core.roll.day_run import run_day
from vastcellar.core.roll.later import LaterCopy, run_later, safe_with_later_s


def later(**changes):
    """A copy from K-1 to a plain drive of 400 MB/s that is elsewhere."""
    return replace(LaterCopy("Safety copy", drive("K-9"), "K-1", FAST), **changes)


def hour_of_recording(**changes):
    """A camera that records 36 GB from ten to six minutes past, onto one of two cards."""
    return day(camera([(10, 6)], count=2), **changes)


def test_it_begins_when_the_drive_has_all_and_takes_its_bytes_twice():
    """36 GB at 400 MB/s written and as much read: 90 s and 90 s, after the day's own 180 s."""
    run = run_day(hour_of_recording())
    goes = run_later(run, later())
    assert goes.size_bytes == pytest.approx(36 * GB)
    assert goes.start_s == run.last_verified_s == pytest.approx(10 * HOUR + 360 + 180)
    assert goes.verified_s == pytest.approx(goes.start_s + 180)
    assert goes.has_room and goes.is_whole


def test_it_waits_for_its_hour():
    """At the hotel at 21:00: a minute before nothing happens."""
    goes = run_later(run_day(hour_of_recording()), later(not_before_s=21 * HOUR))
    assert (goes.start_s, goes.verified_s) == (21 * HOUR, pytest.approx(21 * HOUR + 180))


def test_what_comes_off_the_first_drive_is_a_limit_of_it():
    """Read at 100 MB/s it takes its six minutes, whatever the second could write."""
    goes = run_later(run_day(hour_of_recording()), later(read_bytes_per_s=100 * MB))
    assert goes.copied_s - goes.start_s == pytest.approx(360)


def test_a_drive_without_room_is_not_begun_and_a_card_that_is_missing_is_said():
    """Never half a copy that passes for a whole one."""
    run = run_day(hour_of_recording())
    small = run_later(run, later(drive=drive("K-9", free_bytes=30 * GB)))
    assert not small.has_room and math.isinf(small.verified_s) and small.cards == ()
    two = day(camera([(10, 6), (12, 6)], count=2, changes_s=(11 * HOUR,)),
              drives=(drive(free_bytes=40 * GB), drive("K-2")))  # fmt: skip
    half = run_later(run_day(two), later())
    assert not half.is_whole and half.size_bytes == pytest.approx(36 * GB)
    none = run_later(run, later(from_tag="K-7"))
    assert not none.is_whole and math.isinf(none.start_s)


def test_it_frees_cards_as_the_second_copy_of_two():
    """One drive at the station and two copies asked for: safe only when the later one is made."""
    run = run_day(hour_of_recording(verified_copies=2))
    assert math.isinf(run.last_safe_s)
    goes = run_later(run, later())
    assert safe_with_later_s(run, [goes]) == goes.verified_s
    assert math.isinf(safe_with_later_s(run, []))


@pytest.mark.parametrize(
    "second",
    [drive("K-9", counts=False), drive("K-9", device="K-1"), drive("K-9", free_bytes=1.0)],
    ids=["handed over", "on the same device", "without room"],
)
def test_what_is_no_copy_of_its_own_frees_nothing(second):
    """Handed over, on the device that has it already, or never made."""
    run = run_day(hour_of_recording(verified_copies=2))
    assert math.isinf(safe_with_later_s(run, [run_later(run, later(drive=second))]))


def test_where_the_station_makes_them_all_a_later_one_changes_nothing():
    """Two drives at the station, two asked for: the later copy is a third."""
    run = run_day(hour_of_recording(drives=(drive(), drive("K-2")), verified_copies=2))
    assert safe_with_later_s(run, [run_later(run, later())]) == run.last_safe_s


def test_a_day_without_cards_has_nothing_to_copy():
    """Nothing is recorded: nothing is begun, and nothing is missing."""
    goes = run_later(run_day(day(camera([]))), later())
    assert (goes.size_bytes, goes.is_whole) == (0, True) and math.isinf(goes.start_s)


def test_figures_that_cannot_be_are_refused():
    """A drive that nothing comes off, a time before midnight."""
    with pytest.raises(BadValueError, match="read_bytes_per_s"):
        later(read_bytes_per_s=0.0)
    with pytest.raises(BadValueError, match="not_before_s"):
        later(not_before_s=-1.0)


@given(write=st.floats(20, 900), read=st.floats(20, 900), hour=st.floats(0, 40))
def test_a_faster_drive_or_an_earlier_hour_is_never_later(write, read, hour):
    """Monotone in what it writes, what comes off, and when it may begin."""
    run = run_day(hour_of_recording())

    def verified(w, r, h):
        made = drive("K-9", write=w * MB, read=w * MB)
        return run_later(run, later(drive=made, read_bytes_per_s=r * MB,
                                    not_before_s=h * HOUR)).verified_s  # fmt: skip

    at_s = verified(write, read, hour)
    assert verified(write * 1.5, read, hour) <= at_s + 1e-6
    assert verified(write, read * 1.5, hour) <= at_s + 1e-6
    assert verified(write, read, hour * 0.5) <= at_s + 1e-6
