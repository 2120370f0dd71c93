"""A test in a process of its own: the same results, errors and cleaning up as at home."""

import errno
import os
import signal
import subprocess
import sys
import threading
import time
from fractions import Fraction
from importlib import import_module
from pathlib import Path

import numpy as np
import pytest

from vastcellar.bench import apart, reading_threads
from vastcellar.bench.apart import ApartRun
from vastcellar.bench.cut_run import CutPlan, CutRun, part_of
from vastcellar.bench.edit_run import EditPlan
from vastcellar.bench.flat_run import FlatPlan
from vastcellar.bench.folder_target import FolderTarget
from vastcellar.bench.leftovers import remove_leftovers
from vastcellar.bench.probe import Shape
from vastcellar.bench.stream_files import StreamFiles
from vastcellar.core.edit.demand import ClipUse
from vastcellar.core.errors import DiskError
from vastcellar.core.recording.recorder import RecorderLoad
from vastcellar.services.proving.folder_runs import file_run, flat_run, recorder_run
from vastcellar.services.proving.offloading import made_up_clips

MIB = 2**20
PLAN = FlatPlan("read", 16 * MIB, shape=Shape(MIB, 2), reads_back=True)
ENDLESS = FlatPlan("write", 2**40, most_s=600, shape=Shape(MIB, 2))


@pytest.fixture
def disk(tmp_path):
    made = tmp_path / "disk"
    made.mkdir()
    yield made
    assert list(made.iterdir()) == []


@pytest.fixture
def there(monkeypatch):
    """Return a function of this module as the child finds it."""
    monkeypatch.setenv("PYTHONPATH", str(Path(__file__).parent))
    monkeypatch.syspath_prepend(str(Path(__file__).parent))
    return lambda name: getattr(import_module("test_apart"), name)


def limited_run(folder, notes):
    """As on a disk that fills up: made in the child, where the test can't patch."""
    real, written = os.pwrite, []

    def full(handle, data, at):
        written.append(len(data))
        if sum(written) > 4 * MIB:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        return real(handle, data, at)

    os.pwrite = full
    return flat_run(PLAN, folder, notes)


def hanging_after_some(real):
    """Return *real* as it is on a disk that answers twenty times and then never more."""
    calls = []

    def hang(*given):
        calls.append(given)
        if len(calls) > 20:
            time.sleep(3600)
        return real(*given)

    return hang


def hanging_run(plan, folder, notes):
    """As on a share that is gone: after some reads no further one ever comes back."""
    reading_threads.ANSWERS_WITHIN_S = 0.3
    StreamFiles.read = hanging_after_some(StreamFiles.read)
    if isinstance(plan, CutPlan):
        return CutRun(plan, FolderTarget(folder, notes))
    return file_run(plan, folder, notes)


def silent_run(folder, notes):
    """As with a write that never comes back, in the very thread that tells of the test."""
    run = flat_run(ENDLESS, folder, notes)
    os.pwrite = hanging_after_some(os.pwrite)
    return run


EDIT = EditPlan(4e6, 25, 2, step_s=1.0, clip_s=1, jumps_per_minute=0, scrubs_per_minute=0)
CUT = part_of("cut", [ClipUse("a", 0.0, 3.0, 4e6, 25.0, 0)], 0.0, 3.0, 0.3)


@pytest.mark.parametrize("plan", [EDIT, CUT], ids=["edit", "cut"])
def test_a_share_that_never_answers_ends_the_test_and_is_left_to_the_next_start(
    tmp_path, there, plan
):
    """Nothing is asked of it any more, not even to remove our files: that would hang as well."""
    disk, notes = tmp_path / "disk", tmp_path / "notes"
    disk.mkdir()
    run, begin_s = ApartRun(there("hanging_run"), plan, disk, notes), time.monotonic()
    try:
        for _ in run.snapshots():
            pass
        error = run.error
    except DiskError as raised:
        error = raised
    assert "it hasn't answered for 0 s" in str(error) and "at the next start" in error.mend
    assert time.monotonic() - begin_s < 20
    assert list(disk.iterdir())
    assert remove_leftovers(notes) and not list(disk.iterdir())


def test_a_process_that_says_nothing_any_more_is_ended(tmp_path, there, monkeypatch):
    """It hangs in a call to its disk: the window gets a sentence, and the disk its note."""
    monkeypatch.setattr(apart, "SPEAKS_WITHIN_S", 1.5)
    monkeypatch.setattr(apart, "STOPS_WITHIN_S", 0.5)
    disk, notes = tmp_path / "disk", tmp_path / "notes"
    disk.mkdir()
    run = ApartRun(there("silent_run"), disk, notes)
    with pytest.raises(DiskError, match="doesn't answer any more"):
        list(run.snapshots())
    assert run._child.poll() == -signal.SIGKILL
    assert remove_leftovers(notes) and not list(disk.iterdir())


def test_what_hangs_can_be_stopped(tmp_path, there, monkeypatch):
    """Somebody who presses stop gets away, and what was left is removed later."""
    monkeypatch.setattr(apart, "STOPS_WITHIN_S", 0.5)
    disk, notes = tmp_path / "disk", tmp_path / "notes"
    disk.mkdir()
    run = ApartRun(there("silent_run"), disk, notes)
    threading.Timer(3.0, run.stop).start()
    begin_s = time.monotonic()
    with pytest.raises(DiskError, match="doesn't answer any more"):
        list(run.snapshots())
    assert time.monotonic() - begin_s < 10
    assert remove_leftovers(notes) and not list(disk.iterdir())


def test_a_run_apart_shows_its_way_and_returns_its_result(disk, tmp_path, capfd):
    """A test in a process of its own shows every phase and hands back a result that is whole."""
    run = ApartRun(flat_run, PLAN, disk, tmp_path / "notes")
    phases = [shown.phase for shown in run.snapshots()]
    assert phases[0].startswith("writing") and "reading back" in phases
    assert run.error is None
    result = run.result
    assert result.is_complete
    assert result.written_bytes == 16 * MIB == result.read.moved_bytes
    assert result.read.first_wrong_at is None
    assert np.all(np.diff(result.write.trace.written_bytes) >= 0)
    assert run.is_direct == result.is_direct
    assert run._child.returncode == 0
    assert capfd.readouterr().err == ""


def test_recorder_and_file_tests_go_apart_too(disk, tmp_path):
    """Frames of two cameras arrive in a process of their own as they do at home."""
    load = RecorderLoad(20e6, Fraction(25), 64_000_000, 0.4)
    run = ApartRun(recorder_run, [load, load], disk, tmp_path / "notes")
    for _ in run.snapshots():
        pass
    assert run.result.frames_arrived == 2 * load.frame_count
    run = ApartRun(file_run, made_up_clips(2, MIB), disk, tmp_path / "notes")
    for _ in run.snapshots():
        pass
    assert run.result.different == ()


def test_stopped_it_keeps_what_it_measured_and_cleans_up_soon(disk, tmp_path):
    """Stopping keeps the bytes measured so far, and the disk is clean within moments."""
    run = ApartRun(flat_run, ENDLESS, disk, tmp_path / "notes")
    stopped_s = 0.0
    for shown in run.snapshots():
        if shown.moved_bytes and not stopped_s:
            run.stop()
            stopped_s = time.monotonic()
    assert time.monotonic() - stopped_s < 30  # and not the ten minutes it was told
    assert run.result.ended_by == "cancelled"
    assert run.result.written_bytes > 0


def test_what_the_child_meets_is_raised_or_kept_as_at_home(disk, tmp_path, there):
    """A sentence met in the child is raised here with its mend, or kept beside the result."""
    run = ApartRun(flat_run, PLAN, tmp_path / "nowhere", tmp_path / "notes")
    with pytest.raises(DiskError) as met:
        list(run.snapshots())
    assert met.value.mend
    run = ApartRun(there("limited_run"), disk, tmp_path / "notes")
    for _ in run.snapshots():
        pass
    assert "the disk is full" in str(run.error)
    assert not run.result.is_complete
    assert 0 < run.result.written_bytes <= 4 * MIB


def test_a_child_that_is_killed_is_told_and_its_leftovers_go_at_the_next_start(tmp_path):
    """A child killed outright is reported, and its folder is removed at the next start."""
    disk, notes = tmp_path / "disk", tmp_path / "notes"
    disk.mkdir()
    run = ApartRun(flat_run, ENDLESS, disk, notes)
    with pytest.raises(DiskError, match="ended by itself"):
        for shown in run.snapshots():
            if shown.moved_bytes:
                run._child.send_signal(signal.SIGKILL)
    assert list(disk.iterdir())
    assert remove_leftovers(notes)
    assert list(disk.iterdir()) == []


def test_a_parent_that_is_killed_leaves_neither_child_nor_files(tmp_path):
    """A test never outlives the program that began it, and leaves no file behind."""
    disk = tmp_path / "disk"
    disk.mkdir()
    script = (
        "import sys; from pathlib import Path\n"
        "from vastcellar.bench.apart import ApartRun\n"
        "from vastcellar.bench.flat_run import FlatPlan\n"
        "from vastcellar.services.proving.folder_runs import flat_run\n"
        "plan = FlatPlan('write', 2**40, most_s=600)\n"
        "run = ApartRun(flat_run, plan, Path(sys.argv[1]), Path(sys.argv[2]))\n"
        "for shown in run.snapshots():\n"
        "    if shown.moved_bytes: print('going', flush=True)\n"
    )
    words = [sys.executable, "-c", script, disk, tmp_path / "notes"]
    parent = subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
    assert parent.stdout.readline()
    parent.kill()
    parent.wait()
    parent.stdout.close()
    deadline = time.monotonic() + 20
    while list(disk.iterdir()) and time.monotonic() < deadline:
        time.sleep(0.05)
    assert list(disk.iterdir()) == []
