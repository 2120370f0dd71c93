"""A cut played from a real folder: its lanes, its pace, the second that comes late."""

import time

import pytest

from timelines import clip as timeline_clip
from timelines import gap, timeline, track, write
from vastcellar.bench.cut_run import CutRun, _Player, part_of
from vastcellar.bench.folder_target import FolderTarget
from vastcellar.core.edit.demand import ClipUse
from vastcellar.core.errors import BadFileError, BadValueError, DiskError
from vastcellar.core.units import PLAIN
from vastcellar.services.edit.playing_cuts import (
    cut_figures,
    cut_proof,
    cut_sentence,
    parse_position,
)
from virtual_time import VirtualFolder, let_players_leave


def clip(name, start_s, end_s, rate=1e6):
    """A clip of ten frames a second: each has time, on a slow machine too."""
    return ClipUse(name, start_s, end_s, rate, 10.0)


def played(folder, *clips, from_s=0.0, seconds=2.0, ahead=0.3):
    """Play so much of such clips from a folder."""
    plan = part_of("cut", clips, from_s, seconds, ahead)
    run = CutRun(plan, FolderTarget(folder, folder / "notes"))
    seen = list(run.snapshots())
    return run.result, seen


@pytest.fixture
def held(tmp_path, monkeypatch):
    """Play so much of clips while all reads together get so much a second, in time of their own."""
    let_players_leave(monkeypatch, _Player)

    def play(bytes_per_s, *clips, seconds):
        plan = part_of("cut", clips, 0.0, seconds, 0.3)
        run = CutRun(
            plan, VirtualFolder(tmp_path, tmp_path / "notes", len(plan.lanes), bytes_per_s)
        )
        for _ in run.snapshots():
            pass
        return run.result

    return play


def test_clips_over_each_other_have_lanes_of_their_own(tmp_path):
    """A and then C in one, B over both in another; one file for each lane."""
    plan = part_of("cut", [clip("A", 0, 4), clip("B", 2, 6), clip("C", 4, 9)], 0.0, 9.0, 0.5)
    assert [[each.name for each in lane] for lane in plan.lanes] == [["A", "C"], ["B"]]
    assert plan.bytes_to_write == 2 * plan.lane_bytes
    assert plan.lane_bytes % 4096 == 0


def test_a_part_is_cut_out_with_its_clips_own_times(tmp_path):
    """From 3 to 5 s: the end of A, the middle of B; what lies outside isn't read."""
    plan = part_of("cut", [clip("A", 0, 4), clip("B", 2, 6), clip("C", 5, 9)], 3.0, 2.0, 0.5)
    assert [(c.name, c.start_s, c.end_s) for c in plan.clips] == [("A", 0, 1), ("B", 0, 2)]
    with pytest.raises(BadValueError, match="nothing is read in that part"):
        part_of("cut", [clip("A", 0, 4)], 5.0, 2.0, 0.5)
    with pytest.raises(BadValueError, match="clips_at_once"):
        part_of("cut", [clip(f"c{n}", 0, 4) for n in range(65)], 0.0, 2.0, 0.5)


def test_a_cut_takes_its_own_time_and_leaves_nothing(tmp_path):
    """Two seconds of two clips: every frame counted, none before its turn, nothing left behind."""
    begin = time.monotonic()
    result, seen = played(tmp_path, clip("A", 0, 2), clip("B", 0.5, 1.5))
    assert time.monotonic() - begin >= 1.9
    assert (result.frames, result.is_complete) == (30, True)
    assert result.written_bytes == result.plan.bytes_to_write
    assert any("late" in each.detail for each in seen)
    assert [each.name for each in tmp_path.iterdir() if each.name != "notes"] == []


def test_the_second_in_which_two_clips_ask_too_much_is_named(held):
    """1.5 MB/s for two clips of 1: late in their overlap and nowhere else, both of them named."""
    result = held(1.5e6, clip("A", 0, 5), clip("B", 2, 4), seconds=5.0)
    assert {each.at_s for each in result.late_seconds} == {2, 3}
    assert result.worst.at_s == 3
    assert set(result.worst.clips) == {"A", "B"}
    told = cut_sentence(result, PLAIN)
    assert "frames were late, most of them at 0:03 (" in told
    figures = cut_figures(result)
    assert figures["worst_second_s"] == 3 and figures["late_frames"] == result.late_frames
    assert held(2.1e6, clip("A", 0, 5), clip("B", 2, 4), seconds=5.0).late_frames == 0


def test_frames_that_are_given_up_are_not_read_as_well(held):
    """A third of what is asked: most frames are late, and no more is read than there is."""
    result = held(0.4e6, clip("A", 0, 3), seconds=3.0)
    assert 0.4 < result.late_frames / result.frames < 0.85
    assert result.read_bytes_per_s <= 0.4e6


def test_it_can_be_stopped_in_the_middle(tmp_path):
    """What was played by then is told, and marked as not whole."""
    plan = part_of("cut", [clip("A", 0, 30)], 0.0, 30.0, 0.3)
    run = CutRun(plan, FolderTarget(tmp_path, tmp_path / "notes"))
    for snapshot in run.snapshots():
        if snapshot.phase.startswith("playing") and snapshot.moved_bytes:
            run.stop()
    assert not run.result.is_complete and run.result.frames < 300
    assert [each.name for each in tmp_path.iterdir() if each.name != "notes"] == []


def test_the_part_that_asks_most_is_played_where_none_is_named(tmp_path):
    """Forty seconds around the overlap of a cut of two minutes; a place beyond it is refused."""
    path = write(tmp_path / "cut.otio", timeline(
        track(timeline_clip("A", 120, rate=2e6)), track(gap(80), timeline_clip("B", 5, rate=2e6))
    ))  # fmt: skip
    run = cut_proof(tmp_path, path, tmp_path / "notes").run
    assert run.plan.from_s == 60 and run.plan.duration_s == 40
    late = cut_proof(tmp_path, path, tmp_path / "notes", from_s=110.0).run
    assert late.plan.duration_s == 10
    with pytest.raises(BadValueError, match="2:00 long, and 5:00 was asked for"):
        cut_proof(tmp_path, path, tmp_path / "notes", from_s=300.0)
    with pytest.raises(BadFileError):
        cut_proof(tmp_path, tmp_path / "gone.otio", tmp_path / "notes")
    with pytest.raises(DiskError):
        cut_proof(tmp_path / "gone", path, tmp_path / "notes")


def test_places_in_a_cut_are_typed_as_they_are_read():
    """Minutes and seconds, hours too; a word is refused."""
    assert [parse_position(text) for text in ("24:10", "1:02:09", "7")] == [1450, 3729, 7]
    for wrong in ("", "noon", "1:2:3:4", "-5"):
        with pytest.raises(BadValueError, match="no place in a cut"):
            parse_position(wrong)
