"""How long a copy still takes: by closed forms, by the cache, and never by a moment's rate."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from core.roll.roll_days import FAST, GB, MB, drive
from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.parts import WriteBehaviour
from vastcellar.core.roll.time_left import expected_copy, left_by_rate_s


def test_a_plain_drive_takes_its_bytes_twice():
    """60 GB in ten files at 400 MB/s written and 300 read: both, one after the other in time."""
    found = expected_copy(60 * GB, 10, FAST, (drive(read=300 * MB),))
    assert found.over_s == pytest.approx(60e3 / 400 + 60e3 / 300)
    assert found.left_s(0) == pytest.approx(found.over_s)
    assert found.left_s(60 * GB) == pytest.approx(found.over_s - found.copied_s)


def test_a_full_cache_is_seen_before_it_is_full():
    """100 GB of cache at 500 MB/s, then 100: after 90 of 150 GB the moment promises 2 minutes,
    and 8 more come."""
    cached = WriteBehaviour(500 * MB, 100 * MB, cache_static_bytes=100 * GB)
    value = drive(behaviour=cached, medium_read_bytes_per_s=1e15, link_read_bytes_per_s=1e15)
    found = expected_copy(150 * GB, 50, FAST, (value,))
    assert found.left_s(90 * GB) == pytest.approx(10e3 / 500 + 50e3 / 100, rel=1e-3)
    assert left_by_rate_s(150 * GB, 90 * GB, 500 * MB) == pytest.approx(120)


def test_a_slow_card_sets_the_time_and_the_last_drive_the_end():
    """From a card of 100 MB/s: the copy is as long as its reading; each drive ends by itself."""
    found = expected_copy(
        60 * GB, 60, 100 * MB, (drive("a", read=2000 * MB), drive("b", read=50 * MB, write=FAST))
    )
    assert found.copied_s > 600
    assert found.verified_s[0] < found.verified_s[1] == found.over_s


def test_nothing_moves_and_nobody_knows():
    """A rate of nothing promises nothing."""
    assert math.isinf(left_by_rate_s(100, 10, 0.0))


@given(
    total=st.floats(1e9, 1e12),
    files=st.integers(1, 200),
    write=st.integers(20, 900),
    shares=st.lists(st.floats(0, 1), min_size=2, max_size=5),
)
def test_the_more_is_copied_the_less_is_left(total, files, write, shares):
    """Time left never grows with the bytes, and ends at the rest of the checks."""
    cached = WriteBehaviour(900 * MB, write * MB, cache_static_bytes=60 * GB)
    found = expected_copy(total, files, 700 * MB, (drive(behaviour=cached),))
    left = [found.left_s(total * share) for share in sorted(shares)]
    assert left == sorted(left, reverse=True)
    assert all(0 <= each <= found.over_s for each in left)


def test_a_card_of_nothing_is_refused():
    """There is no copy to expect."""
    with pytest.raises(BadValueError):
        expected_copy(0.0, 1, FAST, (drive(),))
    with pytest.raises(BadValueError, match="no drive"):
        expected_copy(1e9, 1, FAST, ())
