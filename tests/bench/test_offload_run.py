"""The offload test: real clips, read past the cache, compared with what comes back."""

import errno
import os
import threading
import time

import pytest

from vastcellar.bench.folder_target import FolderTarget
from vastcellar.bench.offload_run import BLOCK_BYTES, Clip, OffloadPlan, OffloadRun
from vastcellar.bench.stream_files import StreamFiles
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
    assert not any(thread.name == "clip reader" for thread in threading.enumerate())


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
    real_read = StreamFiles.read

    def flipping(self, at_bytes, into):
        count = real_read(self, at_bytes, into)
        if self._name == "clip-0002" and at_bytes == 0:
            into[100] ^= 1
        return count

    monkeypatch.setattr(StreamFiles, "read", flipping)
    run, _ = finish(clips_in(card_with(tmp_path, 9000, 9000, 9000)), disk, tmp_path)
    assert run.result.different == ("DAY 1 ü/A001.mov",)
    assert offload_figures(run.result)["different"] == ["DAY 1 ü/A001.mov"]


@pytest.mark.parametrize("slow", ["source", "drive"])
def test_whose_rate_a_copy_is(disk, tmp_path, monkeypatch, slow):
    """A card that reads 80 MB/s makes every drive behind it equally slow; and the reverse.

    Neither is the disk of this computer, which has moods of its own.
    """

    def read(_handle, buffers):
        time.sleep(0.05 if slow == "source" else 0)
        return len(buffers[0])

    def write(_handle, data, _at):
        time.sleep(0.05 if slow == "drive" else 0)
        return len(data)

    plan = clips_in(card_with(tmp_path, 12 * BLOCK_BYTES, 8 * BLOCK_BYTES), verifies=False)
    monkeypatch.setattr(os, "readv", read)
    monkeypatch.setattr(os, "pwrite", write)
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
    real, reads = os.readv, []

    def pulled(*args):
        reads.append(1)
        if len(reads) > 5:
            raise OSError(errno.EIO, os.strerror(errno.EIO))
        return real(*args)

    plan = clips_in(card_with(tmp_path, 20 * BLOCK_BYTES))
    monkeypatch.setattr(os, "readv", pulled)
    run, _ = finish(plan, disk, tmp_path)
    assert "source: the disk stopped answering" in str(run.error)
    assert not run.result.is_complete
    assert 0 < run.result.written_bytes <= 5 * BLOCK_BYTES


def test_a_full_drive_and_a_cancel_end_it_and_keep_what_was_measured(disk, tmp_path, monkeypatch):
    """Full or cancelled, the offload keeps its figures and takes its files away."""
    real, written = os.pwrite, []

    def full(handle, data, at):
        written.append(len(data))
        if sum(written) > 5 * BLOCK_BYTES:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        return real(handle, data, at)

    with monkeypatch.context() as patched:
        patched.setattr(os, "pwrite", full)
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
    real, refused = os.readv, []

    def refusing(handle, buffers):
        if not refused:
            refused.append(handle)
            raise OSError(errno.EINVAL, os.strerror(errno.EINVAL))
        return real(handle, buffers)

    monkeypatch.setattr(os, "readv", refusing)
    run, _ = finish(clips_in(card_with(tmp_path, 10_001)), disk, tmp_path)
    assert run.result.is_complete and run.result.different == ()


def test_a_set_without_a_clip_is_refused(tmp_path):
    """No clip and no folder are two sentences of their own."""
    (tmp_path / "empty").mkdir()
    with pytest.raises(BadValueError, match="no clip"):
        clips_in(tmp_path / "empty")
    with pytest.raises(DiskError, match="not a folder"):
        clips_in(tmp_path / "nowhere")
    with pytest.raises(BadValueError):
        OffloadPlan((Clip("x", 0),), "made-up")
