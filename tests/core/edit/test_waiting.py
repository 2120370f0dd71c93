"""Waiting: for a first frame, a project, a copy that ends in memory before it is on the disks."""

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from core.edit.edit_stores import MB, array, hard_disk, load, ssd, store
from vastcellar.core.chain.setup_parts import heat_path_of
from vastcellar.core.edit.arrays import Level
from vastcellar.core.edit.edit_store import EditStore
from vastcellar.core.edit.waiting import (
    first_frame,
    opens_in_s,
    scrub,
    written_in,
    written_warm_in,
)
from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.parts import Case, Drive, DriveKind, ThrottleStage, WriteBehaviour


def test_a_jump_on_gigabit_takes_52_ms_and_at_worst_464():
    """0.5 + 12.67 + 6.1 + 33.0; then half a second of the stream that was asked for before."""
    made = store(Level.PARITY, 4, links=(111.8 * MB,), round_trip_s=0.5e-3)
    jump = first_frame(made, load(), 1)
    assert jump.half_s * 1e3 == pytest.approx(52.3, abs=0.1)
    assert jump.most_s * 1e3 == pytest.approx(464, abs=1)
    fast = store(Level.PARITY, 4, links=(1118 * MB,), round_trip_s=0.5e-3)
    jump = first_frame(fast, load(), 2)
    assert jump.half_s * 1e3 == pytest.approx(22.6, abs=0.1)
    assert jump.most_s * 1e3 == pytest.approx(112, abs=1)


def test_a_project_of_small_files_is_a_matter_of_seeks():
    """A thousand files of 64 KiB: 12.67 ms each on a disk, and next to nothing on an SSD."""
    disk = opens_in_s(store(), 1000, 65536)
    assert disk == pytest.approx(1000 * (12.67e-3 + 65536 / 200e6))
    flash = opens_in_s(EditStore("s", array(disk=ssd())), 1000, 65536)
    assert flash == pytest.approx(1000 * 65536 / 500e6)
    with pytest.raises(BadValueError):
        opens_in_s(store(), 0, 65536)


def test_a_copy_that_ends_in_memory_isnt_there_yet():
    """40 GB to a disk of 200 MB/s from a source of 500: the program ends 8 GB before the disk."""
    told = written_in(store(), 40e9, source_bytes_per_s=500 * MB, memory_bytes=8e9)
    assert told.flushed_s == pytest.approx(200)
    assert told.program_s == pytest.approx(160)
    small = written_in(store(), 4e9, source_bytes_per_s=500 * MB, memory_bytes=8e9)
    assert (small.program_s, small.flushed_s) == (pytest.approx(8), pytest.approx(20))
    honest = written_in(store(), 4e9)
    assert honest.program_s == honest.flushed_s == pytest.approx(20)


def test_fast_caches_of_ssds_take_the_first_part():
    """Three with 20 GB each: 60 of 120 GB at 1,500 MB/s, the rest at 1,200."""
    made = EditStore("s", array(Level.PARITY, 4, ssd(cache=20e9)))
    assert written_in(made, 120e9).flushed_s == pytest.approx(60e3 / 1500 + 60e3 / 1200)
    linked = store(Level.PARITY, 4, ssd(cache=20e9), links=(100 * MB,))
    assert written_in(linked, 120e9).flushed_s == pytest.approx(1200)
    assert written_in(linked, 120e9, beside_bytes_per_s=50 * MB).flushed_s == pytest.approx(2400)


@given(size=st.floats(1e6, 1e14), memory=st.floats(0, 1e11), source=st.floats(1e6, 1e10))
def test_a_program_never_ends_after_its_bytes_are_there(size, memory, source):
    """Nor before its source has given them all; more memory never makes it later."""
    told = written_in(store(), size, source_bytes_per_s=source, memory_bytes=memory)
    assert told.program_s <= told.flushed_s + 1e-9
    assert told.program_s >= size / source * (1 - 1e-9) or told.program_s == told.flushed_s
    more = written_in(store(), size, source_bytes_per_s=source, memory_bytes=memory * 2)
    assert more.program_s <= told.program_s + 1e-9


def test_a_source_of_nothing_is_refused():
    """It would never end."""
    with pytest.raises(BadValueError, match="brings nothing"):
        written_in(store(), 1e9, source_bytes_per_s=0.0)
    with pytest.raises(BadValueError, match="size_bytes"):
        written_in(store(), 0.0)
    assert hard_disk().is_spinning


def test_scrubbing_alone_is_a_first_frame_each_time():
    """One disk: 12.67 ms of access and 18.4 of a frame, 32 a second; no faster than it plays."""
    made = store(Level.SINGLE, 1, hard_disk())
    found = scrub(made, load(), 1)
    assert found.behind_s == 0
    assert found.frame_s == pytest.approx(first_frame(made, load(), 1).half_s)
    assert found.shown_per_s == 25.0
    slow = scrub(replace(made, round_trip_s=0.05), load(), 1)
    assert slow.shown_per_s == pytest.approx(1 / slow.frame_s) and slow.shown_per_s < 15


def test_scrubbing_beside_others_waits_for_half_a_visit():
    """As often as the disks are at one of theirs: with one other stream of 92.17 MB/s of the 190
    that a second visit leaves, 48 % of the time."""
    made = store(Level.SINGLE, 1, hard_disk())
    found, visit_s = scrub(made, load(), 2), 46.085e6 / 200e6 + 12.67e-3
    given = 46.085e6 / visit_s
    assert found.behind_s == pytest.approx(92.17e6 / given * visit_s / 2, rel=1e-3)
    assert scrub(made, load(), 60).behind_s == pytest.approx(visit_s / 2, rel=1e-3)


def one_drive(**changes):
    """A store as one drive: 2 TB at 1 GB/s, without a cache unless it is given one."""
    writes = WriteBehaviour(1000 * MB, 1000 * MB, **changes)
    return Drive("store", "Store", DriveKind.STORE, "flash", int(2e12), 1e9, 1e9, writes,
                 host_modes=("usb-10g",), own_case=Case(200.0, 2.0, 3.0, 0.0))  # fmt: skip


def path_of(drive, room_c=23.0):
    return heat_path_of(drive, None, room_c)


def test_a_store_that_stays_cool_takes_what_its_bytes_take():
    """Without cache or throttle, and over a narrower link: bytes over the lesser rate."""
    drive = one_drive()
    assert written_warm_in(drive, path_of(drive), 500e9, filled_share=0.0).flushed_s == (
        pytest.approx(500))  # fmt: skip
    linked = written_warm_in(
        drive, path_of(drive), 500e9, filled_share=0.0, link_bytes_per_s=200 * MB, memory_bytes=8e9
    )
    assert linked.flushed_s == linked.program_s == pytest.approx(2500)
    assert math.isinf(linked.throttles_after_s)


def test_memory_ends_the_program_before_the_disks_are_done():
    """8 GB wait in memory behind a link twice as fast: eight seconds at what the disks take."""
    drive = one_drive()
    told = written_warm_in(
        drive, path_of(drive), 500e9, filled_share=0.0, link_bytes_per_s=2000 * MB, memory_bytes=8e9
    )
    assert (told.program_s, told.flushed_s) == (pytest.approx(492), pytest.approx(500))


def test_heat_makes_it_longer_and_a_hotter_room_sooner():
    """One that throttles to 300 MB/s at 70 °C: later than cool, earlier in a hot room, never over
    a link that lets no more through than it can lose."""
    hot = one_drive(cache_j_per_gb=25.0, throttle=(ThrottleStage(70.0, 60.0, 300 * MB),))
    suite = written_warm_in(hot, path_of(hot), 500e9, filled_share=0.0)
    summer = written_warm_in(hot, path_of(hot, 38.0), 500e9, filled_share=0.0)
    assert 500 < suite.flushed_s < summer.flushed_s
    assert summer.throttles_after_s < suite.throttles_after_s < suite.flushed_s
    slow = written_warm_in(hot, path_of(hot), 500e9, filled_share=0.0, link_bytes_per_s=100 * MB)
    assert math.isinf(slow.throttles_after_s) and slow.flushed_s == pytest.approx(5000)


def test_no_room_is_a_sentence():
    """Three quarters full: no half TB and a bit more."""
    drive = one_drive()
    with pytest.raises(BadValueError, match="no room"):
        written_warm_in(drive, path_of(drive), 501e9, filled_share=0.75)
