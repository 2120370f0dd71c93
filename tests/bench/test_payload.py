"""Blocks that are checked where they lie: whatever is wrong with one of them is found."""

import mmap

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vastcellar.bench.payload import POOL_BYTES, STAMP_EVERY_BYTES, Payload

BLOCK = 64 * STAMP_EVERY_BYTES
PAYLOAD = Payload(4711)
OTHER_RUN = Payload(4712)


def read_back(at_block):
    """A block as it comes back from a disk that kept it."""
    data = mmap.mmap(-1, BLOCK)
    data[:] = bytes(PAYLOAD.at(at_block * BLOCK, BLOCK))
    return data


@given(at_block=st.integers(0, 3 * POOL_BYTES // BLOCK - 1))
@settings(deadline=None)
def test_what_was_written_is_right_wherever_it_stands(at_block):
    """Every block of a stream agrees with itself, pools further on as well."""
    data = read_back(at_block)
    assert PAYLOAD.first_difference(at_block * BLOCK, data, BLOCK) == -1


@given(
    at_block=st.integers(0, 2 * POOL_BYTES // BLOCK),
    wrong=st.sets(st.integers(0, 63), min_size=1, max_size=5),
    how=st.sampled_from(("blank", "ones", "stale", "another place", "another run")),
)
@settings(deadline=None)
def test_a_block_that_is_not_its_own_is_found_at_the_first_wrong_place(at_block, wrong, how):
    """Blank, stale, somebody else's or another place's: the first such 4 KiB is named."""
    data, at = read_back(at_block), at_block * BLOCK
    for row in wrong:
        begin = row * STAMP_EVERY_BYTES
        there = {
            "blank": bytes(STAMP_EVERY_BYTES),
            "ones": b"\xff" * STAMP_EVERY_BYTES,
            # The same place of the pool, one round earlier: only its count differs.
            "stale": bytes(PAYLOAD.at(at + begin + POOL_BYTES, STAMP_EVERY_BYTES)),
            "another place": bytes(PAYLOAD.at(at + begin + BLOCK, STAMP_EVERY_BYTES))
            if (at + begin) % POOL_BYTES + BLOCK < POOL_BYTES
            else bytes(STAMP_EVERY_BYTES),
            "another run": bytes(OTHER_RUN.at(at + begin, STAMP_EVERY_BYTES)),
        }[how]
        data[begin : begin + STAMP_EVERY_BYTES] = there
    assert PAYLOAD.first_difference(at, data, BLOCK) == at + min(wrong) * STAMP_EVERY_BYTES


@pytest.mark.parametrize("rows", [1, 2, 64])
def test_a_short_last_block_is_checked_as_far_as_it_goes(rows):
    """The end of a stream is a shorter block: what lies behind it in the buffer doesn't count."""
    data = read_back(9)
    size = rows * STAMP_EVERY_BYTES
    data[size:] = bytes(BLOCK - size)
    assert PAYLOAD.first_difference(9 * BLOCK, data, size) == -1
    data[size - STAMP_EVERY_BYTES : size] = bytes(STAMP_EVERY_BYTES)
    assert PAYLOAD.first_difference(9 * BLOCK, data, size) == 9 * BLOCK + size - STAMP_EVERY_BYTES


def test_every_word_of_a_place_is_looked_at_sooner_or_later():
    """The sampled words move on from block to block: none of a KiB is never compared."""
    seen = set()
    for first in range(0, 130):
        data = mmap.mmap(-1, STAMP_EVERY_BYTES)
        at = first * STAMP_EVERY_BYTES
        for word in range(2, 128):
            data[:] = bytes(PAYLOAD.at(at, STAMP_EVERY_BYTES))
            data[8 * word : 8 * word + 8] = bytes(8)
            if PAYLOAD.first_difference(at, data, STAMP_EVERY_BYTES) != -1:
                seen.add(word)
        if len(seen) == 126:
            break
    assert seen == set(range(2, 128))
