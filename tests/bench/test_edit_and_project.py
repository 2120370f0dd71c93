"""The edit and project tests on a real folder, and on one that is slow on cue."""

import errno
import os
import threading
import time
from dataclasses import replace

import pytest

from core.edit.edit_stores import MB, load, ssd, store, uhd
from vastcellar.bench.edit_run import EditPlan, EditRun, _Player
from vastcellar.bench.folder_target import FolderTarget
from vastcellar.bench.held_folder import HeldFolder
from vastcellar.bench.project_run import ProjectPlan, ProjectRun
from vastcellar.bench.stream_files import StreamFiles
from vastcellar.core.edit.arrays import Level
from vastcellar.core.edit.playing import play
from virtual_time import VirtualFolder, let_players_leave

PLAN = EditPlan(
    2e6,
    25,
    3,
    step_s=0.8,
    read_ahead_frames=2,
    jumps_per_minute=300,
    scrubs_per_minute=0,
    clip_s=1,
    render_bytes_per_s=2e6,
)


def finish(run):
    seen = list(run.snapshots())
    return run.result, seen


def test_streams_are_added_until_one_misses_a_frame(tmp_path, monkeypatch):
    """Reads take 1.5 s once a second stream is under way: one plays, two don't.

    A frame has 1.2 s: a machine that stands still for a moment makes none late.
    """
    seen_streams = set()

    def slow_when_two(_self, at, into):
        seen_streams.add(at // plan.clip_bytes)
        time.sleep(1.5 if len(seen_streams) > 1 else 0.001)
        return len(into)

    monkeypatch.setattr(StreamFiles, "read", slow_when_two)
    plan = replace(PLAN, frames_per_s=5.0, read_ahead_frames=6, render_bytes_per_s=0.0)
    result, _ = finish(EditRun(plan, FolderTarget(tmp_path, tmp_path / "notes")))
    assert [step.streams for step in result.steps] == [1, 2]
    assert result.steps[1].missed > 0
    assert result.steps[1].worst_late_s > 0.04
    assert result.most_streams == 1


def test_a_step_plays_its_frames_at_their_pace_and_times_its_jumps(tmp_path):
    """Frames are asked for at their rate, and every jump is counted once with its time."""
    result, seen = finish(EditRun(PLAN, FolderTarget(tmp_path, tmp_path / "notes")))
    first = result.steps[0]
    # 0.8 s at 25 frames, two ahead, and a fresh start after each jump.
    assert 18 <= first.frames <= 26 + 4 * first.jumps
    assert sum(step.jumps for step in result.steps) == sum(
        s.first_frame.count for s in result.steps
    )
    assert result.written_bytes > 3 * PLAN.clip_bytes
    assert any("missed" in snapshot.detail for snapshot in seen)
    assert not list(tmp_path.glob("vast-cellar-test-*"))


@pytest.mark.parametrize(
    ("times", "is_held", "misses"),
    [(1.085, True, False), (2.1, True, False), (0.97, False, False), (0.8, False, True)],
)
def test_a_stream_is_held_by_a_store_that_brings_what_it_asks_and_by_no_other(
    tmp_path, monkeypatch, times, is_held, misses
):
    """In time of its own: 240 ms read ahead carry 0.97 of the rate through 6 s, and that's told."""
    let_players_leave(monkeypatch, _Player)
    plan = EditPlan(4e6, 25, 1, clip_s=2, jumps_per_minute=0, scrubs_per_minute=0, is_ramp=False)
    exact = plan.frame_bytes * plan.frames_per_s
    target = VirtualFolder(tmp_path, tmp_path / "notes", 1, times * exact)
    result, _ = finish(EditRun(plan, target))
    (step,) = result.steps
    assert (step.is_held, step.missed > 0, result.most_streams) == (is_held, misses, int(is_held))
    assert step.frames == pytest.approx(25 * 6 + 6, abs=2) or not is_held
    if misses:  # 240 ms are used up after 1.2 s, and then it gives up every fifth
        assert step.missed == pytest.approx((6 - 1.2) * 25 * (1 - times), abs=4)
    elif not is_held:
        assert step.read_ahead_loss_s_per_s == pytest.approx(1 - times, rel=0.1)


@pytest.mark.parametrize(("streams", "times"), [(1, 1.3), (1, 0.6), (2, 1.4), (3, 2.0), (4, 5.0)])
def test_what_is_played_for_real_is_late_as_often_as_what_is_computed(
    tmp_path, monkeypatch, streams, times
):
    """So many streams from *times* the rate of one, in time of its own: the same frames are given
    up, within three in a hundred, by the player that reads and by the one that reckons."""
    let_players_leave(monkeypatch, _Player)
    plan = EditPlan(4e6, 25, streams, step_s=20, clip_s=1, jumps_per_minute=0,
                    scrubs_per_minute=0, is_ramp=False)  # fmt: skip
    rate = times * plan.frame_bytes * plan.frames_per_s
    target = VirtualFolder(tmp_path, tmp_path / "notes", streams, rate)
    result, _ = finish(EditRun(plan, target))
    (step,) = result.steps
    stream = replace(uhd(), bytes_per_s=plan.frame_bytes * 25.0, frames_per_s=25.0,
                     read_ahead_s=0.24)  # fmt: skip
    computed = play(store(Level.EACH, 1, ssd(read=3000 * MB), links=(rate,)),
                    load(stream), streams, 20.0)  # fmt: skip
    late = float(computed.late_s.sum()) * 25
    assert step.missed == pytest.approx(late, abs=0.03 * 20 * 25 * streams)
    assert (step.missed > 0) == (late > 0)


def test_each_jump_and_scrub_begins_with_what_is_read_ahead(tmp_path, monkeypatch):
    """As the computed streams begin: a store of 1.1 times the rate holds one that jumps about.

    Played from the bare first frame on, each jump would be a moment at which 10 % to spare make
    up for nothing; and the step plays its six seconds, however long the jumps took.
    """
    let_players_leave(monkeypatch, _Player)
    plan = EditPlan(4e6, 25, 1, clip_s=2, jumps_per_minute=60, scrubs_per_minute=30, is_ramp=False)
    exact = plan.frame_bytes * plan.frames_per_s
    target = VirtualFolder(tmp_path, tmp_path / "notes", 1, 1.1 * exact)
    result, _ = finish(EditRun(plan, target))
    (step,) = result.steps
    assert step.is_held and step.jumps >= 3 and step.scrubs >= 1
    assert step.frames >= 25 * 6 + 6 * step.jumps
    assert step.first_frame.longest_s == pytest.approx(0.04 / 1.1, rel=0.01)


def test_a_first_frame_that_outlasts_the_step_holds_no_stream(tmp_path, monkeypatch):
    """Each read takes longer than the whole step: the frames after the first one are late."""
    plan = EditPlan(4e6, 25, 1, step_s=0.2, clip_s=1, jumps_per_minute=0, scrubs_per_minute=0,
                    is_ramp=False)  # fmt: skip
    target = FolderTarget(tmp_path, tmp_path / "notes")
    monkeypatch.setattr(target, "read_at", lambda _place, _view: time.sleep(0.5))
    result, _ = finish(EditRun(plan, target))
    assert result.steps[0].missed > 0
    assert result.most_streams == 0


def test_a_project_is_counted_operation_by_operation_and_leaves_nothing(tmp_path):
    """Each kind of file operation is timed as often as it was done, and no file stays."""
    plan = ProjectPlan(files=12, reads=40, large_bytes=4 * 2**20)
    result, _ = finish(ProjectRun(plan, FolderTarget(tmp_path, tmp_path / "notes")))
    counts = {each.name: each.latency.count for each in result.operations}
    assert counts["create and sync"] == counts["rename"] == counts["remove"] == 12
    assert counts["read 4 to 64 KiB at random"] == 40
    assert all(each.per_s > 0 for each in result.operations)
    assert 4 * 2**20 < result.written_bytes <= plan.bytes_to_write
    assert sorted(path.name for path in tmp_path.iterdir()) == ["notes"]


def test_a_cancelled_project_leaves_nothing_either(tmp_path):
    """Stopped in the middle of thousands of files, the folder is removed all the same."""
    run = ProjectRun(ProjectPlan(files=5000), FolderTarget(tmp_path, tmp_path / "notes"))
    for snapshot in run.snapshots():
        if snapshot.moved_bytes:
            run.stop()
    assert not list(tmp_path.glob("vast-cellar-test-*"))
    assert run.result is None or run.result.ended_by == "cancelled"


@pytest.mark.parametrize("field", ["stream_bytes_per_s", "frames_per_s", "step_s"])
def test_an_edit_of_nothing_is_refused(field):
    """A stream without rate, frame rate or time is refused by the field's name."""
    values = {"stream_bytes_per_s": 1e6, "frames_per_s": 25.0, "streams": 1, field: 0.0}
    from vastcellar.core.errors import BadValueError

    with pytest.raises(BadValueError, match=field):
        EditPlan(**values)


def test_scrubs_are_timed_frame_by_frame_and_caches_come_and_go_beside(tmp_path):
    """Scrubbed frames have times of their own, and cache files don't pile up beside them."""
    plan = EditPlan(4e6, 25, 1, step_s=1.5, clip_s=2, jumps_per_minute=0, scrubs_per_minute=200,
                    cache_files_per_s=60, is_ramp=False)  # fmt: skip
    target = FolderTarget(tmp_path, tmp_path / "notes")
    run, standing = EditRun(plan, target), 0
    for _ in run.snapshots():
        standing = max(standing, len(list(tmp_path.glob("vast-cellar-test-*/item-*"))))
    (step,) = run.result.steps
    assert step.scrubs >= 1 and step.jumps == 0
    assert 0 < step.scrub_frame.p50_s <= step.scrub_frame.longest_s
    assert 1 <= step.cache_files <= plan.step_cache_files == 90
    assert 0 < standing <= 42  # 40, one more until the oldest is gone, one while it is counted
    assert run.result.written_bytes <= plan.bytes_to_write
    assert not list(tmp_path.glob("vast-cellar-test-*"))
    assert not any(thread.name == "caches" for thread in threading.enumerate())


def test_a_step_held_up_makes_no_more_caches_than_were_announced(tmp_path, monkeypatch):
    """While reads hang, the writing of caches never exceeds what the plan announced."""
    plan = EditPlan(4e6, 25, 1, step_s=0.4, clip_s=1, jumps_per_minute=0, scrubs_per_minute=0,
                    cache_files_per_s=50, is_ramp=False)  # fmt: skip
    target = FolderTarget(tmp_path, tmp_path / "notes")
    real = target.read_at

    def held_up(place, view):
        time.sleep(0.1)  # ten frames of a step take a second in place of 0.4
        return real(place, view)

    monkeypatch.setattr(target, "read_at", held_up)
    result, _ = finish(EditRun(plan, target))
    (step,) = result.steps
    assert step.missed
    assert 1 <= step.cache_files <= plan.step_cache_files == 20  # and not 50, a second's
    assert result.written_bytes <= plan.bytes_to_write
    assert not list(tmp_path.glob("vast-cellar-test-*"))


def test_a_disk_that_fills_up_under_the_caches_ends_the_edit_test(tmp_path, monkeypatch):
    """ENOSPC under the cache files ends the whole edit test with one sentence."""
    real, begun = HeldFolder.create, []

    def full(self, name, flags=os.O_RDWR):
        if name.startswith("item-000000."):
            begun.append(name)
        if len(begun) == 2:  # in the second step
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        return real(self, name, flags)

    # A frame has 1.2 s, so that none is late and the second step is reached anywhere.
    plan = EditPlan(4e6, 5, 2, step_s=0.8, clip_s=1, jumps_per_minute=0, scrubs_per_minute=0,
                    cache_files_per_s=20)  # fmt: skip
    run = EditRun(plan, FolderTarget(tmp_path, tmp_path / "notes"))
    monkeypatch.setattr(HeldFolder, "create", full)
    for _ in run.snapshots():
        pass
    assert "the disk is full" in str(run.error)
    assert [step.streams for step in run.result.steps] == [1]
