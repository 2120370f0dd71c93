"""The cellar lasts, and what can't be done changes nothing."""

import sqlite3
from dataclasses import replace
from datetime import UTC, datetime, timedelta, timezone

import numpy as np
import pytest
from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.config import Config
from alembic.migration import MigrationContext
from sqlalchemy import text

from vastcellar.core.chain.measured_stages import StageMeasurement
from vastcellar.core.errors import BadFileError, BadValueError, CellarError, UnknownPartError
from vastcellar.core.parts.units import Unit
from vastcellar.core.trace import Trace
from vastcellar.data import data_path
from vastcellar.store.cellar import Cellar
from vastcellar.store.cellar_file import open_engine
from vastcellar.store.run_record import RunRecord
from vastcellar.store.tables import Base
from vastcellar.store.trace_csv import parse_trace, trace_text

MIGRATIONS = data_path().parent / "store" / "migrations"
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
    """Units, runs and wear survive a restart."""
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
    """A run of an unknown unit leaves no trace."""
    with pytest.raises(UnknownPartError, match="no unit 'K-99'"):
        cellar.add_run(run("K-99"), "")
    assert cellar.runs() == ()


def test_a_unit_that_nothing_is_known_of_is_taken_away_and_no_other(cellar):
    """Added by mistake it goes; with a run or a booking it stays whole, and the mend is told."""
    cellar.add_unit(Unit("W-02", "torvane-t2-2"))
    cellar.remove_unit("W-02")
    assert "W-02" not in {unit.tag for unit in cellar.units()}
    with pytest.raises(UnknownPartError):
        cellar.remove_unit("W-02")
    cellar.add_unit(Unit("W-02", "torvane-t2-2"))
    number = cellar.add_run(run("W-02"), "")
    with pytest.raises(BadValueError, match="Retire it"):
        cellar.remove_unit("W-02")
    assert [run.run_id for run in cellar.runs("W-02")] == [number]


def test_runs_come_newest_first(cellar):
    """The newest run comes first, whatever the order of keeping."""
    for hours in (1, 3, 2):
        cellar.add_run(run(measured_at=AT + timedelta(hours=hours)), "")
    times = [kept.measured_at for kept in cellar.runs()]
    assert times == sorted(times, reverse=True)


def test_the_migrations_make_the_tables_that_the_models_describe(cellar):
    """Migrating an empty file gives exactly the tables of the models."""
    with cellar._engine.connect() as connection:
        context = MigrationContext.configure(connection)
        assert compare_metadata(context, Base.metadata) == []


def test_foreign_keys_and_wal_are_on(cellar):
    """The safety switches of the database are really on."""
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
    """A damaged and a newer cellar are told apart, each with its mend."""
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
    """A trace reads back as it was, unknown temperatures included."""
    trace = Trace(
        np.array([0.0, 0.25, 1.5]), np.array([0.0, 4e6, 24e6]), np.array([np.nan, 41.0, 42.5])
    )
    again = parse_trace(trace_text(trace), "t.csv")
    for name in ("elapsed_s", "written_bytes", "temperature_c"):
        np.testing.assert_allclose(getattr(again, name), getattr(trace, name))


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("when,how much\n1,2\n", "line 1"),
        ("elapsed_s,written_bytes,temperature_c\n0,0,\n1,many,\n", "line 3"),
    ],
)
def test_a_bad_trace_names_its_line(text, says):
    """A bad trace is refused by its line."""
    with pytest.raises(BadFileError, match=says):
        parse_trace(text, "t.csv")


def test_times_are_kept_in_utc(cellar):
    """Moments are stored in UTC and come back so."""
    cellar.add_run(run(), "")
    assert cellar.runs()[0].measured_at.tzinfo is UTC


def made_at(path, revision):
    """A cellar as an earlier version left it, with a unit, its run and its calibration."""
    engine = open_engine(path)
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, revision)
        unit = {"tag": "K-01", "drive": "some-drive"}
        connection.execute(text(
            "INSERT INTO units (tag, drive_key, enclosure_key, written_bytes, used_bytes, state, "
            "note) VALUES (:tag, :drive, '', 7e12, 3e9, 'ready', 'kept')"), unit)  # fmt: skip
        for number in (1, 2):
            connection.execute(text(
                "INSERT INTO runs (id, unit_tag, kind, measured_at, is_simulated, is_complete, "
                "conditions, figures, trace_csv) VALUES (:id, 'K-01', 'write', :at, 0, 1, "
                "'{\"room\": 1}', '{\"figure\": 2}', 'elapsed_s')"),
                {"id": number, "at": f"2026-05-0{number} 12:00:00.000000"})  # fmt: skip
        if revision >= "0003":
            connection.execute(text(
                "INSERT INTO calibrations (unit_tag, drive_key, made_at, is_simulated, run_ids, "
                "fit) VALUES ('K-01', 'some-drive', '2026-05-03 12:00:00.000000', 0, '[1]', "
                "'{}')"))  # fmt: skip
    engine.dispose()


@pytest.mark.parametrize("revision", ["0001", "0002", "0003", "0004"])
def test_a_cellar_of_any_earlier_version_is_brought_up_to_date_with_all_it_holds(
    tmp_path, revision
):
    """Units, runs and fits of every revision are there after the next start, under their unit."""
    path = tmp_path / "cellar.db"
    made_at(path, revision)
    again = Cellar(path)
    (unit,) = again.units()
    assert (unit.tag, unit.written_bytes, unit.used_bytes, unit.note) == (
        "K-01", 7e12, 3e9, "kept",
    )  # fmt: skip
    runs = again.runs("K-01")
    assert [run.run_id for run in runs] == [2, 1]
    assert (runs[0].conditions, runs[0].figures) == ({"room": 1}, {"figure": 2})
    assert again.trace_csv(1) == "elapsed_s"
    again.calibrations()  # the fit of this test is none: one row left out, and said
    assert bool(again.unreadable) == (revision >= "0003")
    now = datetime(2026, 11, 3, 12, tzinfo=UTC)
    first = StageMeasurement("host", "port", "bridge", "case", "usb-10g", 9e8, now)
    again.keep_stage(first)
    again.keep_stage(replace(first, bytes_per_s=8e8))
    assert [each.bytes_per_s for each in again.stage_measurements()] == [8e8]
    again.forget_stage(first)
    assert again.stage_measurements() == ()
    again.close()


def test_a_unit_of_another_tag_keeps_its_runs_and_frees_the_old_one(cellar):
    """A label is changed: what was measured stays with the unit, and the old tag can be given."""
    unit = Unit("K-01", "some-drive", written_bytes=5e9)
    cellar.save_units((unit, Unit("K-02", "some-drive")))
    number = cellar.add_run(run("K-01"), "elapsed_s", wear_bytes=1_000)
    cellar.change_unit(unit, replace(unit, tag="K-21"))
    assert {each.tag for each in cellar.units()} == {"K-21", "K-02", UNIT.tag}
    assert [run.run_id for run in cellar.runs("K-21")] == [number]
    assert cellar.runs("K-01") == ()
    assert cellar.runs()[0].unit_tag == "K-21"
    (renamed,) = [each for each in cellar.units() if each.tag == "K-21"]
    assert renamed.written_bytes == 5e9 + 1_000
    cellar.add_unit(Unit("K-01", "some-drive"))
    assert cellar.runs("K-01") == ()
    with pytest.raises(BadValueError, match="one of this tag already"):
        cellar.change_unit(renamed, replace(renamed, tag="K-02"))
    with pytest.raises(UnknownPartError):
        cellar.bind_unit("K-20", None)
