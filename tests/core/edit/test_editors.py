"""Editors with their hours: worked by hand, and held against the ladder."""

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from core.edit.edit_stores import MB, hard_disk, ssd, store, uhd
from vastcellar.core.edit.arrays import Level
from vastcellar.core.edit.edit_load import Beside, EditLoad
from vastcellar.core.edit.edit_store import Stage, StageKind
from vastcellar.core.edit.editors import (
    SOUND_AHEAD_S,
    TRACK_BYTES_PER_S,
    Desk,
    busiest,
    sound_of,
    spells_of,
    used_by,
)
from vastcellar.core.edit.ladder import rung_of
from vastcellar.core.errors import BadValueError

HOUR = 3600.0


def desk(name="one", start=9, end=18, streams=1, stream=None, beside=()):
    return Desk(name, start * HOUR, end * HOUR, stream or uhd(), streams, beside)


def test_a_day_falls_into_the_times_in_which_the_same_people_work():
    """Nine to six, noon to eight, and a night: four spells, none while nobody is there."""
    day = [desk("one", 9, 18), desk("two", 12, 20), desk("night", 22, 30)]
    spells = spells_of(store(Level.PARITY, 4), day)
    told = [(s.start_s / HOUR, s.end_s / HOUR, [d.name for d in s.desks]) for s in spells]
    assert told == [
        (9, 12, ["one"]), (12, 18, ["one", "two"]), (18, 20, ["two"]), (22, 30, ["night"]),
    ]  # fmt: skip
    assert spells_of(store(Level.PARITY, 4), []) == ()
    assert busiest(()) is None


def test_who_works_through_the_night_meets_who_comes_in_the_morning():
    """Ten to six and five to one: an hour together, every day; the day begins when nobody was
    there. Three shifts around the clock always have somebody, and each spell has one of them."""
    night, early = desk("night", 22, 30), desk("early", 5, 13)
    spells = spells_of(store(Level.PARITY, 4), [early, night])
    told = [(s.start_s / HOUR, s.end_s / HOUR, [d.name for d in s.desks]) for s in spells]
    assert told == [(22, 29, ["night"]), (29, 30, ["early", "night"]), (30, 37, ["early"])]
    round_the_clock = [desk("a", 6, 14), desk("b", 14, 22), desk("c", 22, 30)]
    assert [len(s.desks) for s in spells_of(store(Level.PARITY, 4), round_the_clock)] == [1, 1, 1]
    longer = [desk("a", 6, 15), desk("b", 14, 23), desk("c", 22, 31)]
    spells = spells_of(store(Level.PARITY, 4), longer)
    assert sorted(len(s.desks) for s in spells) == [1, 1, 1, 2, 2, 2]
    assert sum(s.end_s - s.start_s for s in spells) == 24 * HOUR


@given(st.lists(st.tuples(st.integers(0, 23), st.integers(1, 24)), min_size=1, max_size=5))
def test_every_minute_of_the_day_has_who_works_then(hours):
    """At the middle of each half hour the spell that covers it names just those whose hours do."""
    day = [desk(f"desk {n}", start, start + length) for n, (start, length) in enumerate(hours)]
    spells = spells_of(store(Level.SINGLE, 1), day)
    for half in range(48):
        at_s = half * HOUR / 2 + HOUR / 4
        there = {each.name for each in day if (at_s - each.start_s) % (24 * HOUR)
                 < each.end_s - each.start_s}  # fmt: skip
        over = [s for s in spells if (at_s - s.start_s) % (24 * HOUR) < s.end_s - s.start_s]
        assert {each.name for s in over for each in s.desks} == there
        assert len(over) == (1 if there else 0)


def test_gigabit_is_full_from_the_second_editor_on():
    """Two streams of 92.2 MB/s ask 184.3 of 111.8: 165 %, and 1,181 frames late a minute, as the
    ladder says; alone each is held with a fifth to spare."""
    spells = spells_of(
        store(Level.PARITY, 4, links=(111.8 * MB,)), [desk("one", 9, 18), desk("two", 14, 22)]
    )
    alone, both, late = spells
    assert both.limit.kind is StageKind.PORT
    assert both.limit.share == pytest.approx(184.34 / 111.8, abs=0.001)
    assert both.late_frames_per_minute == pytest.approx(1181, abs=1)
    assert alone.margin == late.margin == pytest.approx(111.8 / 92.17 - 1, abs=0.001)
    assert busiest(spells) is both and not both.is_held and alone.is_held


def test_each_desk_fills_its_own_link():
    """Three streams at one desk fill its gigabit while the other's is a third full."""
    port = Stage(StageKind.PORT, "10G", 1118 * MB)
    own = Stage(StageKind.DESK, "1G", 111.8 * MB, is_per_desk=True)
    made = replace(store(Level.PARITY, 4), stages=(port, own))
    used = used_by(made, [desk("one", streams=3, stream=uhd(bytes_per_s=40 * MB)),
                          desk("two", stream=uhd(bytes_per_s=40 * MB))])  # fmt: skip
    assert used[2].desk == "one" and used[2].share == pytest.approx(120 / 111.8)
    assert used[1].share == pytest.approx(160 / 1118)


def test_an_editor_on_proxies_asks_a_fraction_of_the_disks():
    """Large visits cost by their bytes: a tenth of the rate asks a tenth, and the same seek."""
    made = store(Level.SINGLE, 1, hard_disk())
    whole = used_by(made, [desk(streams=2)])[0]
    mixed = used_by(made, [desk(streams=1), desk("two", stream=uhd(bytes_per_s=9.217 * MB))])[0]
    disk = made.array
    visit = uhd().visit_bytes
    read_s = disk.read_disk_seconds(visit, 0.0, seeks=True)
    small_s = disk.read_disk_seconds(visit / 10, 0.0, seeks=True)
    assert whole.share == pytest.approx(2 * read_s / 0.5)
    assert mixed.share == pytest.approx((read_s + small_s) / 0.5)
    assert small_s > read_s / 10


def test_sound_costs_seeks_and_not_bytes():
    """48 tracks are 6.9 MB/s; on one disk they are 24 more visits a second, of 12.7 ms and more."""
    sound = sound_of(48)
    assert sound.read_bytes_per_s == 48 * 144_000
    made = store(Level.SINGLE, 1, hard_disk())
    quiet = used_by(made, [desk()])[0]
    loud = used_by(made, [desk(beside=(sound,))])[0]
    visit = TRACK_BYTES_PER_S * SOUND_AHEAD_S
    visits_s = 48 / SOUND_AHEAD_S * made.array.read_disk_seconds(visit, 0.0, seeks=True)
    assert loud.beside_share == pytest.approx(visits_s) and visits_s > 0.3
    assert loud.streams_share > quiet.streams_share  # the picture has to seek now, too
    assert sound_of(0).read_bytes_per_s == 0
    assert used_by(made, [desk(beside=(sound_of(0),))])[0] == quiet


def test_nobody_plays_while_a_render_runs():
    """No stream, no margin to speak of; the disks are as busy as the render makes them."""
    (spell,) = spells_of(
        store(Level.PARITY, 4), [desk(streams=0, beside=(Beside("render", 100 * MB),))]
    )
    assert spell.is_held and math.isinf(spell.margin) and spell.late_frames_per_minute == 0
    assert spell.used[0].streams_share == 0 < spell.used[0].beside_share


def test_hours_that_end_before_they_start_are_refused():
    """One sentence, with the editor's name."""
    with pytest.raises(BadValueError, match="'one'"):
        desk(start=18, end=9)


LEVELS = st.sampled_from(
    [Level.SINGLE, Level.EACH, Level.STRIPE, Level.PARITY, Level.DOUBLE_PARITY,
     Level.STRIPED_MIRRORS]
)  # fmt: skip
BESIDE = st.lists(
    st.builds(
        Beside, st.just("beside"), st.sampled_from([0, 20 * MB, 90 * MB]),
        st.sampled_from([0, 30 * MB]),
    ), max_size=2,
)  # fmt: skip


@st.composite
def drawn_stores(draw):
    level = draw(LEVELS)
    count = 1 if level is Level.SINGLE else draw(st.sampled_from([4, 6]))
    disk = draw(st.sampled_from([hard_disk(), ssd()]))
    stages = [Stage(StageKind.PORT, "port", draw(st.floats(60, 2000)) * MB,
                    is_duplex=draw(st.booleans()))]  # fmt: skip
    if draw(st.booleans()):
        stages.append(
            Stage(StageKind.DESK, "desk", draw(st.floats(60, 2000)) * MB, is_per_desk=True)
        )
    made = store(level, count, disk)
    share = draw(st.sampled_from([1.0, 0.6]))
    filled = draw(st.floats(0, 0.9))
    return replace(made, stages=tuple(stages), disk_time_share=share, filled_share=filled)


@given(drawn_stores(), st.integers(1, 4), st.integers(1, 4), BESIDE,
       st.sampled_from([0.0, 128 * 1024, 2**20]))  # fmt: skip
def test_desks_that_are_all_alike_are_the_ladder(made, desks, each, beside, block):
    """As many streams at as many desks: held or not, the stage that ends it, and the frames that
    are late are the same by both."""
    stream = uhd(block_bytes=block)
    day = [desk(f"desk {number}", streams=each, stream=stream) for number in range(desks)]
    (spell,) = spells_of(made, day, beside)
    rung = rung_of(made, EditLoad(stream, desks, tuple(beside)), desks * each)
    assert spell.asked_bytes_per_s == pytest.approx(rung.asked_bytes_per_s)
    for used, offered in zip(spell.used, rung.given, strict=True):
        assert used.given_share == pytest.approx(offered.bytes_per_s / rung.asked_bytes_per_s)
    assert spell.margin == pytest.approx(rung.margin)
    if abs(rung.margin) > 1e-6:
        assert spell.is_held == rung.is_held
        assert spell.late_frames_per_minute == pytest.approx(rung.late_frames_per_minute)


@given(drawn_stores(), st.lists(st.integers(0, 3), min_size=1, max_size=4), BESIDE)
def test_one_more_editor_never_leaves_more_room(made, streams, beside):
    """Whoever comes asks something of every stage, and takes nothing off it."""
    day = [desk(f"desk {n}", streams=count) for n, count in enumerate(streams)]
    more = [*day, desk("more", streams=1, beside=(sound_of(8),))]
    for before, after in zip(used_by(made, day, beside), used_by(made, more, beside), strict=True):
        if before.kind is StageKind.DISKS and made.array.lanes > 1:
            continue  # one that fills a lane beside a fuller one has more disks at work
        if before.desk:
            continue  # what goes on beside is shared out among more desks
        assert after.share >= before.share * (1 - 1e-9)
