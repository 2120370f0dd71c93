"""Other people's lists: their columns and names said once, every wrong line named, all or none."""

import pytest

from vastcellar.core.errors import BadFileError, BadValueError
from vastcellar.services.cellar.unit_edits import lend
from vastcellar.services.cellar.unit_lists import (
    read_list,
    remembered,
    take_list,
    take_list_back,
)
from vastcellar.services.workplace.workplace import open_workplace

LIST = """\
Asset No.;Model;Serial number;Host writes (TB);Location;Purchase date;Cost;Condition;Colour;Remarks
RX-1;Torvane T2 2 TB;S1;12,5;van;27.11.2025;245 EUR;good;red;"loud; very"
RX-2;our fast one;S2;800 GB;;;;broken;blue;'=SUM(A1)
RX-3;kelmarsh-dray-8;;0;shelf 3;2024-01-02;;;;
"""
SAID = {"Colour": ""}
DRIVES = {"our fast one": "torvane-t2-2"}


@pytest.fixture
def own(places):
    """A cellar of one's own, empty."""
    opened = open_workplace(places=places)
    yield opened
    opened.close()


@pytest.fixture
def listed(tmp_path):
    """Write a list and return where it is."""

    def write(text=LIST, encoding="utf-8"):
        path = tmp_path / "rental.csv"
        path.write_bytes(text.encode(encoding))
        return path

    return write


def name_of(own, key):
    """The name that the catalog has for a drive."""
    return own.catalog.drive(key).name


def test_a_rentals_list_comes_in_whole_and_its_names_are_remembered(own, listed):
    """Units with wear, state, note and serial; place, purchase and price as events; the second
    list needs nothing said."""
    path = listed(LIST.replace("Torvane T2 2 TB", name_of(own, "torvane-t2-2")))
    assert take_list(own, read_list(path, own, SAID, DRIVES)) == 3
    shelf = own.shelf()
    one, two, three = (shelf.unit(f"RX-{number}") for number in (1, 2, 3))
    assert (one.drive_key, one.written_bytes, one.state) == ("torvane-t2-2", 12.5e12, "ready")
    assert one.note == "loud; very · serial S1"
    assert (two.drive_key, two.written_bytes, two.state) == ("torvane-t2-2", 8e11, "in doubt")
    assert two.note == "=SUM(A1) · serial S2"  # escaped for a spreadsheet, plain again here
    assert three.drive_key == "kelmarsh-dray-8"
    bought = shelf.story("RX-1").bought
    assert (bought.day.isoformat(), bought.data["price"]) == ("2025-11-27", 245.0)
    assert shelf.story("RX-1").place == "van" and shelf.story("RX-3").place == "shelf 3"
    assert remembered(own).drives == {"our fast one": "torvane-t2-2"}
    again = listed("Asset No.;Model;Colour\nRX-4;our fast one;green\n")
    assert take_list(own, read_list(again, own)) == 1


def test_all_wrong_lines_are_named_and_nothing_is_taken(own, listed):
    """Unknown drive, a tag twice, a day that can be read two ways, too much data, a state: each
    with its line."""
    path = listed(
        "Tag,Drive,Used,State,Bought\n"
        "A-1,torvane-t2-2,1 GB,ready,2025-01-01\n"
        "A-1,torvane-t2-2,1 GB,ready,2025-01-01\n"
        "A-2,no such drive,1 GB,ready,2025-01-01\n"
        "A-3,torvane-t2-2,9 TB,ready,2025-01-01\n"
        "A-4,torvane-t2-2,1 GB,sleeping,2025-01-01\n"
        "A-5,torvane-t2-2,1 GB,ready,11/12/2025\n"
        "A-6,torvane-t2-2,1 gb,ready,2199-01-01\n"
        ",torvane-t2-2,1 GB,ready,\n"
        "A-8,torvane-t2-2,1 GB,ready,,more\n"
    )
    with pytest.raises(BadFileError) as told:
        read_list(path, own)
    text = str(told.value)
    for number, says in (
        (3, "stands twice"), (4, "no drive 'no such drive'"), (5, "more is said to be on it"),
        (6, "'sleeping' is no state"), (7, "one way only"), (8, "gb"), (9, "no tag"),
        (10, "more cells than there are names"),
    ):  # fmt: skip
        assert f"line {number}: " in text and says in text, (number, text)
    assert "line 2:" not in text and own.shelf().units == ()
    assert not (own.folders.config / "unit-lists.json").exists()


def test_a_number_without_a_unit_is_never_taken_for_bytes(own, listed):
    """12.5 of nobody knows what: asked back. In a column of bytes, and nought anywhere, it is
    clear."""
    for name in ("Written", "Written (tb)"):
        path = listed(f"Tag,Drive,{name}\nB-1,torvane-t2-2,12.5\n")
        with pytest.raises(BadFileError, match=r"line 2: '12\.5' has no unit"):
            read_list(path, own, {name: "written"})
    path = listed("Tag,Drive,Written bytes\nB-1,torvane-t2-2,5000\nB-2,torvane-t2-2,0\n")
    assert [unit.written_bytes for unit, _e in read_list(path, own).units] == [5000, 0]
    path = listed("Tag,Drive,Written\nB-2,torvane-t2-2,0\n")
    assert read_list(path, own).units[0][0].written_bytes == 0


def test_a_tag_that_was_taken_meanwhile_takes_nothing(own, listed):
    """Read when it was free, kept when it isn't: none of the list is there."""
    path = listed("Tag,Drive\nB-1,torvane-t2-2\nB-2,torvane-t2-2\n")
    found = read_list(path, own)
    own.cellar.add_unit(found.units[1][0])
    with pytest.raises(BadValueError, match="one of this tag already"):
        take_list(own, found)
    assert [unit.tag for unit in own.shelf().units] == ["B-2"]


def test_a_list_is_taken_back_whole_unless_more_is_known_by_now(own, listed):
    """With its events it goes; with one lent meanwhile all of it stays."""
    found = read_list(listed(LIST.replace("Torvane T2 2 TB", name_of(own, "torvane-t2-2"))),
                      own, SAID, DRIVES)  # fmt: skip
    take_list(own, found)
    take_list_back(own, found)
    assert own.shelf().units == () and own.shelf().events == ()
    take_list(own, found)
    lend(own, "RX-3", "the museum", None)
    with pytest.raises(BadValueError, match="RX-3 can't be taken off"):
        take_list_back(own, found)
    assert len(own.shelf().units) == 3 and own.shelf().story("RX-1").place == "van"


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "doesn't name each column once"),
        ("Tag,tag,Drive\nx,y,z\n", "doesn't name each column once"),
        ("Tag,Drive\n", "there is no line below the names"),
        ("[[[[\n" * 50, "nobody said yet what|no column is the tag"),
    ],
)
def test_what_is_no_list_is_said(own, listed, text, says):
    """Nothing, a name twice, names alone, brackets."""
    with pytest.raises((BadFileError, BadValueError), match=says):
        read_list(listed(text), own)


def test_tabs_and_a_byte_order_mark_are_read(own, listed):
    """As a spreadsheet writes it: a mark before the first name, tabs between."""
    path = listed("\ufeffTag\tDrive\nT-1\ttorvane-t2-2\n")
    assert read_list(path, own).units[0][0].tag == "T-1"
