"""Traces that other programs kept: by their usual names and units, never a factor of 8 off."""

import math

import numpy as np
import pytest

from vastcellar.core.errors import BadFileError
from vastcellar.store.trace_csv import parse_trace, trace_text

SAME = [
    "elapsed_s,written_bytes,temperature_c\n0,0,30\n1,200000000,31\n2,500000000,\n",
    "Time (s);Written (MB);Temp (C)\n0;0;30\n1;200;31\n2;500;\n",
    "time\tspeed (MB/s)\ttemperature\n0\t0\t30\n1\t200\t31\n2\t300\t\n",
    "Timestamp,Throughput [kB/s],Temp\n12:00:00,0,30\n12:00:01,200000,31\n12:00:02,300000,\n",
    "timestamp,bytes,temp\n23:59:59,0,30\n00:00:00,200000000,31\n00:00:01,500000000,\n",
    "Timestamp,bytes written,temp\n2026-11-27T12:00:00,0,30\n2026-11-27T12:00:01,200000000,31\n"
    "2026-11-27T12:00:02,500000000,\n",
    "t,bytes,temp\n1764244800,0,30\n1764244801,200000000,31\n1764244802,500000000,\n",
    'seconds;"written (GB)";temp\n0;0,0;30\n1;0,2;31\n2;0,5;\n',
]


@pytest.mark.parametrize("text", SAME, ids=range(len(SAME)))
def test_the_same_run_however_it_was_kept_is_the_same_trace(text):
    """Bytes or a rate, MB or kB or GB with a comma, seconds, time of day past midnight, a moment,
    seconds since 1970: all are our own file of it."""
    trace = parse_trace(text, "t.csv")
    assert trace.elapsed_s.tolist() == [0, 1, 2]
    assert trace.written_bytes == pytest.approx([0, 200e6, 500e6])
    assert trace.temperature_c[:2].tolist() == [30, 31] and math.isnan(trace.temperature_c[2])
    again = parse_trace(trace_text(trace), "again.csv")
    assert np.array_equal(again.written_bytes, trace.written_bytes)


def test_binary_units_are_binary():
    """GiB and MiB/s by powers of two."""
    trace = parse_trace("time,written (GiB)\n0,0\n1,1\n", "t.csv")
    assert trace.written_bytes[-1] == 2**30
    trace = parse_trace("time,rate (MiB/s)\n0,0\n2,3\n", "t.csv")
    assert trace.written_bytes[-1] == 2 * 3 * 2**20


def test_the_unit_says_whether_it_is_a_rate_and_how_large_it_counts():
    """ "Write (MB)" is bytes and "write (MB/s)" a rate; "bytes written (MB)" counts in MB all the
    same; a number that may be thousands or three places is asked back."""
    assert parse_trace("time,write (MB)\n0,0\n2,300\n", "t").written_bytes[-1] == 300e6
    assert parse_trace("time,write (MB/s)\n0,0\n2,300\n", "t").written_bytes[-1] == 600e6
    assert parse_trace("time,Bytes written (MB)\n0,0\n2,300\n", "t").written_bytes[-1] == 300e6
    assert parse_trace("time,written (MB/s)\n0,0\n2,300\n", "t").written_bytes[-1] == 600e6
    with pytest.raises(BadFileError, match="line 3"):
        parse_trace("time;write (MB)\n0;0\n2;1,234\n", "t")
    assert parse_trace("time;write (GB)\n0;0\n2;0,234\n", "t").written_bytes[-1] == 234e6


@pytest.mark.parametrize(
    ("header", "says"),
    [
        ("time,speed (Mb/s)", "factor of 8"),
        ("time,speed_mb_s", "factor of 8"),
        ("time,speed", "factor of 8"),
        ("time,written", "factor of 8"),
        ("time,speed (MB)", "factor of 8"),
        ("speed (MB/s),temperature", "its first line"),
        ("time,temperature", "its first line"),
    ],
)
def test_what_isnt_clear_is_asked_back(header, says):
    """Bits or bytes, no unit, no time, nothing written: said with how to name it."""
    with pytest.raises(BadFileError, match=says):
        parse_trace(f"{header}\n1,2\n", "t.csv")


@pytest.mark.parametrize(
    ("rows", "says"),
    [
        ("0,0\n1,x\n", "line 3"),
        ("0,0\n1\n", "line 3"),
        ("0,100\n1,-5\n", "line 3"),
        ("5,0\n1,100\n", "elapsed_s falls"),
        ("soon,0\n", "line 2"),
    ],
)
def test_a_bad_row_of_it_is_named(rows, says):
    """No number, too few cells, time that falls, a time that is none."""
    with pytest.raises(BadFileError, match=says):
        parse_trace(f"time,rate (MB/s)\n{rows}", "t.csv")
