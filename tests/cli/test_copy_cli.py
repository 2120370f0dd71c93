"""vast-cellar copy and verify: a card in a terminal, and what a script reads from it."""

import json

import pytest
from click.testing import CliRunner

from vastcellar.cli.main import cli
from vastcellar.core.errors import VastCellarError


@pytest.fixture(autouse=True)
def home(tmp_path, monkeypatch):
    """Data, state and settings of their own: the log is kept there."""
    for name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME"):
        monkeypatch.setenv(name, str(tmp_path / "home" / name))


@pytest.fixture
def card(tmp_path):
    """A card of two clips, and two folders to copy it into."""
    (tmp_path / "A001" / "CLIP").mkdir(parents=True)
    (tmp_path / "A001/CLIP/one.mov").write_bytes(bytes(range(256)) * 999)
    (tmp_path / "A001/CLIP/two.mov").write_bytes(b"two")
    for name in ("one", "two"):
        (tmp_path / name).mkdir()
    return tmp_path / "A001"


def ran(*words):
    """Run the command; return its exit code and what it printed as JSON."""
    done = CliRunner().invoke(cli, [*map(str, words), "--json"])
    return done.exit_code, json.loads(done.stdout)


def test_a_card_is_copied_and_its_copies_are_verified_again(card, tmp_path):
    """Both destinations verified; the copy checks again, and a changed clip ends with 1."""
    code, found = ran("copy", card, tmp_path / "one", tmp_path / "two")
    assert code == 0
    assert [each["files"]["verified"] for each in found["destinations"]] == [2, 2]
    assert not found["safe_to_wipe"] and found["verified_copies"] == 0
    assert found["lists"][0].endswith("one/A001.xxh128")
    assert ran("verify", tmp_path / "one") == (
        0, {"same": 2, "different": 0, "missing": 0, "unreadable": 0, "unlisted": 0,
            "is_cancelled": False, "passed_over": [], "wrong": []}
    )  # fmt: skip
    (tmp_path / "one/A001/CLIP/two.mov").write_bytes(b"twp")
    code, found = ran("verify", tmp_path / "one")
    assert code == 1
    assert [(each["path"], each["state"]) for each in found["wrong"]] == [
        ("A001/CLIP/two.mov", "different")
    ]


def test_in_words_it_says_what_is_missing_for_wiping(card, tmp_path):
    """On the card's own drive a copy counts for nothing, and the last line says so."""
    done = CliRunner().invoke(cli, ["copy", str(card), str(tmp_path / "one"), "--name", "B 1"])
    assert done.exit_code == 0
    assert "it lies on the card's own drive and counts for nothing" in done.stdout
    assert done.stdout.rstrip().endswith("0 of 2 verified copies on drives of their own.")
    assert (tmp_path / "one/B 1/CLIP/two.mov").read_bytes() == b"two"
    again = CliRunner().invoke(cli, ["copy", str(card), str(tmp_path / "one"), "--name", "B 1"])
    assert "2 of them were there already" in again.stdout


def test_without_reading_back_nothing_is_called_verified(card, tmp_path):
    """--no-verify ends well, and says copied; it makes no card safe."""
    code, found = ran("copy", card, tmp_path / "one", "--no-verify")
    files = found["destinations"][0]["files"]
    assert code == 0 and (files["copied"], files["verified"]) == (2, 0)
    assert not found["safe_to_wipe"]


def test_a_clip_that_stands_there_otherwise_is_put_aside(card, tmp_path):
    """What was there stays; the line names where ours stands."""
    there = tmp_path / "one/A001/CLIP"
    there.mkdir(parents=True)
    (there / "two.mov").write_bytes(b"yesterday's")
    done = CliRunner().invoke(cli, ["copy", str(card), str(tmp_path / "one")])
    assert "CLIP/two.mov stands aside as CLIP/two.other-1.mov" in done.stdout
    assert (there / "two.mov").read_bytes() == b"yesterday's"
    assert ran("verify", tmp_path / "one")[0] == 0


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["--resume"], "no copy of this name was cut off"),
        (["--copies", "0"], "no copy is no rule"),
        (["--algorithm", "crc"], "no checksum is called 'crc'"),
        (["--name", "a/b"], "no name for a folder"),
    ],
)
def test_what_makes_no_copy_is_one_sentence(card, tmp_path, words, says):
    """Nothing to go on with, no rule, no checksum, no name: refused, and nothing is made."""
    done = CliRunner().invoke(cli, ["copy", str(card), str(tmp_path / "one"), *words])
    assert isinstance(done.exception, VastCellarError) and says in str(done.exception)
    assert not list((tmp_path / "one").iterdir())


def test_a_folder_without_lists_can_t_be_verified(tmp_path):
    """One sentence, with what to choose."""
    done = CliRunner().invoke(cli, ["verify", str(tmp_path)])
    assert "no list of checksums lies there" in str(done.exception)


def test_a_copy_says_when_nothing_keeps_the_computer_awake_or_it_slept(card, tmp_path, monkeypatch):
    """Without a login service it is told; a sleep in the middle is noticed by the clocks."""
    from vastcellar.bench.clock_watch import ClockWatch
    from vastcellar.devices import awake

    monkeypatch.setattr(awake, "_TOOL_PATHS", str(tmp_path))
    _code, found = ran("copy", card, tmp_path / "one")
    assert found["notes"] == [
        "It was not kept awake: nothing on this computer keeps it from sleeping."
    ]
    asleep = iter((0.0, *[600.0] * 9))
    monkeypatch.setattr(ClockWatch, "_asleep_s", staticmethod(lambda: next(asleep)))
    _code, found = ran("copy", card, tmp_path / "two")
    assert found["notes"] == ["The computer slept for 10 min meanwhile."]
