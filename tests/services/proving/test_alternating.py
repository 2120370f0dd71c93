"""Two folders compared by turns."""

import errno
import os
from dataclasses import dataclass, replace
from types import SimpleNamespace

import pytest

from vastcellar.bench.edit_run import EditPlan, EditResult
from vastcellar.bench.flat_run import FlatPlan
from vastcellar.bench.probe import Shape
from vastcellar.core.errors import BadValueError, DiskError
from vastcellar.core.units import PLAIN
from vastcellar.services.proving import alternating
from vastcellar.services.proving.alternating import (
    FIRST_FRAME,
    STREAMS,
    AlternatingEdit,
    AlternatingRun,
    TurnsProof,
    difference_sentence,
    side_text,
    turns_sentence,
    words_of,
)
from vastcellar.services.proving.keeping import keep_any

PLAN = FlatPlan("read", 4 * 2**20, shape=Shape(2**20, 1), reads_back=True)


@pytest.fixture
def folders(tmp_path):
    made = tmp_path / "a", tmp_path / "b"
    for folder in made:
        folder.mkdir()
    yield made
    for folder in made:
        assert list(folder.iterdir()) == []


def finish(run):
    for _ in run.snapshots():
        pass
    return run.figures()


def test_a_slower_folder_is_told_from_chance_whatever_drifts_meanwhile(
    folders, tmp_path, monkeypatch
):
    """Every run is slower than the one before it; B is a third slower than that."""
    made = []

    def stand_in(folder, _plan, _notes, **_given):
        def rate():
            made.append(folder)
            return 900e6 * (1 - 0.01 * len(made)) * (2 / 3 if folder == folders[1] else 1.0)

        def snapshots():
            run.result = SimpleNamespace(
                is_complete=True,
                written_bytes=1,
                write=SimpleNamespace(bytes_per_s=rate()),
                read=None,
            )
            yield from ()

        run = SimpleNamespace(snapshots=snapshots, result=None, error=None, stop=lambda: None)
        return SimpleNamespace(run=run, begin=tuple)

    monkeypatch.setattr(alternating, "folder_flat_proof", stand_in)
    monkeypatch.setattr(alternating, "conditions_of", lambda *_: {"block_bytes": 4096})
    run = AlternatingRun(folders, PLAN, tmp_path / "notes", times=5)
    figures = finish(run)
    assert made == [folders[side] for side in run.order()]
    assert figures["order"] == list("ABBAABBAAB")
    found = figures["compared"]["write"]["difference"]
    assert found["is_real"]
    assert found["share"] == pytest.approx(-1 / 3, abs=0.02)
    assert found["low"] < -1 / 3 < found["high"] < 0
    assert "a real difference" in difference_sentence(figures["compared"], "write", PLAIN)
    assert "differ" not in words_of(figures)


def test_both_folders_are_measured_in_turn_and_left_clean(folders, tmp_path):
    """What they came to is the disk's affair; the turns and the accounting are ours."""
    run = AlternatingRun(folders, PLAN, tmp_path / "notes", times=4)
    assert run.bytes_to_write == 4 * PLAN.most_bytes
    figures = finish(run)
    assert figures["is_complete"]
    assert figures["order"] == list("ABBAABBA")
    for what in ("write", "read"):
        assert figures["compared"][what]["a"]["count"] == 4
        assert figures["compared"][what]["difference"] is not None
    assert "block" not in words_of(figures)


def test_a_disk_that_goes_away_midway_keeps_the_turns_before(folders, tmp_path, monkeypatch):
    """A disk lost in a later turn keeps what the earlier turns measured."""
    run = AlternatingRun(folders, PLAN, tmp_path / "notes", times=3)
    real_write, written = os.pwrite, []

    def failing(handle, data, at):
        written.append(1)
        if len(written) > 12:
            raise OSError(errno.EIO, os.strerror(errno.EIO))
        return real_write(handle, data, at)

    monkeypatch.setattr(os, "pwrite", failing)
    figures = finish(run)
    assert isinstance(run.error, DiskError)
    assert not figures["is_complete"]
    assert figures["order"] == ["A", "B"]
    assert "too few runs" in difference_sentence(figures["compared"], "write", PLAIN)


def test_two_folders_of_one_file_system_are_no_two_drives(folders, tmp_path, monkeypatch):
    """A drive that isn't mounted, or a link to the first: "no difference" would say nothing."""
    link = tmp_path / "link"
    link.symlink_to(folders[0])
    for both in (folders, (folders[0], link)):
        run = AlternatingRun(both, PLAN, tmp_path / "notes", times=4)
        assert "Is it mounted?" in words_of(run.figures())
    monkeypatch.setattr(alternating, "file_system_of", str)
    apart = AlternatingRun(folders, PLAN, tmp_path / "notes", times=4)
    assert words_of(apart.figures()) == ""


def test_what_is_in_the_way_of_either_folder_is_said_before_anything_is_written(folders, tmp_path):
    """Missing folders and too many bytes are said before the first turn."""
    with pytest.raises(DiskError):
        AlternatingRun((folders[0], tmp_path / "nowhere"), PLAN, tmp_path / "notes")
    huge = FlatPlan("write", 2**60)
    with pytest.raises(BadValueError, match="may be filled"):
        AlternatingRun(folders, huge, tmp_path / "notes")


def test_the_first_drives_turns_are_kept_under_its_unit_and_only_the_first_from_rest(
    workplace, folders, tmp_path
):
    """The other folder's drive is none of the unit; its bytes don't wear it."""
    before = workplace.shelf().unit("M-03").written_bytes
    run = AlternatingRun(folders, PLAN, tmp_path / "notes", times=3)
    finish(run)
    kept = keep_any(TurnsProof(run), workplace, "M-03")
    records = sorted(workplace.shelf().records, key=lambda each: each.run_id)[-3:]
    assert [record.run_id for record in records] == [each.run_id for each in kept]
    assert [record.figures["from_rest"] for record in records] == [True, False, False]
    assert {record.figures["protocol"] for record in records} == {"turns"}
    assert len({record.measured_at for record in records}) == 3
    worn = workplace.shelf().unit("M-03").written_bytes - before
    assert worn == 3 * PLAN.most_bytes
    assert run.result.written_bytes == 2 * worn
    head, evidence = turns_sentence(run.result, PLAIN)
    assert head.startswith("Write: ")
    assert "In the order A B B A A B." in evidence


EDIT = EditPlan(4e5, 25.0, 2, step_s=0.3, jumps_per_minute=400, scrubs_per_minute=0, clip_s=1)


def edit_stand_in(folders, held):
    """Tests that hold what *held* says of each folder, in the order of its turns."""
    left = {folder: list(values) for folder, values in zip(folders, held, strict=True)}

    def stand_in(folder, plan, _notes, **_given):
        def snapshots():
            streams = left[folder].pop(0)
            step = SimpleNamespace(first_frame=SimpleNamespace(p50_s=0.02 * (1 + streams)),
                                   read_bytes_per_s=1e6 * (1 + streams))  # fmt: skip
            run.result = EditResult(plan, True, "", (), "direct", "direct", (step,), streams, 1000)
            yield from ()

        run = SimpleNamespace(snapshots=snapshots, result=None, error=None, stop=lambda: None)
        made = SimpleNamespace(is_direct=True)
        return SimpleNamespace(run=run, begin=tuple, conditions=lambda _r: Kept(made))

    return stand_in


@dataclass
class Kept:
    """Conditions as they are kept."""

    made: object


def test_streams_by_turns_tell_an_encrypted_folder_from_a_plain_one(folders, tmp_path, monkeypatch):
    """Five against three in every turn is no chance; the first frame is told in milliseconds."""
    stand_in = edit_stand_in(folders, ([5] * 5, [3] * 5))
    monkeypatch.setattr(alternating, "file_proof", stand_in)
    figures = finish(run := AlternatingEdit(folders, EDIT, tmp_path / "notes", times=5))
    assert figures["kind"] == "edit" and figures["order"] == list("ABBAABBAAB")
    found = figures["compared"][STREAMS]
    assert (found["a"]["median"], found["b"]["median"]) == (5, 3)
    assert found["difference"]["is_real"] and found["difference"]["share"] == pytest.approx(-0.4)
    assert side_text(STREAMS, found["a"], PLAIN) == "5 (5 to 5)"
    first = figures["compared"][FIRST_FRAME]
    assert side_text(FIRST_FRAME, first["b"], PLAIN) == "80.0 ms (80.0 ms to 80.0 ms)"
    head, _evidence = turns_sentence(run.result, PLAIN)
    assert "Streams: B against A" in head and "a real difference" in head


def test_a_turn_without_one_stream_in_time_counts_for_the_rest(folders, tmp_path, monkeypatch):
    """No stream is no number of streams: what was read and how soon are compared all the same."""
    stand_in = edit_stand_in(folders, ([1, 1, 1, 1], [0, 0, 0, 0]))
    monkeypatch.setattr(alternating, "file_proof", stand_in)
    figures = finish(AlternatingEdit(folders, EDIT, tmp_path / "notes", times=4))
    assert STREAMS not in figures["compared"]
    assert figures["compared"]["read"]["b"]["count"] == 4


def test_an_edit_test_is_really_played_by_turns_and_leaves_nothing(folders, tmp_path):
    """Eight turns on this disk: what they came to is its affair, the accounting is ours."""
    run = AlternatingEdit(folders, replace(EDIT, step_s=0.2), tmp_path / "notes", times=4)
    assert run.bytes_to_write == 4 * run.bytes_each > 0
    figures = finish(run)
    assert figures["order"] == list("ABBAABBA") and figures["is_complete"]
    assert figures["compared"]["read"]["a"]["count"] == 4
