"""Imported recorder tests are claims: their own trace bears them out, or they prove nothing."""

import json
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest

from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.units import Unit
from vastcellar.core.verdict.reach.reaching import newest_standing
from vastcellar.services.cellar.imported_traces import keep_trace
from vastcellar.services.cellar.keeping import (
    export_json,
    import_json,
    import_notes,
    merge,
    merge_plan,
)
from vastcellar.services.cellar.stated_runs import as_stated
from vastcellar.services.workplace.folders import Folders
from vastcellar.services.workplace.workplace import open_workplace
from vastcellar.store.kept_runs import keep_runs
from vastcellar.store.run_record import RunRecord

AT = datetime(2026, 10, 3, 14, 30, tzinfo=UTC)
SECONDS, RATE = 600, 100e6
TRACE = "elapsed_s,written_bytes,temperature_c\n" + "".join(
    f"{second},{round(second * RATE)},\n" for second in range(SECONDS + 1)
)
FIGURES = {
    "load_bytes_per_s": RATE, "frames_per_s": "25", "buffer_bytes": 10**9, "duration_s": 600.0,
    "ended_by": "", "elapsed_s": 600.0, "flush_s": 0.1, "written_bytes": RATE * SECONDS,
    "achieved_bytes_per_s": RATE, "frames_arrived": 15000, "frames_late": 0, "frames_dropped": 0,
    "first_drop_s": None, "worst_backlog_bytes": 4_000_000, "worst_delay_s": 0.1,
    "slowest_second_bytes": 98e6, "slowest_second_ability_bytes_per_s": 300e6, "cameras": [],
}  # fmt: skip


def recorder_run(at=AT, conditions=None, **figures):
    """A recorder test of K-07 that its own trace bears out, but for the *figures* changed."""
    return RunRecord(
        "K-07", "recorder", at, False, True,
        {"link_ceiling_bytes_per_s": 1212e6, **(conditions or {})}, {**FIGURES, **figures},
    )  # fmt: skip


def test_a_run_whose_trace_bears_it_out_says_only_where_it_is_from():
    """And where it came from first stays, however often it is handed on."""
    found = as_stated(recorder_run(), TRACE, "theirs.json")
    assert found.conditions["imported_from"] == "theirs.json"
    assert not found.conditions["imported_doubt"]
    assert as_stated(found, TRACE, "next.json").conditions["imported_from"] == "theirs.json"


@pytest.mark.parametrize(
    ("changes", "trace", "says"),
    [
        ({}, "", "no trace"),
        ({}, "elapsed_s,written_bytes,temperature_c\n", "no trace"),
        ({}, "[" * 5000, "no trace"),
        ({"written_bytes": 90e9}, TRACE, "another number of bytes"),
        ({"elapsed_s": 3600.0}, TRACE, "another length"),
        ({"duration_s": 3120.0}, TRACE, "shorter than the take"),
        ({"load_bytes_per_s": 160e6}, TRACE, "fewer bytes than all its frames"),
        ({"achieved_bytes_per_s": 500e6}, TRACE, "its rate is more"),
        ({"conditions": {"link_ceiling_bytes_per_s": 53e6}}, TRACE, "faster than its link"),
        ({"elapsed_s": "long"}, TRACE, "lacks figures"),
    ],
)
def test_a_run_that_its_trace_does_not_bear_out_is_only_stated(changes, trace, says):
    """Bytes, time, frames and rate: each is held against the trace that came with it."""
    found = as_stated(recorder_run(**changes), trace, "theirs.json")
    assert says in found.conditions["imported_doubt"]


@pytest.fixture
def own(tmp_path):
    """Return a cellar of one's own with the unit K-07, by its name."""
    opened = []

    def make(name, *, unit=True):
        base = tmp_path / name
        made = open_workplace(places=Folders(base / "d", base / "s", base / "c"))
        if unit:
            made.cellar.add_unit(Unit("K-07", "torvane-t2-1", "drumlin-fin"))
        opened.append(made)
        return made

    yield make
    for each in opened:
        each.close()


@pytest.mark.parametrize("how", ["imported", "merged"])
def test_no_import_makes_a_proof_of_what_nobody_measured(own, tmp_path, how):
    """A run without a trace and one of next year: told, and neither counts; the honest one does,
    with its source beside it."""
    theirs = own("theirs")
    ahead = datetime.now(UTC) + timedelta(days=300)
    keep_runs(theirs.cellar, [
        (recorder_run(), TRACE),
        (recorder_run(AT + timedelta(days=1), slowest_second_ability_bytes_per_s=9e9), ""),
        (recorder_run(ahead), TRACE),
    ])  # fmt: skip
    path = tmp_path / "theirs.json"
    export_json(theirs, path)
    mine = own("mine", unit=False)
    if how == "imported":
        import_json(mine, path)
        notes = import_notes(mine)
    else:
        notes = merge(mine, path, {}).told
        assert not merge_plan(mine, path).conflicts
    assert any("only stated by theirs.json: it carries no trace" in each for each in notes)
    assert any("counts for nothing until then" in each for each in notes)
    shelf = mine.shelf()
    proofs = [replace(each, is_simulated=True) for each in shelf.proofs]  # bound to no device
    proofs = [
        replace(each, conditions=replace(each.conditions, drive_key="torvane-t2-1",
                                         enclosure_key="drumlin-fin"))
        for each in proofs
    ]  # fmt: skip
    best = newest_standing(proofs, shelf.units[0])
    assert best.measured_at == AT and best.conditions.stated_by == "theirs.json"


def test_an_export_whose_runs_are_no_rows_is_left_to_the_reader(own, tmp_path):
    """Marking them breaks on nothing: reading says what is wrong, and nothing is taken over."""
    theirs = own("theirs")
    keep_runs(theirs.cellar, [(recorder_run(), TRACE)])
    path = tmp_path / "theirs.json"
    export_json(theirs, path)
    content = json.loads(path.read_text())
    for broken in (None, 5, [7], [{"kind": []}], [{**content["tables"]["runs"][0], "figures": 3}]):
        content["tables"]["runs"] = broken
        path.write_text(json.dumps(content))
        mine = own(f"mine {broken!r}"[:20], unit=False)
        with pytest.raises(Exception, match=r"runs|figures|row"):
            import_json(mine, path)
        assert not mine.shelf().units


def test_a_trace_that_no_link_of_the_unit_carries_is_questioned(own, tmp_path):
    """1,160 MB/s through a 5G case: another drive's, or memory; kept only if it is insisted on."""
    cellar = own("mine")
    slow = next(
        case.key
        for case in cellar.catalog.cases.values()
        if {cellar.catalog.modes[key].key for key in case.host_modes} <= {"usb-5g", "usb-2"}
    )
    cellar.cellar.add_unit(Unit("S-01", "torvane-t2-1", slow))
    path = tmp_path / "trace.csv"
    path.write_text("seconds,bytes\n" + "".join(f"{s},{s * 1_160_000_000}\n" for s in range(60)))
    with pytest.raises(BadValueError, match="no link of S-01 carries more than"):
        keep_trace(cellar, "S-01", path)
    assert not cellar.cellar.runs()
    kept = keep_trace(cellar, "S-01", path, anyway=True)
    assert kept.conditions["is_faster_than_link"]
    keep_trace(cellar, "K-07", path)
