"""Arrays: what can be used, what they read and write, what cannot be put together."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from core.edit.edit_stores import MB, TB, array, hard_disk, ssd
from vastcellar.core.edit.arrays import Level, array_of
from vastcellar.core.edit.disks import Disk, disk_of
from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.parts import WriteBehaviour

REDUNDANT = (Level.MIRROR, Level.PARITY, Level.DOUBLE_PARITY, Level.STRIPED_MIRRORS)


@pytest.mark.parametrize(
    ("level", "count", "usable", "survives"),
    [
        (Level.SINGLE, 1, 8, 0),
        (Level.EACH, 4, 32, 0),
        (Level.STRIPE, 4, 32, 0),
        (Level.MIRROR, 2, 8, 1),
        (Level.MIRROR, 3, 8, 2),
        (Level.PARITY, 4, 24, 1),
        (Level.DOUBLE_PARITY, 6, 32, 2),
        (Level.STRIPED_MIRRORS, 4, 16, 1),
    ],
)
def test_equal_disks_are_used_as_their_level_says(level, count, usable, survives):
    """Disks of 8 TB: what is left for data, and how many may fail."""
    made = array(level, count)
    assert made.usable_bytes == pytest.approx(usable * TB)
    assert made.survives == survives
    assert made.wasted_bytes == 0
    assert made.usable_bytes + made.protective_bytes == pytest.approx(count * 8 * TB)


def sized(level, *sizes_tb):
    """Disks of such sizes at a level."""
    return array_of(level, [hard_disk(size=size * TB) for size in sizes_tb])


@pytest.mark.parametrize(
    ("level", "sizes", "usable", "wasted"),
    [
        (Level.MIRROR, (4, 8), 4, 4),
        (Level.PARITY, (4, 8, 8), 8, 8),
        (Level.STRIPED_MIRRORS, (8, 4, 8, 4), 8, 8),
        (Level.STRIPE, (2, 3), 4, 1),
        (Level.EACH, (2, 3), 5, 0),
    ],
)
def test_mixed_sizes_waste_what_the_smallest_has_not(level, sizes, usable, wasted):
    """Of 4 and 8 TB mirrored half of the larger one is never written to."""
    made = sized(level, *sizes)
    assert (made.usable_bytes, made.wasted_bytes) == (usable * TB, wasted * TB)


@given(
    level=st.sampled_from(list(Level)),
    sizes=st.lists(st.integers(1, 20), min_size=1, max_size=12),
)
def test_every_byte_of_every_disk_is_accounted_for(level, sizes):
    """Data, protection and waste are the disks, whatever their sizes; none of them is below 0."""
    try:
        made = sized(level, *sizes)
    except BadValueError:
        return
    whole = sum(sizes) * TB
    assert made.usable_bytes + made.protective_bytes + made.wasted_bytes == pytest.approx(whole)
    for share in made.shares:
        assert min(share.data_bytes, share.protective_bytes, share.wasted_bytes) >= 0
    assert made.usable_bytes <= whole
    assert (made.protective_bytes > 0) == (level in REDUNDANT)


@pytest.mark.parametrize(
    ("level", "count", "says"),
    [
        (Level.PARITY, 1, "has 1 disk, and needs 3"),
        (Level.PARITY, 2, "has 2 disks, and needs 3"),
        (Level.DOUBLE_PARITY, 2, "has 2 disks, and needs 4"),
        (Level.MIRROR, 1, "needs 2"),
        (Level.STRIPED_MIRRORS, 5, "5 disks can't be mirrored in pairs"),
        (Level.SINGLE, 2, "it has 2 disks"),
        (Level.STRIPE, 49, "disks is 49"),
    ],
)
def test_what_is_no_array_is_one_sentence(level, count, says):
    """Too few for the level, odd pairs, more than anybody builds."""
    with pytest.raises(BadValueError, match=says):
        array(level, count)


def test_two_streams_on_a_hard_disk_lose_to_seeks():
    """200 MB/s, 12.67 ms from place to place: blocks of 1 MB leave 56.6, of 8 MB 151.9."""
    disk = array()
    assert disk.read_bytes_per_s(2, 1e6, 0.0) / MB == pytest.approx(56.6, abs=0.05)
    assert disk.read_bytes_per_s(2, 8e6, 0.0) / MB == pytest.approx(151.9, abs=0.05)
    assert disk.read_bytes_per_s(1, 1e6, 0.0) == pytest.approx(200 * MB)


def test_an_array_reads_as_many_disks_as_hold_data():
    """RAID 5 of four: three at once; a mirror reads one for one stream and two for two."""
    large = 64e6
    parity = array(Level.PARITY, 4).read_bytes_per_s(1, large, 0.0)
    assert parity == pytest.approx(600 * MB)
    mirror = array(Level.MIRROR, 2)
    assert mirror.read_bytes_per_s(1, large, 0.0) == pytest.approx(200 * MB)
    assert mirror.read_bytes_per_s(2, large, 0.0) == pytest.approx(400 * MB)
    assert mirror.read_bytes_per_s(3, large, 0.0) < 400 * MB


def test_small_blocks_touch_few_disks_and_go_on_beside_each_other():
    """A block below a stripe's chunk keeps one disk busy: four streams keep three."""
    made = array(Level.PARITY, 4, stripe_bytes=1_000_000)
    one = made.read_bytes_per_s(1, 500_000, 0.0)
    assert made.touched(500_000) == 1
    assert one == pytest.approx(200 * MB)
    assert made.read_bytes_per_s(4, 500_000, 0.0) == pytest.approx(
        3 * 0.5e6 / (0.5e6 / 200e6 + 12.67e-3)
    )


def test_a_write_below_a_stripe_reads_first():
    """RAID 5 of four, chunks of 256 KiB: a whole stripe goes to four disks at once; one chunk
    is read and written on two, each with a turn between."""
    made = array(Level.PARITY, 4)
    chunk, stripe = 256 * 1024, 3 * 256 * 1024
    whole = made.write_disk_seconds(stripe, 0.0)
    assert whole == pytest.approx(4 * (chunk / 200e6 + 12.67e-3))
    part = made.write_disk_seconds(chunk, 0.0)
    assert part == pytest.approx(2 * (2 * chunk / 200e6 + 12.67e-3 + 2 * 4.17e-3))
    assert part / chunk > whole / stripe
    six = array(Level.DOUBLE_PARITY, 6).write_disk_seconds(chunk, 0.0)
    assert six == pytest.approx(part * 3 / 2)


def test_a_mirror_writes_twice_and_a_stripe_once():
    """A large block: the same bytes on both disks, or each half on one."""
    block = 64e6
    mirror = array(Level.MIRROR, 2).write_disk_seconds(block, 0.0)
    striped = array(Level.STRIPE, 2).write_disk_seconds(block, 0.0)
    assert mirror == pytest.approx(2 * (block / 200e6 + 12.67e-3))
    assert striped == pytest.approx(block / 200e6 + 2 * 12.67e-3)
    assert array(Level.MIRROR, 2).write_bytes_per_s(0.0) == pytest.approx(200 * MB)
    assert array(Level.STRIPE, 2).write_bytes_per_s(0.0) == pytest.approx(400 * MB)
    assert array(Level.PARITY, 4).small_writes_per_s(4096, 0.0) == pytest.approx(
        4 / (2 * (2 * 4096 / 200e6 + 12.67e-3 + 8.34e-3))
    )


def test_ssds_write_fast_until_their_caches_are_full():
    """Three with data, 100 GB of cache each: 300 GB at three times 500 MB/s; a disk among them
    has none, and then nothing is cached."""
    made = array(Level.PARITY, 4, ssd(cache=100e9))
    assert made.cached_write_bytes_per_s(0.0) == (1500 * MB, 300e9)
    assert made.write_bytes_per_s(0.0) == pytest.approx(1200 * MB)
    mixed = array_of(Level.STRIPE, [ssd(cache=100e9), hard_disk()])
    assert mixed.cached_write_bytes_per_s(0.0) == (400 * MB, 0.0)
    assert array(Level.EACH, 2, ssd(cache=9e9)).cached_write_bytes_per_s(0.0) == (500 * MB, 9e9)


def test_a_fuller_disk_is_slower_and_its_cache_smaller():
    """Inner zones at half of the rim: never faster the fuller it is."""
    zoned = Disk("d", 8 * TB, 250 * MB, WriteBehaviour(250 * MB, 250 * MB, inner_share=0.5),
                 8.5e-3, 4.17e-3)  # fmt: skip
    rates = [zoned.read_bytes_per_s(share / 10) for share in range(11)]
    assert rates == sorted(rates, reverse=True)
    assert rates[0] == pytest.approx(250 * MB, rel=0.01)
    assert rates[-1] == pytest.approx(125 * MB, rel=0.01)
    small = Disk("s", 100e9, 1e9, WriteBehaviour(9e8, 3e8, cache_static_bytes=40e9,
                                                cache_share_of_free=0.5))  # fmt: skip
    assert small.cache_bytes(0.0) == 90e9
    assert small.cache_bytes(0.9) == pytest.approx(10e9)


def test_drives_of_the_catalog_become_members(catalog):
    """A 3.5 inch disk seeks faster than a 2.5 inch one and is built for stores; an SSD turns no
    plate."""
    large = disk_of(catalog.drive("kelmarsh-dray-8"))
    small = disk_of(catalog.drive("kelmarsh-dray-4"))
    flash = disk_of(catalog.drive("kelmarsh-flat-4"))
    assert large.access_s == pytest.approx(12.67e-3)
    assert small.access_s == pytest.approx(17.6e-3)
    assert (large.unreadable_per_bit, small.unreadable_per_bit) == (1e-15, 1e-14)
    assert large.is_spinning and not flash.is_spinning
    assert flash.outer_read_bytes_per_s == 550 * MB
