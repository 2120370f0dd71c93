"""The cellar kept: out and in without loss, all or nothing; backups; two cellars become one."""

import csv
import io
import json
import sqlite3
import zipfile
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import pytest

from vastcellar.core.cellar.jobs import Booking, Job
from vastcellar.core.cellar.merging import Take, plan_merge
from vastcellar.core.cellar.story import EventKind, UnitEvent
from vastcellar.core.csv_cells import plain_cell
from vastcellar.core.errors import BadFileError, BadValueError, CellarError
from vastcellar.core.parts.acceptance import Acceptance
from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.core.parts.units import Unit
from vastcellar.services.cellar.keeping import (
    back_up_now,
    export_csv,
    export_json,
    health,
    import_json,
    merge,
    merge_plan,
    parse_decisions,
    restore,
)
from vastcellar.services.workplace.folders import Folders
from vastcellar.services.workplace.workplace import open_workplace
from vastcellar.store.backups import backups
from vastcellar.store.cellar import Cellar
from vastcellar.store.cellar_file import NEWEST_REVISION
from vastcellar.store.jobs import book, save_job
from vastcellar.store.reading import MOST_NODES, read_json
from vastcellar.store.run_record import RunRecord
from vastcellar.store.unit_log import add_event, unit_events
from vastcellar.store.whole_cellar import whole_as_json

AT = datetime(2026, 11, 3, 14, 30, tzinfo=UTC)
ODD = "=1+1\n'\"; –ü日本\u202e\t@"


@pytest.fixture
def own(tmp_path):
    """Return a cellar of one's own, opened anew each time by its name."""
    opened = []

    def make(name):
        base = tmp_path / name
        made = open_workplace(places=Folders(base / "d", base / "s", base / "c"))
        opened.append(made)
        return made

    yield make
    for each in opened:
        each.close()


def filled(workplace, tag="K-1", **more):
    """Put a unit with a run, a story and a booking into a cellar."""
    cellar = workplace.cellar
    cellar.add_unit(Unit(tag, "torvane-t2-1", note=ODD, written_bytes=1.5e12, **more))
    figures = {"write": {"bytes_per_s": 4e8}}
    run = RunRecord(tag, "write", AT, False, True, {"odd": ODD}, figures)
    cellar.add_run(run, "elapsed_s,written_bytes,temperature_c\n0,0,21\n")
    add_event(cellar, UnitEvent(tag, AT, EventKind.PLACE, {"place": "=van"}, ODD))
    save_job(cellar, Job(f"Job {tag}", date(2026, 12, 1), date(2026, 12, 3)))
    book(cellar, f"Job {tag}", [Booking(f"Job {tag}", tag, ("A",))])


def rows(workplace):
    """Return every row but the moment of the export."""
    return whole_as_json(workplace.cellar, AT)["tables"]


def test_out_and_in_again_nothing_is_lost(own, tmp_path):
    """Every row of every table, numbers and odd text included, in a cellar elsewhere."""
    one, two = own("one"), own("two")
    filled(one)
    one.cellar.bind_unit("K-1", DeviceIdentity("m", "SERIAL-77", 10**12))
    counts = export_json(one, tmp_path / "all.json")
    assert counts["units"] == counts["runs"] == counts["bookings"] == 1
    import_json(two, tmp_path / "all.json")
    assert rows(one) == rows(two)
    assert two.cellar.trace_csv(1) == one.cellar.trace_csv(1)
    with pytest.raises(BadValueError, match="has units already"):
        import_json(two, tmp_path / "all.json")


def test_the_two_years_of_the_demo_come_back_whole(two_years, workplace, own, tmp_path):
    """A hundred runs with their traces: the other cellar finds the same."""
    export_json(workplace, tmp_path / "all.json")
    other = own("other")
    import_json(other, tmp_path / "all.json")
    mine = {name: table for name, table in rows(workplace).items() if name != "cellar_facts"}
    theirs = {name: table for name, table in rows(other).items() if name != "cellar_facts"}
    assert mine == theirs and not other.is_demo


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda t: t["units"][0].update(used_bytes=-5), "units row 1"),
        (lambda t: t["units"][0].pop("note"), "units row 1 has other columns"),
        (lambda t: t["runs"][0].update(measured_at="some day"), "runs row 1"),
        (lambda t: t["runs"][0].update(figures="{"), "runs row 1: figures"),
        (lambda t: t["unit_events"][0].update(kind="eaten"), "unit_events row 1"),
        (lambda t: t.update(units="none"), "units is no list"),
        (lambda t: t["jobs"][0].update(last_day="1999-01-01"), "jobs row 1"),
        (lambda t: t["units"][0].update(tag=7), "units row 1: tag is 7"),
        (lambda t: t["runs"][0].update(unit_id=99), "runs: FOREIGN KEY"),
        (lambda t: t["units"].append(dict(t["units"][0])), "units: UNIQUE"),
    ],
)
def test_half_wrong_is_all_refused_with_its_lines(own, tmp_path, change, says):
    """The rows that are wrong are named, and nothing of the others is taken over."""
    one, two = own("one"), own("two")
    filled(one)
    path = tmp_path / "all.json"
    export_json(one, path)
    content = json.loads(path.read_text())
    change(content["tables"])
    path.write_text(json.dumps(content))
    with pytest.raises((BadFileError, CellarError)) as caught:
        import_json(two, path)
    assert says in str(caught.value)
    assert two.cellar.units() == () and unit_events(two.cellar) == ()


def test_another_file_or_version_is_refused(own, tmp_path):
    """Not an export; one of another revision: opened is nothing."""
    two = own("two")
    (tmp_path / "x.json").write_text("[[[[")
    with pytest.raises(BadFileError):
        import_json(two, tmp_path / "x.json")
    other = {"format": "vast-cellar/cellar-export", "version": 1, "revision": "9999", "tables": {}}
    (tmp_path / "y.json").write_text(json.dumps(other))
    with pytest.raises(BadFileError, match="revision '9999'"):
        import_json(two, tmp_path / "y.json")


def test_csv_is_safe_in_a_spreadsheet_and_reads_back(own, tmp_path):
    """Text that begins like a formula is escaped; taken back it is what it was."""
    one = own("one")
    filled(one)
    export_csv(one, tmp_path / "all.zip")
    with zipfile.ZipFile(tmp_path / "all.zip") as archive:
        text = archive.read("units.csv").decode()
        assert set(archive.namelist()) >= {"units.csv", "runs.csv", "events.csv", "bookings.csv"}
    (row,) = csv.DictReader(io.StringIO(text))
    assert row["note"].startswith("'=") and plain_cell(row["note"]) == ODD


def test_a_backup_on_demand_and_one_before_a_migration(own, tmp_path):
    """Both whole, named after why; the twenty newest are kept."""
    one = own("one")
    filled(one)
    made = back_up_now(one)
    assert health(one.cellar.path, set()).wrong == ()
    with sqlite3.connect(made) as kept:
        assert kept.execute("SELECT tag FROM units").fetchall() == [("K-1",)]
    kept.close()
    path = one.cellar.path
    one.close()
    with sqlite3.connect(path) as old:  # as the version before had left it
        for table in ("unit_photos", "own_parts", "bookings", "jobs", "unit_events"):
            old.execute(f"DROP TABLE {table}")
        old.execute("UPDATE alembic_version SET version_num = '0008'")
    old.close()
    Cellar(path).close()
    assert backups(path)[0].why == f"before{NEWEST_REVISION}"
    assert oct(backups(path)[0].path.stat().st_mode)[-3:] == "600"


def test_a_damaged_cellar_says_so_and_the_newest_good_backup_takes_its_place(own):
    """The sentence names the backup; the damaged bytes stay beside it, every one of them."""
    one = own("one")
    filled(one)
    back_up_now(one)
    path = one.cellar.path
    with pytest.raises(BadValueError, match="nothing is wrong"):
        restore(path)
    one.close()
    whole = path.read_bytes()
    path.write_bytes(whole[:2000] + b"\xff" * 3000 + whole[5000:])
    for suffix in ("-wal", "-shm"):
        path.with_name(path.name + suffix).unlink(missing_ok=True)
    with pytest.raises(CellarError, match="A good backup of"):
        Cellar(path).units()
    newer = (
        path.parent
        / "backups"
        / f"cellar-{datetime.now(UTC) + timedelta(days=1):%Y%m%d-%H%M%S}-bad.db"
    )
    newer.write_bytes(b"not a database")
    damaged = path.read_bytes()
    aside = restore(path)
    assert aside.read_bytes() == damaged
    again = Cellar(path)
    assert [unit.tag for unit in again.units()] == ["K-1"]
    again.close()


def test_without_a_good_backup_nothing_is_touched(own):
    """The damaged file stays where it is, and the sentence says so."""
    one = own("one")
    path = one.cellar.path
    one.close()
    path.write_bytes(b"eaten")
    with pytest.raises(CellarError, match="no good backup"):
        restore(path)
    assert path.read_bytes() == b"eaten"


def test_a_backup_that_cannot_be_made_says_so(own, monkeypatch):
    """A folder without permission."""
    one = own("one")

    def refused(_folder):
        raise PermissionError(13, "Permission denied")

    monkeypatch.setattr("vastcellar.store.backups.make_private_folder", refused)
    with pytest.raises(CellarError, match=r"no backup could be made .*Permission denied"):
        back_up_now(one)


def test_a_full_disk_makes_no_half_backup(own, monkeypatch):
    """Nothing is left of it, and the sentence says why."""
    one = own("one")
    filled(one)

    def full(*_arguments):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("vastcellar.store.backups.os.fsync", full)
    with pytest.raises(CellarError, match="No space left"):
        back_up_now(one)
    assert list((one.cellar.path.parent / "backups").iterdir()) == []


# Two become one

SEEN = DeviceIdentity("m", "SERIAL-77", 10**12)


def test_units_are_matched_by_their_devices_and_then_by_their_tags():
    """One device, two tags: a conflict. One tag, two devices: two units, and it is said."""
    mine = [Unit("K-1", "d", device=SEEN), Unit("K-2", "d"), Unit("K-3", "d", device=SEEN_OTHER)]
    theirs = [
        Unit("X-9", "d", device=SEEN),
        Unit("K-2", "d", note="x"),
        Unit("K-3", "d", device=THIRD),
    ]
    plan = plan_merge(mine, theirs)
    assert {each.key for each in plan.conflicts} == {"K-1.tag", "K-2.note"}
    assert plan.tag_here("K-3") == "K-3 (2)"
    assert any("another device" in told for pair in plan.pairs for told in pair.told)


SEEN_OTHER = DeviceIdentity("m", "SERIAL-88", 10**12)
THIRD = DeviceIdentity("m", "SERIAL-99", 10**12)


def test_a_merge_asks_for_each_conflict_and_changes_nothing_before(own, tmp_path):
    """Undecided: refused, untouched. Decided: runs and stories come along, once."""
    one, two = own("one"), own("two")
    filled(one)
    filled(two, state="in doubt")
    filled(two, "K-2")
    two.cellar.change_unit(
        two.cellar.units()[0], replace(two.cellar.units()[0], written_bytes=9e12)
    )
    path = tmp_path / "theirs.json"
    export_json(two, path)
    before = rows(one)
    plan = merge_plan(one, path)
    assert [each.key for each in plan.conflicts] == ["K-1.state"]
    with pytest.raises(BadValueError, match=r"K-1\.state is 'ready' here and 'in doubt' there"):
        merge(one, path, {})
    assert rows(one) == before
    with pytest.raises(BadValueError, match="decides nothing"):
        parse_decisions(("K-1.colour=mine",), plan, None)
    done = merge(one, path, parse_decisions(("K-1.state=theirs",), plan, None))
    assert (done.new_units, done.changed_units, done.runs, done.events) == (1, 1, 1, 1)
    assert any("the larger counts" in each for each in done.told)
    units = {unit.tag: unit for unit in one.cellar.units()}
    assert units["K-1"].state == "in doubt" and units["K-1"].written_bytes == 9e12
    assert len(one.cellar.runs("K-2")) == 1 and backups(one.cellar.path)[0].why == "merge"
    again = merge(one, path, parse_decisions((), merge_plan(one, path), Take.MINE))
    assert (again.new_units, again.runs, again.events) == (0, 0, 0)


def test_a_tag_that_is_another_units_is_refused_before_anything_is_written(own, tmp_path):
    """Theirs is called as one of mine is: taking their tag would make two of one name."""
    one, two = own("one"), own("two")
    for tag, device in (("K-1", SEEN), ("X-9", SEEN_OTHER)):
        one.cellar.add_unit(Unit(tag, "torvane-t2-1"))
        one.cellar.bind_unit(tag, device)
    two.cellar.add_unit(Unit("X-9", "torvane-t2-1"))
    two.cellar.bind_unit("X-9", SEEN)
    path = tmp_path / "theirs.json"
    export_json(two, path)
    plan = merge_plan(one, path)
    before = rows(one)
    with pytest.raises(BadValueError, match="two units would be called X-9"):
        merge(one, path, parse_decisions((), plan, Take.THEIRS))
    assert rows(one) == before


def test_a_decision_comes_along_with_the_numbers_that_its_runs_have_here(own, tmp_path):
    """Their run 1 is another unit's here: a baseline by it would be evidence of the wrong drive."""
    one, two = own("one"), own("two")
    filled(one, "A-1")
    filled(two, "B-2")
    unit = two.cellar.units()[0]
    decided = Acceptance(date(2026, 11, 4), "working drive", True, (1,), ())
    two.cellar.change_unit(unit, replace(unit, acceptance=decided))
    path = tmp_path / "theirs.json"
    export_json(two, path)
    merge(one, path, {})
    (run,) = one.cellar.runs("B-2")
    units = {each.tag: each for each in one.cellar.units()}
    assert units["B-2"].acceptance.baseline_run_ids == (run.run_id,) != (1,)
    assert units["A-1"].acceptance is None
    merge(one, path, parse_decisions((), merge_plan(one, path), Take.THEIRS))
    again = {each.tag: each for each in one.cellar.units()}
    assert again["B-2"].acceptance == units["B-2"].acceptance


def test_years_of_long_traces_come_back_though_no_other_file_may_be_as_large(own, tmp_path):
    """A trace of 300 kB and half a million figures: more than any shoot or catalog may have."""
    one, two = own("one"), own("two")
    filled(one)
    trace = "elapsed_s,written_bytes,temperature_c\n" + "1,2,3\n" * 50_000
    many = RunRecord("K-1", "edit", AT, False, True, {}, {"visits": list(range(MOST_NODES))})
    one.cellar.add_run(many, trace)
    export_json(one, tmp_path / "all.json")
    import_json(two, tmp_path / "all.json")
    assert two.cellar.trace_csv(2) == trace and rows(one) == rows(two)
    with pytest.raises(BadFileError):
        read_json(tmp_path / "all.json")


def test_cut_off_while_restoring_the_damaged_bytes_are_still_in_their_place(own, monkeypatch):
    """Never an empty cellar where there was one: the last step puts one file over the other."""
    one = own("one")
    filled(one)
    back_up_now(one)
    path = one.cellar.path
    one.close()
    path.write_bytes(b"eaten" * 900)

    def killed(_self, _target):
        raise OSError(5, "cut off here")

    monkeypatch.setattr("vastcellar.store.backups.Path.replace", killed)
    with pytest.raises(CellarError, match="cut off here"):
        restore(path)
    assert path.read_bytes() == b"eaten" * 900
    monkeypatch.undo()
    aside = restore(path)
    assert aside.read_bytes() == b"eaten" * 900
    again = Cellar(path)
    assert [unit.tag for unit in again.units()] == ["K-1"]
    again.close()
