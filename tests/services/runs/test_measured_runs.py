"""Kept runs beside each other: what is put together, what differs, what is said of it."""

from datetime import UTC, datetime, timedelta

import pytest

from vastcellar.core.units import PLAIN
from vastcellar.services.runs.measured_runs import (
    compare_runs,
    differences_between,
    differing_conditions,
    measured_runs,
)
from vastcellar.services.runs.run_rows import median_rows
from vastcellar.store.run_record import RunRecord

SAME = {"host_key": "maro-6", "port_key": "usb-c", "file_system": "exfat", "block_bytes": 4194304,
        "depth": 4, "ambient_c": 22.0, "write_mode": "direct I/O"}  # fmt: skip


def record(number, rate, *, tag="K-10", kind="burst", read=None, **changes):
    conditions = SAME | changes.pop("conditions", {})
    return RunRecord(
        unit_tag=tag,
        kind=kind,
        measured_at=datetime(2026, 5, 4, tzinfo=UTC) + timedelta(hours=number),
        is_simulated=changes.pop("is_simulated", False),
        is_complete=True,
        conditions=conditions,
        figures={
            "write": {"bytes_per_s": rate},
            "read": {"bytes_per_s": read} if read else None,
            "diagnosis": None,
        },
        run_id=number,
    )


def test_runs_are_grouped_by_unit_and_kind_and_recorder_tests_are_left_out():
    """Measured runs are grouped by unit and kind, recorder tests apart."""
    runs = measured_runs(
        [
            record(1, 500e6, read=520e6),
            record(2, 540e6, read=540e6),
            record(3, 300e6, kind="write"),
            record(4, 160e6, kind="recorder"),
            record(5, 700e6, tag="K-11"),
        ]
    )
    groups = compare_runs(runs)
    assert [group.name for group in groups] == ["K-10 · burst", "K-10 · write", "K-11 · burst"]
    assert [len(group.runs) for group in groups] == [2, 1, 1]
    assert groups[0].write.median == 520e6
    assert groups[0].read.median == 530e6
    assert groups[1].read is None
    # A burst says nothing of a long write: those two are never set against each other.
    assert groups[1].against_first is None


def test_two_single_runs_say_how_many_times_and_that_it_is_one_each():
    """405 and 999 MB/s are not nothing: 2.47 x; another kind of test stays another kind."""
    runs = measured_runs(
        [record(1, 405e6), record(2, 999e6, tag="K-11"), record(3, 120e6, kind="write")]
    )
    rows = median_rows(compare_runs(runs), PLAIN)
    assert rows[1][-1] == "2.47 x, one run each: four of each would tell"
    assert rows[2][-1] == "another kind of test"


@pytest.mark.parametrize(
    ("others", "says"),
    [
        ([400e6, 404e6, 396e6, 402e6, 398e6], "real"),
        ([501e6, 498e6, 505e6, 496e6, 500e6], "not sure to be real"),
        ([400e6, 404e6, 396e6], "real"),
        ([400e6, 404e6], "0.80 x, 2 beside 5: four of each would tell"),
    ],
)
def test_a_row_says_whether_the_difference_is_more_than_chance(others, says):
    """A row says "more than chance" only where the interval says so."""
    first = [500e6, 503e6, 497e6, 501e6, 499e6]
    runs = measured_runs(
        [record(n, rate) for n, rate in enumerate(first)]
        + [record(10 + n, rate, tag="K-11") for n, rate in enumerate(others)]
    )
    rows = median_rows(compare_runs(runs), PLAIN)
    assert rows[0][-1] == "the first"
    assert rows[1][-1].endswith(says)
    assert rows[1][1] == str(len(others))
    if says == "real":
        assert rows[1][-1].startswith("\N{MINUS SIGN}20 %")


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"conditions": {"file_system": "ext4"}}, "file system"),
        ({"conditions": {"cooling": "fan"}}, "cooling"),
        ({"conditions": {"depth": 1}}, "depth"),
        ({"conditions": {"encryption": "crypt"}}, "encryption"),
        ({"conditions": {"ambient_c": 29.0}}, "room temperature"),
        ({"conditions": {"warnings": ("busy",)}}, "other load on the computer"),
        ({"kind": "write"}, "kind of test"),
        ({"is_simulated": True}, "simulated and real"),
    ],
)
def test_runs_under_other_conditions_are_never_compared_without_saying_so(change, says):
    """Runs under unlike conditions are compared only with that said."""
    alike = measured_runs([record(1, 500e6), record(2, 510e6)])
    assert differing_conditions(alike) == ()
    other = measured_runs([record(1, 500e6), record(2, 510e6, **change)])
    assert says in differing_conditions(other)


def test_a_room_a_little_warmer_is_the_same_room_and_an_unknown_one_differs_from_none():
    """A degree or two, or an unknown room, is no difference."""
    assert differences_between([SAME, SAME | {"ambient_c": 24.5}]) == ()
    assert differences_between([SAME, SAME | {"ambient_c": None}]) == ()
    assert differences_between([SAME]) == ()
