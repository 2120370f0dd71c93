from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.errors import BadValueError
from vastcellar.core.units import (
    PLAIN,
    THIN_SPACE,
    NumberFormat,
    parse_duration,
    parse_frame_rate,
    parse_number,
    parse_rate,
    parse_share,
    parse_size,
    parse_temperature,
)


@pytest.mark.parametrize(
    ("text", "bytes_per_s"),
    [
        ("1274 Mb/s", 159.25e6),
        ("160MB/s", 160e6),
        ("1 274 Mb/s", 159.25e6),
        (f"1{THIN_SPACE}274 Mb/s", 159.25e6),
        ("1,274.02 Mb/s", 159.2525e6),
        ("1.274,02 Mb/s", 159.2525e6),
        ("1.274.000 kbit/s", 159.25e6),
        ("100 MBit/s", 12.5e6),
        ("0.500 MB/s", 0.5e6),
        ("12,5 MB/s", 12.5e6),
        ("160Mbps", 20e6),
        ("160 MBps", 160e6),
        ("10 Gbit/s", 1.25e9),
        ("3.6 GB/h", 1e6),
        ("1 MiB/s", 1048576),
    ],
)
def test_a_rate_is_read_in_any_unit(text, bytes_per_s):
    """Bits and bytes, decimal and binary, with any way of setting thousands apart."""
    assert parse_rate(text) == pytest.approx(bytes_per_s)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("160", "has no unit"),
        ("160 mb/s", "bits or bytes, a factor of 8"),
        ("52 min", "is not a rate"),
        ("-3 MB/s", "below zero"),
        ("", "nothing is entered"),
        ("fast", "can't be read"),
        ("3 bananas", "not a unit"),
        ("1.2.3 MB/s", "not a number"),
        ("1.500 MB/s", "may be 1500"),
        ("1,500 MB/s", "may be 1500"),
        ("12,34,567.5 MB/s", "not a number"),
    ],
)
def test_a_bad_rate_says_what_where_and_the_mend(text, says):
    """A rate that isn't understood names its field and a way to write it."""
    with pytest.raises(BadValueError) as caught:
        parse_rate(text, where="Menu rate")
    assert says in str(caught.value)
    assert str(caught.value).startswith("Menu rate: ")
    assert caught.value.mend.startswith("Write")


def test_every_unit_is_what_the_well_known_table_says():
    """Each prefix with each unit, alone and per time, against a library made for nothing else."""
    pint = pytest.importorskip("pint")
    registry = pint.UnitRegistry()
    spelled = {"b": "bit", "B": "byte", "bits": "bit", "bytes": "byte", "bit": "bit"}
    for prefix in ("", "k", "M", "G", "T", "P", "Ki", "Mi", "Gi", "Ti"):
        for unit, word in spelled.items():
            theirs = registry.Quantity(3, f"{prefix}{word}").to("byte").magnitude
            if (prefix, unit) == ("k", "b"):
                continue  # kb is asked back: half of all writers mean bytes
            assert parse_rate(f"3 {prefix}{unit}/s") == pytest.approx(theirs)
            assert parse_rate(f"3 {prefix}{unit}/h") == pytest.approx(theirs / 3600)
            assert parse_size(f"3 {prefix}{unit}") == round(theirs)
    for unit in ("s", "min", "h", "hours", "day", "days", "seconds"):
        theirs = registry.Quantity(3, unit).to("second").magnitude
        assert parse_duration(f"3 {unit}") == pytest.approx(theirs)


@given(st.floats(1, 9e8), st.sampled_from(".,"))
def test_a_number_with_both_marks_is_read_by_the_last_one(number, point):
    """However a country writes 1234567.25, both marks together leave nothing to ask."""
    group = "," if point == "." else "."
    text = f"{number:,.2f}".translate(str.maketrans({".": point, ",": group}))
    for own_point in ".,":
        assert parse_number(text, decimal_point=own_point) == round(number, 2)


@given(st.integers(1, 999), st.integers(0, 999), st.sampled_from(".,"))
def test_what_may_be_thousands_is_asked_back_and_both_mends_read(whole, rest, mark):
    """1.500 is 1500 or 1.5: no guess is made, and each of the two ways offered is read."""
    with pytest.raises(BadValueError, match="may be") as caught:
        parse_size(f"{whole}{mark}{rest:03d} MB")
    large, small = caught.value.mend.removeprefix("Write ").split(", or ")
    assert parse_size(f"{large} MB") == (whole * 1000 + rest) * 10**6
    assert parse_size(f"{small} MB") == whole * 10**6 + rest * 1000


def test_sizes_keep_decimal_and_binary_apart():
    """The 7 % that make a new 1 TB drive show 931."""
    assert parse_size("1 TB") == 10**12
    assert parse_size("1 TiB") == 2**40
    assert PLAIN.binary_size(10**12) == "931.3 GiB"
    assert PLAIN.size(2**40) == "1.1 TB"


def test_times_are_read_as_said_and_as_counted():
    """ "52 min", "52:00" and "1 h 30 min" are read alike, a bare number isn't."""
    assert parse_duration("52 min") == parse_duration("52:00") == 3120
    assert parse_duration("1 h 30 min") == parse_duration("1h30min") == 5400
    assert parse_duration("1:02:03") == 3723
    with pytest.raises(BadValueError, match="has no unit"):
        parse_duration("52")


@pytest.mark.parametrize(
    ("text", "rate"),
    [
        ("25", Fraction(25)),
        ("23.976", Fraction(24000, 1001)),
        ("29.97 fps", Fraction(30000, 1001)),
        ("59,94", Fraction(60000, 1001)),
        ("24000/1001", Fraction(24000, 1001)),
        ("12.5", Fraction(25, 2)),
    ],
)
def test_frame_rates_are_exact(text, rate):
    """23.976 is 24 x 1000/1001, not a decimal that drifts."""
    assert parse_frame_rate(text) == rate


@pytest.mark.parametrize("text", ["0", "-25", "1/0", "film", ""])
def test_a_bad_frame_rate_is_refused(text):
    """A frame rate of nothing or of letters is refused."""
    with pytest.raises(BadValueError):
        parse_frame_rate(text)


def test_shares_and_temperatures():
    """Shares with or without the sign, and Fahrenheit, are read."""
    assert parse_share("20 %") == parse_share("20") == pytest.approx(0.2)
    assert parse_temperature("28 °C") == parse_temperature("28") == 28
    assert parse_temperature("82.4 °F") == pytest.approx(28)


@given(st.floats(min_value=1e3, max_value=1e13))
def test_a_printed_rate_reads_back(bytes_per_s):
    """What is shown can be typed in again, to the digits shown."""
    assert parse_rate(PLAIN.rate(bytes_per_s, 4)) == pytest.approx(bytes_per_s, abs=51)


@given(st.integers(min_value=1, max_value=10**7))
def test_a_printed_time_reads_back(seconds):
    """A duration that the program shows is one that it reads."""
    shown = parse_duration(PLAIN.duration(seconds))
    assert shown == pytest.approx(seconds, abs=0.5 if seconds < 3600 else 30)


def test_numbers_follow_the_locale():
    """Comma, point and thin space follow the locale both ways."""
    german = NumberFormat(decimal_point=",")
    assert german.rate(159.83e6) == "159,8 MB/s"
    assert german.number(1212.1) == f"1{THIN_SPACE}212"
    assert parse_rate("159,83 MB/s", decimal_point=",") == pytest.approx(159.83e6)
    assert parse_rate("1.274,5 MB/s", decimal_point=",") == pytest.approx(1274.5e6)
    assert german.percent(-0.403, signed=True) == "\u221240 %"


@pytest.mark.parametrize("point", [".", ","])
@pytest.mark.parametrize(
    ("text", "rate"),
    [("23,976", Fraction(24000, 1001)), ("23.976", Fraction(24000, 1001)), ("59,940", None),
     ("24,000", Fraction(24)), ("12,500", Fraction(25, 2)), ("29.97", Fraction(30000, 1001))],
)  # fmt: skip
def test_a_frame_rate_is_the_same_in_every_language(point, text, rate):
    """What only a decimal makes a frame rate is one, whichever mark its writer uses."""
    assert parse_frame_rate(text, decimal_point=point) == (rate or Fraction(60000, 1001))


@pytest.mark.parametrize("text", ["1,000", "9.600", "23976", "0", "1e9", "-25", "20000"])
def test_a_frame_rate_that_may_be_two_or_that_no_camera_has_is_refused(text):
    """A thousand or one; far above what cameras take; below nothing."""
    with pytest.raises(BadValueError):
        parse_frame_rate(text)


@pytest.mark.parametrize("parse", [parse_share, parse_temperature, parse_size])
def test_every_reader_asks_back_where_a_mark_may_mean_two_things(parse):
    """One writer in two means 1500 by "1.500"."""
    with pytest.raises(BadValueError, match="may be 1500, or 1 and 500 thousandths"):
        parse("1.500 GB" if parse is parse_size else "1.500")


def test_what_is_printed_rounds_into_no_other_meaning():
    """59.6 s is a minute; a shortfall however small is no plus and no zero."""
    assert PLAIN.duration(59.6) == "1 min" and PLAIN.duration(59.4) == "59 s"
    assert PLAIN.percent(-0.0004, signed=True) == "\u22120.04 %"
    assert PLAIN.percent(-0.00001, signed=True) == "\u2212<0.01 %"
    assert PLAIN.percent(0.0, signed=True) == "+0 %"
