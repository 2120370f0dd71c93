"""What a killed test leaves is found and removed, and nothing else."""

import errno
import json
import os
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path

import pytest

from vastcellar.bench import leftovers
from vastcellar.bench.held_folder import HeldFolder
from vastcellar.bench.leftovers import FOLDER_PREFIX, MARKER_NAME, TestFolder, remove_leftovers

RECORDS_FOR_LONG = """
import sys
from fractions import Fraction
from pathlib import Path
from vastcellar.bench.folder_target import FolderTarget
from vastcellar.bench.recorder_run import RecorderRun
from vastcellar.core.recording.recorder import RecorderLoad
load = RecorderLoad(20e6, Fraction(25), 64_000_000, 600)
run = RecorderRun(load, FolderTarget(Path(sys.argv[1]), Path(sys.argv[2])))
for snapshot in run.snapshots():
    print(snapshot.moved_bytes, flush=True)
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
    """A folder is removed only once its own process is gone, and only that folder."""
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
    (folder.path / folder.name_of("take-0001")).write_bytes(b"x" * 100)
    folder._note.close()
    return folder.path, notes


def takes_in(folder):
    return [path.name for path in folder.glob("take-0001.*.bin")]


def test_a_folder_with_somebodys_own_file_in_it_keeps_that_file(tmp_path):
    """Somebody's file inside a leftover folder survives the cleaning."""
    folder, notes = killed_folder(tmp_path)
    (folder / "mine.txt").write_text("keep")
    remove_leftovers(notes)
    assert [path.name for path in folder.iterdir()] == ["mine.txt"]


def test_a_folder_with_another_marker_is_not_touched(tmp_path):
    """A folder that doesn't carry our mark of this very run is left alone."""
    folder, notes = killed_folder(tmp_path)
    (folder / MARKER_NAME).write_text("somebody else")
    remove_leftovers(notes)
    assert takes_in(folder)


@pytest.mark.parametrize("lost", ["marker", "token"])
def test_a_folder_without_our_marker_or_a_note_without_token_costs_nobody_a_file(tmp_path, lost):
    """A foreign folder of the name that a note gives, an old form of note: all stays."""
    folder, notes = killed_folder(tmp_path)
    if lost == "marker":
        (folder / MARKER_NAME).unlink()
    else:
        (note,) = notes.glob("*.json")
        content = json.loads(note.read_text())
        del content["token"]
        note.write_text(json.dumps(content))
        (folder / "take-0001.bin").write_text("called as such files once were")
    before = sorted(folder.iterdir())
    remove_leftovers(notes)
    assert sorted(folder.iterdir()) == before


@pytest.mark.parametrize("path", ["/tmp/a\0b", "/tmp/\ud800", "[" * 5000, ""])
def test_a_note_with_an_impossible_path_is_set_aside_and_told_once(tmp_path, path):
    """It breaks no start, is kept for whoever wants to read it, and is in nobody's way."""
    notes = tmp_path / "notes"
    notes.mkdir()
    run_id = "0" * 16
    note = {"folder": f"{path}/{FOLDER_PREFIX}{run_id}", "run_id": run_id, "token": run_id}
    good = "\0" not in path and "\ud800" not in path
    (notes / f"{run_id}.json").write_text(json.dumps(note) if path else "{", encoding="utf-8")
    said = remove_leftovers(notes)
    if not good or not path:
        assert [each.path.name for each in said] == [f"{run_id}.unread"]
        assert said[0].path.exists()
    assert remove_leftovers(notes) == ()


def test_a_link_in_place_of_the_folder_is_not_followed(tmp_path):
    """A link where the folder was is not followed to what it points at."""
    folder, notes = killed_folder(tmp_path)
    elsewhere = folder.rename(tmp_path / "elsewhere")
    folder.symlink_to(elsewhere)
    remove_leftovers(notes)
    assert takes_in(elsewhere)


def test_a_note_that_points_anywhere_else_is_ignored(tmp_path):
    """A note can't be made to delete a folder that isn't a test's."""
    notes, precious = tmp_path / "notes", tmp_path / "precious"
    notes.mkdir()
    precious.mkdir()
    (precious / "take-0001.bin").write_text("keep")
    (notes / "a.json").write_text(json.dumps({"folder": str(precious), "run_id": "a"}))
    (notes / "b.json").write_text("{half a no")
    assert {each.path.suffix for each in remove_leftovers(notes)} == {".unread"}
    assert (precious / "take-0001.bin").exists()


def test_a_file_that_only_looks_like_one_of_ours_is_kept(tmp_path):
    """Names without the token of the note were never made by the test, whoever laid them there."""
    folder, notes = killed_folder(tmp_path)
    for name in ("take-0002.bin", "item-000001.bin", f"take-0001.{'0' * 16}.bin"):
        (folder / name).write_text("somebody's")
    remove_leftovers(notes)
    assert sorted(path.name for path in folder.iterdir()) == [
        "item-000001.bin",
        f"take-0001.{'0' * 16}.bin",
        "take-0002.bin",
    ]


def test_another_disk_mounted_at_the_same_place_keeps_the_note(tmp_path):
    """An empty mount point says nothing of the disk that was there: it may come back."""
    folder, notes = killed_folder(tmp_path)
    (note,) = notes.iterdir()
    content = json.loads(note.read_text())
    note.write_text(json.dumps(content | {"disk": {"device": 1, "file_system_id": 1}}))
    away = folder.rename(tmp_path / "on the other disk")
    assert remove_leftovers(notes) == ()
    assert note.exists()
    away.rename(folder)
    assert len(remove_leftovers(notes)) == 1


def test_the_note_goes_only_when_the_removal_is_on_the_drive(tmp_path, monkeypatch):
    """Unplugged right after the end, a disk brings back what was removed: the note must stand."""
    disk, notes = tmp_path / "disk", tmp_path / "notes"
    disk.mkdir()
    folder = TestFolder(disk, notes)
    folder.make()
    order = []
    real_sync, real_unlink = HeldFolder.sync, type(notes).unlink

    def sync(self):
        order.append("synced")
        real_sync(self)

    def unlink(self, missing_ok=False):
        order.append(self.name)
        real_unlink(self, missing_ok=missing_ok)

    monkeypatch.setattr(HeldFolder, "sync", sync)
    monkeypatch.setattr(type(notes), "unlink", unlink)
    assert folder.remove()
    assert order == ["synced", "synced", f"{folder.run_id}.json"]


def test_a_disk_that_is_gone_at_the_end_keeps_the_note(tmp_path, monkeypatch):
    """Where the removal can't be synced it may not have happened: a later start looks again."""
    disk, notes = tmp_path / "disk", tmp_path / "notes"
    disk.mkdir()
    folder = TestFolder(disk, notes)
    folder.make()

    def gone(self):
        raise OSError(errno.EIO, os.strerror(errno.EIO))

    with monkeypatch.context() as patch:
        patch.setattr(HeldFolder, "sync", gone)
        assert not folder.remove()
    assert len(list(notes.iterdir())) == 1
    remove_leftovers(notes)
    assert list(notes.iterdir()) == []


def test_notes_are_for_this_user_alone_whatever_the_umask(tmp_path):
    """A note holds the token by which files are known for ours."""
    disk, notes = tmp_path / "disk", tmp_path / "state" / "notes"
    disk.mkdir()
    before = os.umask(0)
    try:
        folder = TestFolder(disk, notes)
        folder.make()
    finally:
        os.umask(before)
    modes = [path.stat().st_mode & 0o777 for path in (notes, *notes.iterdir(), folder.path)]
    folder.remove()
    assert modes == [0o700, 0o600, 0o700]


def test_while_the_disk_is_away_the_note_is_kept_for_later(tmp_path):
    """An unplugged disk's leftovers are removed when it is back, not forgotten."""
    folder, notes = killed_folder(tmp_path)
    disk = folder.parent
    away = disk.rename(tmp_path / "unplugged")
    assert remove_leftovers(notes) == ()
    assert len(list(notes.iterdir())) == 1
    away.rename(disk)
    assert len(remove_leftovers(notes)) == 1
    assert not folder.exists()


def test_a_share_that_does_not_answer_holds_up_no_start_and_keeps_its_note(tmp_path, monkeypatch):
    """A look at it would hang for ever: it is let be, and cleaned up when it is there again."""
    disk, notes = tmp_path / "disk", tmp_path / "notes"
    disk.mkdir()
    made = TestFolder(disk, notes)
    made.make()
    made.leave()
    hangs, real = threading.Event(), Path.stat

    def hang(path, **words):
        if path.name.startswith(FOLDER_PREFIX):
            hangs.wait(30)
        return real(path, **words)

    with monkeypatch.context() as patched:
        patched.setattr(leftovers, "_ANSWERS_WITHIN_S", 0.3)
        patched.setattr(Path, "stat", hang)
        begin_s = time.monotonic()
        assert remove_leftovers(notes) == ()
        assert time.monotonic() - begin_s < 5
        hangs.set()
    assert list(notes.iterdir()) and list(disk.iterdir())
    (removed,) = remove_leftovers(notes)
    assert removed.folder.parent == disk and not list(disk.iterdir()) and not list(notes.iterdir())
