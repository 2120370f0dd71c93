"""Real copies in real folders: whole, verified, never over anything, and cut off at any moment."""

import errno
import hashlib
import json
import os
import random
import signal
import stat
import subprocess
import sys
import threading
from pathlib import Path

import pytest
import xxhash

from disks import loop_disk, turn_read_only
from vastcellar.bench.copying import card as card_module
from vastcellar.bench.copying.destination import Destination
from vastcellar.bench.copying.journal import journal_name
from vastcellar.bench.held_folder import HeldFolder
from vastcellar.core.errors import BadFileError, BadValueError, DiskError
from vastcellar.core.roll.copies import CopyState, WipeRule, not_safe_because, verified_copies
from vastcellar.core.units import PLAIN
from vastcellar.services.roll.checksum_lists import list_text, read_list
from vastcellar.services.roll.copying import (
    can_go_on,
    copy_run,
    keep_lists,
    outcome_figures,
    outcome_lines,
    run_copy,
)
from vastcellar.services.roll.disks import DiskBehind
from vastcellar.services.roll.verifying import Checked, check_list, lists_in
from vastcellar.store.copy_files import read_copy_record

MB = 2**20
_COMMAND = "from vastcellar.cli.main import main; main()"


@pytest.fixture
def card(tmp_path):
    """A card with clips large and small, an empty file, a sparse one, and awkward names."""
    made = tmp_path / "card"
    (made / "DCIM" / "100").mkdir(parents=True)
    (made / "empty folder").mkdir()
    draw = random.Random(7)
    for name, size in (("DCIM/100/C0001.MP4", 9 * MB + 17), ("DCIM/100/C0002.MP4", 5 * MB),
                       ("DCIM/100/C0001.XML", 3001), ("nothing", 0),
                       ("DCIM/grüße\n\\ clip.mov", 70_000)):  # fmt: skip
        (made / name).write_bytes(draw.randbytes(size))
    with (made / "sparse.raw").open("wb") as file:
        file.truncate(40 * MB)
        file.seek(20 * MB + 5120)
        file.write(b"in the middle of nothing")
    with (made / "comb.raw").open("wb") as file:  # more pieces than blocks go round
        file.truncate(2 * MB)
        for at in range(0, 2 * MB, 16384):
            file.seek(at)
            file.write(b"tooth")
    os.utime(made / "DCIM/100/C0001.MP4", ns=(10**18, 10**18 + 123_456_000))
    (made / "DCIM/100/C0002.MP4").chmod(0o440)
    return made


@pytest.fixture
def target(tmp_path):
    """An empty folder to copy into."""
    (tmp_path / "target").mkdir()
    return tmp_path / "target"


def made(run):
    """Run a copy to its end; return what came of it."""
    for _ in run_copy(run):
        pass
    return run.outcome


def tree(folder):
    """Return every file below *folder* with its content, and every folder."""
    return {
        str(path.relative_to(folder)): path.read_bytes() if path.is_file() else None
        for path in sorted(folder.rglob("*"))
    }


def states(outcome, number=0):
    """Return the states of all files on one destination."""
    return {each.on[number].state for each in outcome.files}


def test_a_card_is_whole_on_every_destination(card, target, tmp_path):
    """Bytes, times, rights, holes and awkward names as on the card; nothing else in the tree."""
    other = tmp_path / "other"
    other.mkdir()
    outcome = made(copy_run(card, [target, other]))
    for folder in (target, other):
        assert tree(folder / "card") == tree(card)
        for name in ("DCIM/100/C0001.MP4", "DCIM/100/C0002.MP4", "DCIM", "empty folder"):
            copy, own = (folder / "card" / name).stat(), (card / name).stat()
            assert copy.st_mtime_ns == own.st_mtime_ns
            if not stat.S_ISDIR(own.st_mode):
                assert copy.st_mode == own.st_mode
        assert (folder / "card/sparse.raw").stat().st_blocks < 40 * MB / 512 / 2
        assert not (folder / journal_name("card")).exists()
    assert states(outcome, 0) == states(outcome, 1) == {CopyState.VERIFIED}
    assert outcome.read_bytes == outcome.size_bytes, "read once, for both"


def test_attributes_of_the_user_go_along(card, target):
    """What the user noted at a file stays with it, where both sides know such notes."""
    clip = card / "DCIM/100/C0001.XML"
    try:
        os.setxattr(clip, "user.slate", b"12A")
    except OSError:
        pytest.skip("no extended attributes here")
    made(copy_run(card, [target]))
    assert os.getxattr(target / "card/DCIM/100/C0001.XML", "user.slate") == b"12A"


@pytest.mark.parametrize("algorithm", ["xxh128", "sha256"])
def test_lists_are_those_of_the_general_tools(card, target, algorithm):
    """Every line is the checksum that another library finds; the tool itself says OK to all."""
    run = copy_run(card, [target], algorithm=algorithm)
    outcome = made(run)
    lists = [each for each in keep_lists(run.plan, outcome) if each.suffix == f".{algorithm}"]
    rows = read_list(lists[0].read_text(), "list")
    assert {each.path for each in rows} == {f"card/{each.name}" for each in outcome.files}
    maker = xxhash.xxh3_128 if algorithm == "xxh128" else hashlib.sha256
    for each in rows:
        assert maker((target / each.path).read_bytes()).hexdigest() == each.digest
    tool = {"xxh128": "xxh128sum", "sha256": "sha256sum"}[algorithm]
    subprocess.run([tool, "-c", "--quiet", lists[0].name], cwd=target, check=True)
    record = read_copy_record(target / "card.copy.json")
    assert {each.state for each in record.files} == {CopyState.VERIFIED}
    assert {each.path: each.digest for each in record.files} == {
        each.name: each.digest for each in outcome.files
    }
    assert keep_lists(run.plan, outcome)[0] == lists[0], "the same list isn't written twice"
    (target / ".card.vast-cellar-list").write_text("of one that was killed while it wrote it")
    again = keep_lists(run.plan, outcome)
    assert {path.parent for path in again} == {target}
    assert not (target / ".card.vast-cellar-list").exists()


def test_what_stands_there_stays_as_it_is(card, target):
    """Equal: compared and counted. Different, a link, a folder: theirs stays, ours stands aside."""
    there = target / "card" / "DCIM" / "100"
    there.mkdir(parents=True)
    (there / "C0002.MP4").write_bytes((card / "DCIM/100/C0002.MP4").read_bytes())
    (there / "C0001.XML").write_text("an older take")
    (there / "C0001.MP4").symlink_to("/etc/hostname")
    (target / "card" / "nothing").mkdir()
    outcome = made(copy_run(card, [target]))
    on = {each.name: each.on[0] for each in outcome.files}
    assert on["DCIM/100/C0002.MP4"].was_there
    assert (there / "C0001.XML").read_text() == "an older take"
    assert (there / "C0001.MP4").is_symlink() and (target / "card/nothing").is_dir()
    for name in ("DCIM/100/C0001.XML", "DCIM/100/C0001.MP4", "nothing"):
        assert on[name].state is CopyState.VERIFIED and ".other-1" in on[name].name
        copy = target / "card" / on[name].name
        assert copy.read_bytes() == (card / name).read_bytes() and not copy.is_symlink()
    told = "\n".join(outcome_lines(outcome, WipeRule(), PLAIN))
    assert "stands aside as DCIM/100/C0001.other-1.XML" in told


def test_a_bit_that_flipped_on_the_drive_is_found(card, target, monkeypatch):
    """One byte is changed behind the flush: that clip is different, and the card isn't safe."""
    real = Destination.publish

    def flipping(self, written):
        real(self, written)
        if written.name == "C0002.MP4":
            path = target / "card/DCIM/100/C0002.MP4"
            path.chmod(0o600)
            with path.open("r+b") as file:
                file.seek(3 * MB)
                old = file.read(1)[0]
                file.seek(3 * MB)
                file.write(bytes([old ^ 1]))
                file.flush()
                os.fsync(file.fileno())

    monkeypatch.setattr(Destination, "publish", flipping)
    run = copy_run(card, [target])
    outcome = made(run)
    found = {each.name: each.on[0].state for each in outcome.files}
    assert found.pop("DCIM/100/C0002.MP4") is CopyState.DIFFERENT
    assert set(found.values()) == {CopyState.VERIFIED}
    assert verified_copies(outcome) == 0
    keep_lists(run.plan, outcome)
    assert "C0002" not in (target / "card.xxh128").read_text(), "no list vouches for it"
    assert can_go_on(run.plan), "it can be gone on with"


def test_a_source_that_can_t_be_read_costs_that_clip_alone(card, target, monkeypatch):
    """EIO in the middle of one clip: it gets no name, its range is told, the rest is verified."""
    real, bad = card_module.read_at, (card / "DCIM/100/C0001.MP4").stat().st_ino

    def failing(handle, view, at_bytes, wanted):
        if os.fstat(handle).st_ino == bad and at_bytes >= 4 * MB:
            raise OSError(errno.EIO, os.strerror(errno.EIO))
        return real(handle, view, at_bytes, wanted)

    monkeypatch.setattr(card_module, "read_at", failing)
    outcome = made(copy_run(card, [target]))
    clip = next(each for each in outcome.files if each.name == "DCIM/100/C0001.MP4")
    assert "can't be read at byte 4,194,304" in clip.trouble and clip.digest == ""
    assert not (target / "card/DCIM/100/C0001.MP4").exists()
    rest = [each for each in outcome.files if each is not clip]
    assert {each.on[0].state for each in rest} == {CopyState.VERIFIED}
    assert not_safe_because(outcome, WipeRule(1))
    assert not [path for path in target.rglob("*") if path.name.endswith(".part")]


@pytest.mark.parametrize("change", ["grows", "shrinks", "is rewritten"])
def test_a_clip_that_changes_meanwhile_is_not_called_verified(card, target, monkeypatch, change):
    """A camera still writing to it: said, and no copy of it is taken for the clip."""
    clip = card / "DCIM/100/C0001.MP4"
    real, done = card_module.read_at, []

    def changing(handle, view, at_bytes, wanted):
        if os.fstat(handle).st_ino == clip.stat().st_ino and not done:
            done.append(True)
            if change == "shrinks":
                os.truncate(clip, 4 * MB)
            else:
                with clip.open("r+b") as file:
                    file.seek(0, os.SEEK_END if change == "grows" else os.SEEK_SET)
                    file.write(b"more")
        return real(handle, view, at_bytes, wanted)

    monkeypatch.setattr(card_module, "read_at", changing)
    outcome = made(copy_run(card, [target]))
    found = next(each for each in outcome.files if each.name == "DCIM/100/C0001.MP4")
    assert "while it was copied" in found.trouble
    assert found.on[0].state is CopyState.FAILED
    assert not (target / "card/DCIM/100/C0001.MP4").exists()


def test_links_pipes_and_devices_are_left_out_and_keep_the_card(card, target):
    """A link out of the card is never followed; a pipe doesn't hold it up; both are told."""
    (card / "link.mov").symlink_to("/etc/passwd")
    (card / "up").symlink_to("..")
    os.mkfifo(card / "pipe")
    outcome = made(copy_run(card, [target]))
    assert set(outcome.left_out) == {"link.mov", "up", "pipe"}
    assert not (target / "card" / "link.mov").exists()
    assert states(outcome) == {CopyState.VERIFIED}
    assert "no file" in "; ".join(not_safe_because(outcome, WipeRule(0)))


def test_a_folder_that_was_swapped_for_a_link_leads_nowhere(card, target, tmp_path):
    """Where a folder of the copy is a link to elsewhere, nothing is written through it."""
    elsewhere = tmp_path / "elsewhere"
    elsewhere.mkdir()
    (target / "card").mkdir()
    (target / "card" / "DCIM").symlink_to(elsewhere)
    outcome = made(copy_run(card, [target]))
    assert not list(elsewhere.iterdir())
    inside = [each for each in outcome.files if each.name.startswith("DCIM/")]
    assert {each.on[0].state for each in inside} == {CopyState.FAILED}
    rest = [each for each in outcome.files if each not in inside]
    assert {each.on[0].state for each in rest} == {CopyState.VERIFIED}


def test_what_can_t_be_copied_there_is_refused_before_anything_is_written(card, target, tmp_path):
    """Inside the card, the card itself, twice the same, no folder, a name with a way in it."""
    inside = card / "DCIM"
    (tmp_path / "same").symlink_to(target)
    for destinations, name, says in (
        ([inside], "", "inside the card"),
        ([card.parent], "", "would be the card itself"),
        ([target, tmp_path / "same"], "", "the same folder"),
        ([target], "../up", "no name for a folder"),
        ([target], "..", "no name for a folder"),
        ([], "", "0 destinations"),
        ([target] * 5, "", "5 destinations"),
    ):
        with pytest.raises(BadValueError, match=says):
            copy_run(card, destinations, name=name)
    with pytest.raises(BadValueError, match="no checksum"):
        copy_run(card, [target], algorithm="md5")
    for missing in (tmp_path / "gone", card / "nothing"):
        with pytest.raises(DiskError, match="no folder that can be used"):
            copy_run(card, [missing])
    assert not list(target.iterdir())


def test_too_little_room_and_too_large_files_are_said_first(card, target, monkeypatch):
    """A card larger than what is free, a clip of 4 GiB for a FAT32: nothing is begun."""
    with (card / "huge.raw").open("wb") as file:
        file.truncate(2**32)
    monkeypatch.setattr(
        "vastcellar.services.roll.copying.disk_behind", lambda _p: DiskBehind("sdx", "vfat")
    )
    with pytest.raises(BadValueError, match="FAT32"):
        copy_run(card, [target])
    # Nothing but a hole: a drive that knows such takes it, one that doesn't has no room for it.
    with (card / "huge.raw").open("wb") as file:
        file.truncate(2**43)
    monkeypatch.setattr(
        "vastcellar.services.roll.copying.disk_behind", lambda _p: DiskBehind("sdx", "ext4")
    )
    copy_run(card, [target])
    monkeypatch.setattr(
        "vastcellar.services.roll.copying.disk_behind", lambda _p: DiskBehind("sdx", "exfat")
    )
    with pytest.raises(DiskError, match="are to be written"):
        copy_run(card, [target])
    assert not list(target.iterdir())


def test_cancelled_it_leaves_whole_files_only_and_goes_on_from_there(card, target):
    """Stopped at once: no half file; gone on with, the tree is the card's, and no stray is left."""
    run = copy_run(card, [target])
    run.stop()
    outcome = made(run)
    assert outcome.is_cancelled and not_safe_because(outcome, WipeRule(1))
    for path in (target / "card").rglob("*"):
        if path.is_file():
            assert path.read_bytes() == (card / path.relative_to(target / "card")).read_bytes()
    again = copy_run(card, [target])
    assert can_go_on(again.plan)
    assert states(made(again)) == {CopyState.VERIFIED}
    assert tree(target / "card") == tree(card)


def test_what_is_verified_is_not_read_again(card, target, monkeypatch):
    """One clip fails at first: gone on with, only that one is read from the card."""
    real, bad = card_module.read_at, (card / "DCIM/100/C0002.MP4").stat().st_ino

    def failing(handle, view, at_bytes, wanted):
        if os.fstat(handle).st_ino == bad:
            raise OSError(errno.EIO, os.strerror(errno.EIO))
        return real(handle, view, at_bytes, wanted)

    monkeypatch.setattr(card_module, "read_at", failing)
    made(copy_run(card, [target]))
    monkeypatch.setattr(card_module, "read_at", real)
    outcome = made(copy_run(card, [target]))
    assert outcome.read_bytes == 5 * MB
    assert states(outcome) == {CopyState.VERIFIED}
    assert all(each.digest for each in outcome.files)


@pytest.mark.parametrize("what", ["the copy", "the clip"])
def test_what_was_changed_since_it_was_verified_is_looked_at_anew(card, target, monkeypatch, what):
    """After a cut, the copy was replaced or the clip written anew: the journal vouches for
    neither."""
    monkeypatch.setattr(
        "vastcellar.bench.copying.journal.Journal.remove", lambda _self: None
    )  # as if it had been cut off at the very end
    made(copy_run(card, [target]))
    name = "DCIM/100/C0001.XML"
    changed = (target / "card" if what == "the copy" else card) / name
    content = bytes(reversed(changed.read_bytes()))
    changed.unlink()
    changed.write_bytes(content)
    outcome = made(copy_run(card, [target]))
    one = next(each for each in outcome.files if each.name == name)
    assert one.on[0].name.endswith("C0001.other-1.XML")
    assert (target / "card" / one.on[0].name).read_bytes() == (card / name).read_bytes()


@pytest.mark.parametrize(
    "content", ["", '{"form', '{"format": "vast-cellar/copy-journal"}\n',
                '{"format": "vast-cellar/copy-journal", "algorithm": "sha256", "token": "0"}\n{}']
)  # fmt: skip
def test_a_journal_that_was_cut_short_vouches_for_nothing(card, target, content):
    """Empty, half a head, no token, another checksum's: the copy is made as if there were none."""
    (target / journal_name("card")).write_text(content)
    stray = target / "card" / ".0123456789abcdef-1.part"
    stray.parent.mkdir()
    stray.write_text("somebody else's")
    assert states(made(copy_run(card, [target]))) == {CopyState.VERIFIED}
    assert stray.read_text() == "somebody else's", "only what carries our token is ours"


@pytest.mark.parametrize("content", ["[" * 100_000, "\0\xff", "dear diary", "{}\n{}\n"])
def test_what_stands_under_the_journals_name_and_is_none_stays(card, target, content):
    """Brackets, zeros, somebody's text: one sentence, and it is as it was."""
    path = target / journal_name("card")
    path.write_text(content)
    with pytest.raises(DiskError, match="something else stands under the name"):
        made(copy_run(card, [target]))
    assert path.read_text() == content and not (target / "card").exists()


@pytest.mark.parametrize("hand", ["begin", "read_back"])
def test_a_fault_of_ours_ends_the_copy_and_nobody_waits_for_ever(card, target, monkeypatch, hand):
    """What is no disk's doing is raised when all hands are still, and isn't taken for a copy."""

    def broken(*_args, **_words):
        raise ZeroDivisionError("ours")

    monkeypatch.setattr(Destination, hand, broken)
    run = copy_run(card, [target])
    with pytest.raises(ZeroDivisionError):
        made(run)
    assert CopyState.VERIFIED not in states(run.outcome)


def test_a_card_that_an_exfat_can_t_hold_says_which_clip(card, tmp_path):
    """Names it has no letters for, and twins that differ in case only: each by itself; nothing is
    written over, and the rest is verified."""
    for name, text in (("colon: one.mov", "1"), ("Twin.mov", "upper"), ("tWIN.MOV", "lower")):
        (card / name).write_text(text)
    with loop_disk(tmp_path, "fat", 256 * MB, "exfat") as fat:
        outcome = made(copy_run(card, [fat]))
        on = {each.name: each.on[0] for each in outcome.files}
        assert not outcome.destinations[0].dropped_by, "a name is no fault of the drive"
        assert on["colon: one.mov"].state is CopyState.FAILED
        assert "name can't be held" in on["colon: one.mov"].said
        assert "may have come back from memory" in "\n".join(
            outcome_lines(outcome, WipeRule(), PLAIN)
        )
        assert not [path for path in fat.rglob("*") if path.name.endswith(".part")]
        assert on["DCIM/100/C0001.MP4"].state is CopyState.VERIFIED
        twins = {on["Twin.mov"].name or "Twin.mov", on["tWIN.MOV"].name or "tWIN.MOV"}
        texts = {(fat / "card" / name).read_text() for name in twins}
        assert len(twins) == 2 and texts == {"upper", "lower"}


def test_lines_that_were_cut_short_or_tell_lies_count_for_nothing(card, target, monkeypatch):
    """The last line ends in the middle, another names a file that isn't there."""
    monkeypatch.setattr("vastcellar.bench.copying.journal.Journal.remove", lambda _self: None)
    made(copy_run(card, [target]))
    journal = target / journal_name("card")
    lie = json.dumps({"path": "nothing", "size_bytes": 0, "modified_ns": 0, "digest": "00",
                      "inode": 1, "changed_ns": 1, "name": ""})  # fmt: skip
    journal.write_text(f'{journal.read_text()}{lie}\n{{"path": "DCIM/100/C0001.X')
    outcome = made(copy_run(card, [target]))
    assert states(outcome) == {CopyState.VERIFIED}
    nothing = next(each for each in outcome.files if each.name == "nothing")
    assert nothing.digest == xxhash.xxh3_128(b"").hexdigest()


def test_two_copies_of_a_card_to_one_place_at_once_are_refused(card, target):
    """The second is told so, and the first isn't disturbed."""
    first = copy_run(card, [target])
    going = run_copy(first)
    next(going)
    with pytest.raises(DiskError, match="another copy of card is being made there"):
        made(copy_run(card, [target]))
    for _ in going:
        pass
    assert states(first.outcome) == {CopyState.VERIFIED}


def test_paused_it_reads_no_further_until_it_goes_on(card, target):
    """Paused before it begins: nothing is read; resumed, it is whole."""
    run = copy_run(card, [target])
    run.pause()
    going = run_copy(run)
    for _ in range(3):
        assert next(going).read_bytes == 0
    run.resume()
    for _ in going:
        pass
    assert states(run.outcome) == {CopyState.VERIFIED}


def test_without_direct_io_it_is_just_as_whole(card, target, monkeypatch):
    """A file system that doesn't pass the host's memory by: copied and read back all the same."""
    for name in ("create", "open_file"):
        real = getattr(HeldFolder, name)

        def refusing(self, path, flags=os.O_RDWR if name == "create" else os.O_RDONLY, real=real):
            if flags & os.O_DIRECT:
                raise OSError(errno.EINVAL, os.strerror(errno.EINVAL))
            return real(self, path, flags)

        monkeypatch.setattr(HeldFolder, name, refusing)
    assert states(made(copy_run(card, [target]))) == {CopyState.VERIFIED}
    assert tree(target / "card") == tree(card)


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


def test_a_copy_is_checked_again_and_what_changed_is_named(card, target):
    """Same, changed, gone and swapped for a link: each line by itself; nothing is written."""
    run = copy_run(card, [target])
    keep_lists(run.plan, made(run))
    (found,) = lists_in(target)
    before = tree(target)
    checked = {each.path: each.state for each in check_list(found, threading.Event())}
    assert set(checked.values()) == {Checked.SAME} and tree(target) == before
    (target / "card/nothing").write_text("something")
    (target / "card/sparse.raw").unlink()
    xml = target / "card/DCIM/100/C0001.XML"
    xml.rename(xml.with_name("aside"))
    xml.symlink_to("aside")
    checked = {each.path: each.state for each in check_list(found, threading.Event())}
    assert checked.pop("card/nothing") is Checked.DIFFERENT
    assert checked.pop("card/sparse.raw") is Checked.MISSING
    assert checked.pop("card/DCIM/100/C0001.XML") is Checked.UNREADABLE
    assert set(checked.values()) == {Checked.SAME}


@pytest.mark.parametrize(
    ("line", "says"),
    [
        ("0" * 32 + "  ../../etc/passwd", "leads out of its folder"),
        ("0" * 32 + "  /etc/passwd", "leads out of its folder"),
        ("0" * 32 + "  a//b", "leads out of its folder"),
        ("\\" + "0" * 32 + "  a\\n/../b", "leads out of its folder"),
        ("0" * 31 + "  clip", "no line of a checksum"),
        ("g" * 32 + "  clip", "no line of a checksum"),
        ("[" * 5000, "no line of a checksum"),
        ("0" * 32 + " clip", "no line of a checksum"),
    ],
)
def test_a_list_that_leads_elsewhere_or_is_none_is_refused(line, says):
    """Ways out, halves, letters, brackets: the line is named, and nothing is read."""
    with pytest.raises(BadFileError, match=says) as told:
        read_list(f"{'0' * 32}  good\n{line}\n", "list")
    assert "line 2" in str(told.value)


def test_a_list_reads_as_it_was_written(card, target):
    """Line feeds and backslashes in names come back as they were."""
    outcome = made(copy_run(card, [target]))
    rows = read_list(list_text(outcome, 0, "card"), "list")
    assert {each.path for each in rows} == {f"card/{each.name}" for each in outcome.files}


def test_a_kill_at_any_moment_loses_nothing_that_was_vouched_for(tmp_path):
    """Killed twelve times at drawn moments and gone on with: the same tree, no stray file, and
    no journal that ever named a file which wasn't there and the same."""
    card, target = tmp_path / "card", tmp_path / "target"
    card.mkdir()
    target.mkdir()
    draw = random.Random(20261127)
    for number in range(60):
        size = draw.choice((0, 900, 40_000, 3 * MB, 9 * MB))
        (card / f"clip-{number:02}.mov").write_bytes(draw.randbytes(size))
    command = [sys.executable, "-c", _COMMAND, "copy", str(card), str(target), "--json",
               "--data", str(tmp_path / "data")]  # fmt: skip
    for _ in range(12):
        with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE) as process:
            try:
                process.wait(draw.uniform(0.2, 0.9))
            except subprocess.TimeoutExpired:
                process.send_signal(signal.SIGKILL)
        _require_true_journal(card, target)
    done = subprocess.run(command, capture_output=True, check=True, text=True)
    assert json.loads(done.stdout)["destinations"][0]["files"]["verified"] == 60
    assert tree(target / "card") == tree(card)
    names = {path.name for path in target.iterdir()}
    assert all(name == "card" or name.startswith("card") for name in names)


def _require_true_journal(card: Path, target: Path) -> None:
    journal = target / journal_name("card")
    for line in journal.read_text().splitlines()[1:] if journal.exists() else ():
        try:
            row = json.loads(line)
        except ValueError:
            continue  # cut short
        copy = target / "card" / row["path"]
        assert xxhash.xxh3_128(copy.read_bytes()).hexdigest() == row["digest"]
        assert copy.read_bytes() == (card / row["path"]).read_bytes()


@pytest.mark.parametrize(
    ("changes", "says"),
    [({"algorithm": "md5"}, "algorithm"), ({"files": [{"path": "a"}]}, "files"),
     ({"version": 2}, "version"), ({"more": 1}, "more"), ({"format": "else"}, "format")],
)  # fmt: skip
def test_a_record_that_is_none_names_its_field(card, target, changes, says):
    """Another checksum, half a file, a later version, a word too much: not opened."""
    run = copy_run(card, [target])
    keep_lists(run.plan, made(run))
    path = target / "card.copy.json"
    path.write_text(json.dumps({**json.loads(path.read_text()), **changes}))
    with pytest.raises(BadFileError, match=says):
        read_copy_record(path)


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
