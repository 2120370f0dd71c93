"""Copies on drives that fill up, turn read-only, share their room, or are one and the same."""

import os

import pytest

from disks import loop_disk, turn_read_only
from services.roll.copied_folders import MB, made, states, tree
from vastcellar.core.errors import DiskError
from vastcellar.core.roll.copies import CopyState, WipeRule, not_safe_because, verified_copies
from vastcellar.core.units import PLAIN
from vastcellar.services.roll.copying import (
    copy_run,
    outcome_figures,
    outcome_lines,
    run_copy,
)
from vastcellar.services.roll.disks import DiskBehind


def test_a_destination_that_fills_up_is_left_and_the_others_go_on(card, target, tmp_path):
    """Others fill it meanwhile: it is left with its reason, has whole files only; the other is
    whole."""
    with loop_disk(tmp_path, "small", 256 * MB) as small:
        for number in range(8):
            (card / f"more-{number}.mov").write_bytes(os.urandom(6 * MB))
        run = copy_run(card, [target, small])
        fill = small / "others"
        with fill.open("wb") as file:
            room = os.statvfs(small)
            free = room.f_bavail * room.f_frsize
            os.posix_fallocate(file.fileno(), 0, max(free - 20 * MB, 4096))
        outcome = made(run)
        assert "full" in outcome.destinations[1].dropped_by
        assert states(outcome, 0) == {CopyState.VERIFIED}
        for path in (small / "card").rglob("*"):
            if path.is_file():
                assert path.read_bytes() == (card / path.relative_to(small / "card")).read_bytes()
        fill.unlink()
        again = made(copy_run(card, [target, small]))
        assert states(again, 1) == {CopyState.VERIFIED} and verified_copies(again) == 1
        assert tree(small / "card") == tree(card)


def test_two_folders_on_one_drive_share_its_room(card, tmp_path):
    """A card that fits once is refused twice on one drive, before anything is written."""
    (card / "long.mov").write_bytes(os.urandom(70 * MB))
    with loop_disk(tmp_path, "one", 256 * MB) as one:
        (one / "a").mkdir()
        (one / "b").mkdir()
        copy_run(card, [one / "a"])
        with pytest.raises(DiskError, match="are to be written"):
            copy_run(card, [one / "a", one / "b"])
        assert not list((one / "a").iterdir()) and not list((one / "b").iterdir())


def test_a_copy_that_runs_keeps_its_room_until_it_has_written_or_ends(card, tmp_path):
    """The second card is refused while the first still needs the room, and told so; a copy that
    ended, or was left, needs none."""
    (card / "long.mov").write_bytes(os.urandom(70 * MB))
    with loop_disk(tmp_path, "one", 256 * MB) as one:
        (one / "a").mkdir()
        (one / "b").mkdir()
        first, late = copy_run(card, [one / "a"]), copy_run(card, [one / "b"])
        first.pause()
        going = run_copy(first)
        next(going)
        with pytest.raises(DiskError, match="other copies that run need 8"):
            copy_run(card, [one / "b"])
        with pytest.raises(DiskError, match="other copies that run need 8"):
            next(run_copy(late))  # asked for when there was still room
        assert not list((one / "b").iterdir())
        first.stop()
        list(going)
        copy_run(card, [one / "b"])


def test_a_drive_that_turns_read_only_is_left_with_its_reason(card, target, tmp_path):
    """As the kernel does after an error: that destination is out, and nothing there is vouched
    for that isn't so."""
    with loop_disk(tmp_path, "failing") as failing:
        run = copy_run(card, [target, failing])
        run.pause()
        going = run_copy(run)
        next(going)
        turn_read_only(failing)
        run.resume()
        for _ in going:
            pass
        assert run.outcome.destinations[1].dropped_by
        assert states(run.outcome, 0) == {CopyState.VERIFIED}
        assert CopyState.VERIFIED not in states(run.outcome, 1)


def test_two_drives_make_two_copies_and_one_drive_makes_one(card, tmp_path):
    """On two disks of their own: safe. Both on one of them: one copy, not safe."""
    with loop_disk(tmp_path, "one") as one, loop_disk(tmp_path, "two") as two:
        apart = made(copy_run(card, [one, two]))
        assert verified_copies(apart) == 2 and not_safe_because(apart, WipeRule()) == ()
        assert "Safe to wipe" in outcome_lines(apart, WipeRule(), PLAIN)[-1]
        (one / "b").mkdir()
        together = made(copy_run(card, [one, one / "b"]))
        assert verified_copies(together) == 1
        assert not outcome_figures(together, WipeRule())["safe_to_wipe"]


@pytest.mark.parametrize(
    ("behind", "copies"),
    [(DiskBehind("sdx", "ext4"), 1), (DiskBehind("0:50 pool", "zfs", is_known=False), 0),
     (DiskBehind("memory", "tmpfs", is_in_memory=True), 0), (DiskBehind("card", "ext4"), 0)],
    ids=["a drive", "a pool", "memory", "the card's own"],
)  # fmt: skip
def test_a_copy_counts_only_on_a_drive_that_is_known_to_be_another(
    card, target, monkeypatch, behind, copies
):
    """Two folders of one pool look like two devices: what lies behind isn't known, so neither
    counts."""
    own = DiskBehind("card", "ext4")
    monkeypatch.setattr(
        "vastcellar.services.roll.copying.disk_behind",
        lambda path: behind if path == target else own,
    )
    assert verified_copies(made(copy_run(card, [target]))) == copies
