"""The quick sum: kinds follow from units, claims are held against links."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.errors import BadValueError
from vastcellar.core.links.quick_sum import Fit, Kind, link_fits, quick_sum


@pytest.mark.parametrize(
    ("text", "kind", "value"),
    [
        ("4 TB in 30 min", Kind.RATE, 4e12 / 1800),
        ("1274 Mb/s", Kind.RATE, 159.25e6),
        ("52 min at 160 MB/s x 3 copies", Kind.SIZE, 1497.6e9),
        ("47 GB at 180 MB/s", Kind.TIME, 47e9 / 180e6),
        ("1 TB", Kind.SIZE, 1e12),
        ("1 TiB", Kind.SIZE, 2**40),
        ("3.2 h a day at 575 GB/h x 6 days", Kind.SIZE, 3.2 * 575e9 * 6),
        ("1 h 30 min at 160MB/s", Kind.SIZE, 5400 * 160e6),
        ("52:00 at 160 MB/s", Kind.SIZE, 3120 * 160e6),
        ("12 takes of 8 s at 249 MB/s", Kind.SIZE, 96 * 249e6),
        ("2 cameras at 92.5 MB/s", Kind.RATE, 185e6),
        ("5 TB / 4 drives", Kind.SIZE, 1.25e12),
        ("4 TB / 500 GB", Kind.COUNT, 8),
        ("1 274 Mb/s", Kind.RATE, 159.25e6),
        ("10 Gbps", Kind.RATE, 1.25e9),
        ("1.8 TB per day", Kind.SIZE, 1.8e12),
        ("1.8 TB/day", Kind.RATE, 1.8e12 / 86400),
    ],
)
def test_what_a_line_comes_to(text, kind, value):
    """Each kind of sum on a line comes to its figure."""
    answer = quick_sum(text)
    assert answer.kind is kind
    assert answer.value == pytest.approx(value)


@given(size=st.floats(1e6, 1e15), time_s=st.floats(1, 1e6), copies=st.integers(1, 9))
def test_size_rate_and_time_undo_each_other(size, time_s, copies):
    """Size to rate and rate to size are each other's inverse, copies included."""
    rate = quick_sum(f"{size:.0f} B in {time_s:.4f} s").value
    again = quick_sum(f"{time_s:.4f} s at {rate:.6f} B/s x {copies} copies").value
    assert again == pytest.approx(size * copies, rel=1e-4)


def test_a_decimal_comma_is_read_where_it_is_the_custom():
    """A decimal comma and a space for thousands are read where they are usual."""
    assert quick_sum("1,5 TB", decimal_point=",").value == 1.5e12
    assert quick_sum("1 274 Mb/s").value == pytest.approx(159.25e6)


@pytest.mark.parametrize(
    ("text", "in_unit"),
    [
        ("1 TB in GiB", 931.32),
        ("931 GiB in GB", 999.65),
        ("10 Gb/s in MB/s", 1250),
        ("52 min at 160 MB/s in GB", 499.2),
        ("47 GB at 180 MB/s in min", 4.352),
        ("100 MBit/s as MiB/s", 11.92),
    ],
)
def test_a_unit_may_be_asked_for(text, in_unit):
    """Whatever a line comes to can be had in any unit of its kind."""
    answer = quick_sum(text)
    assert answer.in_unit == pytest.approx(in_unit, rel=1e-3)
    assert text.endswith(answer.unit)


@pytest.mark.parametrize("text", ["4 TB in h", "1 TB in gb", "3 copies in GB", "1 TB in bananas"])
def test_a_unit_of_another_kind_is_refused(text):
    """A size has no hours, small letters may mean bits, and copies are no bytes."""
    with pytest.raises(BadValueError):
        quick_sum(text)


def test_a_claim_is_held_against_links(catalog):
    """ "4 TB in 30 min" is held against each link, on paper and really."""
    claim = quick_sum("4 TB in 30 min")
    assert claim.is_claim
    fits = {mode.key: fit for mode, fit in link_fits(claim.value, catalog.modes.values())}
    assert fits["usb-10g"] is Fit.CANT
    assert fits["usb-20g"] is Fit.ON_PAPER
    assert fits["usb4-40g"] is Fit.CARRIES
    assert not quick_sum("1274 Mb/s").is_claim


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "nothing is entered"),
        ("160", "has no unit"),
        ("160 mb/s", "bits or bytes"),
        ("4 TB in 0 min", "leads nowhere"),
        ("4 TB in 30 min at 100 MB/s", "Leave one out"),
        ("4 TB of 3 TB in 1 h", "two quantities of one kind"),
        ("fast!", "at character 1"),
        ("4 furlongs", "not a unit"),
        ("0 copies x 1 TB", "counts nothing"),
        ("-4 TB", "at character 1"),
        ("9" * 500, "characters"),
    ],
)
def test_what_cant_be_read_is_a_sentence(text, says):
    """A line that isn't understood says what in it is not."""
    with pytest.raises(BadValueError, match="quick sum") as caught:
        quick_sum(text)
    assert says in str(caught.value)


@pytest.mark.parametrize(
    ("text", "says"),
    [("4 TB in 30", '"in 30" has no unit'), ("1 h at 25", '"at 25" has no unit'),
     ("47 GB within 2 x 3 copies", '"within 2" has no unit')],
)  # fmt: skip
def test_a_number_behind_in_or_at_is_asked_for_its_unit(text, says):
    """It is a time or a rate that is meant there, and never a count."""
    with pytest.raises(BadValueError, match=says):
        quick_sum(text)
    assert quick_sum("52 min at 160 MB/s x 3 copies").factor == 3
    assert quick_sum("47 GB at 180 MB/s x 2").factor == 2
