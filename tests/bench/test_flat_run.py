"""Flat-out tests on real folders, on a lying one, and on simulated rigs."""

import errno
import math
import mmap
import os
import threading
import time

import pytest

from faults import refuse_direct_io
from vastcellar.bench.disturbances import UNDISTURBED, DisturbanceWatch
from vastcellar.bench.flat_run import FlatPlan, FlatRun
from vastcellar.bench.folder_target import FolderTarget
from vastcellar.bench.host_limit import HostLimit
from vastcellar.bench.in_flight import Completed, in_flight
from vastcellar.bench.payload import POOL_BYTES, STAMP_EVERY_BYTES, Payload
from vastcellar.bench.probe import Shape, probe_bytes
from vastcellar.bench.stream_files import StreamFiles
from vastcellar.core.errors import BadValueError, DiskError

MIB = 2**20
SMALL = Shape(MIB, 2)


def finish(run):
    seen = list(run.snapshots())
    return run.result, seen


def make(tmp_path, plan):
    return FlatRun(plan, FolderTarget(tmp_path, tmp_path / "notes"))


@pytest.mark.parametrize("shape", [Shape(MIB, 1), Shape(4 * MIB, 4), Shape(64 * 1024, 3)])
def test_what_was_written_is_read_back_and_every_block_is_right(tmp_path, shape):
    """Every stamped block comes back from its own place, the broken last one too."""
    plan = FlatPlan("read", 37 * MIB + 8192, shape=shape, reads_back=True)
    result, seen = finish(make(tmp_path, plan))
    assert result.is_complete
    assert result.write.moved_bytes == result.read.moved_bytes == plan.most_bytes
    assert (result.read.wrong_blocks, result.read.first_wrong_at) == (0, None)
    assert result.write.latency.count == math.ceil(plan.most_bytes / shape.block_bytes)
    assert result.write.latency.p50_s <= result.write.latency.p999_s
    assert result.write.trace.written_bytes[-1] == plan.most_bytes
    assert result.write.elapsed_s >= result.write.flush_s > 0
    assert [s.phase for s in seen if s.begins_pass] == ["writing", "reading back"]
    assert seen[-1].done_share == 1
    assert not list(tmp_path.glob("vast-cellar-test-*"))


@pytest.mark.parametrize("depth", [1, 3])
def test_a_drive_sold_larger_than_it_is_loses_what_lies_beyond(tmp_path, monkeypatch, depth):
    """It wraps around: what comes later overwrites what was there first."""
    true_bytes = 8 * MIB
    real_write, real_read = StreamFiles.write, StreamFiles.read
    monkeypatch.setattr(
        StreamFiles, "write", lambda self, at, data: real_write(self, at % true_bytes, data)
    )
    monkeypatch.setattr(
        StreamFiles, "read", lambda self, at, into: real_read(self, at % true_bytes, into)
    )
    shape = Shape(MIB, depth)
    plan = FlatPlan("capacity", 20 * MIB, shape=shape, reads_back=True, fills_up=True)
    result, _ = finish(make(tmp_path, plan))
    # 20 MiB went round 8 MiB two and a half times: bytes 0 to 4 MiB hold what belongs to 16 MiB.
    assert result.true_capacity_bytes == result.read.first_wrong_at == 0
    assert result.read.wrong_blocks == 12


def test_a_drive_that_drops_what_does_not_fit_names_the_first_lost_byte(tmp_path, monkeypatch):
    """A drive that silently drops the end is convicted with the first byte that it lost."""
    lost_from = 11 * MIB + 3 * STAMP_EVERY_BYTES
    real_write = StreamFiles.write

    def forgetful(self, at, data):
        kept = max(min(lost_from - at, len(data)), 0)
        real_write(self, at, data[:kept])
        if kept < len(data):
            os.ftruncate(self._handle(0), max(at + len(data), lost_from))

    monkeypatch.setattr(StreamFiles, "write", forgetful)
    plan = FlatPlan("capacity", 16 * MIB, shape=Shape(MIB, 1), reads_back=True, fills_up=True)
    result, _ = finish(make(tmp_path, plan))
    assert result.true_capacity_bytes == lost_from


@pytest.mark.parametrize("depth", [1, 4])
def test_a_disk_that_others_fill_is_not_called_counterfeit(tmp_path, monkeypatch, depth):
    """Blocks in flight when the room ended were never acknowledged: they accuse nobody."""
    real_write, gone = StreamFiles.write, threading.Event()

    def filling(self, at, data):
        if at >= 9 * MIB and at != 11 * MIB:  # one further on still got through
            real_write(self, at, data[: len(data) // 2])
            gone.set()
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        real_write(self, at, data)

    monkeypatch.setattr(StreamFiles, "write", filling)
    plan = FlatPlan("capacity", 64 * MIB, shape=Shape(MIB, depth), reads_back=True, fills_up=True)
    run = make(tmp_path, plan)
    result, _ = finish(run)
    assert not result.is_complete
    assert "became full before the test had written what was free" in result.ended_by
    assert result.read.wrong_blocks == 0
    assert result.true_capacity_bytes is None
    assert result.read.moved_bytes <= 9 * MIB


def test_a_drive_that_loses_blocks_is_accused_even_where_others_fill_it(tmp_path, monkeypatch):
    """What was acknowledged and synced, and doesn't come back, is lost whatever happened later."""
    real_write = StreamFiles.write
    nothing = mmap.mmap(-1, MIB)  # on a page's border, as direct I/O wants it

    def forgetful_and_filling(self, at, data):
        if at >= 9 * MIB:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        real_write(self, at, data if at < 3 * MIB else memoryview(nothing)[: len(data)])

    monkeypatch.setattr(StreamFiles, "write", forgetful_and_filling)
    plan = FlatPlan("capacity", 64 * MIB, shape=Shape(MIB, 1), reads_back=True, fills_up=True)
    result, _ = finish(make(tmp_path, plan))
    assert result.true_capacity_bytes == 3 * MIB


def test_a_capacity_proof_cancelled_while_reading_says_no_capacity(tmp_path, monkeypatch):
    """Half of it read back right is not the true capacity."""
    plan = FlatPlan("capacity", 64 * MIB, shape=SMALL, reads_back=True, fills_up=True)
    run = make(tmp_path, plan)
    real_read = StreamFiles.read

    def cancelling(self, at, into):
        # In the middle of it, however fast the disk is.
        if at >= 32 * MIB:
            run.stop()
        return real_read(self, at, into)

    monkeypatch.setattr(StreamFiles, "read", cancelling)
    list(run.snapshots())
    assert not run.result.is_complete
    assert run.result.true_capacity_bytes is None


def test_a_single_stale_block_is_found(tmp_path, monkeypatch):
    """One block of old content among thousands is enough to be found, with its place."""
    at_wrong = 5 * MIB + 7 * STAMP_EVERY_BYTES
    real_read = StreamFiles.read

    def stale(self, at, into):
        count = real_read(self, at, into)
        if at <= at_wrong < at + count:
            inside = at_wrong - at
            into[inside : inside + STAMP_EVERY_BYTES] = into[:STAMP_EVERY_BYTES]
        return count

    monkeypatch.setattr(StreamFiles, "read", stale)
    plan = FlatPlan("read", 12 * MIB, shape=SMALL, reads_back=True)
    result, _ = finish(make(tmp_path, plan))
    assert result.read.first_wrong_at == at_wrong
    assert result.read.wrong_blocks == 1


def test_a_stall_is_kept_with_its_moment_and_place(tmp_path, monkeypatch):
    """A pause in the write is kept with when, where and for how long it was."""
    real_write = StreamFiles.write

    def stalling(self, at, data):
        if at == 6 * MIB:
            time.sleep(0.4)
        real_write(self, at, data)

    monkeypatch.setattr(StreamFiles, "write", stalling)
    result, _ = finish(make(tmp_path, FlatPlan("write", 12 * MIB, shape=Shape(MIB, 1))))
    # The disk of this computer may have stalls of its own, and longer ones.
    (stall,) = (each for each in result.write.stalls if each.at_bytes == 6 * MIB)
    assert stall.duration_s >= 0.4
    assert 0 < stall.at_s < result.write.elapsed_s
    assert result.write.latency.longest_s >= 0.4


def test_it_ends_by_time_and_says_how_much(tmp_path):
    """A time limit ends the test about then, with what was written by that moment."""
    plan = FlatPlan("write", 2**40, most_s=0.5, shape=SMALL)
    result, _ = finish(make(tmp_path, plan))
    assert result.is_complete
    assert 0.5 <= result.write.elapsed_s - result.write.flush_s < 30  # and not for ever
    assert 0 < result.write.moved_bytes < 2**40


def test_cancel_keeps_what_was_measured_and_leaves_nothing(tmp_path):
    """Cancelling keeps the rate measured so far and takes the files away."""
    run = make(tmp_path, FlatPlan("write", 2**40, shape=SMALL))
    for snapshot in run.snapshots():
        if snapshot.moved_bytes:
            threading.Thread(target=run.stop).start()
    assert run.result.ended_by == "cancelled"
    assert not run.result.is_complete
    assert run.result.write.moved_bytes > 0
    assert not list(tmp_path.glob("vast-cellar-test-*"))


@pytest.mark.parametrize("depth", [1, 4])
@pytest.mark.parametrize(
    ("number", "says"), [(errno.ENOSPC, "the disk is full"), (errno.EIO, "stopped answering")]
)
def test_a_disk_that_refuses_ends_it_with_a_sentence(tmp_path, monkeypatch, number, says, depth):
    """EIO, ENOSPC and the like end a test with a sentence, not a traceback."""
    real_write = StreamFiles.write

    def failing(self, at, data):
        if at >= 9 * MIB:
            raise OSError(number, os.strerror(number))
        real_write(self, at, data)

    monkeypatch.setattr(StreamFiles, "write", failing)
    run = make(tmp_path, FlatPlan("write", 64 * MIB, shape=Shape(MIB, depth)))
    result, _ = finish(run)
    assert says in str(run.error) == result.ended_by
    assert 4 * MIB < result.write.moved_bytes <= 9 * MIB
    assert not list(tmp_path.glob("vast-cellar-test-*"))


def test_without_direct_io_it_goes_on_and_says_so(tmp_path, monkeypatch):
    """Where the file system refuses direct I/O the result says that caches took part."""
    refuse_direct_io(monkeypatch)
    plan = FlatPlan("read", 8 * MIB, shape=SMALL, reads_back=True)
    result, _ = finish(make(tmp_path, plan))
    assert result.is_complete
    assert not result.is_direct
    assert "posix_fadvise" in result.read_mode
    assert any("direct I/O was refused" in note for note in result.notes)
    assert result.read.first_wrong_at is None


def test_a_probe_chooses_a_shape_and_removes_what_it_wrote(tmp_path):
    """The shape that is used is one that was tried, and the bytes of trying are counted."""
    plan = FlatPlan("write", 64 * MIB, shape=None)
    result, _ = finish(make(tmp_path, plan))
    assert result.shape in {each.shape for each in result.tried}
    assert 0 < result.probed_bytes <= probe_bytes(plan.most_bytes)
    assert result.written_bytes == plan.most_bytes + result.probed_bytes


def test_blocks_that_can_not_be_tested_are_refused():
    """A block that stamps can't fill evenly is refused before anything is written."""
    for block in (1000, 3 * MIB, 16 * MIB):
        with pytest.raises(BadValueError, match="power of 2"):
            FlatPlan("write", MIB, shape=Shape(block, 1))


def test_none_runs_further_ahead_than_the_pool_is_long():
    """Else a block still under way would be stamped anew under its feet."""
    under_way, worst, lock = {}, 0, threading.Lock()

    def work(worker, at, size):
        nonlocal worst
        with lock:
            under_way[worker] = at
            worst = max(worst, at + size - min(under_way.values()))
        time.sleep(0.05 if at == 0 else 0.0005)
        with lock:
            del under_way[worker]
        return Completed(at, size, 0.0, 0.0)

    span, total = 16 * 4096, 400 * 4096
    done = []
    for blocks in in_flight(work, 4096, 4, total, threading.Event(), span_bytes=span):
        done += blocks
    assert sorted(block.at_bytes for block in done) == list(range(0, total, 4096))
    assert worst <= span


def test_places_of_the_stream_make_their_own_content():
    """No place of the stream has another's content, so a misplaced block can't pass."""
    payload = Payload(77)
    early = bytes(payload.at(4 * MIB, MIB))
    payload.at(4 * MIB + POOL_BYTES, MIB)
    assert bytes(payload.at(4 * MIB, MIB)) == early
    later = bytes(payload.at(4 * MIB + POOL_BYTES, MIB))
    blocks = {later[at : at + 4096] for at in range(0, MIB, 4096)}
    assert len(blocks) == MIB // 4096
    assert not blocks & {early[at : at + 4096] for at in range(0, MIB, 4096)}
    payload.release()


def test_sleep_and_a_set_clock_are_said(monkeypatch, tmp_path):
    """A suspended machine or a clock set anew during a test is said beside its figure."""
    watch = DisturbanceWatch(FolderTarget(tmp_path, tmp_path / "notes"))
    assert watch.seen() == UNDISTURBED
    real = time.clock_gettime
    shift = {time.CLOCK_BOOTTIME: 90.0}
    monkeypatch.setattr(time, "clock_gettime", lambda which: real(which) + shift.get(which, 0.0))
    real_time = time.time
    monkeypatch.setattr(time, "time", lambda: real_time() + 90.0)
    assert watch.seen().slept_s == pytest.approx(90, abs=1)
    assert "slept for 90 s" in watch.seen().notes()[0]
    assert len(watch.seen().notes()) == 1
    monkeypatch.setattr(time, "time", lambda: real_time() + 90.0 - 3600)
    assert "set by -3600 s" in watch.seen().notes()[1]


def test_a_rate_near_the_hosts_own_says_so():
    """A figure that the computer itself could hardly exceed is not put down to the drive."""
    limit = HostLimit(4e9, 8e9)
    assert limit.note(1e9) == ""
    assert "it, not the drive" in limit.note(3.5e9)
    assert limit.note(3.5e9, checked=True) == ""


def test_nothing_measured_is_an_error_and_no_result(tmp_path):
    """A test that never began gives a sentence and no figure."""
    run = FlatRun(
        FlatPlan("write", MIB, shape=SMALL), FolderTarget(tmp_path / "gone", tmp_path / "notes")
    )
    with pytest.raises(DiskError, match="no such folder"):
        finish(run)
    assert run.result is None


def test_whoever_stops_listening_to_a_read_leaves_no_thread_behind(tmp_path):
    """Blocks wait to be checked, buffers run out, and nobody takes any more."""
    target = FolderTarget(tmp_path, tmp_path / "notes")
    target.open()
    stop = threading.Event()
    for _ in target.write_stream(64 * MIB, MIB, 2, stop):
        pass
    for depth in (1, 3):
        reading = target.read_stream(64 * MIB, MIB, depth, stop)
        next(reading)
        time.sleep(0.2)
        reading.close()
        assert not any(thread.name.startswith("in flight") for thread in threading.enumerate())
    target.close()
