"""At rest: cool and folded, as far as the runs on record tell."""

import math
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.errors import UnknownPartError
from vastcellar.core.writing.heat import HeatPath
from vastcellar.services.runs.resting import (
    COOL,
    Rest,
    modelled,
    rest_needed_s,
    rest_of_unit,
    seconds_since_last_run,
    unit_heat_path,
)
from vastcellar.store.run_record import RunRecord

NOW = datetime(2026, 5, 4, 12, tzinfo=UTC)


def run(minutes_ago, tag="K-10", *, is_simulated=False):
    return RunRecord(tag, "write", NOW - timedelta(minutes=minutes_ago), is_simulated, True, {}, {})


@given(c2=st.floats(8, 600), r2a=st.floats(2, 26), r12=st.floats(1, 9), free=st.floats(1e9, 8e12))
def test_a_rest_is_long_enough_to_cool_and_never_longer_than_two_hours(catalog, c2, r2a, r12, free):
    """Any drive's rest lies between ten minutes and two hours and cools it."""
    path = HeatPath(10, c2, r12, r2a, 0.7, 22)
    for drive in list(catalog.drives.values())[:12]:
        needed_s = rest_needed_s(path, drive, free)
        assert 600 <= needed_s <= 7200
        slow = path.decay_per_s()[1]
        assert needed_s >= min(3 / slow, 7200) * (1 - 1e-9)


def test_a_large_cache_takes_longer_to_fold_than_the_case_to_cool(catalog, shelf):
    """A large slow cache, not the case, can be what the rest waits for."""
    unit = shelf.unit("M-03")
    drive = modelled(catalog.drive_of(unit))
    path = unit_heat_path(catalog, unit, 22.0)
    slowly = replace(drive, behaviour=replace(drive.writes, fold_bytes_per_s=30e6))
    assert rest_needed_s(path, slowly, 900e9) > rest_needed_s(path, drive, 900e9)
    never = replace(drive, behaviour=replace(drive.writes, fold_bytes_per_s=0.0))
    assert rest_needed_s(path, never, 900e9) <= rest_needed_s(path, slowly, 900e9)


def test_only_real_runs_of_this_very_unit_that_have_ended_count():
    """Only ended, real runs of the same unit count as its last use."""
    records = [run(90), run(20), run(5, "K-11"), run(3, is_simulated=True), run(-8)]
    assert seconds_since_last_run(records, "K-10", NOW) == 20 * 60
    assert seconds_since_last_run(records, "K-12", NOW) == math.inf
    assert COOL.is_enough
    assert not Rest(599, 600).is_enough
    assert Rest(600, 600).is_enough


def test_a_room_that_nobody_measured_counts_as_usual(catalog, shelf):
    """An unknown room counts as 22 degrees."""
    unit = shelf.unit("M-03")
    assert unit_heat_path(catalog, unit, math.nan).ambient_c == 22.0
    assert unit_heat_path(catalog, unit, 31.0).ambient_c == 31.0


def test_a_unit_of_the_shelf_is_asked_for_by_its_tag(workplace):
    """A rest is asked for by the tag on the shelf."""
    assert rest_of_unit(workplace.shelf(), workplace.catalog, "M-03", 22.0).is_enough
    with pytest.raises(UnknownPartError, match="no unit 'X-99'"):
        rest_of_unit(workplace.shelf(), workplace.catalog, "X-99", 22.0)
