"""How much a test writes, as it is typed."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.errors import BadValueError
from vastcellar.core.protocols.amounts import Amount, amount_text, parse_amount


@pytest.mark.parametrize(
    ("text", "amount"),
    [
        ("300 GB", Amount(300 * 10**9)),
        ("64GiB", Amount(64 * 2**30)),
        ("40%", Amount(share_of_free=0.4)),
        ("12,5 % of free", Amount(share_of_free=0.125)),
        ("20 min", Amount(most_s=1200)),
        ("1 h 30 min", Amount(most_s=5400)),
        ("up to 90 s", Amount(most_s=90)),
        ("until steady", Amount(until_steady=True)),
        ("steady up to 1 h", Amount(most_s=3600, until_steady=True)),
        ("500 GB up to 30 min until steady", Amount(500 * 10**9, 0.0, 1800, True)),
    ],
)
def test_sizes_shares_times_and_steadiness_are_read(text, amount):
    """Sizes, shares, times and "until steady" are told apart."""
    assert parse_amount(text) == amount


@given(
    kilobytes=st.integers(0, 9 * 10**9),
    percent=st.integers(0, 100),
    seconds=st.integers(0, 100_000),
    steady=st.booleans(),
)
def test_what_is_shown_is_read_back(kilobytes, percent, seconds, steady):
    """An amount shown in a field reads back as itself."""
    size = 0 if percent else kilobytes * 1000
    amount = Amount(size, percent / 100, float(seconds), steady)
    if amount == Amount():
        with pytest.raises(BadValueError, match=r"nothing is entered|nothing would be written"):
            parse_amount(amount_text(amount))
    else:
        assert parse_amount(amount_text(amount)) == amount


@pytest.mark.parametrize("text", ["plenty", "140 %", "0 GB", "-3 GB", "300", "up to", "20 parsecs"])
def test_what_is_no_amount_says_where_and_what_to_write(text):
    """What is no amount names the field and gives an example to follow."""
    with pytest.raises(BadValueError) as met:
        parse_amount(text, where="Amount")
    assert "Amount" in str(met.value)
    assert met.value.mend


@given(room=st.integers(10**9, 10**13), share=st.floats(0.01, 1.0))
def test_a_share_of_the_room_never_asks_for_more_than_there_is(room, share):
    """A share of the free room lies within that room."""
    assert 0 < Amount(share_of_free=share).bytes_of(room, 5) <= room
    assert Amount(7).bytes_of(room, 5) == 7
    assert Amount(most_s=60).bytes_of(room, room) == room
