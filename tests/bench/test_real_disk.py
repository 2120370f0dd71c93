"""Tests on real file systems of their own: loop mounts that fill up or turn read-only."""

import os
from fractions import Fraction

import pytest

from disks import loop_disk, turn_read_only
from vastcellar.bench.flat_run import FlatPlan, FlatRun
from vastcellar.bench.folder_target import FolderTarget
from vastcellar.bench.offload_run import OffloadRun
from vastcellar.bench.recorder_run import RecorderRun
from vastcellar.core.errors import BadValueError
from vastcellar.core.recording.recorder import RecorderLoad
from vastcellar.services.proving.flat_proving import capacity_plan, folder_flat_proof
from vastcellar.services.proving.offloading import made_up_clips
from vastcellar.services.proving.places import find_place
from vastcellar.services.proving.recorder_proving import folder_proof, plan_folder_proof

LOAD = RecorderLoad(40e6, Fraction(25), 64_000_000, 4)


@pytest.fixture
def disk(tmp_path):
    """A small ext4 disk, mounted; the test is skipped where that isn't allowed."""
    with loop_disk(tmp_path, "disk", 384 * 2**20) as mount_point:
        yield mount_point


@pytest.mark.real_disk
def test_a_real_disk_is_paced_left_clean_and_described(disk, tmp_path):
    """On a real mounted disk the pace is kept, its file system named and nothing left."""
    before = sorted(path.name for path in disk.iterdir())
    proof = folder_proof(disk, LOAD, tmp_path / "notes", None, 24.0)
    for _ in proof.run.snapshots():
        pass
    result = proof.run.result
    # How fast the disk is, and whether it stalls, is its own affair; the pace is ours: no frame
    # before it is due, and every frame accounted for.
    paced_s = result.elapsed_s - result.flush_s
    assert paced_s >= LOAD.duration_s - 1 / float(LOAD.frames_per_s)
    assert result.is_complete
    assert result.frames_arrived == LOAD.frame_count
    kept = LOAD.frame_count - result.frames_dropped
    assert result.written_bytes == pytest.approx(kept / LOAD.frame_count * LOAD.total_bytes)
    assert sorted(path.name for path in disk.iterdir()) == before
    assert proof.plan.mount.file_system == "ext4"
    assert proof.plan.mount.mount_point == str(disk)
    assert proof.conditions(result).file_system == "ext4"


@pytest.mark.real_disk
def test_a_disk_too_small_is_refused_before_a_byte_is_written(disk, tmp_path):
    """And the sentence says how long a test would fit."""
    with pytest.raises(BadValueError, match="test at most") as caught:
        folder_proof(disk, RecorderLoad(40e6, Fraction(25), 0, 60), tmp_path / "notes", None, 24.0)
    assert str(disk) in str(caught.value)
    plan = plan_folder_proof(disk, LOAD, tbw_bytes=16e9)
    assert plan.tbw_share == pytest.approx(0.01)


def start_fault(disk, fault):
    if fault == "full":
        room = os.statvfs(disk)
        with (disk / "ballast").open("wb") as ballast:
            os.posix_fallocate(ballast.fileno(), 0, room.f_bavail * room.f_bsize)
    else:
        turn_read_only(disk)


RUNS = {
    "recorder": lambda target: RecorderRun(LOAD, target),
    "cameras": lambda target: RecorderRun([LOAD, LOAD], target),
    "flat out": lambda target: FlatRun(FlatPlan("write", 280 * 10**6), target),
    "offload": lambda target: OffloadRun(made_up_clips(28, 10**7), target),
}


@pytest.mark.real_disk
@pytest.mark.parametrize("kind", RUNS)
@pytest.mark.parametrize(
    ("fault", "says"), [("full", "the disk is full"), ("readonly", "read-only")]
)
def test_a_disk_that_fills_up_or_turns_read_only_ends_with_its_sentence(
    disk, tmp_path, fault, says, kind
):
    """A real disk full or remounted read-only under any test ends it with a sentence."""
    run = RUNS[kind](FolderTarget(disk, tmp_path / "notes"))
    is_done = False
    for snapshot in run.snapshots():
        moved = getattr(snapshot, "moved_bytes", 0) or getattr(snapshot, "written_bytes", 0)
        if moved > 12e6 and not is_done:
            is_done = True
            start_fault(disk, fault)
    assert is_done
    result = run.result
    assert says in str(run.error) or "stopped answering" in str(run.error)
    assert run.error.mend
    assert not result.is_complete
    assert result.ended_by == str(run.error)
    assert result.written_bytes > 12e6
    if fault == "full":
        assert not list(disk.glob("vast-cellar-test-*"))


@pytest.mark.real_disk
def test_a_full_disk_proves_its_capacity_and_leaves_its_reserve(disk, tmp_path):
    """Filled to the last byte that is there, a capacity proof has not failed."""
    place = find_place(disk)
    proof = folder_flat_proof(disk, capacity_plan(place.room_bytes), tmp_path / "notes")
    least = place.mount.free_bytes
    for _ in proof.run.snapshots():
        room = os.statvfs(disk)
        least = min(least, room.f_bavail * room.f_bsize)
    result = proof.run.result
    assert result.is_complete
    assert result.read.first_wrong_at is None
    assert result.true_capacity_bytes == pytest.approx(place.room_bytes, abs=4096)
    assert least >= place.reserve_bytes * 0.9
    assert not list(disk.glob("vast-cellar-test-*"))
