"""Attacks on a copy: whatever is done to card, drives and mounts, *safe* is never said in vain.

Real disks, mounted from images, where that is allowed. Each test wants the copy to fail.
"""

import contextlib
import os
import random
import shutil
import signal
import subprocess
import sys
import threading
from pathlib import Path

import pytest

from disks import let_loops_be_drives, loop_disk, quietly
from services.roll.copied_folders import COMMAND, MB, listed, made, states, tree
from vastcellar.bench.copying import copy_run as copy_run_module
from vastcellar.bench.copying.journal import Journal, journal_name
from vastcellar.core.errors import BadValueError, DiskError
from vastcellar.core.roll.copies import CopyState, WipeRule, not_safe_because, verified_copies
from vastcellar.devices.behind import behind_folder
from vastcellar.services.roll.copying import Papers, copy_run, run_copy

TWICE = WipeRule()


@pytest.fixture
def disks(tmp_path, monkeypatch):
    """Two disks that count as drives of their own; the card lies on a third."""
    let_loops_be_drives(monkeypatch)
    with loop_disk(tmp_path, "one") as one, loop_disk(tmp_path, "two") as two:
        yield one, two


def at_last_look(monkeypatch, deed):
    """Do *deed* once, when all was read back and before the card is looked at again."""
    real, done = copy_run_module.look_again, []

    def looking(*args, **words):
        if not done:
            done.append(True)
            deed()
        return real(*args, **words)

    monkeypatch.setattr(copy_run_module, "look_again", looking)


def before_last_word(monkeypatch, deed):
    """Do *deed* when all was read back and the card was looked at, before the copies are."""
    real = copy_run_module.CopyRun._look_at_copies

    def looking(self, card_tree):
        deed()
        real(self, card_tree)

    monkeypatch.setattr(copy_run_module.CopyRun, "_look_at_copies", looking)


# The card changes


def test_a_clip_that_arrives_is_copied_too(card, disks, monkeypatch):
    """It is on both drives before anything is called safe."""
    at_last_look(monkeypatch, lambda: (card / "DCIM/100/C0003.MP4").write_bytes(b"late" * 999))
    outcome = made(copy_run(card, disks))
    assert not_safe_because(outcome, TWICE) == ()
    for disk in disks:
        assert tree(disk / "card") == tree(card)
    assert "DCIM/100/C0003.MP4" in {each.name for each in outcome.files}


@pytest.mark.parametrize("how", ["grows", "is replaced", "is replaced with its times"])
def test_a_clip_that_changes_after_it_was_read_is_copied_again(card, disks, monkeypatch, how):
    """What lies on the drives in the end has the bytes that the card has."""
    clip = card / "DCIM/100/C0001.XML"

    def change():
        status = clip.stat()
        if how == "grows":
            clip.write_bytes(clip.read_bytes() + b"more")
            return
        other = clip.with_name("other")
        other.write_bytes(bytes(reversed(clip.read_bytes())))
        other.replace(clip)
        if "times" in how:
            os.utime(clip, ns=(status.st_atime_ns, status.st_mtime_ns))

    at_last_look(monkeypatch, change)
    outcome = made(copy_run(card, disks))
    assert not_safe_because(outcome, TWICE) == ()
    found = next(each for each in outcome.files if each.name == "DCIM/100/C0001.XML")
    for number, disk in enumerate(disks):
        copy = disk / "card" / (found.on[number].name or found.name)
        assert copy.read_bytes() == clip.read_bytes()


def test_a_card_that_goes_on_changing_is_not_safe(card, disks, monkeypatch):
    """A camera that records on: after some rounds it says so, and doesn't wait for ever."""
    real, count = copy_run_module.look_again, []

    def looking(*args, **words):
        count.append(True)
        (card / f"more-{len(count)}.mov").write_bytes(b"more")
        return real(*args, **words)

    monkeypatch.setattr(copy_run_module, "look_again", looking)
    outcome = made(copy_run(card, disks))
    assert "came onto the card while it was copied" in not_safe_because(outcome, TWICE)[0]
    assert len(count) < 9


def test_a_clip_that_went_and_a_card_that_was_swapped_are_not_safe(card, disks, monkeypatch):
    """What went was perhaps wiped by the camera; another card at its path is not this one."""
    at_last_look(monkeypatch, (card / "nothing").unlink)
    outcome = made(copy_run(card, disks))
    assert "nothing went from the card" in not_safe_because(outcome, TWICE)[0]
    monkeypatch.undo()
    let_loops_be_drives(monkeypatch)

    def swap():
        card.rename(card.with_name("pulled"))
        shutil.copytree(card.with_name("pulled"), card)

    at_last_look(monkeypatch, swap)
    outcome = made(copy_run(card, disks, name="again"))
    assert "something else lies at the card's place" in not_safe_because(outcome, TWICE)[0]


# A journal of another card


@pytest.mark.parametrize("stamps_last", [True, False])
def test_a_journal_vouches_for_no_other_card(tmp_path, disks, monkeypatch, stamps_last):
    """Forty clips of the same names, sizes and times, on a file system with and without stamps
    that tell: all forty are read."""
    cards = []
    for number in (1, 2):
        folder = tmp_path / str(number) / "A001"
        folder.mkdir(parents=True)
        for clip in range(40):
            path = folder / f"C{clip:04}.MP4"
            path.write_bytes(random.Random(number * 100 + clip).randbytes(200_000))
            os.utime(path, ns=(10**18, 10**18))
        cards.append(folder)
    monkeypatch.setattr("vastcellar.services.roll.copying.stamps_last", lambda _name: stamps_last)
    monkeypatch.setattr(Journal, "remove", lambda _self: None)  # cut off at the very end
    made(copy_run(cards[0], disks))
    outcome = made(copy_run(cards[1], disks))
    assert outcome.read_bytes >= 40 * 200_000
    for each in outcome.files:
        copy = disks[0] / "A001" / (each.on[0].name or each.name)
        assert copy.read_bytes() == (cards[1] / each.name).read_bytes()
    again = made(copy_run(cards[1], disks))
    assert again.read_bytes == 0, "its own card it does know again"


# What a copy lies on


def test_images_on_one_disk_are_one_drive_and_none_beside_the_card(card, tmp_path):
    """Not counted as the loop devices that they are: followed to the disk under the images."""
    with loop_disk(tmp_path, "one") as one, loop_disk(tmp_path, "two") as two:
        outcome = made(copy_run(card, [one, two]))
        assert verified_copies(outcome) == 0
        assert "the card's own drive" in outcome.destinations[0].counts_not_because


def test_an_image_on_the_first_destination_is_that_drive(card, tmp_path, monkeypatch):
    """A disk in a file on another disk: what is under both is the same."""
    with loop_disk(tmp_path, "outer", 600 * MB) as outer, loop_disk(outer, "inner") as inner:
        assert behind_folder(inner).drives == behind_folder(outer).drives != frozenset()
        assert verified_copies(made(copy_run(card, [outer, inner]))) == 0
    let_loops_be_drives(monkeypatch)  # the very loops don't know: this is what would be believed
    with loop_disk(tmp_path / "outer", "believed") as believed:
        assert behind_folder(believed).drives != behind_folder(tmp_path).drives


def test_memory_in_any_dress_is_no_drive(card, tmp_path):
    """An image on memory, and a disk made of memory."""
    with contextlib.ExitStack() as stack:
        memory = tmp_path / "memory"
        memory.mkdir()
        if os.geteuid() != 0:
            pytest.skip("mounting a disk needs root")
        quietly("mount", "-t", "tmpfs", "tmpfs", str(memory))
        stack.callback(quietly, "umount", "-l", str(memory))
        image = stack.enter_context(loop_disk(memory, "image", 256 * MB))
        found = made(copy_run(card, [image])).destinations[0]
        assert found.counts_not_because == "it lies in the computer's memory"


def test_a_disk_of_compressed_memory_is_no_drive(tmp_path):
    """zram looks like any block device."""
    size = Path("/sys/block/zram0/disksize")
    if os.geteuid() != 0 or not size.exists() or size.read_text().strip() != "0":
        pytest.skip("no free zram device here")
    folder = tmp_path / "zram"
    folder.mkdir()
    size.write_text("64M")
    try:
        quietly("mkfs.ext4", "-q", "/dev/zram0")
        quietly("mount", "/dev/zram0", str(folder))
        assert behind_folder(folder).is_in_memory
    finally:
        subprocess.run(["umount", "-l", str(folder)], capture_output=True, check=False)
        Path("/sys/block/zram0/reset").write_text("1")


def test_a_file_system_over_two_disks_lies_on_both(tmp_path, monkeypatch):
    """Btrfs has a number that is no disk's: it names its disks itself, by its own identity."""
    if os.geteuid() != 0 or shutil.which("mkfs.btrfs") is None:
        pytest.skip("needs root and btrfs-progs")
    let_loops_be_drives(monkeypatch)
    folder, loops = tmp_path / "both", []
    folder.mkdir()
    try:
        for name in ("one", "two"):
            image = tmp_path / f"{name}.img"
            with image.open("wb") as file:
                file.truncate(256 * MB)
            loops.append(quietly("losetup", "--find", "--show", str(image)).stdout.strip())
        quietly("mkfs.btrfs", "-q", "-d", "raid0", "-m", "raid0", *loops)
        quietly("mount", "-t", "btrfs", loops[0], str(folder))
        assert behind_folder(folder).drives == {Path(each).name for each in loops}
    except subprocess.CalledProcessError as error:
        pytest.skip(f"no Btrfs here: {error.stderr}")
    finally:
        subprocess.run(["umount", "-l", str(folder)], capture_output=True, check=False)
        for each in loops:
            subprocess.run(["losetup", "-d", each], capture_output=True, check=False)


def test_the_source_of_a_mount_is_a_text_and_no_device(card, tmp_path):
    """An overlay, and memory, that are called like a disk: neither counts."""
    if os.geteuid() != 0:
        pytest.skip("mounting needs root")
    parts = {name: tmp_path / name for name in ("lower", "upper", "work", "over")}
    for each in parts.values():
        each.mkdir()
    options = ",".join(f"{name}dir={parts[name]}" for name in ("lower", "upper", "work"))
    try:
        quietly("mount", "-t", "overlay", "/dev/sda1", "-o", options, str(parts["over"]))
    except subprocess.CalledProcessError:
        pytest.skip("no overlay mounts here")
    try:
        found = made(copy_run(card, [parts["over"]])).destinations[0]
        assert "isn't known: it is a overlay" in found.counts_not_because and not found.drives
    finally:
        quietly("umount", "-l", str(parts["over"]))


# The drive goes


@pytest.mark.parametrize("how", ["unmounted", "mounted over", "moved"])
def test_what_lies_at_the_path_in_the_end_is_not_the_drive(card, disks, monkeypatch, how):
    """No list lands on the disk under the mount point; the copy isn't counted."""
    one, two = disks
    under = []

    def go():
        if how == "unmounted":
            quietly("umount", "-l", str(two))
        elif how == "mounted over":
            quietly("mount", "-t", "tmpfs", "tmpfs", str(two))
            under.append(two)
        else:
            (two / "card").rename(two / "elsewhere")
            (two / "card").mkdir()

    before_last_word(monkeypatch, go)
    papers = Papers()
    try:
        outcome = made(copy_run(card, [one, two]), papers)
        assert outcome.destinations[1].dropped_by and verified_copies(outcome) == 1
        assert {path.parent for path in papers.lists} == {one}
        if how != "moved":
            assert not list(two.iterdir()), "nothing was written where another disk lies"
    finally:
        for each in under:
            quietly("umount", str(each))


@pytest.mark.parametrize("how", ["removed", "damaged", "moved", "replaced alike"])
def test_a_copy_that_is_touched_after_it_was_read_back_doesn_t_count(card, disks, monkeypatch, how):
    """Gone, a bit otherwise, under another name, another file of its size and times."""
    copy = disks[1] / "card/DCIM/100/C0001.MP4"

    def touch():
        if how == "removed":
            copy.unlink()
        elif how == "moved":
            copy.rename(copy.with_name("moved"))
        elif how == "damaged":
            with copy.open("r+b") as file:
                file.write(b"x")
        else:
            status = copy.stat()
            other = copy.with_name("other")
            other.write_bytes(bytes(status.st_size))
            other.replace(copy)
            os.utime(copy, ns=(status.st_atime_ns, status.st_mtime_ns))

    before_last_word(monkeypatch, touch)
    outcome, _lists = listed(copy_run(card, disks))
    assert verified_copies(outcome) == 1 and not_safe_because(outcome, TWICE)
    assert "C0001.MP4" not in (disks[1] / "card.xxh128").read_text()


def test_a_drive_that_is_mounted_after_it_was_asked_for_is_not_the_one(card, tmp_path, monkeypatch):
    """Between the plan and the first byte another disk lies there: not counted as the planned."""
    let_loops_be_drives(monkeypatch)
    with loop_disk(tmp_path, "one") as one, loop_disk(tmp_path, "two") as two:
        run = copy_run(card, [one, two])
        (one / "elsewhere").mkdir()
        quietly("mount", "--bind", str(one / "elsewhere"), str(two))
        try:
            outcome = made(run)
        finally:
            quietly("umount", str(two))
        assert "another drive" in outcome.destinations[1].dropped_by
        assert verified_copies(outcome) == 1


def test_a_clock_that_is_set_meanwhile_doesn_t_move_what_the_word_says(card, disks, monkeypatch):
    """An hour back and a day ahead in the middle: the moments follow a clock that nobody sets."""
    real, jumps = copy_run_module.time.time, iter((0.0, *[86400.0, -3600.0] * 500))
    monkeypatch.setattr(copy_run_module.time, "time", lambda: real() + next(jumps))
    outcome = made(copy_run(card, disks))
    assert outcome.card_seen_s <= outcome.read_back_s <= outcome.card_seen_again_s
    assert outcome.card_seen_again_s - outcome.card_seen_s < 600
    assert 0 <= outcome.elapsed_s < 600


# Foreign things


def test_nothing_is_written_into_a_card_that_lies_below_its_copys_name(tmp_path):
    """A card mounted or lying below ``target/NAME``, or bound to another place, is refused."""
    target = tmp_path / "target"
    card = target / "A001" / "DCIM"
    card.mkdir(parents=True)
    (card / "clip.mov").write_bytes(b"clip")
    before = tree(target)
    with pytest.raises(BadValueError, match="written into the card"):
        copy_run(card, [target], name="A001")
    assert tree(target) == before
    if os.geteuid() != 0:
        pytest.skip("binding needs root")
    elsewhere = tmp_path / "bound"
    elsewhere.mkdir()
    (card / "sub").mkdir()
    quietly("mount", "--bind", str(card / "sub"), str(elsewhere))
    try:
        before = tree(target)
        with pytest.raises(DiskError, match="a folder of the card itself"):
            made(copy_run(card, [elsewhere], name="x"))
        assert tree(target) == before
    finally:
        quietly("umount", "-l", str(elsewhere))


def test_a_journal_that_is_linked_to_a_foreign_file_is_not_written(card, target, tmp_path):
    """Hard or soft: one sentence, and the other name's content stays."""
    theirs = tmp_path / "theirs"
    theirs.write_text("")
    (target / journal_name("card")).hardlink_to(theirs)
    with pytest.raises(DiskError, match="something else stands under the name"):
        made(copy_run(card, [target]))
    (target / journal_name("card")).unlink()
    (target / journal_name("card")).symlink_to(theirs)
    with pytest.raises((DiskError, OSError)):
        made(copy_run(card, [target]))
    assert theirs.read_text() == ""


def test_another_checksum_takes_away_what_the_first_left(card, target, monkeypatch):
    """Cut off with one algorithm, made with another: no ``.part`` stays for ever."""
    run = copy_run(card, [target])
    going = run_copy(run)
    next(going)
    token = next(iter(run._destinations)).journal.token
    run.stop()
    list(going)
    stray = target / "card" / f".{token}-9.part"
    stray.write_bytes(b"half")
    beside = target / f".card.{token}.0"
    beside.write_bytes(b"half a list")
    made(copy_run(card, [target], algorithm="sha256"))
    assert not stray.exists() and not beside.exists()
    assert tree(target / "card") == tree(card)


def test_reruns_add_nothing_beside_what_stands_there(card, target):
    """A clip that stands aside is found there again: no ``other-2``, no second list."""
    there = target / "card/DCIM/100"
    there.mkdir(parents=True)
    (there / "C0001.XML").write_text("an older take")
    listed(copy_run(card, [target]))
    before = tree(target)
    for _ in range(2):
        outcome, _lists = listed(copy_run(card, [target]))
        assert states(outcome) == {CopyState.VERIFIED}
        assert tree(target) == before


def test_a_hundred_kills_of_a_copy_whose_card_changes_meanwhile(tmp_path):
    """Killed at drawn moments while clips come and change: gone on with, the drives hold what the
    card holds, nothing stray is left, and what stood there before is as it was."""
    draw = random.Random(23)
    card, target = tmp_path / "A001", tmp_path / "target"
    card.mkdir()
    target.mkdir()
    (target / "theirs.txt").write_text("theirs")
    for number in range(120):
        (card / f"C{number:04}.MP4").write_bytes(draw.randbytes(draw.choice((3_000, 400_000))))
    command = [sys.executable, "-c", COMMAND, "copy", str(card), str(target), "--no-log", "--json"]
    for _ in range(KILLS):
        process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        timer = threading.Timer(draw.uniform(0.3, 1.5), process.send_signal, [signal.SIGKILL])
        timer.start()
        changed = card / f"C{draw.randrange(160):04}.MP4"
        changed.write_bytes(draw.randbytes(5_000))
        process.wait()
        timer.cancel()
    outcome, _lists = listed(copy_run(card, [target]))
    assert states(outcome) == {CopyState.VERIFIED} and not outcome.card_changes
    for each in outcome.files:
        copy = target / "A001" / (each.on[0].name or each.name)
        assert copy.read_bytes() == (card / each.name).read_bytes()
    strays = [path.name for path in target.rglob(".*") if path.name != journal_name("A001")]
    assert not strays and (target / "theirs.txt").read_text() == "theirs"


KILLS = int(os.environ.get("COPY_KILLS", "6"))
