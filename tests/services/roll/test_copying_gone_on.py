"""Copies cut off at any moment, cancelled, paused, killed: nothing was vouched for in vain."""

import errno
import json
import os
import random
import signal
import subprocess
import sys
from pathlib import Path

import pytest
import xxhash

from disks import loop_disk
from services.roll.copied_folders import COMMAND, MB, made, states, tree
from vastcellar.bench.copying import card as card_module
from vastcellar.bench.copying.destination import Destination
from vastcellar.bench.copying.journal import journal_name
from vastcellar.bench.held_folder import HeldFolder
from vastcellar.core.errors import DiskError
from vastcellar.core.roll.copies import CopyState, WipeRule, not_safe_because
from vastcellar.core.units import PLAIN
from vastcellar.services.roll.copy_wording import outcome_lines
from vastcellar.services.roll.copying import can_go_on, copy_run, run_copy


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
    command = [sys.executable, "-c", COMMAND, "copy", str(card), str(target), "--json",
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
