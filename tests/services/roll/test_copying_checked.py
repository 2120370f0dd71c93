"""Copies read back again by their lists, and records and lists that are none."""

import json
import threading

import pytest

from services.roll.copied_folders import listed, made, tree
from vastcellar.core.errors import BadFileError
from vastcellar.services.roll.checksum_lists import list_text, read_list
from vastcellar.services.roll.copying import copy_run
from vastcellar.services.roll.verifying import Checked, check_list, lists_in
from vastcellar.store.copy_files import read_copy_record


def test_a_copy_is_checked_again_and_what_changed_is_named(card, target):
    """Same, changed, gone and swapped for a link: each line by itself; nothing is written."""
    listed(copy_run(card, [target]))
    (found,) = lists_in(target).lists
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


@pytest.mark.parametrize(
    ("changes", "says"),
    [({"algorithm": "md5"}, "algorithm"), ({"files": [{"path": "a"}]}, "files"),
     ({"version": 2}, "version"), ({"more": 1}, "more"), ({"format": "else"}, "format")],
)  # fmt: skip
def test_a_record_that_is_none_names_its_field(card, target, changes, says):
    """Another checksum, half a file, a later version, a word too much: not opened."""
    listed(copy_run(card, [target]))
    path = target / "card.copy.json"
    path.write_text(json.dumps({**json.loads(path.read_text()), **changes}))
    with pytest.raises(BadFileError, match=says):
        read_copy_record(path)


def test_a_list_that_names_less_than_its_record_vouches_for_nothing(card, target):
    """A line less, another checksum, none at all: told, and never taken for a whole check."""
    listed(copy_run(card, [target]))
    path = target / "card.xxh128"
    lines = path.read_text().splitlines(keepends=True)
    path.write_text("".join(lines[1:]))
    (found,) = lists_in(target / "card").lists
    (missing,) = found.unlisted
    assert missing.state is Checked.UNLISTED and missing.path in lines[0]
    other = f"{'0' * 32}{lines[0][32:]}"
    path.write_text(other + "".join(lines[1:]))
    assert "another checksum" in lists_in(target).lists[0].unlisted[0].said
    path.write_text("")
    with pytest.raises(BadFileError, match="names no file"):
        lists_in(target)


def test_what_has_a_lists_name_and_is_none_is_passed_over(card, target):
    """A folder, a letter: named, and the good list beside them is read all the same."""
    (target / "card.xxh128").mkdir()
    (target / "letter.sha256").write_text("dear customer")
    (target / "card.copy.json").write_text("somebody's")
    _outcome, papers = listed(copy_run(card, [target]))
    assert [each.name for each in papers] == ["card-2.xxh128", "card-2.copy.json"]
    found = lists_in(target)
    assert [each.path.name for each in found.lists] == ["card-2.xxh128"]
    assert len(found.refused) == 2 and not found.lists[0].unlisted
    assert (target / "card.copy.json").read_text() == "somebody's"
    assert lists_in(target / "card").lists[0].path.name == "card-2.xxh128"
