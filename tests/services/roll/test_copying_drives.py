"""Copies on drives that fill up, turn read-only, share their room, or are one and the same."""

import os
from dataclasses import replace

import pytest

from disks import let_loops_be_drives, loop_disk, turn_read_only
from services.roll.copied_folders import MB, made, states, tree
from vastcellar.core.errors import DiskError
from vastcellar.core.roll.copies import CopyState, WipeRule, not_safe_because, verified_copies
from vastcellar.core.units import PLAIN
from vastcellar.devices.behind import Behind
from vastcellar.services.proving.places import find_place
from vastcellar.services.roll.copy_wording import outcome_figures, outcome_lines
from vastcellar.services.roll.copying import copy_run, run_copy


def test_a_destination_that_fills_up_is_left_and_the_others_go_on(
    card, target, tmp_path, monkeypatch
):
    """Others fill it meanwhile: it is left with its reason, has whole files only; the other is
    whole."""
    let_loops_be_drives(monkeypatch)
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


def test_two_drives_make_two_copies_and_one_drive_makes_one(card, tmp_path, monkeypatch):
    """On two disks of their own: safe. Both on one of them: one copy, not safe."""
    let_loops_be_drives(monkeypatch)
    with loop_disk(tmp_path, "one") as one, loop_disk(tmp_path, "two") as two:
        apart = made(copy_run(card, [one, two]))
        assert verified_copies(apart) == 2 and not_safe_because(apart, WipeRule()) == ()
        told = outcome_lines(apart, WipeRule(), PLAIN, ("K-06", "H-02"))[-1]
        assert told.startswith("Safe to wipe: 2 verified copies, on K-06 and H-02, read back at ")
        assert ", the card unchanged since " in told
        (one / "b").mkdir()
        together = made(copy_run(card, [one, one / "b"]))
        assert verified_copies(together) == 1
        assert not outcome_figures(together, WipeRule())["safe_to_wipe"]


@pytest.mark.parametrize(
    ("behind", "copies"),
    [(Behind("ext4", frozenset({"sdx"})), 1), (Behind("zfs", unknown_because="it is a zfs"), 0),
     (Behind("tmpfs", is_in_memory=True), 0), (Behind("ext4", frozenset({"card"})), 0),
     (Behind("btrfs", frozenset({"sdx", "card"})), 0),
     (Behind("btrfs", frozenset({"sdx"}), unknown_because="one of its disks is remote"), 0)],
    ids=["a drive", "a pool", "memory", "the card's own", "an array with the card's own", "partly"],
)  # fmt: skip
def test_a_copy_counts_only_on_a_drive_that_is_known_to_be_another(
    card, target, monkeypatch, behind, copies
):
    """Two folders of one pool look like two devices: what lies behind isn't known, so neither
    counts."""
    own = find_place(card)
    own = replace(own, mount=replace(own.mount, behind=Behind("ext4", frozenset({"card"}))))
    monkeypatch.setattr("vastcellar.services.roll.copying.find_place", lambda _path: own)
    for name in ("behind_folder", "behind_handle"):
        monkeypatch.setattr(f"vastcellar.services.roll.copying.{name}", lambda _place: behind)
    assert verified_copies(made(copy_run(card, [target]))) == copies
