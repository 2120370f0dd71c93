"""The log over real folders: kept, read back again, wrong drive, wrong name, found again."""

import csv
import io
import os
import threading
from dataclasses import replace
from datetime import timedelta

import pytest

from clips import make_clip
from core.roll.copied_cards import AT, VERIFIED, clip, device, kept
from vastcellar.core.errors import BadValueError, DiskError, UnknownPartError
from vastcellar.core.evidence import Verdict
from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.core.roll.copies import CopyState
from vastcellar.core.roll.copy_log import Recognised
from vastcellar.core.units import PLAIN
from vastcellar.report.log_sheet import log_sheet_pdf
from vastcellar.services.roll.clip_ends import clip_ends_of, keep_clip_ends
from vastcellar.services.roll.copied_runs import keep_copied_runs
from vastcellar.services.roll.copying import copy_run, run_copy
from vastcellar.services.roll.day_log import (
    WipeRule,
    check_again,
    copy_numbered,
    day_of,
    find_clips,
    keep_in_log,
    log_csv,
    log_lines,
    log_of,
    note_wiped,
    recognised,
    recognition_text,
    state_of,
)
from vastcellar.services.runs.run_rows import run_rows

RULE = WipeRule()


@pytest.fixture
def card(tmp_path):
    """A card of three clips and two folders to copy it into."""
    (tmp_path / "A001" / "CLIP").mkdir(parents=True)
    for number in range(3):
        (tmp_path / f"A001/CLIP/C{number}.MP4").write_bytes(os.urandom(90_000 + number))
    for name in ("one", "two"):
        (tmp_path / name).mkdir()
    return tmp_path / "A001"


@pytest.fixture
def copied(workplace, card):
    """The card copied to both folders, and kept in the log."""
    run = copy_run(card, [card.parent / "one", card.parent / "two"])
    list(run_copy(run))
    return keep_in_log(workplace, run.plan, run.outcome, workplace.shelf(), "loader")


def safe(workplace):
    """A card in the log that may be wiped."""
    from vastcellar.store.copy_log import add_copy

    given = kept(clip("C1", VERIFIED, VERIFIED))
    return replace(given, copy_id=add_copy(workplace.cellar, given))


def test_what_was_copied_is_in_the_log(workplace, copied):
    """With its files, who did it, and where; on the card's own drive it is safe for nothing."""
    (listed,) = log_of(workplace)
    assert listed == copied
    assert copy_numbered(workplace, copied.copy_id) == copied
    verdict, state = state_of(listed, RULE)
    assert verdict is Verdict.FALLS_SHORT
    assert "0 of 2 verified copies" in state
    lines = log_lines(listed, RULE, PLAIN)
    assert "A001: 3 files" in lines[0] and "by loader" in lines[0]
    assert "3 of 3 verified" in lines[1]
    assert log_of(workplace, day_of(copied)) == (copied,)
    assert log_of(workplace, day_of(copied) - timedelta(days=1)) == ()


def test_the_same_card_is_recognised_and_so_is_one_that_was_recorded_on(workplace, card, copied):
    """Said before it is copied again; another card of the same names is no old friend."""
    kept_now = log_of(workplace)
    found = recognised(card, kept_now)
    assert found.kind is Recognised.SAME
    assert recognition_text(found, PLAIN).startswith("All 3 files of this card were copied before")
    (card / "CLIP/C9.MP4").write_bytes(b"more")
    assert "recorded on since" in recognition_text(recognised(card, kept_now), PLAIN)
    (card / "CLIP/C1.MP4").write_bytes(b"another clip")
    assert "Other clips with the names of A001" in recognition_text(
        recognised(card, kept_now), PLAIN
    )
    assert recognition_text(recognised(card, ()), PLAIN) == ""


def test_read_back_again_all_stays_verified(workplace, copied):
    """Every file of every destination, and when it was."""
    checked = list(check_again(workplace, copied, threading.Event()))
    assert len(checked) == 6
    assert {each.state.value for each in checked} == {"same"}
    assert log_of(workplace)[0].checked_at is not None
    assert log_of(workplace)[0].outcome == copied.outcome


def test_a_flipped_bit_is_found_and_kept(workplace, card, copied):
    """One byte of one clip on one destination: that clip is different there, all else verified."""
    path = card.parent / "two/A001/CLIP/C1.MP4"
    content = bytearray(path.read_bytes())
    content[5] ^= 1
    path.write_bytes(content)
    list(check_again(workplace, copied, threading.Event()))
    (now,) = log_of(workplace)
    wrong = [(f.name, n) for f in now.outcome.files for n, one in enumerate(f.on)
             if one.state is not CopyState.VERIFIED]  # fmt: skip
    assert wrong == [("CLIP/C1.MP4", 1)]


def test_a_check_that_is_stopped_changes_nothing(workplace, copied):
    """Half a check says nothing of the rest."""
    stop = threading.Event()
    for _each in check_again(workplace, copied, stop):
        stop.set()
    assert log_of(workplace) == (copied,)


def test_another_device_in_the_place_of_the_copys_is_refused(workplace, copied):
    """A folder of the same name on another drive is no copy of this card."""
    places = tuple(replace(each, device=device("SN-4711-X")) for each in copied.places)
    with pytest.raises(DiskError, match="another device lies there now"):
        list(check_again(workplace, replace(copied, places=places), threading.Event()))
    assert log_of(workplace) == (copied,)


def test_a_card_is_noted_as_wiped_only_when_it_is_safe_and_its_name_is_typed(workplace, copied):
    """Another name, or a card without its copies: refused, and nothing is noted."""
    with pytest.raises(BadValueError, match="A001 must not be wiped: 0 of 2"):
        note_wiped(workplace, copied, "A001", RULE)
    good = safe(workplace)
    with pytest.raises(BadValueError, match="'A002' was typed, the card is 'A001'"):
        note_wiped(workplace, good, "A002", RULE)
    assert all(each.wiped_at is None for each in log_of(workplace))
    noted = note_wiped(workplace, good, " A001 ", RULE)
    assert state_of(noted, RULE)[1] == "noted as wiped"
    assert copy_numbered(workplace, good.copy_id) == noted


def test_a_number_that_no_copy_has_is_one_sentence(workplace):
    """What there is to choose from is the log's."""
    with pytest.raises(UnknownPartError, match="no copy 7"):
        copy_numbered(workplace, 7)


def test_a_clip_is_found_with_where_it_is_verified(workplace, copied):
    """By a part of its name; an empty search finds nothing."""
    (found,) = find_clips("c1.", log_of(workplace))
    assert found.path == "CLIP/C1.MP4"
    assert len(found.verified_at) == 2
    assert found.verified_copies == 0  # both lie on the card's own drive
    assert find_clips("  ", log_of(workplace)) == ()


def test_the_csv_has_a_line_for_each_clip_on_each_destination_and_no_formula(workplace):
    """A clip called like a formula stays text in a spreadsheet."""
    copy = kept(clip("=1+1.mov", VERIFIED, VERIFIED), clip("C2.mov", VERIFIED, VERIFIED))
    rows = list(csv.DictReader(io.StringIO(log_csv([copy]))))
    assert len(rows) == 4
    assert rows[0]["clip"] == "'=1+1.mov"
    assert {row["state"] for row in rows} == {"verified"}
    assert rows[0]["made_at"] == AT.isoformat()


def test_the_sheet_names_every_card_and_its_state(workplace):
    """The text of the PDF is read back: card, copies, whether it may be wiped."""
    import pypdfium2

    copy = kept(clip("C1", VERIFIED, VERIFIED), name="B <b>007</b>")
    pdf = log_sheet_pdf("Slipway", day_of(copy), [copy], RULE, PLAIN)
    page = pypdfium2.PdfDocument(pdf)[0].get_textpage().get_text_range()
    assert "B <b>007</b>: 1 file" in page
    assert "safe to wipe: 2 verified copies" in page
    assert "Slipway: cards copied on 2026-11-27" in page


def test_a_copy_is_a_run_of_each_unit_that_it_went_to(workplace):
    """Its rate and bytes under the bound unit, its wear added; nothing for a folder of nobody's."""
    copy = kept(clip("C1", VERIFIED, VERIFIED, size=2_000_000_000))
    there = zip(copy.outcome.destinations, (10.0, 2.0), strict=True)
    one, two = (replace(d, written_bytes=2_000_000_000, busy_s=busy) for d, busy in there)
    outcome = replace(copy.outcome, destinations=(one, two), elapsed_s=10.0)
    places = (replace(copy.places[0], unit_tag="K-07"), copy.places[1])
    copy = replace(copy, outcome=outcome, places=places)
    before = workplace.shelf().unit("K-07").written_bytes
    assert keep_copied_runs(workplace, copy) == ("K-07",)
    (record,) = workplace.cellar.runs("K-07")
    assert (record.kind, record.is_simulated, record.is_complete) == ("copy", False, True)
    assert record.figures["bytes_per_s"] == pytest.approx(200e6)
    assert record.figures["sets_pace"]
    assert workplace.shelf().unit("K-07").written_bytes == before + 2e9
    ((_when, what, rate, size, found, *_rest),) = run_rows([record], "K-07", PLAIN, rig_word="x")
    assert (what, rate, size) == ("copy", "200.0 MB/s", "2 GB")
    assert found == "A001: sets the pace"


def test_a_copy_that_came_back_different_is_a_run_that_failed(workplace):
    """What counts against a unit elsewhere counts here."""
    from vastcellar.services.runs.failing import has_failed

    copy = kept(clip("C1", CopyState.DIFFERENT), drives=("one",))
    there = replace(copy.outcome.destinations[0], written_bytes=100, busy_s=1.0)
    copy = replace(
        copy,
        outcome=replace(copy.outcome, destinations=(there,)),
        places=(replace(copy.places[0], unit_tag="K-07"),),
    )
    keep_copied_runs(workplace, copy)
    (record,) = workplace.cellar.runs("K-07")
    assert has_failed(record.kind, record.figures)


def test_the_heads_of_clips_are_read_from_a_copy_and_told(workplace, tmp_path):
    """Count, time and format of what can be read; what only looks like a clip costs nothing."""
    (tmp_path / "C001").mkdir()
    (tmp_path / "there").mkdir()
    make_clip(tmp_path / "C001/one.mov", seconds=2)
    make_clip(tmp_path / "C001/two.MOV", seconds=3, height=240)
    (tmp_path / "C001/broken.mp4").write_bytes(b"\0" * 500)
    (tmp_path / "C001/notes.txt").write_text("no clip")
    run = copy_run(tmp_path / "C001", [tmp_path / "there"])
    list(run_copy(run))
    copy = keep_in_log(workplace, run.plan, run.outcome, workplace.shelf())
    assert [(c.path, c.height_px, round(c.duration_s)) for c in copy.clips] == [
        ("one.mov", 180, 2),
        ("two.MOV", 240, 3),
    ]
    assert log_of(workplace) == (copy,)
    told = log_lines(copy, RULE, PLAIN)[1]
    assert told == "2 clips, 5 s: 320 x 180 mjpeg at 25, 320 x 240 mjpeg at 25"
    rows = {row["clip"]: row for row in csv.DictReader(io.StringIO(log_csv([copy])))}
    assert (rows["two.MOV"]["codec"], rows["two.MOV"]["duration_s"]) == ("mjpeg", "3.0")
    assert rows["notes.txt"]["codec"] == ""


def test_a_drive_that_was_pulled_leaves_no_evidence_on_the_disk_under_its_folder(
    workplace, card, lies_on
):
    """The destination was another drive when the copy began: the unit that its empty folder lies
    on now gets neither place nor run."""
    device = DeviceIdentity("Carry One", "SN-77121", 10**12)
    workplace.cellar.bind_unit("M-03", device)
    lies_on(device)
    run = copy_run(card, [card.parent / "one"])
    list(run_copy(run))
    shelf = workplace.shelf()
    assert keep_in_log(workplace, run.plan, run.outcome, shelf).places[0].unit_tag == "M-03"
    pulled = replace(run.plan, destinations=(replace(run.plan.destinations[0], drives=("sdz",)),))
    copy = keep_in_log(workplace, pulled, run.outcome, shelf)
    assert copy.places[0].unit_tag == ""
    assert not copy.places[0].device.is_telling
    assert keep_copied_runs(workplace, copy) == ()


def test_pictures_of_its_clips_are_kept_with_a_copy(workplace, tmp_path):
    """Of the clips that are some, in the card's order; taken once, though copied twice; the copies
    themselves may be out of reach by then."""
    card = tmp_path / "B001"
    card.mkdir()
    for name, busy in (("b.mov", range(1)), ("a.mov", range(1, 2))):
        make_clip(card / name, seconds=2, busy=busy)
    (card / "c.mov").write_bytes(b"no clip")
    (card / "notes.txt").write_text("no clip either")
    for name, count in (("one", 2), ("two", 0)):
        (tmp_path / name).mkdir()
        run = copy_run(card, [tmp_path / name])
        list(run_copy(run))
        made = keep_in_log(workplace, run.plan, run.outcome, workplace.shelf())
        assert keep_clip_ends(workplace, run.plan, run.outcome) == count
    found = clip_ends_of(workplace, copy_numbered(workplace, made.copy_id))
    assert [each.name for each in found] == ["a.mov", "b.mov"]
    assert found[0].first_jpeg != found[0].last_jpeg
