"""Real copies in real folders: whole, verified, and never over anything."""

import errno
import hashlib
import os
import stat
import subprocess

import pytest
import xxhash

from services.roll.copied_folders import MB, listed, made, states, tree
from vastcellar.bench.copying import card as card_module
from vastcellar.bench.copying.destination import Destination
from vastcellar.bench.copying.journal import journal_name
from vastcellar.core.errors import BadValueError, DiskError
from vastcellar.core.roll.copies import CopyState, WipeRule, not_safe_because, verified_copies
from vastcellar.core.units import PLAIN
from vastcellar.devices.behind import Behind
from vastcellar.services.roll.checksum_lists import read_list
from vastcellar.services.roll.copy_wording import outcome_lines
from vastcellar.services.roll.copying import can_go_on, copy_run
from vastcellar.store.copy_files import read_copy_record


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
    foreign = target / ".card.vast-cellar-list"
    foreign.write_text("somebody's, and in nobody's way")
    outcome, papers = listed(copy_run(card, [target], algorithm=algorithm))
    lists = [each for each in papers if each.suffix == f".{algorithm}"]
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
    before = tree(target)
    _again, same = listed(copy_run(card, [target], algorithm=algorithm))
    assert same == papers and tree(target) == before, "the same isn't written twice"
    assert foreign.read_text().startswith("somebody's")
    told = "\n".join(outcome_lines(outcome, WipeRule(), PLAIN))
    assert ("before 0.8.2 doesn't read" in told) is (algorithm == "xxh128")


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
    outcome, _papers = listed(run)
    found = {each.name: each.on[0].state for each in outcome.files}
    assert found.pop("DCIM/100/C0002.MP4") is CopyState.DIFFERENT
    assert set(found.values()) == {CopyState.VERIFIED}
    assert verified_copies(outcome) == 0
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


def change_while_read(monkeypatch, clip, change, times):
    """Let a camera change *clip* so often while it is read, each time otherwise."""
    real, done = card_module.read_at, []

    def changing(handle, view, at_bytes, wanted):
        if os.fstat(handle).st_ino == clip.stat().st_ino and len(done) < times:
            done.append(True)
            if change == "shrinks":
                os.truncate(clip, 5 * MB - len(done))
            else:
                with clip.open("r+b") as file:
                    file.seek(0, os.SEEK_END if change == "grows" else os.SEEK_SET)
                    file.write(b"more%d" % len(done))
        return real(handle, view, at_bytes, wanted)

    monkeypatch.setattr(card_module, "read_at", changing)


@pytest.mark.parametrize("change", ["grows", "shrinks", "is rewritten"])
def test_a_clip_that_changes_meanwhile_is_copied_again(card, target, monkeypatch, change):
    """Written to once while it is read: what lies there in the end is what the card holds."""
    clip = card / "DCIM/100/C0001.MP4"
    change_while_read(monkeypatch, clip, change, 1)
    outcome = made(copy_run(card, [target]))
    assert states(outcome) == {CopyState.VERIFIED} and not outcome.card_changes
    assert tree(target / "card") == tree(card)


@pytest.mark.parametrize("change", ["grows", "shrinks", "is rewritten"])
def test_a_clip_that_goes_on_changing_is_not_called_verified(card, target, monkeypatch, change):
    """A camera still writing to it: said, and no copy of it is taken for the clip."""
    clip = card / "DCIM/100/C0001.MP4"
    change_while_read(monkeypatch, clip, change, 99)
    outcome = made(copy_run(card, [target]))
    found = next(each for each in outcome.files if each.name == "DCIM/100/C0001.MP4")
    assert "while it was copied" in found.trouble
    assert found.on[0].state is CopyState.FAILED
    assert not (target / "card/DCIM/100/C0001.MP4").exists()
    assert "C0001.MP4 changed while the card was" in "; ".join(
        not_safe_because(outcome, WipeRule(0))
    )


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
        ([card.parent], "", "would be written into the card"),
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
    monkeypatch.setattr("vastcellar.services.roll.copying.behind_folder", lambda _p: Behind("vfat"))
    with pytest.raises(BadValueError, match="FAT32"):
        copy_run(card, [target])
    # Nothing but a hole: a drive that knows such takes it, one that doesn't has no room for it.
    with (card / "huge.raw").open("wb") as file:
        file.truncate(2**43)
    monkeypatch.setattr("vastcellar.services.roll.copying.behind_folder", lambda _p: Behind("ext4"))
    copy_run(card, [target])
    monkeypatch.setattr(
        "vastcellar.services.roll.copying.behind_folder", lambda _p: Behind("exfat")
    )
    with pytest.raises(DiskError, match="are to be written"):
        copy_run(card, [target])
    assert not list(target.iterdir())
