"""Traces of other programs as runs of a unit: shown and compared, proof of nothing."""

from datetime import UTC, date, datetime

import pytest

from vastcellar.core.errors import BadFileError, UnknownPartError
from vastcellar.core.parts.units import Unit
from vastcellar.core.units import PLAIN
from vastcellar.services.cellar.imported_traces import keep_trace
from vastcellar.services.cellar.unit_memory import UnitMemory
from vastcellar.services.runs.run_rows import run_rows
from vastcellar.services.workplace.workplace import open_workplace
from vastcellar.store.trace_csv import parse_trace


@pytest.fixture
def own(places):
    """A cellar of one's own with a unit."""
    opened = open_workplace(places=places)
    opened.cellar.add_unit(Unit("K-01", "torvane-t2-2", written_bytes=5e12))
    yield opened
    opened.close()


def trace_of(tmp_path, rate_mb, seconds=120):
    """Write a trace as another program keeps it."""
    rows = "".join(f"{n},{rate_mb}\n" for n in range(seconds + 1))
    path = tmp_path / "elsewhere.csv"
    path.write_text(f"time,speed (MB/s)\n{rows}", encoding="utf-8")
    return path


def test_it_is_kept_with_its_figures_and_counts_for_nothing_else(own, tmp_path):
    """120 s at 400 MB/s: 48 GB, in the runs with its trace; the unit is as worn and as little
    proved as before."""
    keep_trace(own, "K-01", trace_of(tmp_path, 400), on=date(2026, 5, 4), said="on the old tower")
    shelf = own.shelf()
    (run,) = shelf.records
    assert run.figures["write"]["moved_bytes"] == 48e9
    assert run.figures["write"]["bytes_per_s"] == pytest.approx(400e6)
    assert run.conditions["said"] == "on the old tower"
    assert parse_trace(own.cellar.trace_csv(run.run_id), "t").written_bytes[-1] == 48e9
    assert shelf.unit("K-01").written_bytes == 5e12 and shelf.standing_proofs == {}
    (row,) = run_rows(shelf.records, "K-01", PLAIN, rig_word="simulated")
    assert row[1:4] == ("trace of another program", "400.0 MB/s", "48 GB")
    assert row[0].startswith("4 May 2026")


def test_it_is_compared_with_its_like_and_not_with_our_own_tests(own, tmp_path):
    """Ten of them at 400 and then at 280 MB/s: slower, found among them; a single one of ours at
    another rate is another kind."""
    for month in range(1, 10):
        rate = 400 if month < 6 else 280
        keep_trace(own, "K-01", trace_of(tmp_path, rate), on=date(2026, month, 3))
    known = UnitMemory().remember(own.shelf(), own.catalog, date(2026, 10, 1), is_demo=False)
    points = [point for point in known.facts["K-01"].points if point.bytes_per_s]
    assert {point.setting.kind for point in points} == {"trace"} and len(points) == 9
    assert min(p.at for p in points) < datetime(2026, 2, 1, tzinfo=UTC)


def test_what_shows_nothing_is_refused(own, tmp_path):
    """Nothing written, no row, no such unit: nothing is kept."""
    for text in ("time,bytes\n0,5\n1,5\n", "time,bytes\n"):
        path = tmp_path / "x.csv"
        path.write_text(text, encoding="utf-8")
        with pytest.raises(BadFileError, match="nothing was written"):
            keep_trace(own, "K-01", path)
    with pytest.raises(UnknownPartError):
        keep_trace(own, "K-99", trace_of(tmp_path, 400))
    assert own.shelf().records == ()
