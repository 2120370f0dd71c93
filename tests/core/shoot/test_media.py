"""Media: bytes are conserved, changes come where they must, and both ways of counting agree."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.errors import BadValueError
from vastcellar.core.shoot.media import count_media, fill_media
from vastcellar.core.shoot.rolls import RollCount, Take, lay_out_takes


def day(*minutes, longest=None):
    at, takes = 0.0, []
    for index, length in enumerate(minutes):
        takes.append(Take(at, length * 60, index == longest))
        at += length * 60 + 30
    return takes


def test_a_medium_is_changed_before_a_take_that_no_longer_fits():
    """60 GB media at 1 GB a minute: 25 + 25 fit, the next 25 start on a fresh one."""
    found = fill_media(day(25, 25, 25), 1e9 / 60, 60e9)
    assert [medium.recorded_bytes for medium in found.media] == pytest.approx([50e9, 25e9])
    (reload,) = found.reloads
    assert not reload.is_inside_take
    assert reload.at_s == found.takes[2].start_s


def test_a_take_that_no_medium_holds_is_interrupted_and_says_so():
    """A take longer than a medium is cut where the medium is full, and that is said."""
    found = fill_media(day(10, 130, longest=1), 1e9 / 60, 60e9)
    inside = [reload for reload in found.reloads if reload.is_inside_longest]
    start_s = found.takes[1].start_s
    assert [reload.at_s - start_s for reload in inside] == pytest.approx([3600, 7200])
    assert len(found.media) == 4  # one with 10 min, then 60 + 60 + 10


def test_a_take_that_fits_exactly_is_not_interrupted():
    """A take that exactly fills what is left isn't split."""
    found = fill_media(day(60, 60), 1e9 / 60, 60e9)
    assert len(found.media) == 2
    assert not any(reload.is_inside_take for reload in found.reloads)


@given(
    before=st.integers(0, 40),
    after=st.integers(0, 40),
    take_s=st.floats(1, 4000),
    longest_s=st.one_of(st.just(0.0), st.floats(1, 20_000)),
    medium_bytes=st.floats(1e9, 2e12),
    rate=st.floats(1e6, 1e9),
)
def test_bytes_are_conserved_and_the_count_at_once_agrees(
    before, after, take_s, longest_s, medium_bytes, rate
):
    """Bytes on all media are the bytes recorded, and both ways of counting agree."""
    count = RollCount(before, after, take_s, longest_s)
    found = fill_media(lay_out_takes(count, 0.0, 24 * 3600), rate, medium_bytes)
    recorded = sum(medium.recorded_bytes for medium in found.media)
    assert recorded == pytest.approx(count.roll_s * rate, rel=1e-9, abs=1)
    assert all(m.recorded_bytes <= medium_bytes * (1 + 1e-9) for m in found.media)
    assert len(found.reloads) == max(len(found.media) - 1, 0)
    counted = count_media(
        np.array([medium_bytes]),
        np.array([take_s * rate]),
        np.array([before]),
        np.array([longest_s * rate]),
        np.array([after]),
    )
    assert counted[0] == len(found.media)


def test_a_medium_of_nothing_is_refused():
    """A medium without capacity is refused."""
    with pytest.raises(BadValueError, match="medium_bytes is 0"):
        fill_media(day(1), 1e6, 0)
