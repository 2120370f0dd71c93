"""A card handed over as a bag: others' own library validates it, and nothing is replaced."""

import json
import os

import bagit
import pytest
from click.testing import CliRunner

from vastcellar.cli.main import cli
from vastcellar.core.errors import BadValueError, DiskError


@pytest.fixture(autouse=True)
def home(tmp_path, monkeypatch):
    """Data, state and settings of their own."""
    for name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME"):
        monkeypatch.setenv(name, str(tmp_path / "home" / name))


@pytest.fixture
def card(tmp_path):
    """A card of three clips, one with a line feed in its name, and two folders."""
    (tmp_path / "A001" / "CLIP").mkdir(parents=True)
    for name in ("C 1.MOV", "C-2 ü.MOV", "C\n3.MOV"):
        (tmp_path / "A001/CLIP" / name).write_bytes(os.urandom(70_000))
    for name in ("one", "two"):
        (tmp_path / name).mkdir()
    return tmp_path / "A001"


def copied(*words):
    """Copy as a bag; return what is printed as JSON."""
    done = CliRunner().invoke(cli, ["copy", *map(str, words), "--bag", "--json"])
    if done.exception is not None and not isinstance(done.exception, SystemExit):
        raise done.exception
    return json.loads(done.stdout)


def test_a_bag_is_valid_for_the_library_that_others_use(card, tmp_path):
    """Whole in both places, with the card's own files below data; one bit flipped it isn't."""
    found = copied(card, tmp_path / "one", tmp_path / "two")
    assert found["bags"] == [str(tmp_path / each / "A001") for each in ("one", "two")]
    for path in found["bags"]:
        bag = bagit.Bag(path)
        bag.validate()
        assert bag.info["Payload-Oxum"] == "210000.3"
    for clip in (card / "CLIP").iterdir():
        copy = tmp_path / "one/A001/data/CLIP" / clip.name
        assert copy.read_bytes() == clip.read_bytes()
    changed = tmp_path / "two/A001/data/CLIP/C 1.MOV"
    changed.write_bytes(b"x" + changed.read_bytes()[1:])
    with pytest.raises(bagit.BagValidationError):
        bagit.Bag(found["bags"][1]).validate()


def test_made_again_a_bag_stays_as_it_was(card, tmp_path):
    """The same card into the same bag changes nothing, and is still valid."""
    copied(card, tmp_path / "one")
    before = {p.name: p.read_bytes() for p in (tmp_path / "one/A001").glob("*.txt")}
    assert copied(card, tmp_path / "one")["bags"] == [str(tmp_path / "one/A001")]
    assert {p.name: p.read_bytes() for p in (tmp_path / "one/A001").glob("*.txt")} == before


def test_a_bag_that_was_handed_over_is_never_given_other_lists(card, tmp_path):
    """One clip more makes another bag: it takes another name."""
    copied(card, tmp_path / "one")
    (card / "CLIP/more.mov").write_bytes(b"more")
    with pytest.raises(BadValueError, match="made of other files than lie on the card now"):
        copied(card, tmp_path / "one")
    bagit.Bag(str(tmp_path / "one/A001")).validate()
    changed = card / "CLIP/C 1.MOV"
    changed.write_bytes(changed.read_bytes() + b"longer")
    (card / "CLIP/more.mov").unlink()
    with pytest.raises(BadValueError, match="made of other files"):
        copied(card, tmp_path / "one")
    (card / "CLIP/more.mov").write_bytes(b"more")
    copied(card, tmp_path / "one", "--name", "A001 b")
    bagit.Bag(str(tmp_path / "one/A001 b")).validate()


def test_a_folder_that_is_no_bag_is_left_alone(card, tmp_path):
    """What somebody else put there is named, and nothing is written."""
    (tmp_path / "one/A001").mkdir()
    (tmp_path / "one/A001/notes.doc").write_text("of somebody else")
    with pytest.raises(BadValueError, match=r"no bag of ours: 'notes.doc' stands in it"):
        copied(card, tmp_path / "one")
    assert [each.name for each in (tmp_path / "one/A001").iterdir()] == ["notes.doc"]
    (tmp_path / "elsewhere").mkdir()
    (tmp_path / "two/A001").symlink_to(tmp_path / "elsewhere")
    with pytest.raises(BadValueError, match="it is a link"):
        copied(card, tmp_path / "two")
    assert list((tmp_path / "elsewhere").iterdir()) == []


def test_a_card_with_something_that_is_no_file_makes_no_bag(card, tmp_path):
    """A link was left out: the copy stands, and no list calls it whole."""
    (card / "link").symlink_to(card / "CLIP")
    assert copied(card, tmp_path / "one")["bags"] == []
    assert not (tmp_path / "one/A001/bagit.txt").exists()


def test_the_log_calls_a_bag_by_its_cards_name_and_can_check_it(card, tmp_path):
    """Not “data”; read back again by the log, all of it is the same."""
    number = copied(card, tmp_path / "one")["log"]
    done = CliRunner().invoke(cli, ["log", "--check", str(number), "--json"])
    assert done.exit_code == 0
    (listed,) = json.loads(done.stdout)["copies"]
    assert listed["card"] == "A001"
    assert listed["checked_at"] is not None


def test_nothing_is_made_on_the_card_or_where_the_copy_is_refused(card, tmp_path):
    """A bag inside the card itself: refused before a folder is made anywhere."""
    before = sorted(str(path) for path in card.rglob("*"))
    with pytest.raises(BadValueError, match="inside the card itself"):
        copied(card, tmp_path / "one", card / "CLIP")
    assert sorted(str(path) for path in card.rglob("*")) == before
    assert list((tmp_path / "one").iterdir()) == []


def test_a_name_that_no_list_can_hold_makes_no_bag_and_loses_no_copy(card, tmp_path):
    """A name that is no UTF-8: told with the mend; the copy itself stands whole."""
    odd = os.fsencode(str(card)) + b"/odd\xff.mov"
    with open(odd, "wb") as file:  # noqa: PTH123 - a path that is no text
        file.write(b"odd")
    with pytest.raises(DiskError, match="no UTF-8"):
        copied(card, tmp_path / "one")
    assert not (tmp_path / "one/A001/bagit.txt").exists()
    assert (tmp_path / "one/A001/data/CLIP/C 1.MOV").is_file()


def test_something_else_in_the_payload_makes_no_bag(card, tmp_path):
    """A file that lay there already: no list calls it whole, and it stays as it was."""
    (tmp_path / "one/A001/data").mkdir(parents=True)
    (tmp_path / "one/A001/data/theirs.mov").write_bytes(b"theirs")
    with pytest.raises(DiskError, match=r"'theirs.mov' lies in its payload"):
        copied(card, tmp_path / "one")
    assert not (tmp_path / "one/A001/manifest-sha256.txt").exists()
    assert (tmp_path / "one/A001/data/theirs.mov").read_bytes() == b"theirs"
