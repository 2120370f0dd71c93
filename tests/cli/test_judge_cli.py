"""A cellar of one's own in the terminal: units, verdicts, and the shortcuts that prove nothing."""

from __future__ import annotations

import json
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import pytest

from disks import loop_disk

EXAMPLES = Path(__file__).resolve().parents[2] / "docs" / "examples"
# How busy the machine is that runs the tests is another test's matter: a busy one proves nothing.
CODE = """
from vastcellar.services.proving import conditions
conditions.read_other_load = lambda: conditions.OtherLoad(0.0, 0.0)
from vastcellar.cli.main import main
main()
"""


@pytest.fixture
def home(tmp_path, monkeypatch):
    """Data, state and settings of their own."""
    for name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME"):
        monkeypatch.setenv(name, str(tmp_path / "home" / name))
    return tmp_path / "home"


@pytest.fixture
def type_it(home):
    def run(*words, code=0):
        done = subprocess.run(
            [sys.executable, "-c", CODE, *map(str, words)],
            capture_output=True, text=True, timeout=280, check=False,
        )  # fmt: skip
        assert done.returncode == code, done.stderr
        return done

    return run


@pytest.fixture
def short_shoot(tmp_path):
    """The example's camera B on M-03, with a take of one second: provable in a test."""
    shoot = json.loads((EXAMPLES / "slipway.shoot.json").read_text())
    chain = json.loads((EXAMPLES / "collapse.chain.json").read_text())
    camera = next(each for each in shoot["cameras"] if each["key"] == "C")
    camera["longest_take_s"] = 1.0
    camera["setup"] = {**chain["setup"], "unit_tag": "M-03"}
    shoot["cameras"] = [camera]
    path = tmp_path / "short.shoot.json"
    path.write_text(json.dumps(shoot))
    chain["setup"]["unit_tag"] = "M-03"
    chain["used_bytes"] = 0
    chain["ambient_c"] = shoot["ambient_c"]
    chain_path = tmp_path / "m-03.chain.json"
    chain_path.write_text(json.dumps(chain))
    return path, chain_path


def begin(words):
    """Start a command that goes on for a while."""
    command = [sys.executable, "-c", CODE, *map(str, words)]
    return subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)


def add_m_03(type_it):
    return json.loads(
        type_it("unit", "add", "M-03", "--drive", "pentle-q1-1", "--enclosure", "drumlin-pocket",
                "--json").stdout
    )  # fmt: skip


def judged(type_it, shoot):
    (camera,) = json.loads(type_it("judge", shoot, "--json").stdout)["cameras"]
    return camera


def test_units_are_added_listed_and_changed_from_nothing(type_it):
    """No window, no demo: an empty home is enough."""
    assert json.loads(type_it("unit", "list", "--json").stdout)["units"] == []
    made = add_m_03(type_it)
    assert (made["tag"], made["device"], made["newest_proof"]) == ("M-03", None, None)
    type_it("unit", "change", "M-03", "--used", "300GB", "--state", "on loan", "--note", "<b>x")
    (kept,) = json.loads(type_it("unit", "list", "--json").stdout)["units"]
    assert (kept["used_bytes"], kept["state"], kept["note"]) == (3e11, "on loan", "<b>x")
    assert "one of this tag already" in type_it("unit", "add", "M-03", "--drive", "pentle-q1-1",
                                                code=1).stderr  # fmt: skip
    assert "no drive 'x'" in type_it("unit", "add", "A", "--drive", "x", code=1).stderr
    assert "more is said to be on it" in type_it("unit", "change", "M-03", "--used", "9TB",
                                                 code=1).stderr  # fmt: skip
    type_it("unit", "change", "M-03", code=2)


def test_judge_answers_for_every_camera_from_nothing(type_it):
    """key, verdict, margin, evidence, reason and mend of each, without a cellar."""
    found = json.loads(type_it("judge", EXAMPLES / "slipway.shoot.json", "--demo", "--json").stdout)
    by_key = {each["key"]: each for each in found["cameras"]}
    assert set(by_key) == {"A", "B", "C", "D"}
    assert (by_key["A"]["verdict"], by_key["A"]["evidence"]) == ("falls short", "computed")
    assert by_key["A"]["margin"] < 0 and "fast cache is full" in by_key["A"]["reason"]
    assert by_key["A"]["mend"]
    holding = [each for each in by_key.values() if each["verdict"] == "holds"]
    assert holding and all(each["mend"] is None for each in holding)
    told = type_it("judge", EXAMPLES / "slipway.shoot.json", "--camera", "B").stdout
    assert told.startswith("B Second: ")
    assert "no camera 'Z'" in type_it("judge", EXAMPLES / "slipway.shoot.json", "--camera", "Z",
                                      code=1).stderr  # fmt: skip


def test_a_rig_in_a_cellar_of_ones_own_is_a_rehearsal(type_it, short_shoot):
    """Kept and shown as that; the verdict stays computed, and nothing is calibrated by it."""
    shoot, chain = short_shoot
    add_m_03(type_it)
    record = ("prove", "record", "--simulated", chain, "--shoot", shoot, "--camera", "C")
    type_it(*record, "--unit", "M-03", "--json")
    found = judged(type_it, shoot)
    assert found["evidence"] == "computed"
    assert found["run_beside"]["because"] == ["it was a rehearsal on a simulated rig"]
    type_it("prove", "write", "--simulated", chain, "--size", "300GB", "--unit", "M-03", "--json")
    assert "no run to learn from" in type_it("calibrate", "M-03", code=1).stderr
    (unit,) = json.loads(type_it("unit", "list", "--json").stdout)["units"]
    assert unit["newest_proof"] is None


@pytest.mark.skipif(not Path("/dev/shm").is_dir(), reason="no file system in memory here")
def test_a_run_in_memory_proves_nothing(type_it, short_shoot):
    """Beside our own note that it is no drive."""
    shoot, chain = short_shoot
    add_m_03(type_it)
    with tempfile.TemporaryDirectory(dir="/dev/shm") as folder:
        type_it("prove", "record", folder, "--shoot", shoot, "--camera", "C", "--chain", chain,
                "--unit", "M-03", "--json")  # fmt: skip
    found = judged(type_it, shoot)
    assert found["evidence"] == "computed"
    assert "it ran in the computer's memory" in found["run_beside"]["because"]


def test_a_chain_files_rate_is_stated_and_never_measured(type_it, tmp_path):
    """Even 1,900 MB/s on a drive that writes 120: whoever wrote the file says so."""
    chain = json.loads((EXAMPLES / "collapse.chain.json").read_text())
    chain["measured_bytes_per_s"] = {"bridge": 900e6}
    path = tmp_path / "a.chain.json"
    path.write_text(json.dumps(chain))
    stages = json.loads(type_it("chain", path, "--json").stdout)["stages"]
    bridge = next(stage for stage in stages if stage["key"] == "bridge")
    assert bridge["evidence"] == "stated"
    assert "measured on this host" not in type_it("chain", path).stdout


@pytest.mark.real_disk
def test_a_unit_is_one_device_and_another_ones_folder_is_refused(type_it, short_shoot, tmp_path):
    """Two real disks: bound to the first with one answer, the second is refused by both names."""
    shoot, chain = short_shoot
    add_m_03(type_it)
    type_it("unit", "add", "K-99", "--drive", "pentle-q1-1", "--enclosure", "drumlin-pocket")
    size = 10**12  # as its record says: a device of another size proves nothing of it
    with loop_disk(tmp_path, "first", size) as first, loop_disk(tmp_path, "second") as second:
        words = ("--shoot", shoot, "--camera", "C", "--chain", chain, "--json")
        asked = type_it("prove", "record", first, *words, "--unit", "M-03", code=1).stderr
        assert "Is that M-03?" in asked and "add --bind" in asked
        type_it("prove", "record", first, *words, "--unit", "M-03", "--bind")
        found = judged(type_it, shoot)
        assert (found["evidence"], found["is_simulated"]) == ("proved", False)
        # Another device, by either name; and the same device as another unit.
        other = type_it("prove", "record", second, *words, "--unit", "M-03", "--bind", code=1)
        assert "first.img" in other.stderr and "second.img" in other.stderr
        swapped = type_it("prove", "write", first, "--size", "8MB", "--unit", "K-99", "--bind",
                          code=1).stderr  # fmt: skip
        assert "which is M-03" in swapped and "labels of K-99 and M-03 are swapped" in swapped
        # Once released, it may be another one; the old proof is then none of this device's.
        type_it("unit", "change", "M-03", "--release")
        assert judged(type_it, shoot)["evidence"] == "computed"
        type_it("prove", "write", second, "--size", "8MB", "--unit", "M-03", "--bind", "--json")
        found = judged(type_it, shoot)
        assert found["evidence"] == "computed"
        assert any("another device" in why for why in found["run_beside"]["because"])


def test_what_the_cellar_cant_take_is_rescued_shown_and_kept_later(type_it, home, tmp_path):
    """The cellar goes while a test runs: its figures are printed, its run waits in a file."""
    add_m_03(type_it)
    disk = tmp_path / "disk"
    disk.mkdir()
    words = ["prove", "write", disk, "--seconds", "3", "--unit", "M-03", "--bind", "--json"]
    process = begin(words)
    until_s = time.monotonic() + 60
    while not list(disk.glob("vast-cellar-test-*")) and time.monotonic() < until_s:
        time.sleep(0.02)
    (cellar,) = home.rglob("cellar.db")
    away = cellar.parent / "away"
    away.mkdir()
    for path in cellar.parent.glob("cellar.db*"):
        shutil.move(path, away / path.name)
    told, complaint = process.communicate(timeout=120)
    assert told, complaint
    assert json.loads(told)["write"]["moved_bytes"] > 0
    assert process.returncode == 1
    assert "taken away while it was open" in complaint and "offered at the next start" in complaint
    for path in away.iterdir():
        shutil.move(path, cellar.parent / path.name)
    (waiting,) = json.loads(type_it("rescued", "--json").stdout)["rescued"]
    assert (waiting["unit"], waiting["kept_as_run"]) == ("M-03", None)
    (kept,) = json.loads(type_it("rescued", "--keep", "--json").stdout)["rescued"]
    assert kept["kept_as_run"] == 1
    assert "No run waits" in type_it("rescued").stdout
    (unit,) = json.loads(type_it("unit", "list", "--json").stdout)["units"]
    assert unit["written_bytes"] > 0


@pytest.mark.parametrize("number", [signal.SIGINT, signal.SIGTERM, signal.SIGHUP])
def test_signals_end_a_test_cleanly_with_a_code_of_its_own(home, tmp_path, number):
    """Ctrl+C, a shutdown, a closed terminal: what was measured is shown, nothing stays behind."""
    disk = tmp_path / "disk"
    disk.mkdir()
    words = ["prove", "record", disk, "--rate", "2MB/s", "--seconds", "10 min", "--json"]
    process = begin(words)
    until_s = time.monotonic() + 60
    while time.monotonic() < until_s:
        if any(path.stat().st_size for path in disk.glob("vast-cellar-test-*/take-*")):
            break
        time.sleep(0.02)
    os.kill(process.pid, number)
    told, complaint = process.communicate(timeout=60)
    assert process.returncode == 3
    assert json.loads(told)["ended_by"] == "cancelled"
    assert "was cancelled" in complaint
    assert list(disk.iterdir()) == []


def test_paths_are_checked_before_anything_is_measured(type_it, tmp_path):
    """A trace that couldn't be saved at the end is said before a byte is written."""
    disk = tmp_path / "disk"
    disk.mkdir()
    for trace, says in ((tmp_path / "nowhere" / "t.csv", "no such folder"), (disk, "is a folder")):
        done = type_it("prove", "write", disk, "--size", "8MB", "--trace", trace, code=1)
        assert says in done.stderr
        assert done.stdout == ""


def test_a_shoot_named_by_somebody_else_steers_no_terminal(type_it, tmp_path):
    """A name that clears the screen, sets the title, writes from right to left."""
    shoot = json.loads((EXAMPLES / "slipway.shoot.json").read_text())
    shoot["name"] = "\x1b[2JSlip\u202e"
    for camera in shoot["cameras"]:
        camera["name"] = "Main\x1b]0;title\x07\x9b31m"
    path = tmp_path / "a.shoot.json"
    path.write_text(json.dumps(shoot))
    for words in (("need", path), ("judge", path), ("judge", path, "--json")):
        told = type_it(*words).stdout
        assert "Main" in told
        assert not set(told) & set("\x1b\x07\x9b\u202e\r"), words


def test_a_unit_gets_a_new_label_in_the_terminal(type_it):
    """`unit change --tag`: the unit goes by it from then on, and a tag that is taken is refused."""
    type_it("unit", "add", "K-10", "--drive", "kelmarsh-flat-2", "--enclosure", "drumlin-flat")
    type_it("unit", "add", "K-11", "--drive", "kelmarsh-flat-2")
    changed = json.loads(type_it("unit", "change", "K-10", "--tag", "K-12", "--json").stdout)
    assert changed["tag"] == "K-12"
    listed = json.loads(type_it("unit", "list", "--json").stdout)
    assert {each["tag"] for each in listed["units"]} == {"K-11", "K-12"}
    taken = type_it("unit", "change", "K-12", "--tag", "K-11", code=1)
    assert "one of this tag already" in taken.stderr
