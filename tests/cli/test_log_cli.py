"""vast-cellar log: what a terminal reads of the cards that were copied."""

import json

import pytest
from click.testing import CliRunner

from vastcellar.cli.main import cli
from vastcellar.core.errors import BadValueError, UnknownPartError


@pytest.fixture(autouse=True)
def home(tmp_path, monkeypatch):
    """Data, state and settings of their own."""
    for name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME"):
        monkeypatch.setenv(name, str(tmp_path / "home" / name))


@pytest.fixture
def card(tmp_path):
    """A card of two clips, and a folder to copy it into."""
    (tmp_path / "A001").mkdir()
    (tmp_path / "A001/one.mov").write_bytes(bytes(range(256)) * 99)
    (tmp_path / "A001/two.mov").write_bytes(b"two")
    (tmp_path / "there").mkdir()
    return tmp_path / "A001"


def run(*words):
    """Return what the command prints and its exit code."""
    done = CliRunner().invoke(cli, [*map(str, words)])
    if done.exception is not None and not isinstance(done.exception, SystemExit):
        raise done.exception
    return done


def test_a_card_that_was_copied_is_listed_found_and_checked(card, tmp_path):
    """Copied once it is in the log; copied again it is recognised, before anything is read."""
    first = json.loads(run("copy", card, tmp_path / "there", "--json", "--who", "loader").stdout)
    assert first["recognised"] is None
    again = run("copy", card, tmp_path / "there")
    assert "All 2 files of this card were copied before" in again.stderr
    (newest, oldest) = json.loads(run("log", "--json").stdout)["copies"]
    assert oldest["number"] == first["log"]
    assert (oldest["who"], oldest["files"], oldest["safe_to_wipe"]) == ("loader", 2, False)
    found = json.loads(run("log", "--find", "two", "--json").stdout)["clips"]
    assert [each["path"] for each in found] == ["two.mov", "two.mov"]
    assert run("log", "--check", newest["number"]).exit_code == 0
    (tmp_path / "there/A001/two.mov").write_bytes(b"twp")
    done = run("log", "--check", newest["number"])
    assert done.exit_code == 1
    assert "A001/two.mov: different" in done.stderr


def test_what_may_not_be_wiped_is_refused_and_what_is_not_there_is_named(card, tmp_path):
    """A card on its own drive isn't safe; a number nobody has and a day that is none."""
    number = json.loads(run("copy", card, tmp_path / "there", "--json").stdout)["log"]
    with pytest.raises(BadValueError, match="must not be wiped"):
        run("log", "--wiped", number, "--card", "A001")
    with pytest.raises(UnknownPartError, match="no copy 99"):
        run("log", "--check", 99)
    with pytest.raises(BadValueError, match="is no day"):
        run("log", "--day", "yesterday")


def test_a_copy_may_be_left_out_of_the_log(card, tmp_path):
    """--no-log keeps nothing, and the log says that there is nothing."""
    run("copy", card, tmp_path / "there", "--no-log")
    assert run("log").stdout == "No card was copied.\n"


def test_a_log_that_cannot_be_kept_costs_no_copy(card, tmp_path):
    """The cellar is a file of brackets: the card is copied all the same, and it is said."""
    cellar = tmp_path / "home/XDG_DATA_HOME/vast-cellar/cellar.db"
    cellar.parent.mkdir(parents=True)
    cellar.write_text("[" * 5000)
    done = run("copy", card, tmp_path / "there")
    assert done.exit_code == 0
    assert "Not kept in the log:" in done.stdout
    assert (tmp_path / "there/A001/two.mov").read_bytes() == b"two"
    assert cellar.read_text() == "[" * 5000


def test_the_log_is_saved_for_others(card, tmp_path):
    """As CSV and PDF, of one day."""
    run("copy", card, tmp_path / "there")
    run("log", "--csv", tmp_path / "log.csv", "--pdf", tmp_path / "log.pdf")
    assert (tmp_path / "log.csv").read_text().count("\n") == 3
    assert (tmp_path / "log.pdf").read_bytes().startswith(b"%PDF")
