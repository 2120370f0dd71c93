"""Columns of other people's lists: guessed by usual names, said once, never mistaken silently."""

from datetime import date

import pytest

from vastcellar.core.cellar.unit_lists import ListField, columns_of, day_in_list, plain_name
from vastcellar.core.errors import BadValueError

USUAL = ("Asset No.", "Model", "Host writes (TB)", "Used_Bytes", "Location", "Purchase date")


def test_usual_names_are_known_whatever_their_case_marks_and_units():
    """Asset No. is the tag; the unit of bare numbers comes out of the name."""
    found = columns_of(USUAL, {}, {})
    assert [each.field for each in found] == [
        ListField.TAG, ListField.DRIVE, ListField.WRITTEN, ListField.USED, ListField.PLACE,
        ListField.BOUGHT_ON,
    ]  # fmt: skip
    assert found[2].unit == "TB" and found[3].unit == ""
    assert plain_name("  Asset_No. [GiB] ") == "asset no"


def test_what_was_said_once_counts_before_a_guess_and_what_is_said_now_before_both():
    """ "Type" was the case before; now it is left out, and "Kind" is the drive."""
    names = ("Tag", "Type", "Kind")
    remembered = {"type": "enclosure", "kind": "drive"}
    assert [c.field.value for c in columns_of(names, {}, remembered)] == [
        "tag", "enclosure", "drive",
    ]  # fmt: skip
    said = columns_of(names, {"TYPE": ""}, remembered)
    assert said[1].field is ListField.NOTHING


@pytest.mark.parametrize(
    ("names", "given", "says"),
    [
        (("Tag", "Drive", "Colour", "Smell"), {}, "what 'Colour', 'Smell' means"),
        (("Tag", "Drive"), {"Color": "note"}, "no column 'Color'. It has: Tag, Drive"),
        (("Tag", "Drive"), {"Drive": "engine"}, "'engine' is nothing that a column can be"),
        (("Tag", "Label", "Drive"), {}, "'Tag' and 'Label' would both be the tag"),
        (("Drive",), {}, "no column is the tag"),
        (("Tag",), {}, "no column is the drive"),
        ((), {}, "no column is the tag"),
    ],
)
def test_what_cant_be_told_is_asked(names, given, says):
    """Each with what is missing and how to say it."""
    with pytest.raises(BadValueError, match=says):
        columns_of(names, given, {})


def test_several_notes_are_one_and_many_open_columns_are_counted():
    """Comments and remarks both go into the note; of nine strangers six are named."""
    found = columns_of(("Tag", "Drive", "Comment", "Remarks"), {}, {})
    assert [each.field for each in found[2:]] == [ListField.NOTE] * 2
    with pytest.raises(BadValueError, match="'x5' and 3 more means"):
        columns_of(("Tag", "Drive", *(f"x{n}" for n in range(9))), {}, {})


def test_days_are_read_one_way_or_not_at_all():
    """ISO and dotted; slashes are asked back, and so is a 31st of February."""
    assert day_in_list(" 2026-11-27 ") == date(2026, 11, 27) == day_in_list("27.11.2026")
    for text in ("11/12/2026", "31.02.2026", "soon", ""):
        with pytest.raises(BadValueError, match="one way only"):
            day_in_list(text)
