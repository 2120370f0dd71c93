"""The offload test: real clips, read past the cache, compared with what comes back."""

import errno
import fcntl
import os
import threading
import time
from pathlib import Path

import pytest

from vastcellar.bench.copying.buffers import BLOCK_BYTES
from vastcellar.bench.folder_target import FolderTarget
from vastcellar.bench.offload_run import Clip, OffloadPlan, OffloadRun
from vastcellar.core.errors import BadValueError, DiskError
from vastcellar.services.proving.offloading import clips_in, made_up_clips, offload_figures


def card_with(tmp_path, *sizes):
    card = tmp_path / "card"
    (card / "DAY 1 ü").mkdir(parents=True)
    for number, size in enumerate(sizes):
        (card / "DAY 1 ü" / f"A{number:03d}.mov").write_bytes(os.urandom(size))
    return card


def finish(plan, disk, tmp_path):
    run = OffloadRun(plan, FolderTarget(disk, tmp_path / "notes"))
    phases = {progress.phase for progress in run.snapshots()}
    return run, phases


@pytest.fixture
def disk(tmp_path):
    made = tmp_path / "disk"
    made.mkdir()
    yield made
    assert list(made.iterdir()) == []
    assert not any(thread.name.startswith("copy ") for thread in threading.enumerate())


def test_clips_of_any_size_come_back_as_they_were_and_the_card_is_untouched(disk, tmp_path):
    """Clips of one byte to several blocks arrive byte for byte, and the source stays as it was."""
    card = card_with(tmp_path, 1, 4095, BLOCK_BYTES, BLOCK_BYTES + 1, 3 * BLOCK_BYTES + 777)
    before = {path: (path.stat().st_mtime_ns, path.read_bytes()) for path in card.rglob("*.mov")}
    (card / "link.mov").symlink_to(card / "DAY 1 ü" / "A000.mov")
    (card / "empty.txt").touch()
    plan = clips_in(card)
    assert [clip.name for clip in plan.clips] == [f"DAY 1 ü/A{n:03d}.mov" for n in range(5)]
    run, phases = finish(plan, disk, tmp_path)
    result = run.result
    assert phases == {"copying", "reading back"}
    assert result.is_complete
    assert result.different == ()
    assert all(clip.is_same for clip in result.clips)
    assert result.written_bytes == plan.bytes_to_write == result.verify.moved_bytes
    assert result.source_bytes_per_s > 0
    after = {path: (path.stat().st_mtime_ns, path.read_bytes()) for path in card.rglob("*.mov")}
    assert {p: a for p, a in after.items() if not p.is_symlink()} == before


def test_a_drive_that_changes_a_byte_is_caught_by_name(disk, tmp_path, monkeypatch):
    """One flipped byte names the clip that it is in."""
    real = os.preadv

    def flipping(handle, buffers, at):
        count = real(handle, buffers, at)
        if "clip-0002" in str(Path(f"/proc/self/fd/{handle}").readlink()) and at == 0:
            buffers[0][100] ^= 1
        return count

    monkeypatch.setattr(os, "preadv", flipping)
    run, _ = finish(clips_in(card_with(tmp_path, 9000, 9000, 9000)), disk, tmp_path)
    assert run.result.different == ("DAY 1 ü/A001.mov",)
    assert offload_figures(run.result)["different"] == ["DAY 1 ü/A001.mov"]


@pytest.mark.parametrize("slow", ["source", "drive"])
def test_whose_rate_a_copy_is(disk, tmp_path, monkeypatch, slow):
    """A card that reads 80 MB/s makes every drive behind it equally slow; and the reverse.

    Neither is the disk of this computer, which has moods of its own.
    """

    def read(_handle, buffers, _at):
        time.sleep(0.05 if slow == "source" else 0)
        return len(buffers[0])

    def write(_handle, buffers, _at):
        time.sleep(0.05 if slow == "drive" else 0)
        return len(buffers[0])

    plan = clips_in(card_with(tmp_path, 12 * BLOCK_BYTES, 8 * BLOCK_BYTES), verifies=False)
    monkeypatch.setattr(os, "preadv", read)
    monkeypatch.setattr(os, "pwritev", write)
    run, phases = finish(plan, disk, tmp_path)
    assert phases == {"copying"}
    assert run.result.limit == slow
    assert run.result.verify is None
    assert run.result.clips[0].is_same is None
    slower, faster = run.result.source_bytes_per_s, run.result.drive_bytes_per_s
    assert (slower < faster) == (slow == "source")


def test_a_card_that_is_pulled_ends_it_with_a_sentence_that_names_the_source(
    disk, tmp_path, monkeypatch
):
    """The sentence blames the card, not the drive, when the card is pulled."""
    real, reads = os.preadv, []

    def pulled(*args):
        reads.append(1)
        if len(reads) > 5:
            raise OSError(errno.EIO, os.strerror(errno.EIO))
        return real(*args)

    plan = clips_in(card_with(tmp_path, 20 * BLOCK_BYTES))
    monkeypatch.setattr(os, "preadv", pulled)
    run, _ = finish(plan, disk, tmp_path)
    assert "source: the disk stopped answering" in str(run.error)
    assert not run.result.is_complete
    assert 0 < run.result.written_bytes <= 5 * BLOCK_BYTES


def test_a_full_drive_and_a_cancel_end_it_and_keep_what_was_measured(disk, tmp_path, monkeypatch):
    """Full or cancelled, the offload keeps its figures and takes its files away."""
    real, written = os.pwritev, []

    def full(handle, buffers, at):
        written.append(len(buffers[0]))
        if sum(written) > 5 * BLOCK_BYTES:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        return real(handle, buffers, at)

    with monkeypatch.context() as patched:
        patched.setattr(os, "pwritev", full)
        run, _ = finish(made_up_clips(3, 4 * BLOCK_BYTES), disk, tmp_path)
    assert "the disk is full" in str(run.error)
    assert len(run.result.clips) == 1
    run = OffloadRun(made_up_clips(2000, BLOCK_BYTES), FolderTarget(disk, tmp_path / "notes"))
    for progress in run.snapshots():
        if progress.moved_bytes:
            run.stop()
    assert run.result.ended_by == "cancelled"


def test_where_direct_reading_is_refused_the_clips_are_read_all_the_same(
    disk, tmp_path, monkeypatch
):
    """A card whose file system refuses O_DIRECT is offloaded all the same."""
    real, refused = os.preadv, []

    def refusing(handle, buffers, at):
        if not refused:
            refused.append(handle)
            raise OSError(errno.EINVAL, os.strerror(errno.EINVAL))
        return real(handle, buffers, at)

    monkeypatch.setattr(os, "preadv", refusing)
    run, _ = finish(clips_in(card_with(tmp_path, 10_001)), disk, tmp_path)
    assert run.result.is_complete and run.result.different == ()


def test_clips_that_are_others_than_those_chosen_are_not_copied(disk, tmp_path):
    """What was announced is what is written: a clip that grew or went since ends it unwritten."""
    card = card_with(tmp_path, 9000, 9000)
    plan = clips_in(card)
    with (card / "DAY 1 ü" / "A001.mov").open("ab") as clip:
        clip.write(b"more")
    with pytest.raises(DiskError, match="source: it isn't there any more as it was chosen"):
        finish(plan, disk, tmp_path)
    (card / "DAY 1 ü" / "A001.mov").unlink()
    with pytest.raises(DiskError, match=r"A001\.mov"):
        finish(plan, disk, tmp_path)


def test_a_clip_that_is_written_to_while_it_is_read_ends_it(disk, tmp_path, monkeypatch):
    """A growing clip has no checksum that its copy could be held against."""
    card = card_with(tmp_path, 100, 9 * BLOCK_BYTES)
    growing, real = card / "DAY 1 ü" / "A001.mov", os.pwritev

    def write(handle, buffers, at):
        if at == 3 * BLOCK_BYTES:
            with growing.open("ab") as clip:
                clip.write(b"more")
        return real(handle, buffers, at)

    monkeypatch.setattr(os, "pwritev", write)
    run, _ = finish(clips_in(card), disk, tmp_path)
    assert "it changed while it was copied" in str(run.error) and "A001.mov" in str(run.error)
    assert [clip.name for clip in run.result.clips] == ["DAY 1 ü/A000.mov"]


def test_a_drive_that_fails_in_a_long_clip_lets_nobody_read_the_rest_of_it(
    disk, tmp_path, monkeypatch
):
    """Hundreds of gigabytes of a clip that nobody takes would hold whoever waits for the end."""
    card = card_with(tmp_path, 60 * BLOCK_BYTES)
    reads, real = [], os.preadv

    def read(handle, buffers, at):
        reads.append(at)
        time.sleep(0.005)
        return real(handle, buffers, at)

    def failing(_handle, _buffers, _at):
        raise OSError(errno.EIO, os.strerror(errno.EIO))

    monkeypatch.setattr(os, "preadv", read)
    monkeypatch.setattr(os, "pwritev", failing)
    with pytest.raises(DiskError, match="the disk stopped answering"):
        finish(clips_in(card), disk, tmp_path)
    assert len(reads) < 30


def test_where_direct_writing_ends_midway_each_block_is_pushed_out_and_that_is_said(
    disk, tmp_path, monkeypatch
):
    """A file system that refuses direct writes after all isn't measured by the host's memory."""
    real, pushed = os.pwritev, []
    push = FolderTarget.push_out

    def write(handle, buffers, at):
        if (
            at == 2 * BLOCK_BYTES
            and not pushed
            and fcntl.fcntl(handle, fcntl.F_GETFL) & os.O_DIRECT
        ):
            raise OSError(errno.EINVAL, os.strerror(errno.EINVAL))
        return real(handle, buffers, at)

    def counted(self, handle, at, size):
        pushed.append((at, size))
        push(self, handle, at, size)

    monkeypatch.setattr(os, "pwritev", write)
    monkeypatch.setattr(FolderTarget, "push_out", counted)
    run, _ = finish(made_up_clips(2, 4 * BLOCK_BYTES), disk, tmp_path)
    assert run.result.is_complete and run.result.different == ()
    places = (2, 3, 0, 1, 2, 3)
    assert pushed == [(place * BLOCK_BYTES, BLOCK_BYTES) for place in places]
    assert run.result.write_mode.startswith("buffered, each write")


def test_what_is_a_hole_in_a_clip_is_no_byte_that_was_written(disk, tmp_path):
    """64 MB of nothing would make a drive look twenty times as fast: only its data counts."""
    card = card_with(tmp_path, 1000)
    with (card / "DAY 1 ü" / "B000.mov").open("wb") as clip:
        clip.truncate(16 * BLOCK_BYTES)
        clip.seek(8 * BLOCK_BYTES)
        clip.write(os.urandom(BLOCK_BYTES))
    run, _ = finish(clips_in(card), disk, tmp_path)
    assert run.result.is_complete and run.result.different == ()
    assert run.result.written_bytes == BLOCK_BYTES + 1000 == run.result.verify.moved_bytes


def test_a_set_deeper_than_any_card_is_said_to_be_so(tmp_path):
    """What isn't looked into isn't left out in silence: the test would be of other clips."""
    deep = tmp_path / "card"
    deep.joinpath(*["d"] * 70).mkdir(parents=True)
    (deep / "A000.mov").write_bytes(b"clip")
    with pytest.raises(DiskError, match="the clips can't be read"):
        clips_in(deep)


def test_a_set_without_a_clip_is_refused(tmp_path):
    """No clip and no folder are two sentences of their own."""
    (tmp_path / "empty").mkdir()
    with pytest.raises(BadValueError, match="no clip"):
        clips_in(tmp_path / "empty")
    with pytest.raises(DiskError, match="not a folder"):
        clips_in(tmp_path / "nowhere")
    with pytest.raises(BadValueError):
        OffloadPlan((Clip("x", 0),), "made-up")
