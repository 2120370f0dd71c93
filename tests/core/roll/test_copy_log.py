"""Which card it is, where a clip lies, and on how many devices it is verified."""

from dataclasses import replace
from datetime import timedelta

import pytest

from core.roll.copied_cards import AT, COPIED, VERIFIED, clip, device, kept
from vastcellar.core.roll.copies import CopyState, DestinationOutcome, FileOnOne
from vastcellar.core.roll.copy_log import (
    CardFile,
    Recognised,
    by_content,
    copies_of_clip,
    places_of,
    recognise,
    with_checked,
)

ONE, TWO = clip("C1.MOV", VERIFIED, VERIFIED), clip("C2.MOV", VERIFIED, VERIFIED)
ENDS = {"C1.MOV": "ends of 1", "C2.MOV": "ends of 2"}
ONE, TWO = (replace(each, ends_digest=ENDS[each.name]) for each in (ONE, TWO))
CARD = kept(ONE, TWO)


def on_card(*names, size=100, modified=7):
    """Files of a card in the reader."""
    return [CardFile(name, size, modified) for name in names]


@pytest.mark.parametrize(
    ("files", "kind", "known"),
    [
        (on_card("C1.MOV", "C2.MOV"), Recognised.SAME, 2),
        (on_card("C2.MOV"), Recognised.SAME, 1),
        (on_card("C1.MOV", "C2.MOV", "C3.MOV"), Recognised.GROWN, 2),
        (on_card("C1.MOV", "C2.MOV", size=999), Recognised.OTHER_CLIPS, 0),
        (on_card("C1.MOV", "C2.MOV", modified=8), Recognised.OTHER_CLIPS, 0),
        ([*on_card("C1.MOV"), *on_card("C2.MOV", size=5)], Recognised.OTHER_CLIPS, 1),
        (on_card("D1.MOV"), Recognised.NEW, 0),
        ([], Recognised.NEW, 0),
    ],
)
def test_a_card_is_known_again_by_what_lies_on_it(files, kind, known):
    """The same, recorded on, other clips under the same names, or never seen."""
    found = recognise(files, [CARD], ENDS.get)
    assert (found.kind, found.known_files) == (kind, known)


def test_another_card_of_equal_names_sizes_and_times_is_not_taken_for_it():
    """A camera whose clock was reset: the ends of one clip differ, and the right copy is found."""
    files = on_card("C1.MOV", "C2.MOV")
    found = recognise(files, [CARD], {**ENDS, "C2.MOV": "another take"}.get)
    assert (found.kind, found.known_files) == (Recognised.OTHER_CLIPS, 1)
    other = replace(TWO, ends_digest="another take")
    older = replace(CARD, copy_id=7, made_at=AT - timedelta(days=1))
    older = replace(older, outcome=replace(older.outcome, files=(ONE, other)))
    found = recognise(files, [CARD, older], {**ENDS, "C2.MOV": "another take"}.get)
    assert (found.kind, found.copy.copy_id) == (Recognised.SAME, 7)


def test_a_copy_that_knows_no_ends_recognises_no_card():
    """Kept before they were taken: it looks alike, and that is all that is said."""
    old = replace(CARD.outcome, files=(ONE, replace(TWO, ends_digest="")))
    found = recognise(on_card("C1.MOV", "C2.MOV"), [replace(CARD, outcome=old)], ENDS.get)
    assert found.kind is Recognised.ALIKE


def test_of_several_copies_the_newest_that_knows_most_counts():
    """A card of yesterday that was copied again today is today's."""
    again = replace(CARD, copy_id=2, made_at=AT + timedelta(days=1))
    part = replace(CARD, copy_id=3, made_at=AT + timedelta(days=2))
    part = replace(part, outcome=replace(part.outcome, files=(ONE,)))
    found = recognise(on_card("C1.MOV", "C2.MOV"), [CARD, again, part], ENDS.get)
    assert found.copy.copy_id == 2


def test_a_clip_is_found_by_a_part_of_its_name_on_every_destination():
    """Whatever the case of the letters; nothing else is found."""
    found = places_of("c1.m", [CARD])
    assert [(place.file.name, place.folder) for place in found] == [
        ("C1.MOV", "/media/one"),
        ("C1.MOV", "/media/two"),
    ]
    assert places_of("C9", [CARD]) == ()


def test_a_clip_is_on_as_many_copies_as_there_are_devices_with_it():
    """Two drives of one copy; a third from another day; one of them again counts once."""
    assert copies_of_clip(ONE, by_content([CARD])) == 2
    later = kept(clip("C1.MOV", VERIFIED), drives=("three",), copy_id=2)
    assert copies_of_clip(ONE, by_content([CARD, later])) == 3
    again = kept(clip("C1.MOV", VERIFIED), drives=("two",), copy_id=3)
    assert copies_of_clip(ONE, by_content([CARD, later, again])) == 3


def test_devices_without_a_number_of_their_own_never_count_twice():
    """Two file systems without a serial number may be two partitions of one drive."""
    first = kept(clip("C1.MOV", VERIFIED), drives=("a",), devices=(device(uuid="u-1"),))
    second = kept(clip("C1.MOV", VERIFIED), drives=("b",), devices=(device(uuid="u-2"),), copy_id=2)
    assert copies_of_clip(ONE, by_content([first, second])) == 1
    numbered = kept(clip("C1.MOV", VERIFIED), drives=("c",), copy_id=3)
    assert (
        copies_of_clip(ONE, by_content([first, numbered])) == 1
    )  # the first may be that very drive
    assert copies_of_clip(ONE, by_content([first, numbered, CARD])) == 3


def test_what_counts_for_nothing_is_no_copy_of_a_clip():
    """On the card's own drive, only copied, other content, or two folders on one drive."""
    own = DestinationOutcome("/x", ("one",), counts_not_because="it lies on the card's own drive")
    outcome = replace(CARD.outcome, destinations=(own, CARD.outcome.destinations[1]))
    assert copies_of_clip(ONE, by_content([replace(CARD, outcome=outcome)])) == 1
    assert copies_of_clip(ONE, by_content([kept(clip("C1.MOV", COPIED, COPIED))])) == 0
    assert (
        copies_of_clip(ONE, by_content([kept(clip("C1.MOV", VERIFIED, VERIFIED, digest="0" * 32))]))
        == 0
    )
    assert copies_of_clip(ONE, by_content([kept(ONE, drives=("one", "one"))])) == 1


def test_a_check_verifies_what_is_the_same_and_names_what_is_not():
    """On one destination only; what had failed stays failed."""
    failed = replace(ONE, on=(FileOnOne(CopyState.FAILED), FileOnOne(COPIED)), name="C0.MOV")
    copy = kept(failed, clip("C1.MOV", COPIED, COPIED), clip("C2.MOV", VERIFIED, VERIFIED))
    later = AT + timedelta(hours=1)
    checked = with_checked(copy, 0, {"C1.MOV": True, "C2.MOV": False}, later)
    states = [[one.state for one in each.on] for each in checked.outcome.files]
    assert states == [
        [CopyState.FAILED, COPIED],
        [VERIFIED, COPIED],
        [CopyState.DIFFERENT, VERIFIED],
    ]
    assert checked.checked_at == later


def test_what_a_check_did_not_read_is_no_more_verified_by_it():
    """A cancelled copy never came to C2: a check of the rest doesn't make it verified."""
    waiting = clip("C2.MOV", CopyState.WAITING, CopyState.WAITING)
    copy = kept(clip("C1.MOV", COPIED, COPIED), waiting)
    checked = with_checked(copy, 0, {"C1.MOV": True}, AT)
    assert [each.on[0].state for each in checked.outcome.files] == [VERIFIED, CopyState.WAITING]
