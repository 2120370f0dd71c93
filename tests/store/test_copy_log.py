"""Kept copies: read back as they were written, changed by a check, one bad row left out."""

from dataclasses import replace
from datetime import timedelta

import pytest
from sqlalchemy import text

from core.roll.copied_cards import AT, COPIED, VERIFIED, clip, kept
from vastcellar.core.errors import UnknownPartError
from vastcellar.core.roll.copy_log import ClipHeader, with_checked
from vastcellar.store.copy_log import add_copy, keep_check, keep_wiped, kept_copies


def test_a_copy_comes_back_as_it_was_kept(workplace):
    """Every field of it, with names beyond Latin and one that is no UTF-8."""
    given = kept(
        clip("CLIP/Bär – 1.MOV", VERIFIED, COPIED, trouble="it changed"),
        clip("odd\udcff.mov", COPIED, VERIFIED),
        who="loader",
        checked_at=AT + timedelta(hours=1),
        clips=(ClipHeader("CLIP/Bär – 1.MOV", "RDD 36", 3840, 2160, 25.0, 61.5),),
        folder_name="data",
    )
    given = replace(given, copy_id=add_copy(workplace.cellar, given))
    assert kept_copies(workplace.cellar) == (given,)


def test_a_check_and_a_note_dont_take_each_other_back(workplace):
    """Noted as wiped while somebody else still reads it back: both are kept."""
    given = kept(clip("C1", COPIED, COPIED))
    given = replace(given, copy_id=add_copy(workplace.cellar, given))
    keep_wiped(workplace.cellar, given.copy_id, AT + timedelta(days=1))
    checked = with_checked(given, 0, {"C1": True}, AT + timedelta(days=2))
    keep_check(workplace.cellar, checked)
    (now,) = kept_copies(workplace.cellar)
    assert now == replace(checked, wiped_at=AT + timedelta(days=1))


def test_copies_are_listed_newest_first_and_by_day(workplace):
    """A day is from its first moment to before the next's."""
    for hours in (0, 30, 6):
        add_copy(workplace.cellar, kept(clip("C1", VERIFIED, VERIFIED), name=f"C{hours}",
                                        at=AT + timedelta(hours=hours)))  # fmt: skip
    assert [each.card_name for each in kept_copies(workplace.cellar)] == ["C30", "C6", "C0"]
    day = kept_copies(workplace.cellar, since=AT, until=AT + timedelta(hours=30))
    assert [each.card_name for each in day] == ["C6", "C0"]


def test_a_row_that_cannot_be_read_costs_no_other(workplace):
    """A damaged copy is left out and counted; what stands beside it is there."""
    add_copy(workplace.cellar, kept(clip("C1", VERIFIED, VERIFIED), name="good"))
    for damage in ('{"destinations": 3}', "[[[", '{"places": [], "destinations": []}'):
        bad = add_copy(workplace.cellar, kept(clip("C1", VERIFIED, VERIFIED), name="bad"))
        with workplace.cellar.session() as session:
            session.execute(
                text("UPDATE copies SET outcome = :damage WHERE id = :id"),
                {"damage": damage, "id": bad},
            )
    assert [each.card_name for each in kept_copies(workplace.cellar)] == ["good"]
    assert len(workplace.cellar.unreadable) == 3


def test_a_copy_that_is_not_there_cannot_be_changed(workplace):
    """What was never kept is named."""
    with pytest.raises(UnknownPartError, match="no copy 99"):
        keep_check(workplace.cellar, kept(clip("C1", VERIFIED, VERIFIED), copy_id=99))
    with pytest.raises(UnknownPartError, match="no copy 99"):
        keep_wiped(workplace.cellar, 99, AT)
