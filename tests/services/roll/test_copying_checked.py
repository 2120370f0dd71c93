"""Copies read back again by their lists, and records and lists that are none."""

import json
import threading

import pytest

from services.roll.copied_folders import made, tree
from vastcellar.core.errors import BadFileError
from vastcellar.services.roll.checksum_lists import list_text, read_list
from vastcellar.services.roll.copying import (
    copy_run,
    keep_lists,
)
from vastcellar.services.roll.verifying import Checked, check_list, lists_in
from vastcellar.store.copy_files import read_copy_record


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
