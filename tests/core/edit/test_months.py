"""How long a store lasts: by hand, and for any growth."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from core.edit.edit_stores import TB
from vastcellar.core.edit.months import Growth, months_of
from vastcellar.core.errors import BadValueError


def test_24_tb_with_9_6_in_use_last_five_months():
    """A tenth is kept free, and 2.4 TB come each month: (24 - 2.4 - 9.6) / 2.4."""
    found = months_of(24 * TB, 9.6 * TB, Growth(2.4 * TB))
    assert found.full_after_months == pytest.approx(5.0)
    assert found.used_bytes[:3] == pytest.approx((9.6 * TB, 12 * TB, 14.4 * TB))


def test_growth_brings_the_end_nearer_and_archiving_puts_it_off():
    """A tenth more each month; or each month moved away after three, and it never fills."""
    plain = months_of(24 * TB, 9.6 * TB, Growth(2.4 * TB)).full_after_months
    grows = months_of(24 * TB, 9.6 * TB, Growth(2.4 * TB, grows_by=0.1)).full_after_months
    assert grows < plain
    kept = months_of(24 * TB, 9.6 * TB, Growth(2.4 * TB, archived_after_months=3))
    assert math.isinf(kept.full_after_months)
    assert kept.used_bytes[-1] == pytest.approx(9.6 * TB + 3 * 2.4 * TB)
    some = Growth(2.4 * TB, archived_after_months=3, kept_share=0.5)
    assert plain < months_of(24 * TB, 9.6 * TB, some).full_after_months < math.inf


def test_a_store_that_is_full_already_is_full_now():
    """And one that nothing comes to never is."""
    assert months_of(10 * TB, 9.5 * TB, Growth(1 * TB)).full_after_months == 0
    assert math.isinf(months_of(10 * TB, 5 * TB, Growth(0.0)).full_after_months)
    with pytest.raises(BadValueError, match="kept_share"):
        Growth(1.0, kept_share=2.0)


@given(month=st.floats(1e9, 1e13), used=st.floats(0, 0.85), grows=st.floats(-0.2, 0.5),
       after=st.integers(0, 12), kept=st.floats(0, 1))  # fmt: skip
def test_it_is_full_where_its_room_ends(month, used, grows, after, kept):
    """What is used never falls below what is on it now; where it ends it is at its room."""
    growth = Growth(month, grows, after, kept)
    found = months_of(24 * TB, used * 24 * TB, growth)
    assert min(found.used_bytes) >= used * 24 * TB * (1 - 1e-9)
    full = found.full_after_months
    if math.isfinite(full):
        before, end = math.floor(full), math.ceil(full)
        assert found.used_bytes[before] <= found.room_bytes * (1 + 1e-9)
        assert found.used_bytes[max(end, before + 1)] >= found.room_bytes * (1 - 1e-9)
    more = months_of(24 * TB, used * 24 * TB, Growth(month * 2, grows, after, kept))
    assert more.full_after_months <= full + 1e-9
