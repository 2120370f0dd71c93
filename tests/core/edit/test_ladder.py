"""The stream ladder: worked by hand, and what must always be so."""

from dataclasses import replace
from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from core.edit.edit_stores import MB, UHD_HQ, hard_disk, load, ssd, store, uhd
from vastcellar.core.edit.arrays import Level
from vastcellar.core.edit.edit_load import Beside
from vastcellar.core.edit.edit_store import Stage, StageKind, network_bytes_per_s
from vastcellar.core.edit.ladder import ladder_of, limits_of, rung_of
from vastcellar.core.errors import BadValueError

GIGABIT = 111.8 * MB


def test_gigabit_holds_one_stream_and_its_port_is_why():
    """112 MB/s against 515 of four disks: the second stream makes 1,181 frames late a minute."""
    made = ladder_of(store(Level.PARITY, 4, links=(GIGABIT,)), load())
    assert made.held == 1
    assert made.limit.kind is StageKind.PORT
    second = made.rung(2)
    assert second.late_frames_per_minute == pytest.approx(1181, abs=1)
    assert second.given[0].bytes_per_s / MB == pytest.approx(515, abs=0.5)
    assert [each.kind for each in limits_of(made)] == [StageKind.PORT, StageKind.DISKS]


def test_with_a_faster_port_the_disks_end_it_after_five():
    """553 asked by six, 515 given: 618 late a minute; the 85 MB/s that seeks cost are the gap."""
    made = ladder_of(store(Level.PARITY, 4, links=(1118 * MB,)), load())
    assert made.held == 5
    assert made.limit.kind is StageKind.DISKS
    assert made.rung(6).late_frames_per_minute == pytest.approx(618, abs=2)
    assert made.rung(1).given[0].bytes_per_s == pytest.approx(600 * MB)


def test_a_shorter_read_ahead_costs_seeks():
    """Half of it: 451 MB/s and four streams; twice: 554 and six."""

    def gives(seconds):
        made = ladder_of(store(Level.PARITY, 4), load(uhd(read_ahead_s=seconds)))
        return made.held, made.rung(2).given[0].bytes_per_s / MB

    assert gives(0.25) == (4, pytest.approx(451, abs=1))
    assert gives(1.0) == (6, pytest.approx(554, abs=1))


def test_four_drives_on_one_hub_share_its_uplink():
    """A thousand for all: 250 each when all four play, and none of them more."""
    dock = store(Level.EACH, 4, ssd(read=5000 * MB))
    hub = Stage(StageKind.HUB, "10G", 1000 * MB)
    shared = replace(dock, stages=(hub,))
    stream = uhd(bytes_per_s=250 * MB)
    made = ladder_of(shared, load(stream))
    assert (made.held, made.limit.kind) == (4, StageKind.HUB)
    assert made.rung(4).margin == pytest.approx(0.0)


def test_drives_by_themselves_are_full_one_by_one():
    """Two disks of 200 MB/s that hold two streams each: the fifth stream finds none with room."""
    made = ladder_of(store(Level.EACH, 2, hard_disk(read=220 * MB)), load())
    assert made.held == 4


def test_desks_have_links_of_their_own():
    """Gigabit at each of two desks: one stream each; the third would be somebody's second."""
    desk = Stage(StageKind.DESK, "1 GbE", GIGABIT, is_per_desk=True)
    made = replace(store(Level.PARITY, 4), stages=(desk,))
    assert ladder_of(made, load(desks=1)).held == 1
    assert ladder_of(made, load(desks=2)).held == 2
    assert ladder_of(made, load(desks=4)).held == 4


def test_what_goes_on_beside_takes_its_part():
    """Reading goes the same way; writing goes beside it on a link, and takes the disks' time."""
    link = store(Level.PARITY, 4, ssd(read=2000 * MB), links=(300 * MB,))
    reading = Beside("copy away", read_bytes_per_s=120 * MB)
    writing = Beside("render", write_bytes_per_s=120 * MB)
    assert ladder_of(link, load()).held == 3
    assert ladder_of(link, load(beside=(reading,))).held == 1
    assert ladder_of(link, load(beside=(writing,))).held == 3
    disks = store(Level.PARITY, 4)
    assert ladder_of(disks, load(beside=(writing,))).held < ladder_of(disks, load()).held
    swamped = Beside("scrap", write_bytes_per_s=900 * MB, block_bytes=64 * 1024)
    assert ladder_of(disks, load(beside=(swamped,))).held == 0


def test_a_link_slower_than_one_stream_holds_none():
    """Not even the first; what it is short of is late from the first minute."""
    made = ladder_of(store(links=(50 * MB,)), load())
    assert made.held == 0
    assert made.rung(1).late_frames_per_minute == pytest.approx(1500 * (1 - 50 / 92.17))
    with pytest.raises(BadValueError, match="0 streams"):
        rung_of(store(), load(), 0)


def test_a_network_carries_its_share_and_no_more_than_its_window(catalog):
    """Gigabit 110 of 117.7; with 64 KiB unanswered and 2 ms each way, 32.8."""
    mode = catalog.modes["eth-1g"]
    assert mode.ceiling_bytes_per_s / MB == pytest.approx(117.7, abs=0.05)
    assert network_bytes_per_s(mode) / MB == pytest.approx(110.0, abs=0.1)
    assert network_bytes_per_s(mode, 65536, 2e-3) / MB == pytest.approx(32.8, abs=0.05)
    ten = catalog.modes["eth-10g"].ceiling_bytes_per_s
    assert ten / MB == pytest.approx(1176.9, abs=0.1)


LEVELS = st.sampled_from([Level.STRIPE, Level.PARITY, Level.DOUBLE_PARITY, Level.EACH])


@settings(max_examples=60)
@given(
    level=LEVELS, count=st.integers(4, 12), read=st.floats(80, 600), ahead=st.floats(0.1, 2.0),
    link=st.floats(60, 3000), fill=st.floats(0, 0.9), rate=st.floats(5, 200),
)  # fmt: skip
def test_more_of_anything_never_holds_fewer_streams(level, count, read, ahead, link, fill, rate):
    """Disks, their rate, the read-ahead, the link: more of each; emptier, and lighter streams."""

    def held(n=count, r=read, a=ahead, li=link, f=fill, s=rate):
        made = store(level, n, hard_disk(read=r * MB), links=(li * MB,), filled_share=f)
        return ladder_of(made, load(uhd(bytes_per_s=s * MB, read_ahead_s=a))).held

    base = held()
    assert held(n=count + 1) >= base
    assert held(r=read * 1.3) >= base
    assert held(a=ahead * 1.5) >= base
    assert held(li=link * 1.5) >= base
    assert held(f=fill / 2) >= base
    assert held(s=rate * 0.8) >= base


@settings(max_examples=40)
@given(level=LEVELS, count=st.integers(4, 8), link=st.floats(50, 2000), rate=st.floats(10, 150))
def test_rungs_are_held_from_the_bottom_up(level, count, link, rate):
    """No rung above one that isn't held is held; late frames never fall with more streams."""
    made = store(level, count, links=(link * MB,))
    ladder = ladder_of(made, load(uhd(bytes_per_s=rate * MB)), above=6)
    held = [rung.is_held for rung in ladder.rungs]
    assert held == sorted(held, reverse=True)
    late = [rung.late_frames_per_minute for rung in ladder.rungs]
    assert all(b >= a - 1e-6 for a, b in pairwise(late))
    assert all((rung.late_frames_per_minute > 0) != rung.is_held for rung in ladder.rungs)


def test_the_need_of_one_stream_is_its_format():
    """3840 x 2160 x 3.556 x 25 / 8, as in the worked numbers."""
    assert pytest.approx(3840 * 2160 * 3.556 * 25 / 8, rel=1e-3) == UHD_HQ


def test_a_ladder_of_a_thousand_streams_is_not_climbed_rung_by_rung():
    """Proxies by the hundred: its end is the same that climbing finds, and few rungs are kept."""
    made = store(Level.STRIPE, 4, ssd(read=2000 * MB), links=(1118 * MB,))
    light = load(uhd(bytes_per_s=2 * MB))
    ladder = ladder_of(made, light)
    assert ladder.held == 559
    assert ladder.rung(559).is_held and not ladder.rung(560).is_held
    assert len(ladder.rungs) < 32 and ladder.rungs[-1].streams == 561
