"""What a killed test leaves is found and removed, and nothing else."""

import json
import os
import signal
import subprocess
import sys
import time

import pytest

from vastcellar.bench.leftovers import FOLDER_PREFIX, MARKER_NAME, TestFolder, remove_leftovers

RECORDS_FOR_LONG = """
import sys
from fractions import Fraction
from pathlib import Path
from vastcellar.bench.folder_target import FolderTarget
from vastcellar.bench.recorder_run import RecorderRun
from vastcellar.core.recorder import RecorderLoad
load = RecorderLoad(20e6, Fraction(25), 64_000_000, 600)
run = RecorderRun(load, FolderTarget(Path(sys.argv[1]), Path(sys.argv[2])))
for snapshot in run.snapshots():
    print(snapshot.written_bytes, flush=True)
"""


@pytest.fixture
def running(tmp_path):
    """A real recorder test in a process of its own, under way."""
    disk, notes = tmp_path / "disk", tmp_path / "notes"
    disk.mkdir()
    (disk / "holiday.mov").write_text("keep")
    process = subprocess.Popen(
        [sys.executable, "-c", RECORDS_FOR_LONG, str(disk), str(notes)],
        stdout=subprocess.PIPE,
        text=True,
    )
    while int(process.stdout.readline() or "1") < 4_000_000:
        time.sleep(0.01)
    yield process, disk, notes
    process.kill()
    process.wait()
    process.stdout.close()


def test_after_sigkill_the_next_start_removes_its_folder_and_nothing_else(running):
    process, disk, notes = running
    (folder,) = disk.glob(f"{FOLDER_PREFIX}*")
    assert remove_leftovers(notes) == ()  # it is still running
    assert folder.exists()
    os.kill(process.pid, signal.SIGKILL)
    process.wait()
    assert folder.exists()
    (removed,) = remove_leftovers(notes)
    assert (removed.folder, removed.size_bytes > 0) == (folder, True)
    assert [path.name for path in disk.iterdir()] == ["holiday.mov"]
    assert remove_leftovers(notes) == ()
    assert list(notes.iterdir()) == []


def killed_folder(tmp_path):
    """A folder and its note as SIGKILL leaves them: made, never removed, unlocked."""
    disk, notes = tmp_path / "disk", tmp_path / "notes"
    disk.mkdir()
    folder = TestFolder(disk, notes)
    folder.make()
    (folder.path / "take-0001.bin").write_bytes(b"x" * 100)
    folder._note.close()
    return folder.path, notes


def test_a_folder_with_somebodys_own_file_in_it_keeps_that_file(tmp_path):
    folder, notes = killed_folder(tmp_path)
    (folder / "mine.txt").write_text("keep")
    remove_leftovers(notes)
    assert [path.name for path in folder.iterdir()] == ["mine.txt"]


def test_a_folder_with_another_marker_is_not_touched(tmp_path):
    folder, notes = killed_folder(tmp_path)
    (folder / MARKER_NAME).write_text("somebody else")
    remove_leftovers(notes)
    assert (folder / "take-0001.bin").exists()


def test_a_link_in_place_of_the_folder_is_not_followed(tmp_path):
    folder, notes = killed_folder(tmp_path)
    elsewhere = folder.rename(tmp_path / "elsewhere")
    folder.symlink_to(elsewhere)
    remove_leftovers(notes)
    assert (elsewhere / "take-0001.bin").exists()


def test_a_note_that_points_anywhere_else_is_ignored(tmp_path):
    notes, precious = tmp_path / "notes", tmp_path / "precious"
    notes.mkdir()
    precious.mkdir()
    (precious / "take-0001.bin").write_text("keep")
    (notes / "a.json").write_text(json.dumps({"folder": str(precious), "run_id": "a"}))
    (notes / "b.json").write_text("{half a no")
    assert remove_leftovers(notes) == ()
    assert (precious / "take-0001.bin").exists()


def test_while_the_disk_is_away_the_note_is_kept_for_later(tmp_path):
    folder, notes = killed_folder(tmp_path)
    disk = folder.parent
    away = disk.rename(tmp_path / "unplugged")
    assert remove_leftovers(notes) == ()
    assert len(list(notes.iterdir())) == 1
    away.rename(disk)
    assert len(remove_leftovers(notes)) == 1
    assert not folder.exists()
