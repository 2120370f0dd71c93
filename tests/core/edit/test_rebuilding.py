"""A failed disk: how long until all is safe again, and what may be lost meanwhile."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from core.edit.edit_stores import MB, TB, array, hard_disk
from vastcellar.core.edit.arrays import Level, array_of
from vastcellar.core.edit.rebuilding import REBUILD_SHARE, rebuild_of


def test_four_disks_of_8_tb_take_a_day_and_risk_a_sixth():
    """At 90 MB/s 24.7 h; with one bit in 1e15 unreadable, 24 TB read: 17.5 %."""
    found = rebuild_of(array(Level.PARITY, 4), 0.4, 90 * MB)
    assert found.seconds / 3600 == pytest.approx(24.7, abs=0.05)
    assert found.unreadable_risk == pytest.approx(0.175, abs=0.0005)
    assert found.read_bytes == 24 * TB
    assert found.left_share == pytest.approx(1 - 90 / 200)


def test_without_a_rate_the_usual_share_of_the_slowest_is_taken():
    """Less than half of what the disk reads, while others work on it; never more than it can."""
    found = rebuild_of(array(Level.PARITY, 3), 0.0)
    assert found.disk_bytes_per_s == pytest.approx(REBUILD_SHARE * 200 * MB)
    assert rebuild_of(array(Level.PARITY, 3), 0.0, 900 * MB).disk_bytes_per_s == 200 * MB


@pytest.mark.parametrize("level", [Level.SINGLE, Level.EACH, Level.STRIPE])
def test_where_nothing_protects_nothing_is_rebuilt(level):
    """Everything on the disk, or the array, is lost for certain."""
    found = rebuild_of(array(level, 1 if level is Level.SINGLE else 2), 0.5)
    assert not found.is_possible
    assert (found.unreadable_risk, found.seconds) == (1.0, math.inf)


@pytest.mark.parametrize(("level", "count"), [(Level.DOUBLE_PARITY, 6), (Level.MIRROR, 3)])
def test_a_second_protection_stands_in_for_a_sector(level, count):
    """With one disk gone a sector that can't be read is still somewhere else."""
    assert rebuild_of(array(level, count), 0.0).unreadable_risk == 0.0


def test_a_mirror_reads_one_disk_and_pairs_keep_working():
    """Two mirrored: 8 TB read, and half of the time less what the rebuild takes is left; of four
    in pairs three disks are left, one of them busy."""
    two = rebuild_of(array(Level.MIRROR, 2), 0.0, 100 * MB)
    assert two.read_bytes == 8 * TB
    assert two.left_share == pytest.approx((2 - 1 - 0.5) / 2)
    four = rebuild_of(array(Level.STRIPED_MIRRORS, 4), 0.0, 100 * MB)
    assert four.left_share == pytest.approx((4 - 1 - 0.5) / 4)


def test_only_what_is_used_of_a_larger_disk_is_rebuilt():
    """4, 8 and 8 TB in RAID 5: 4 TB of each."""
    mixed = array_of(Level.PARITY, [hard_disk(size=size * TB) for size in (4, 8, 8)])
    assert rebuild_of(mixed, 0.0, 100 * MB).seconds == pytest.approx(4 * TB / 100e6)


@given(count=st.integers(3, 24), per_bit=st.floats(1e-17, 1e-13), rate=st.floats(10, 200))
def test_more_disks_or_worse_ones_never_risk_less(count, per_bit, rate):
    """The risk rises with what has to be read and with each bit's; it is a share."""

    def risk(disks, bit):
        disk = hard_disk(unreadable_per_bit=bit)
        return rebuild_of(array(Level.PARITY, disks, disk), 0.0, rate * MB).unreadable_risk

    assert 0 <= risk(count, per_bit) <= 1
    assert risk(count + 1, per_bit) >= risk(count, per_bit)
    assert risk(count, per_bit * 2) >= risk(count, per_bit)
