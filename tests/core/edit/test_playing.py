"""Streams played visit by visit, beside the closed forms, and what must always be so."""

import math
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from core.edit.edit_stores import MB, hard_disk, load, ssd, store, uhd
from vastcellar.core.edit.arrays import Level
from vastcellar.core.edit.edit_load import Beside
from vastcellar.core.edit.edit_store import Stage, StageKind
from vastcellar.core.edit.ladder import rung_of
from vastcellar.core.edit.playing import play
from vastcellar.core.errors import BadValueError

STORES = {
    "one disk": store(),
    "four disks": store(Level.PARITY, 4),
    "gigabit": store(Level.PARITY, 4, links=(111.8 * MB,)),
    "ten gigabit": store(Level.PARITY, 4, links=(1118 * MB,)),
    "SSD on a hub": store(Level.EACH, 4, ssd(read=3000 * MB), links=(1000 * MB,)),
    "a desk's link": replace(
        store(Level.STRIPE, 4), stages=(Stage(StageKind.DESK, "desk", 294 * MB, is_per_desk=True),)
    ),
}


def late_of(rung, minutes=10):
    """Late frames a minute of so many minutes that begin with half a second read ahead."""
    carried = rung.streams * 0.5 * 25 / minutes
    return max(rung.late_frames_per_minute - carried, 0.0)


@pytest.mark.parametrize("name", STORES)
@pytest.mark.parametrize("streams", range(1, 17))
def test_events_and_closed_forms_agree_within_three_per_cent(name, streams):
    """Ten minutes of one to sixteen streams: what is shown a second, and what is late a minute;
    none is late where the ladder says that it holds."""
    rung = rung_of(STORES[name], load(), streams)
    played = play(STORES[name], load(), streams, 600.0)
    shown = min(rung.asked_bytes_per_s, rung.limit.bytes_per_s)
    assert played.shown_bytes_per_s == pytest.approx(shown, rel=0.03)
    assert played.late_frames_per_minute == pytest.approx(late_of(rung), rel=0.03, abs=0.5)
    assert (played.late_frames_per_minute == 0) == rung.is_held


@pytest.mark.parametrize(
    "beside",
    [Beside("render", write_bytes_per_s=60 * MB), Beside("away", read_bytes_per_s=60 * MB)],
)
@pytest.mark.parametrize("streams", [1, 2, 3, 4, 5, 6, 9])
def test_they_agree_with_work_beside_as_well(beside, streams):
    """A render that is written, a copy that is read away."""
    busy = load(beside=(beside,))
    made = store(Level.PARITY, 4, links=(400 * MB,))
    rung, played = rung_of(made, busy, streams), play(made, busy, streams, 600.0)
    assert played.late_frames_per_minute == pytest.approx(late_of(rung), rel=0.03, abs=0.5)


def test_late_frames_come_when_the_read_ahead_is_used_up_and_not_before():
    """Two streams on gigabit: the first second is carried by what had been read."""
    played = play(STORES["gigabit"], load(), 2, 60.0)
    assert 0.5 <= played.first_late_s.min() < 1.5
    assert math.isinf(play(STORES["gigabit"], load(), 1, 60.0).first_late_s.min())


def test_a_short_play_counts_only_its_own_time():
    """What would be late after its end isn't."""
    assert play(STORES["gigabit"], load(), 2, 0.4).late_frames_per_minute == 0
    whole = play(STORES["one disk"], load(), 16, 2.0)
    assert whole.late_s.max() <= 2.0


def test_no_stream_and_no_time_are_refused():
    """Nothing can be played then."""
    with pytest.raises(BadValueError, match="0 streams"):
        play(store(), load(), 0, 10.0)
    with pytest.raises(BadValueError, match="duration_s"):
        play(store(), load(), 1, 0.0)


@settings(max_examples=40, deadline=None)
@given(
    level=st.sampled_from([Level.STRIPE, Level.PARITY, Level.EACH, Level.STRIPED_MIRRORS]),
    read=st.floats(50, 500), link=st.floats(50, 1500), streams=st.integers(1, 20),
    ahead=st.floats(0.1, 2.0), desks=st.integers(1, 4),
)  # fmt: skip
def test_any_store_plays_no_more_than_it_gives(level, read, link, streams, ahead, desks):
    """Late time is never below nothing or above all; a faster link is never later."""

    def late(rate):
        made = store(level, 4, hard_disk(read=read * MB), links=(rate * MB,))
        busy = load(uhd(read_ahead_s=ahead), desks=desks)
        return play(made, busy, streams, 120.0), rung_of(made, busy, streams)

    played, rung = late(link)
    assert ((played.late_s >= 0) & (played.late_s <= 120.0)).all()
    start = 1 + streams * ahead * 92.17e6 / (120 * max(rung.limit.bytes_per_s, 1))
    assert played.shown_bytes_per_s <= rung.limit.bytes_per_s * start * 1.03 + 1
    faster, _rung = late(link * 2)
    assert faster.late_s.sum() <= played.late_s.sum() + 0.02 * 120
