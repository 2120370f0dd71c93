"""The cellar lasts, and what can't be done changes nothing."""

import sqlite3
from dataclasses import replace
from datetime import UTC, datetime, timedelta, timezone

import numpy as np
import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext

from vastcellar.core.chain.measured_stages import StageMeasurement
from vastcellar.core.errors import BadFileError, CellarError, UnknownPartError
from vastcellar.core.parts.units import Unit
from vastcellar.core.trace import Trace
from vastcellar.store.cellar import Cellar
from vastcellar.store.run_record import RunRecord
from vastcellar.store.tables import Base
from vastcellar.store.trace_csv import parse_trace, trace_text

UNIT = Unit("K-11", "kelmarsh-flat-1", "drumlin-flat", written_bytes=1e12)
AT = datetime(2026, 11, 3, 14, 30, tzinfo=timezone(timedelta(hours=2)))


def run(tag="K-11", **changes):
    return RunRecord(
        **{
            "unit_tag": tag,
            "kind": "recorder",
            "measured_at": AT,
            "is_simulated": False,
            "is_complete": True,
            "conditions": {"mode_key": "usb-5g"},
            "figures": {"frames_dropped": 0},
            **changes,
        }
    )


@pytest.fixture
def cellar(tmp_path):
    opened = Cellar(tmp_path / "my data" / "cellar.db")
    opened.save_units((UNIT,))
    yield opened
    opened.close()


def test_units_and_runs_are_there_again_after_a_restart(cellar):
    number = cellar.add_run(run(), "elapsed_s,written_bytes,temperature_c\n", wear_bytes=10**9)
    cellar.close()
    again = Cellar(cellar.path)
    (kept,) = again.runs("K-11")
    assert kept.run_id == number
    assert kept.measured_at == AT
    # What had been written before is noted by the cellar itself.
    assert kept.conditions == {"mode_key": "usb-5g", "unit_written_bytes": 1e12}
    assert again.trace_csv(number).startswith("elapsed_s")
    assert again.units()[0].written_bytes == 1e12 + 1e9
    again.close()


def test_a_run_of_an_unknown_unit_changes_nothing(cellar):
    with pytest.raises(UnknownPartError, match="no unit 'K-99'"):
        cellar.add_run(run("K-99"), "")
    assert cellar.runs() == ()


def test_runs_come_newest_first(cellar):
    for hours in (1, 3, 2):
        cellar.add_run(run(measured_at=AT + timedelta(hours=hours)), "")
    times = [kept.measured_at for kept in cellar.runs()]
    assert times == sorted(times, reverse=True)


def test_the_migrations_make_the_tables_that_the_models_describe(cellar):
    with cellar._engine.connect() as connection:
        context = MigrationContext.configure(connection)
        assert compare_metadata(context, Base.metadata) == []


def test_foreign_keys_and_wal_are_on(cellar):
    with cellar._engine.connect() as connection:
        assert connection.exec_driver_sql("PRAGMA foreign_keys").scalar() == 1
        assert connection.exec_driver_sql("PRAGMA journal_mode").scalar() == "wal"


@pytest.mark.parametrize(
    ("spoil", "says"),
    [
        (lambda path: path.write_bytes(b"no database" * 500), "damaged"),
        (lambda path: _set_revision(path, "9999"), "newer Vast Cellar"),
    ],
)
def test_a_cellar_that_cant_be_used_says_why(tmp_path, spoil, says):
    path = tmp_path / "cellar.db"
    Cellar(path).close()
    for extra in tmp_path.glob("cellar.db-*"):
        extra.unlink()
    spoil(path)
    with pytest.raises(CellarError, match=says) as caught:
        Cellar(path)
    assert str(path) in caught.value.where
    assert caught.value.mend


def _set_revision(path, revision):
    connection = sqlite3.connect(path)
    connection.execute("UPDATE alembic_version SET version_num = ?", (revision,))
    connection.commit()
    connection.close()


def test_a_trace_comes_back_from_its_csv():
    trace = Trace(
        np.array([0.0, 0.25, 1.5]), np.array([0.0, 4e6, 24e6]), np.array([np.nan, 41.0, 42.5])
    )
    again = parse_trace(trace_text(trace), "t.csv")
    for name in ("elapsed_s", "written_bytes", "temperature_c"):
        np.testing.assert_allclose(getattr(again, name), getattr(trace, name))


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("time,bytes\n1,2\n", "line 1"),
        ("elapsed_s,written_bytes,temperature_c\n0,0,\n1,many,\n", "line 3"),
    ],
)
def test_a_bad_trace_names_its_line(text, says):
    with pytest.raises(BadFileError, match=says):
        parse_trace(text, "t.csv")


def test_times_are_kept_in_utc(cellar):
    cellar.add_run(run(), "")
    assert cellar.runs()[0].measured_at.tzinfo is UTC


def test_an_older_cellar_is_brought_up_to_date_with_all_it_holds(tmp_path):
    """As it was before stages were kept: the next start adds their table and loses nothing."""
    path = tmp_path / "cellar.db"
    cellar = Cellar(path)
    cellar.save_units((Unit("K-01", "some-drive"),))
    cellar.close()
    with sqlite3.connect(path) as connection:
        connection.execute("DROP TABLE stage_measurements")
        connection.execute("DROP TABLE calibrations")
        connection.execute("DROP TABLE cellar_facts")
        connection.execute("ALTER TABLE units DROP COLUMN device")
        connection.execute("UPDATE alembic_version SET version_num = '0001'")
    connection.close()
    again = Cellar(path)
    assert [unit.tag for unit in again.units()] == ["K-01"]
    now = datetime(2026, 11, 3, 12, tzinfo=UTC)
    first = StageMeasurement("host", "port", "bridge", "case", "usb-10g", 9e8, now)
    again.keep_stage(first)
    again.keep_stage(replace(first, bytes_per_s=8e8))
    assert [each.bytes_per_s for each in again.stage_measurements()] == [8e8]
    again.forget_stage(first)
    assert again.stage_measurements() == ()
    again.close()
