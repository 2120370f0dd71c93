"""Room, fill and wear of a unit: one rule each, whatever is said to lie on it."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.parts.parts import Drive, DriveKind
from vastcellar.core.parts.units import (
    WORN_SHARE,
    Unit,
    filled_share,
    free_bytes_on,
    is_worn,
    worn_share,
)

DRIVE = Drive("d", "Drive", DriveKind.NVME, "TLC", 10**12, 3e9, 2e9, tbw_bytes=600e12)


@given(share=st.floats(0, 3))
def test_room_and_fill_are_never_out_of_bounds(share):
    """A sticker or a catalog may be wrong: more on it than it holds leaves no room, and no less."""
    unit = Unit("U-1", "d", used_bytes=share * DRIVE.capacity_bytes)
    free, filled = free_bytes_on(DRIVE, unit), filled_share(DRIVE, unit)
    assert 0 <= free <= DRIVE.capacity_bytes
    assert 0 <= filled <= 1
    assert free == pytest.approx((1 - filled) * DRIVE.capacity_bytes, abs=1)
    assert free == pytest.approx(max(1 - share, 0) * DRIVE.capacity_bytes, abs=1)


def test_a_drive_without_a_unit_is_empty():
    """Out of the catalog: all of it is free."""
    assert free_bytes_on(DRIVE) == DRIVE.capacity_bytes
    assert filled_share(DRIVE) == 0


@given(written=st.floats(0, 2e15))
def test_nearly_worn_is_from_nine_tenths_on(written):
    """Of what is rated; where nothing is rated nothing is said."""
    unit = Unit("U-1", "d", written_bytes=written)
    share = worn_share(unit, DRIVE)
    assert share == pytest.approx(written / 600e12)
    assert is_worn(share) == (share >= WORN_SHARE)
    assert worn_share(unit, replace(DRIVE, tbw_bytes=0)) is None
    assert not is_worn(None)


@pytest.mark.parametrize(
    ("state", "is_ready"),
    [("ready", True), ("on loan", False), ("in doubt", False), ("retired", False)],
)
def test_only_a_ready_unit_is_put_to_work(state, is_ready):
    """Away, doubted or retired: not offered, not counted as room."""
    assert Unit("U-1", "d", state=state).is_ready is is_ready
