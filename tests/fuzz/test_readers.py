"""Every reader, on files that are damaged or hostile: taken whole, or one sentence; never more."""

from __future__ import annotations

import io
import json
import random
import shutil
import sqlite3
import tracemalloc
from pathlib import Path

import pytest
import xxhash
from PIL import Image

from fuzz.mutating import CASES, mutated_bytes, mutated_csv, mutated_json
from vastcellar.bench.copying.journal import journal_name
from vastcellar.bench.leftovers import remove_leftovers
from vastcellar.core.errors import CellarError, VastCellarError
from vastcellar.core.links.quick_sum import quick_sum
from vastcellar.core.parts.units import Unit
from vastcellar.core.units import parse_duration, parse_frame_rate, parse_rate, parse_size
from vastcellar.data import data_path
from vastcellar.services.cellar.keeping import export_json, import_json
from vastcellar.services.cellar.unit_lists import read_list
from vastcellar.services.match.chain_files import chain_in_file
from vastcellar.services.match.judging import judge_camera
from vastcellar.services.roll.copying import copy_run, run_copy
from vastcellar.services.roll.verifying import lists_in
from vastcellar.services.shoot.planning import planned
from vastcellar.services.shoot.shoots import recent_shoots
from vastcellar.services.workplace.autosaving import Autosave, restore_unsaved
from vastcellar.services.workplace.folders import Folders
from vastcellar.services.workplace.rescuing import rescued_runs
from vastcellar.services.workplace.workplace import Shelf, open_workplace
from vastcellar.store.catalog_files import load_catalog, read_units
from vastcellar.store.cellar import Cellar
from vastcellar.store.copy_files import read_copy_record
from vastcellar.store.part_csv import read_parts
from vastcellar.store.protocol_files import read_protocols
from vastcellar.store.shoot_files import read_shoot
from vastcellar.store.trace_csv import read_trace
from vastcellar.store.unit_photos import read_photo

EXAMPLES = Path(__file__).resolve().parents[2] / "docs" / "examples"
MOST_MEMORY = 400 * 2**20

PARTS_CSV = """part,key,name,kind,medium,form,capacity,read,write,after_cache,cache,tbw,links,price
drive,own-a,Own A,nvme,TLC,2280,2 TB,5000 MB/s,4000 MB/s,900 MB/s,60 GB,1200 TB,,149
drive,own-b,Own B,card,TLC,,512 GB,1700 MB/s,1500 MB/s,,,,cfexpress-4b,399
enclosure,own-c,Own C,nvme,,2280,,,1000 MB/s,,,,usb-10g,35
cable,own-d,Own D,,,,,,,,,,usb-10g,12
"""
TRACE_CSV = "elapsed_s,written_bytes,temperature_c\n" + "".join(
    f"{second},{second * 900_000_000},{40 + second % 7}\n" for second in range(40)
)


@pytest.fixture(autouse=True)
def bounded_memory():
    """A reader may take no more than an honest file needs, whatever the file says."""
    tracemalloc.start()
    yield
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert peak < MOST_MEMORY


def read_all(path, contents, read):
    """Read each of *contents* at *path*; return how many were taken and the complaints."""
    taken, said = 0, []
    for number, content in enumerate(contents):
        path.write_bytes(content)
        try:
            read(path)
            taken += 1
        except VastCellarError as error:
            sentence = str(error)
            assert sentence and len(sentence) < 2000, f"case {number}: {sentence[:200]}"
            assert sentence.encode("utf-8"), "a complaint must be printable"
            said.append(sentence)
        except Exception as error:
            raise AssertionError(f"case {number}: {type(error).__name__}: {error}") from error
    return taken, said


def of_json(path, seed):
    chance = random.Random(seed)
    content = json.loads(path.read_text(encoding="utf-8"))
    return (mutated_json(content, chance) for _ in range(CASES))


def test_shoots(tmp_path, catalog):
    """What opens can be planned and judged, too: a value that passes must not fail later."""

    def read(path):
        shoot = read_shoot(path, catalog)
        planned(shoot, catalog, Shelf())
        for camera in shoot.cameras:
            judge_camera(shoot, camera, catalog, Shelf())

    taken, said = read_all(
        tmp_path / "a.shoot.json", of_json(EXAMPLES / "slipway.shoot.json", "shoot"), read
    )
    assert said
    assert taken


COPY_RECORD = {
    "format": "vast-cellar/copy", "version": 1, "name": "A001", "source": "/media/van/A001",
    "made_at": "2026-11-27T10:00:00+00:00", "algorithm": "xxh128", "is_cancelled": False,
    "files": [
        {"path": f"CLIP/C{number}.MOV", "copied_as": f"CLIP/C{number}.MOV", "size_bytes": 9,
         "modified_ns": 10**18, "digest": "0" * 32, "state": "verified", "was_there": False,
         "trouble": ""}
        for number in range(3)
    ],
    "left_out": [],
}  # fmt: skip


def test_copy_records_and_checksum_lists(tmp_path):
    """A record and a list beside a copy, changed; no list leads out of its folder."""
    chance = random.Random("copies")
    records = (mutated_json(COPY_RECORD, chance) for _ in range(CASES))
    _, said = read_all(tmp_path / "a.copy.json", records, read_copy_record)
    assert said
    listed = "".join(f"{number:032x}  A001/CLIP/C{number}.MOV\n" for number in range(9))

    def read(path):
        for each in lists_in(path).lists:
            for _, name in each.wanted:
                assert not name.startswith("/") and ".." not in name.split("/")

    lists = (mutated_bytes(listed.encode(), chance) for _ in range(CASES))
    _, said = read_all(tmp_path / "a.xxh128", lists, read)
    assert said


def test_journals_of_copies(tmp_path):
    """Whatever a journal holds, it is refused in a sentence, or vouches for nothing untrue."""
    chance = random.Random("journal")
    head = {"format": "vast-cellar/copy-journal", "version": 2, "algorithm": "xxh128",
            "token": "0123456789abcdef", "card": ""}  # fmt: skip
    row = {"path": "CLIP/C1.MOV", "size_bytes": 9, "modified_ns": 1, "digest": "0" * 32,
           "inode": 1, "changed_ns": 1, "name": "", "card_inode": 1, "card_changed_ns": 1,
           "ends_digest": "0" * 32}  # fmt: skip
    lines = "\n".join(json.dumps(each) for each in (head, row, row)) + "\n"
    card, target = tmp_path / "card", tmp_path / "target"
    (card / "CLIP").mkdir(parents=True)
    (card / "CLIP" / "C1.MOV").write_bytes(b"123456789")
    target.mkdir()

    def read(_path):
        run = copy_run(card, [target])
        for _ in run_copy(run):
            pass
        (file,) = run.outcome.files
        assert file.digest == xxhash.xxh3_128(b"123456789").hexdigest()

    contents = (mutated_bytes(lines.encode(), chance) for _ in range(min(CASES, 200)))
    taken, _ = read_all(target / journal_name("card"), contents, read)
    assert taken


@pytest.mark.parametrize("name", ["collapse", "dock", "wasted"])
def test_chains(tmp_path, catalog, name):
    """Each of the three shipped, changed."""
    source = EXAMPLES / f"{name}.chain.json"
    _, said = read_all(
        tmp_path / "a.chain.json", of_json(source, name), lambda p: chain_in_file(p, catalog)
    )
    assert said


@pytest.mark.parametrize("name", ["links", "codecs", "parts", "cameras", "file-systems"])
def test_catalogs(tmp_path, name):
    """Of every section; they are laid over the shipped one, as the user's own are."""
    source = data_path("catalog", f"{name}.json")
    chance = random.Random(name)
    content = json.loads(source.read_text(encoding="utf-8"))
    for section, rows in content.items():
        if isinstance(rows, list):  # a handful of each: what is wrong with one is with all
            content[section] = rows[:4]
    few = max(CASES // 5, 20)
    _, said = read_all(
        tmp_path / "own.json",
        (mutated_json(content, chance) for _ in range(few)),
        lambda path: load_catalog([path]),
    )
    assert said


def test_units_of_a_cellar_file(tmp_path):
    """The demo's shelf, changed."""
    _, said = read_all(
        tmp_path / "c.json", of_json(data_path("demo", "cellar.json"), "units"), read_units
    )
    assert said


def test_sets_of_tests(tmp_path):
    """The shipped protocols, changed."""
    _, said = read_all(
        tmp_path / "p.json", of_json(data_path("protocols.json"), "sets"), read_protocols
    )
    assert said


def test_lists_of_parts(tmp_path, catalog):
    """CSV with units, semicolons, odd numbers, fields without end."""
    chance = random.Random("parts")
    _, said = read_all(
        tmp_path / "parts.csv",
        (mutated_csv(PARTS_CSV, chance) for _ in range(CASES)),
        lambda path: read_parts(path, catalog.modes),
    )
    assert said


def test_traces(tmp_path, slipway):
    """What is taken can be replayed: a time of 10^29 s would take any amount of memory."""
    from vastcellar.services.runs.replaying import camera_replays

    chance = random.Random("trace")
    _, said = read_all(
        tmp_path / "t.csv",
        (mutated_csv(TRACE_CSV, chance) for _ in range(CASES)),
        lambda path: camera_replays(read_trace(path), slipway),
    )
    assert said
    assert any("line " in sentence for sentence in said)


def test_autosaves_recent_lists_and_rescued_runs(places, catalog, slipway):
    """Read at every start: none of them may keep the window from opening."""
    window = Autosave(places)
    window.keep(slipway, None, "")
    content = json.loads(window.path.read_text(encoding="utf-8"))
    window.drop()
    window.release()
    chance = random.Random("start")
    places.config.mkdir(parents=True, exist_ok=True)
    places.rescued.mkdir(parents=True)
    rescued = {
        "format": "vast-cellar/rescued-run", "version": 1, "unit_tag": "K-10", "kind": "write",
        "measured_at": "2026-11-03T14:30:00+00:00", "is_simulated": False, "is_complete": True,
        "conditions": {}, "figures": {}, "trace_csv": "", "wear_bytes": 5,
    }  # fmt: skip
    for _ in range(CASES):
        places.autosave_file.write_bytes(mutated_json(content, chance))
        found = restore_unsaved(catalog, places)
        if found is not None:
            found.autosave.drop()
            found.autosave.release()
        places.recent_file.write_bytes(mutated_json(["a.shoot.json", "b.shoot.json"], chance))
        assert isinstance(recent_shoots(places), tuple)
        (places.rescued / "r.json").write_bytes(mutated_json(rescued, chance))
        assert isinstance(rescued_runs(places), tuple)


def test_typed_quantities():
    """Whatever is typed is a quantity or a sentence."""
    chance = random.Random("typed")
    words = ["4 TB", "30 min", "1274 Mb/s", "160MB/s", "x 3 copies", "52 min at 160 MB/s", "1.5"]
    for _ in range(CASES * 2):
        text = mutated_bytes(chance.choice(words).encode(), chance).decode("utf-8", "replace")[
            :5000
        ]
        for parse in (parse_size, parse_rate, parse_duration, parse_frame_rate):
            try:
                parse(text, where="typed")
            except VastCellarError as error:
                assert str(error)
        try:
            quick_sum(text)
        except VastCellarError as error:
            assert str(error)


@pytest.fixture(scope="module")
def whole_cellar(tmp_path_factory):
    """A cellar of the demo with some runs, as one file."""
    from datetime import UTC, datetime

    from vastcellar.services.workplace.folders import Folders
    from vastcellar.store.run_record import RunRecord

    base = tmp_path_factory.mktemp("cellar")
    places = Folders(base / "d", base / "s", base / "c")
    opened = open_workplace(demo=True, places=places, with_history=False)
    for number in range(6):
        record = RunRecord("K-11", "write", datetime(2026, 11, number + 1, tzinfo=UTC), False, True,
                           {"ambient_c": 21.0}, {"write": {"bytes_per_s": 4e8}})  # fmt: skip
        opened.cellar.add_run(record, TRACE_CSV)
    opened.close()
    path = base / "whole.db"
    with sqlite3.connect(opened.cellar.path) as source, sqlite3.connect(path) as target:
        source.backup(target)
    target.close()
    source.close()
    return path


def test_damaged_databases(tmp_path, whole_cellar):
    """Pages overwritten, cells changed: a sentence, or what is left of it."""
    content, chance = whole_cellar.read_bytes(), random.Random("database")
    said = 0
    for number in range(max(CASES // 2, 50)):
        path = tmp_path / f"{number}.db"
        made = bytearray(content)
        if chance.random() < 0.5:
            for _ in range(chance.randint(1, 30)):
                made[chance.randrange(100, len(made))] = chance.randrange(256)
            path.write_bytes(bytes(made))
        else:
            shutil.copy(whole_cellar, path)
            _spoil_a_cell(path, chance)
        try:
            cellar = Cellar(path)
        except CellarError as error:
            assert str(error)
            said += 1
            continue
        for read in (cellar.units, cellar.runs, cellar.calibrations, cellar.stage_measurements):
            try:
                read()
            except CellarError as error:
                assert str(error)
                said += 1
        cellar.close()
        path.unlink()
    assert said


def _spoil_a_cell(path, chance):
    table, columns = chance.choice(
        [
            ("units", ("written_bytes", "used_bytes", "state", "device", "drive_key")),
            ("runs", ("measured_at", "conditions", "figures", "is_complete", "kind")),
        ]
    )
    column = chance.choice(columns)
    value = chance.choice([b"\xff\xfe", "nonsense", -5, 1e400, None, "{", "[" * 3000, "NaN"])
    with sqlite3.connect(path) as connection:
        try:
            connection.execute("PRAGMA ignore_check_constraints=ON")
            connection.execute(
                f"UPDATE {table} SET {column} = ? WHERE rowid = "
                f"(SELECT rowid FROM {table} LIMIT 1 OFFSET 2)",
                (value,),
            )
        except sqlite3.IntegrityError:
            pass  # the table itself refused it
    connection.close()


def test_one_bad_row_costs_that_row_and_not_the_shelf(tmp_path, whole_cellar):
    """Of 24 units one says that minus 5 bytes lie on it; of 6 runs one has no date."""
    path = tmp_path / "c.db"
    shutil.copy(whole_cellar, path)
    with sqlite3.connect(path) as connection:
        connection.execute("UPDATE units SET used_bytes = -5 WHERE tag = 'K-10'")
        connection.execute("UPDATE runs SET measured_at = 'some day' WHERE id = 3")
        connection.execute("UPDATE runs SET figures = '{' WHERE id = 4")
    connection.close()
    cellar = Cellar(path)
    assert len(cellar.units()) == 24
    assert [run.run_id for run in cellar.runs()] == [6, 5, 2, 1]
    assert cellar.unreadable == {"unit K-10", "run 3", "run 4"}
    cellar.close()


def test_traces_of_other_programs(tmp_path):
    """By rates and times of day, changed: a trace or a sentence."""
    chance = random.Random("foreign trace")
    rows = "".join(f"12:00:{n:02},{200 + n},{30 + n / 10}\n" for n in range(40))
    text = f"Timestamp,Throughput (MB/s),Temp\n{rows}"
    _, said = read_all(
        tmp_path / "t.csv", (mutated_bytes(text.encode(), chance) for _ in range(CASES)), read_trace
    )
    assert said


def test_lists_of_units(tmp_path, places):
    """Somebody's list and what was remembered of names, changed: nothing is ever kept of one that
    is refused, and what is read can stand on the shelf."""
    chance = random.Random("unit list")
    text = (
        "Asset No.;Model;Host writes (TB);Location;Purchase date;Cost;Condition;Remarks\n"
        'R-1;torvane-t2-2;12,5;van;27.11.2025;245 EUR;good;"a; b"\n'
        "R-2;torvane-t2-2;800 GB;;;;broken;'=1\n"
    )
    workplace = open_workplace(places=places)
    places.config.mkdir(parents=True, exist_ok=True)
    remembered = {"columns": {"model": "drive", "x": ""}, "drives": {"y": "torvane-t2-2"}}

    def read(path):
        known = mutated_json(remembered, chance)
        (places.config / "unit-lists.json").write_bytes(known)
        for unit, events in read_list(path, workplace).units:
            assert unit.tag and unit.drive_key and all(each.unit_tag for each in events)

    taken, said = read_all(
        tmp_path / "l.csv", (mutated_bytes(text.encode(), chance) for _ in range(CASES)), read
    )
    assert said and taken
    assert workplace.cellar.units() == ()
    workplace.close()


@pytest.mark.parametrize("kind", ["JPEG", "PNG", "WEBP", "TIFF"])
def test_photos(tmp_path, kind):
    """Of four kinds, with bytes changed: a small picture, or a sentence."""
    made = io.BytesIO()
    Image.linear_gradient("L").convert("RGB").resize((120, 90)).save(made, kind)
    chance = random.Random(kind)
    contents = (mutated_bytes(made.getvalue(), chance) for _ in range(CASES))
    _, said = read_all(tmp_path / "a.jpg", contents, read_photo)
    assert said


def test_notes_of_killed_tests(tmp_path):
    """Whatever a note holds, no start breaks and no foreign file goes."""
    chance = random.Random("notes")
    notes, disk = tmp_path / "notes", tmp_path / "disk"
    run_id = "0123456789abcdef"
    theirs = disk / f"vast-cellar-test-{run_id}"
    theirs.mkdir(parents=True)
    for name in ("take-0001.bin", f"take-0001.{run_id}.bin", "mine.txt"):
        (theirs / name).write_text("somebody's")
    note = {"folder": str(theirs), "run_id": run_id, "token": run_id,
            "disk": {"device": 1, "file_system_id": 1}}  # fmt: skip
    notes.mkdir()
    before = sorted(theirs.iterdir())

    def read(_path):
        for each in remove_leftovers(notes):
            assert each.sentence

    for mutate in (
        mutated_json,
        lambda value, draw: mutated_bytes(json.dumps(value).encode(), draw),
    ):
        contents = [mutate(note, chance) for _ in range(CASES)]
        taken, said = read_all(notes / f"{run_id}.json", contents, read)
        assert taken and not said
    assert sorted(theirs.iterdir()) == before


def test_exports_of_a_cellar(tmp_path, places):
    """An export, changed: taken over, or one sentence with nothing taken."""
    chance = random.Random("exports")
    source = open_workplace(places=places)
    source.cellar.add_unit(Unit("K-01", "torvane-t2-1", "drumlin-fin"))
    path = tmp_path / "all.json"
    export_json(source, path)
    source.close()
    content = json.loads(path.read_text(encoding="utf-8"))
    made = iter(range(10**6))

    def read(changed):
        base = tmp_path / f"w{next(made)}"
        mine = open_workplace(places=Folders(base / "d", base / "s", base / "c"))
        try:
            import_json(mine, changed)
        except VastCellarError:
            assert not mine.cellar.units()
            raise
        finally:
            mine.close()
            shutil.rmtree(base)

    contents = (mutated_json(content, chance) for _ in range(min(CASES, 60)))
    _, said = read_all(path, contents, read)
    assert said
