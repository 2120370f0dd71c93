"""The recorder test on fakes at the border, on a real folder and on a simulated rig."""

import errno
import math
import os
import threading
import time
from fractions import Fraction
from pathlib import Path

import pytest

from faults import refuse_direct_io
from vastcellar.bench.folder_target import FolderTarget
from vastcellar.bench.payload import STAMP_EVERY_BYTES, Payload
from vastcellar.bench.recorder_run import RecorderRun
from vastcellar.bench.side_by_side import OneAtATime
from vastcellar.bench.simulated_rig import RigFault, SimulatedRig
from vastcellar.core.chain.chain import build_chain
from vastcellar.core.chain.setup_parts import find_parts, heat_path
from vastcellar.core.errors import DiskError
from vastcellar.core.parts.units import free_bytes_on
from vastcellar.core.recording.frame_sizes import FrameVariation
from vastcellar.core.recording.recorder import (
    RecorderLoad,
    predicted_drops,
    predicted_drops_on_trace,
)
from vastcellar.core.writing.write_profile import Phase, write_profile

QUICK = RecorderLoad(20e6, Fraction(50), 64_000_000, 0.6)


class PacedTarget(OneAtATime):
    """A drive of steady rate with a clock of its own, which can stall or fail on cue."""

    is_simulated = True
    block_bytes = 4096
    write_mode = "fake"

    def __init__(self, bytes_per_s, *, stall_at=math.inf, stall_s=0.0, fails_at=math.inf):
        self.bytes_per_s, self.at_s, self.written = bytes_per_s, 0.0, 0
        self.stall_at, self.stall_s, self.fails_at = stall_at, stall_s, fails_at
        self.is_closed = False

    def open(self):
        pass

    def write(self, size_bytes):
        self.written += size_bytes
        if self.written >= self.fails_at:
            raise DiskError("the disk stopped answering", where="fake", mend="Plug it in")
        if self.written >= self.stall_at:
            self.at_s, self.stall_at = self.at_s + self.stall_s, math.inf
        self.at_s += size_bytes / self.bytes_per_s

    def flush(self):
        self.at_s += 0.25

    def now_s(self):
        return self.at_s

    def wait_until(self, at_s, stop):
        self.at_s = max(self.at_s, at_s)

    def temperature_c(self):
        return math.nan

    def close(self):
        self.is_closed = True


def finish(run):
    for _ in run.snapshots():
        pass
    return run.result


def test_a_drive_that_keeps_up_is_measured_at_its_pace_and_its_ability():
    """With room to spare a recorder run gives both the camera's pace and the drive's ability."""
    load = RecorderLoad(100e6, Fraction(25), 256_000_000, 30)
    result = finish(RecorderRun(load, PacedTarget(400e6)))
    assert result.is_complete
    assert result.written_bytes == load.total_bytes
    # The flush counts: 30 s of take, 0.25 s of flush.
    assert result.achieved_bytes_per_s == pytest.approx(load.total_bytes / 30.25)
    assert result.slowest_second_ability_bytes_per_s == pytest.approx(400e6, rel=0.01)
    assert result.slowest_second_bytes == pytest.approx(100e6, rel=0.03)
    assert (result.frames_dropped, result.frames_late) == (0, 0)
    assert result.trace.written_bytes[-1] == load.total_bytes


def test_a_slow_drive_drops_what_buffer_arithmetic_predicts():
    """Frames lost on a slow drive are those that buffer arithmetic foretells."""
    load = RecorderLoad(60e6, Fraction(25), 256_000_000, 20)
    result = finish(RecorderRun(load, PacedTarget(30e6)))
    assert result.frames_dropped == pytest.approx(predicted_drops(load, 30e6), rel=0.03)
    assert result.first_drop_s == pytest.approx(256 / 30, abs=0.2)
    measured = predicted_drops_on_trace(load, result.trace)
    assert result.frames_dropped == pytest.approx(measured, rel=0.03)


def test_a_stall_shows_although_the_writer_itself_was_waiting():
    """Times count from the intended moment: 4 s of silence are not one slow write."""
    load = RecorderLoad(50e6, Fraction(25), 120_000_000, 20)
    target = PacedTarget(400e6, stall_at=300e6, stall_s=4.0)
    result = finish(RecorderRun(load, target))
    assert result.slowest_second_bytes < 1e6
    assert result.slowest_second_ability_bytes_per_s < 5e6
    assert result.worst_delay_s == pytest.approx(4.0, abs=0.15)
    assert result.frames_dropped == pytest.approx((4 * 50e6 - 120e6) / load.bytes_per_frame, abs=3)
    # A mean over the run would expect none; second by second the arithmetic sees the stall.
    measured = predicted_drops_on_trace(load, result.trace)
    assert result.frames_dropped == pytest.approx(measured, abs=3)


def test_a_disk_that_goes_away_keeps_what_was_measured():
    """A disk lost midway keeps its figures and its handle is closed."""
    load = RecorderLoad(50e6, Fraction(25), 120_000_000, 20)
    target = PacedTarget(400e6, fails_at=500e6)
    run = RecorderRun(load, target)
    result = finish(run)
    assert target.is_closed
    assert not result.is_complete
    assert "stopped answering" in result.ended_by
    assert isinstance(run.error, DiskError)
    assert result.trace.elapsed_s[-1] == pytest.approx(10, abs=0.5)


def test_a_real_folder_is_paced_and_left_as_it_was(tmp_path):
    """The recorder test leaves the user's own files and no others."""
    (tmp_path / "mine.txt").write_text("keep")
    seen = []
    run = RecorderRun(QUICK, FolderTarget(tmp_path, tmp_path / "notes"))
    for snapshot in run.snapshots():
        seen.append(snapshot)
        assert any(tmp_path.glob("vast-cellar-test-*/take-0001.*.bin")) or snapshot.elapsed_s > 0.59
    result = run.result
    assert result.written_bytes == QUICK.total_bytes
    assert not result.is_simulated
    assert len(seen) >= 5
    assert sum(len(s.new.elapsed_s) for s in seen) == len(result.trace.elapsed_s)
    assert sorted(p.name for p in tmp_path.iterdir()) == ["mine.txt", "notes"]
    assert list((tmp_path / "notes").iterdir()) == []


def test_cancel_ends_soon_keeps_the_result_and_leaves_nothing(tmp_path):
    """Cancel takes effect within moments on a long take."""
    long = RecorderLoad(20e6, Fraction(50), 64_000_000, 600)
    run = RecorderRun(long, FolderTarget(tmp_path, tmp_path / "notes"))
    for snapshot in run.snapshots():
        if snapshot.moved_bytes:  # on a stalling disk that may take a while
            threading.Thread(target=run.stop).start()
    result = run.result
    assert (result.is_complete, result.ended_by) == (False, "cancelled")
    assert 0 < result.written_bytes < long.total_bytes
    assert not list(tmp_path.glob("vast-cellar-test-*"))


def test_cancel_lets_no_further_write_begin():
    """So it ends within one write: 4 MiB, half a second on a drive of 8 MB/s."""

    class Cancelling(PacedTarget):
        def write(self, size_bytes):
            super().write(size_bytes)
            assert size_bytes <= 4 * 2**20
            self.after_stop = getattr(self, "after_stop", -1) + (self.written > 100e6)
            if self.written > 100e6:
                run.stop()

    target = Cancelling(400e6)
    run = RecorderRun(RecorderLoad(100e6, Fraction(25), 256_000_000, 30), target)
    assert finish(run).ended_by == "cancelled"
    assert target.after_stop == 0
    assert target.is_closed


def test_where_direct_io_is_refused_it_goes_on_buffered_and_says_so(tmp_path, monkeypatch):
    """As some network and FUSE file systems refuse it, at open or at the first write."""
    refuse_direct_io(monkeypatch)
    result = finish(RecorderRun(QUICK, FolderTarget(tmp_path, tmp_path / "notes")))
    assert result.is_complete
    assert result.write_mode.startswith("buffered")
    assert not list(tmp_path.glob("vast-cellar-test-*"))


@pytest.mark.parametrize(
    ("number", "says"),
    [
        (errno.ENOSPC, "the disk is full"),
        (errno.EROFS, "read-only"),
        (errno.EIO, "stopped answering"),
        (errno.ENOTCONN, "stopped answering"),
        (errno.EACCES, "no permission"),
        (errno.EFBIG, "larger than this file system allows"),
        (errno.ENOMEM, "the disk refused"),
    ],
)
def test_what_the_system_says_of_a_disk_becomes_a_sentence(tmp_path, monkeypatch, number, says):
    """Each errno of the write becomes a sentence that says what to do."""
    real_write, written = os.pwrite, 0

    def failing(handle, data, offset):
        nonlocal written
        written += len(data)
        if written > 5e6:
            raise OSError(number, os.strerror(number))
        return real_write(handle, data, offset)

    monkeypatch.setattr(os, "pwrite", failing)
    run = RecorderRun(QUICK, FolderTarget(tmp_path, tmp_path / "notes"))
    result = finish(run)
    assert says in str(run.error)
    assert run.error.mend
    assert not result.is_complete
    assert not list(tmp_path.glob("vast-cellar-test-*"))


def test_a_folder_that_is_missing_is_refused_before_anything_is_made(tmp_path):
    """A missing folder is refused and not created."""
    run = RecorderRun(QUICK, FolderTarget(tmp_path / "nowhere", tmp_path / "notes"))
    with pytest.raises(DiskError, match="no such folder"):
        finish(run)
    assert not (tmp_path / "nowhere").exists()


def test_no_two_blocks_of_a_test_are_alike():
    """Otherwise a drive could fold them together and look fast."""
    payload, blocks = Payload(5), set()
    for _ in range(20):
        data = payload.take(4 * 2**20)
        for at in range(0, len(data), 16 * STAMP_EVERY_BYTES):
            blocks.add(bytes(data[at : at + STAMP_EVERY_BYTES]))
    payload.release()
    assert len(blocks) == 20 * 64


def rig_of(catalog, shelf, tag, load, **kwargs):
    unit = shelf.unit(tag)
    from vastcellar.core.shoot.shoot import Setup

    setup = Setup(unit.drive_key, "maro-6", "usb-c", tag, unit.enclosure_key, "wr-10g")
    chain = build_chain(find_parts(setup, catalog, unit), catalog, 24.0)
    profile = write_profile(
        chain.parts.drive.behaviour,
        heat_path(chain.parts, 24.0),
        chain.link_cap_bytes_per_s,
        (Phase(load.average_bytes_per_s, load.duration_s),),
        free_bytes=chain.free_bytes,
    )
    return SimulatedRig(profile, **kwargs)


def test_a_simulated_rig_collapses_where_the_model_says(catalog, shelf):
    """The simulated drive falls at the second that the write profile names."""
    load = RecorderLoad(159.83e6, Fraction(25), 1_100_000_000, 1800)
    result = finish(RecorderRun(load, rig_of(catalog, shelf, "M-03", load)))
    assert result.is_simulated
    assert result.first_drop_s == pytest.approx(1426 + 1100 / 39.83, rel=0.01)
    assert result.slowest_second_ability_bytes_per_s == pytest.approx(120e6, rel=0.12)


def test_a_stalling_sample_differs_from_its_steady_twin(catalog, shelf):
    """Two samples alike but for stalls differ in frames lost, and only there."""
    load = RecorderLoad(159.83e6, Fraction(25), 1_100_000_000, 900)
    fault = RigFault(stall_every_bytes=22e9, stall_s=9.0)
    steady = finish(RecorderRun(load, rig_of(catalog, shelf, "M-01", load)))
    stalling = finish(RecorderRun(load, rig_of(catalog, shelf, "M-04", load, fault=fault)))
    assert steady.frames_dropped == 0
    assert stalling.frames_dropped > 0
    assert stalling.worst_delay_s > 4


def test_the_same_seed_gives_the_same_run(catalog, shelf):
    """A seed repeats a run exactly, and another seed doesn't."""
    load = RecorderLoad(159.83e6, Fraction(25), 1_100_000_000, 60)
    traces = [
        finish(RecorderRun(load, rig_of(catalog, shelf, "M-01", load, seed=seed))).worst_delay_s
        for seed in (3, 3, 4)
    ]
    assert traces[0] == traces[1] != traces[2]


def test_a_rig_keeps_to_its_speed_in_real_time(catalog, shelf):
    """A rig 40 times as fast takes a fortieth of the time, and not less."""
    load = RecorderLoad(159.83e6, Fraction(25), 1_100_000_000, 20)
    begin_s = time.monotonic()
    finish(RecorderRun(load, rig_of(catalog, shelf, "M-01", load, speed=40)))
    assert 0.45 <= time.monotonic() - begin_s < 20  # half a second, and whatever the machine adds


def test_tests_never_write_outside_their_folder(tmp_path):
    """A link in the place of the test folder's file is not followed."""
    target = FolderTarget(tmp_path, tmp_path / "notes")
    victim = Path(tmp_path / "victim.bin")
    victim.write_bytes(b"precious")
    make = target._test_folder.make

    def make_with_trap():
        make()
        own = target._test_folder
        (own.path / own.name_of("take-0001")).symlink_to(victim)

    target._test_folder.make = make_with_trap
    with pytest.raises(DiskError):
        finish(RecorderRun(QUICK, target))
    assert victim.read_bytes() == b"precious"


def test_several_cameras_share_a_drive_and_each_gets_its_own_account():
    """150 MB/s asked of a drive of 110: the small one with the large buffer gets through."""
    calm = RecorderLoad(20e6, Fraction(25), 900_000_000, 30, name="calm")
    greedy = RecorderLoad(130e6, Fraction(50), 100_000_000, 30, name="greedy")
    result = finish(RecorderRun([calm, greedy], PacedTarget(110e6)))
    of = {each.load.name: each for each in result.cameras}
    assert of["calm"].frames_dropped == 0
    assert of["greedy"].frames_dropped > 100
    assert of["greedy"].first_drop_s == result.first_drop_s == pytest.approx(2.5, abs=1)
    assert result.frames_arrived == calm.frame_count + greedy.frame_count
    assert result.written_bytes == sum(each.written_bytes for each in result.cameras)
    assert result.load.average_bytes_per_s == 150e6
    # Writes that follow each other keep the drive busy once: its ability isn't counted twice.
    assert result.slowest_second_ability_bytes_per_s == pytest.approx(110e6, rel=0.05)


def test_several_cameras_write_at_once_into_files_of_their_own(tmp_path):
    """Three cameras write three files at once, each with all of its frames."""
    loads = [
        RecorderLoad(8e6, Fraction(25), 64_000_000, 1, FrameVariation(1.4, 12, seed), f"c{seed}")
        for seed in (1, 2, 3)
    ]
    run = RecorderRun(loads, FolderTarget(tmp_path, tmp_path / "notes"))
    files = set()
    for _ in run.snapshots():
        files |= {path.name.split(".")[0] for path in tmp_path.glob("vast-cellar-test-*/cam*")}
    result = run.result
    assert files == {"cam01-0001", "cam02-0001", "cam03-0001"}
    assert result.is_complete
    assert result.frames_dropped == 0
    assert [each.written_bytes for each in result.cameras] == [load.total_bytes for load in loads]
    assert not list(tmp_path.glob("vast-cellar-test-*"))
    assert not any(thread.name.startswith("camera") for thread in threading.enumerate())


def test_one_of_several_cameras_meeting_a_full_disk_ends_all_and_leaves_nothing(
    tmp_path, monkeypatch
):
    """A full disk under one camera ends the take of all and removes each file."""
    real_write, written = os.pwrite, 0

    def failing(handle, data, offset):
        nonlocal written
        written += len(data)
        if written > 6e6:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        return real_write(handle, data, offset)

    monkeypatch.setattr(os, "pwrite", failing)
    run = RecorderRun([QUICK, QUICK], FolderTarget(tmp_path, tmp_path / "notes"))
    result = finish(run)
    assert "the disk is full" in str(run.error)
    assert 0 < result.written_bytes <= 6e6
    assert not list(tmp_path.glob("vast-cellar-test-*"))


@pytest.mark.parametrize("tag", ["K-11", "M-03"])
@pytest.mark.parametrize("seed", [1, 2, 3])
def test_a_rig_is_full_by_its_bytes_whatever_its_noise(catalog, shelf, tag, seed):
    """A drive a little slower or faster than its model takes all that is free, and no block more:
    a capacity proof on a rig once ended early where noise had cost it a second."""
    unit = shelf.unit(tag)
    free = int(free_bytes_on(catalog.drive_of(unit), unit))
    load = RecorderLoad(400e6, Fraction(25), 1_100_000_000, 30_000)
    rig = rig_of(catalog, shelf, tag, load, seed=seed)
    rig.open()
    block = 512 * 2**20
    for start in range(0, free, block):
        rig.write(min(block, free - start))
    with pytest.raises(DiskError, match="full"):
        rig.write(block)
