"""The cellar on a real PostgreSQL server: all that a file does, for several desks at once."""

import json
import threading
from dataclasses import replace
from datetime import date, datetime, timedelta, timezone

import psycopg
import pytest
from sqlalchemy import select

from vastcellar.core.cellar.jobs import Booking, Job
from vastcellar.core.cellar.story import EventKind, UnitEvent
from vastcellar.core.chain.measured_stages import StageMeasurement
from vastcellar.core.errors import BadValueError, CellarError
from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.core.parts.units import Unit
from vastcellar.store.cellar import Cellar
from vastcellar.store.cellar_file import NEWEST_REVISION
from vastcellar.store.clip_frames import EndFrames, keep_frames, kept_frames
from vastcellar.store.jobs import book, bookings, jobs, save_job, tick
from vastcellar.store.run_record import RunRecord
from vastcellar.store.tables import Base, UnitRow
from vastcellar.store.unit_log import add_event, unit_events
from vastcellar.store.unit_photos import UnitPhoto, keep_photos, kept_photos
from vastcellar.store.whole_cellar import take_whole, whole_as_json

UNIT = Unit("K-11", "kelmarsh-flat-1", "drumlin-flat", written_bytes=1e12, note="µ „Ünïcode“ 🎞")
AT = datetime(2026, 11, 3, 14, 30, tzinfo=timezone(timedelta(hours=2)))
RUN = RunRecord("K-11", "recorder", AT, False, True, {"mode_key": "usb-5g"}, {"frames_dropped": 0})
DEVICE = DeviceIdentity("Any", "S-1", 10**12, "uuid")


@pytest.fixture
def address(server):
    """The address of an empty database."""
    return server.new_database()


@pytest.fixture
def desks(address, tmp_path):
    """Two desks on one cellar, with a unit on its shelf."""
    both = Cellar(address, backups=tmp_path / "one"), Cellar(address, backups=tmp_path / "two")
    both[0].save_units((UNIT,))
    yield both
    for each in both:
        each.close()


def test_what_one_desk_keeps_the_other_reads(desks):
    """Units, runs with their traces, wear, devices, stages, events: the same, to the second, from
    a server that lives in another time zone."""
    one, other = desks
    one.bind_unit("K-11", DEVICE)
    number = one.add_run(RUN, "elapsed_s,written_bytes,temperature_c\n", wear_bytes=10**9)
    one.keep_stage(StageMeasurement("van", "c-10g", "bridge", "fin", "usb-10g", 9e8, AT))
    add_event(one, UnitEvent("K-11", AT, EventKind.LENT, {"to": "the museum"}, "with cable"))
    keep_frames(one, "abc", EndFrames(b"\xff\x00first", b"last"))
    (unit,) = other.units()
    assert unit == replace(UNIT, written_bytes=1e12 + 1e9, device=DEVICE, state="on loan")
    (run,) = other.runs("K-11")
    assert (run.run_id, run.measured_at) == (number, AT)
    assert run.conditions == {"mode_key": "usb-5g", "unit_written_bytes": 1e12}
    assert other.trace_csv(number).startswith("elapsed_s")
    assert other.stage_measurements()[0].measured_at == AT
    (event,) = unit_events(other)
    assert (event.at, event.kind, event.data["to"]) == (AT, EventKind.LENT, "the museum")
    assert kept_frames(other, ["abc"])["abc"].first_jpeg == b"\xff\x00first"


def test_what_the_other_changed_meanwhile_is_said_and_not_overwritten(desks):
    """Two desks change one unit, one job: of different things both stay, of one the second is
    told what it is now."""
    one, other = desks
    one.change_unit(UNIT, replace(UNIT, note="loud fan"))
    other.change_unit(UNIT, replace(UNIT, used_bytes=5e11))
    with pytest.raises(BadValueError, match="changed meanwhile, to 'loud fan'"):
        other.change_unit(UNIT, replace(UNIT, note="quiet"))
    (unit,) = one.units()
    assert (unit.note, unit.used_bytes) == ("loud fan", 5e11)
    with pytest.raises(BadValueError, match="one of this tag already"):
        other.add_unit(UNIT)
    job = Job("Slipway", date(2026, 12, 1), date(2026, 12, 6))
    save_job(one, job)
    later = replace(job, last_day=date(2026, 12, 9))
    save_job(one, later, job)
    with pytest.raises(BadValueError, match="changed meanwhile, to 2026-12-01 to 2026-12-09"):
        save_job(other, replace(job, note="rain"), job)
    book(other, "Slipway", (Booking("Slipway", "K-11", ("A Main",)),))
    tick(one, "Slipway", "K-11", is_out=True, at=AT)
    assert jobs(other)[0].last_day == date(2026, 12, 9)
    assert bookings(other)[0].out_at == AT


def test_eight_desks_at_once_lose_nothing(address):
    """Each keeps twenty runs and adds to one unit's wear: all are there, numbered as they came."""
    first = Cellar(address)
    first.save_units((UNIT,))
    troubles = []

    def work(desk):
        cellar = Cellar(address)
        try:
            for number in range(20):
                figures = {"desk": desk, "number": number}
                cellar.add_run(replace(RUN, figures=figures), "", wear_bytes=10**6)
        except Exception as error:
            troubles.append(error)
        finally:
            cellar.close()

    threads = [threading.Thread(target=work, args=(desk,)) for desk in range(8)]
    for each in threads:
        each.start()
    for each in threads:
        each.join()
    assert troubles == []
    runs = first.runs()
    assert len({(run.figures["desk"], run.figures["number"]) for run in runs}) == 160
    assert first.units()[0].written_bytes == 1e12 + 160e6
    assert first.change_count() == 161
    first.close()


def test_a_desk_that_never_ends_its_edit_holds_the_others_up_for_a_while_only(
    address, monkeypatch, desks
):
    """Who waits too long is told; reading goes on meanwhile, and so does writing when it ended."""
    monkeypatch.setattr("vastcellar.store.server_database._LOCK_WAIT_MS", 200)
    waiting = Cellar(address)
    with desks[0].session():
        assert waiting.units() == (UNIT,)
        with pytest.raises(CellarError, match="another desk is writing just now"):
            waiting.add_run(RUN, "")
    assert waiting.add_run(RUN, "") == 1
    waiting.close()


def test_the_server_goes_away_and_comes_back(server, desks):
    """In the middle of an edit nothing of it is kept and it is said; back again, all goes on."""
    one, _other = desks
    with pytest.raises(CellarError, match="can't be reached"), one.session() as session:
        row = session.scalar(select(UnitRow))
        row.note = "half written"
        session.flush()
        server.stop()
        row.state = "in doubt"
    with pytest.raises(CellarError, match="goes on by itself when it is back"):
        one.units()
    server.start()
    assert one.units() == (UNIT,)
    one.change_unit(UNIT, replace(UNIT, note="back"))
    assert one.units()[0].note == "back"


def test_out_of_a_file_onto_a_server_and_back_nothing_is_lost(desks, address, server, tmp_path):
    """Every row of every table, by an export: the same in both directions, and new rows go on
    after the numbers that came with it."""
    one, _other = desks
    for number in range(3):
        one.add_run(replace(RUN, figures={"number": number}), "trace")
    add_event(one, UnitEvent("K-11", AT, EventKind.RETIRED, {}, "wiped"))
    there = json.loads(json.dumps(whole_as_json(one, AT)))
    file = Cellar(tmp_path / "file.db")
    take_whole(file, there, tmp_path / "x.json")
    back = Cellar(server.new_database())
    take_whole(back, json.loads(json.dumps(whole_as_json(file, AT))), tmp_path / "x.json")
    tables = [whole_as_json(each, AT)["tables"] for each in (one, file, back)]
    assert tables[0] == tables[1] == tables[2]
    assert back.add_run(RUN, "") == 4
    for each in (file, back):
        each.close()


def test_a_backup_is_a_whole_export_that_can_be_taken_in(desks, server, tmp_path):
    """On this desk, for this user alone; an empty cellar takes it in."""
    one, _other = desks
    one.add_run(RUN, "trace")
    path = one.back_up("asked")
    assert path.parent == tmp_path / "one" and path.stat().st_mode & 0o077 == 0
    content = json.loads(path.read_text(encoding="ascii"))
    assert content["revision"] == NEWEST_REVISION
    fresh = Cellar(server.new_database())
    take_whole(fresh, content, path)
    assert fresh.units() == one.units() and len(fresh.runs()) == 1
    fresh.close()


def test_other_programs_tables_beside_it_are_no_part_of_a_backup(address, desks):
    """Somebody keeps salaries in the same database: they are not in our file."""
    with psycopg.connect(address, autocommit=True) as connection:
        connection.execute("CREATE TABLE salaries (who TEXT)")
        connection.execute("INSERT INTO salaries VALUES ('a secret')")
    kept = desks[0].back_up("asked").read_text(encoding="ascii")
    assert "secret" not in kept and set(json.loads(kept)["tables"]) == set(Base.metadata.tables)


def test_a_cellar_of_a_newer_version_is_left_as_it_is(address, desks):
    """It isn't opened, and nothing in it changes."""
    with psycopg.connect(address, autocommit=True) as connection:
        connection.execute("UPDATE alembic_version SET version_num = '9999'")
    with pytest.raises(CellarError, match="newer Vast Cellar"):
        Cellar(address)
    assert desks[0].units() == (UNIT,)


def test_a_cellar_of_an_earlier_version_is_backed_up_and_brought_up_to_date(
    address, desks, tmp_path
):
    """As the version before had left it: every row in a file first, then the new table, and all
    that was there."""
    with psycopg.connect(address, autocommit=True) as connection:
        connection.execute("DROP TABLE unit_photos")
        connection.execute("UPDATE alembic_version SET version_num = '0010'")
    again = Cellar(address, backups=tmp_path / "third")
    (kept,) = (tmp_path / "third").iterdir()
    assert kept.name.endswith(f"-before{NEWEST_REVISION}.json")
    content = json.loads(kept.read_text(encoding="ascii"))
    assert content["revision"] == "0010"
    assert [row["tag"] for row in content["tables"]["units"]] == ["K-11"]
    assert again.units() == (UNIT,)
    keep_photos(again, [UnitPhoto("abc", b"\xff\xd8\x00")])
    assert kept_photos(again, ["abc"])["abc"].jpeg == b"\xff\xd8\x00"
    again.close()


def test_the_servers_tables_are_those_of_the_models(desks):
    """Every table and column, and each with its type as the models say."""
    from alembic.autogenerate import compare_metadata
    from alembic.migration import MigrationContext

    with desks[0]._engine.connect() as connection:
        context = MigrationContext.configure(connection)
        found = compare_metadata(context, Base.metadata)
    assert [each for each in found if each[1] is not None and "alembic" not in str(each[1])] == []


@pytest.mark.parametrize(
    ("address", "says"),
    [
        ("postgresql://desk@/nowhere?host=/tmp/vc-none", "can't be reached"),
        ("postgresql://desk@127.0.0.1:1/cellar", "can't be reached"),
    ],
)
def test_a_server_that_isnt_there_is_said_in_a_sentence(address, says):
    """No socket, nobody listening: what, where without a password, and the mend."""
    with pytest.raises(CellarError, match=says):
        Cellar(address)


def test_passwords_are_never_shown_and_no_address_is_refused(server):
    """A wrong database is named without the password; nonsense says how an address looks."""
    with pytest.raises(CellarError, match="no such database") as told:
        Cellar(f"postgresql://desk:secret@/gone?host={server.folder}")
    assert "secret" not in str(told.value)
    for nonsense in ("postgresql:", "postgresql://desk@host", "mysql://desk@host/db", "cellar.db"):
        with pytest.raises(BadValueError, match="is no address of a database"):
            Cellar(nonsense)


def test_text_that_no_server_keeps_is_refused_whole(desks):
    """A NUL in a note: said, and the unit is as it was."""
    one, _other = desks
    with pytest.raises(CellarError, match="NUL"):
        one.change_unit(UNIT, replace(UNIT, note="a\0b", used_bytes=7.0))
    assert one.units() == (UNIT,)
