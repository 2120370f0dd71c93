"""Killed at a random moment, or its disk turned read-only: others' files are left alone.

``VAST_CELLAR_KILLS=100 pytest tests/bench/test_killed.py`` does it a hundred times.
"""

import os
import random
import signal
import subprocess
import sys
import time

import pytest

from disks import loop_disk, quietly, turn_read_only
from vastcellar.bench.leftovers import FOLDER_PREFIX, remove_leftovers

MOMENTS = int(os.environ.get("VAST_CELLAR_KILLS", "6"))
RUNS = {
    "recorder": """
from fractions import Fraction
from vastcellar.bench.recorder_run import RecorderRun
from vastcellar.core.recording.recorder import RecorderLoad
run = RecorderRun(RecorderLoad(20e6, Fraction(25), 16_000_000, 600), target)
""",
    "flat": """
from vastcellar.bench.flat_run import FlatPlan, FlatRun
from vastcellar.bench.probe import Shape
run = FlatRun(FlatPlan("read", 80 * 2**20, shape=Shape(2**20, 4), reads_back=True), target)
""",
    "edit": """
from vastcellar.bench.edit_run import EditPlan, EditRun
run = EditRun(EditPlan(8e6, 25.0, streams=2, step_s=1.0), target)
""",
    "offload": """
from vastcellar.bench.offload_run import OffloadRun
from vastcellar.services.proving.offloading import made_up_clips
run = OffloadRun(made_up_clips(40, 3_000_001), target)
""",
}
BEGIN = """
import sys
from pathlib import Path
from vastcellar.bench.folder_target import FolderTarget
target = FolderTarget(Path(sys.argv[1]), Path(sys.argv[2]))
"""
GO = """
print("ready", flush=True)
for _ in run.snapshots():
    pass
"""
KEPT = {"holiday.mov": "keep", "vast-cellar-test-notes.txt": "mine, too"}


def begin(kind, disk, notes):
    process = subprocess.Popen(
        [sys.executable, "-c", BEGIN + RUNS[kind] + GO, str(disk), str(notes)],
        stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True,
    )  # fmt: skip
    assert process.stdout.readline() == "ready\n"
    return process


def contents(disk):
    return {entry.name: entry.read_text() for entry in disk.iterdir() if entry.is_file()}


@pytest.mark.parametrize("moment", range(MOMENTS))
def test_killed_at_any_moment_nothing_of_others_is_touched(tmp_path, moment):
    """Whatever the moment of the kill, only the test's own files are removed afterwards."""
    draw = random.Random(moment)
    disk, notes = tmp_path / "disk", tmp_path / "notes"
    disk.mkdir()
    for name, text in KEPT.items():
        (disk / name).write_text(text)
    process = begin(draw.choice(list(RUNS)), disk, notes)
    time.sleep(draw.choice((0.0, draw.uniform(0, 0.02), draw.uniform(0, 1.2))))
    os.kill(process.pid, signal.SIGKILL)
    process.wait()
    process.stdout.close()
    remove_leftovers(notes)
    assert contents(disk) == KEPT
    assert not [entry for entry in disk.iterdir() if entry.is_dir()]
    assert remove_leftovers(notes) == ()


@pytest.mark.real_disk
@pytest.mark.parametrize("moment", range(max(MOMENTS // 3, 1)))
def test_a_disk_that_turns_read_only_is_cleaned_once_it_can_be_written_again(tmp_path, moment):
    """What couldn't be removed while read-only is removed later, and nothing else is."""
    draw = random.Random(1000 + moment)
    notes = tmp_path / "notes"
    with loop_disk(tmp_path, "disk") as disk:
        for name, text in KEPT.items():
            (disk / name).write_text(text)
        os.sync()  # theirs are on the disk; only ours are under way
        process = begin(draw.choice(list(RUNS)), disk, notes)
        time.sleep(draw.uniform(0, 0.8))
        turn_read_only(disk)
        process.wait(timeout=60)
        process.stdout.close()
        remove_leftovers(notes)
        left = [entry for entry in disk.iterdir() if entry.name.startswith(FOLDER_PREFIX)]
        assert set(KEPT) <= {entry.name for entry in disk.iterdir()}
        quietly("umount", str(disk))
        image = str(tmp_path / "disk.img")
        subprocess.run(["fsck.ext4", "-p", image], capture_output=True, check=False)  # 1: mended
        quietly("mount", "-o", "loop", image, str(disk))
        remove_leftovers(notes)
        assert contents(disk) == KEPT, left
        assert [entry.name for entry in disk.iterdir() if entry.is_dir()] == ["lost+found"]
