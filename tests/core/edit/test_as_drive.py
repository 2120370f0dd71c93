"""Several disks as one drive: its figures are those of the array, its heat that of all disks."""

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.edit.arrays import Level, array_of
from vastcellar.core.edit.as_drive import array_as_drive
from vastcellar.core.edit.disks import disk_of
from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.parts import DriveKind
from vastcellar.core.parts.units import Unit
from vastcellar.core.writing.heat import HeatPath
from vastcellar.core.writing.lasting_rate import zone_write_bytes_per_s
from vastcellar.core.writing.write_profile import Phase, write_profile
from vastcellar.services.workplace.catalogs import read_catalog
from vastcellar.services.workplace.folders import folders

CATALOG = read_catalog(folders(demo=True))
DISK = CATALOG.drive("kelmarsh-dray-8")
SSD = CATALOG.drive("torvane-t2-2")
LEVELS = (Level.STRIPE, Level.MIRROR, Level.PARITY, Level.DOUBLE_PARITY, Level.STRIPED_MIRRORS)


def made(level, members, **changes):
    """Return the drive that *members* make at *level*, and its array."""
    array = array_of(level, [disk_of(each) for each in members])
    return array_as_drive("own-s", "S", array, members, ("eth-10g",), **changes), array


def test_four_disks_of_8_tb_at_raid_5_are_24_tb_of_three_times_250_mb_per_s():
    """The worked store: 24 TB, 750 MB/s outside and half of it inside, all of its price."""
    drive, _array = made(Level.PARITY, [DISK] * 4, box=CATALOG.enclosure("sedgeway-loft-4"))
    assert drive.kind is DriveKind.STORE and not drive.needs_enclosure
    assert drive.capacity_bytes == 24e12
    assert drive.writes.direct_write_bytes_per_s == 750e6 == drive.claimed_read_bytes_per_s
    assert drive.writes.inner_share == 0.5
    assert drive.price == 4 * DISK.price + 529
    assert drive.medium == "magnetic" and "4 x Kelmarsh Dray 8 TB" in drive.source


@given(
    level=st.sampled_from(LEVELS),
    pairs=st.integers(2, 6),
    member=st.sampled_from([DISK, SSD]),
    filled=st.floats(0, 0.97),
)
def test_it_writes_what_the_array_writes_wherever_it_is_filled_to(level, pairs, member, filled):
    """Over levels, counts, disks and fill: the array's own lasting rate and capacity."""
    drive, array = made(level, [member] * (2 * pairs))
    assert zone_write_bytes_per_s(drive.writes, filled) == pytest.approx(
        array.write_bytes_per_s(filled)
    )
    assert drive.capacity_bytes == pytest.approx(array.usable_bytes)
    rate, room = array.cached_write_bytes_per_s(filled)
    writes, free = drive.writes, drive.capacity_bytes * (1 - filled)
    cache = min(writes.cache_static_bytes + writes.cache_share_of_free * free, free)
    if room:
        assert writes.cache_write_bytes_per_s == pytest.approx(rate)
        assert cache == pytest.approx(room, rel=1e-6)
    else:
        assert not writes.has_cache


@given(level=st.sampled_from(LEVELS), pairs=st.integers(2, 6))
def test_a_byte_warms_and_wears_all_the_disks_that_it_lies_on(level, pairs):
    """Energy and wear of a GB of data are those of what all disks write for it."""
    count = 2 * pairs
    drive, array = made(level, [SSD] * count)
    written = count / array.width  # bytes on the disks for each byte of data
    assert drive.writes.direct_j_per_gb == pytest.approx(SSD.writes.direct_j_per_gb * written)
    assert drive.tbw_bytes * written == pytest.approx(SSD.tbw_bytes * count)
    assert drive.writes.heat_capacity_j_per_k == SSD.writes.heat_capacity_j_per_k * count


def test_each_disk_in_a_case_of_its_own_takes_the_course_of_one_disk():
    """Four SSDs striped, without a box: the same temperatures as one alone, at four times the
    rate."""
    four, _array = made(Level.STRIPE, [SSD] * 4)
    case = four.own_case
    one_case = HeatPath(SSD.writes.heat_capacity_j_per_k, 40.0, 5.0, 14.0, 0.0, 24.0)
    four_case = HeatPath(
        four.writes.heat_capacity_j_per_k, case.heat_capacity_j_per_k,
        case.drive_to_case_k_per_w, case.case_to_room_k_per_w, case.bridge_w, 24.0,
    )  # fmt: skip
    size = 1.5e12
    flat_out = (Phase(math.inf, math.inf, size),)
    one = write_profile(SSD.writes, one_case, 2e9, flat_out, free_bytes=SSD.capacity_bytes)
    flat_out = (Phase(math.inf, math.inf, 4 * size),)
    four_times = write_profile(
        four.writes, four_case, 8e9, flat_out, free_bytes=four.capacity_bytes
    )
    assert len(one.events) > 1  # its cache ends, or it grows hot
    assert [each.kind for each in four_times.events] == [each.kind for each in one.events]
    for share in (0.1, 0.5, 0.9, 1.0):
        assert four_times.written_after_s(4 * share * size) == pytest.approx(
            one.written_after_s(share * size), rel=1e-3
        )


def test_mixed_disks_are_as_slow_as_the_slowest_and_what_lets_less_through_counts():
    """The smaller and slower disk sets the pace; encryption caps cache and what comes after."""
    slow = CATALOG.drive("kelmarsh-dray-4")
    drive, array = made(Level.MIRROR, [DISK, slow])
    assert drive.capacity_bytes == array.usable_bytes == slow.capacity_bytes
    assert drive.writes.direct_write_bytes_per_s == min(
        DISK.writes.direct_write_bytes_per_s, slow.writes.direct_write_bytes_per_s
    )
    capped, _array = made(Level.STRIPE, [SSD] * 4, most_bytes_per_s=200e6)
    assert capped.claimed_write_bytes_per_s == capped.claimed_read_bytes_per_s == 200e6
    assert capped.writes.cache_write_bytes_per_s == 200e6


def test_what_is_no_drive_is_refused():
    """Volumes of their own, other disks than the array's, nothing that gets through."""
    with pytest.raises(BadValueError, match="a volume each"):
        made(Level.EACH, [DISK] * 2)
    array = array_of(Level.MIRROR, [disk_of(DISK)] * 2)
    with pytest.raises(BadValueError, match="2 disks, and 3 are named"):
        array_as_drive("own-s", "S", array, [DISK] * 3, ("eth-1g",))
    with pytest.raises(BadValueError, match="most_bytes_per_s"):
        made(Level.MIRROR, [DISK] * 2, most_bytes_per_s=0.0)


def test_the_demos_store_is_what_edit_computes_of_its_disks():
    """N-01 on the demo's shelf has the figures of the store that Edit shows, to the last one."""
    shipped = CATALOG.drive("sedgeway-loft-4-dray-8")
    computed, _array = made(Level.PARITY, [DISK] * 4, box=CATALOG.enclosure("sedgeway-loft-4"))
    assert shipped == replace(computed, key=shipped.key, name=shipped.name, host_modes=("eth-1g",))
    assert CATALOG.drive_of(Unit("N-01", shipped.key)) == shipped
