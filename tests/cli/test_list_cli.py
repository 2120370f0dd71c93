"""Somebody's list of units in a terminal: said by options, tried without keeping anything."""

import json

import pytest
from click.testing import CliRunner

from vastcellar.cli.main import cli
from vastcellar.core.errors import VastCellarError

LIST = "Asset,Model,Colour\nRX-1,our fast one,red\n"


@pytest.fixture
def ask(tmp_path, monkeypatch):
    """Ask something in folders of one's own; return what it prints, or the refusal."""
    for name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME"):
        monkeypatch.setenv(name, str(tmp_path / name))

    def run(*arguments):
        result = CliRunner().invoke(cli, list(arguments))
        return str(result.exception) if isinstance(result.exception, VastCellarError) else (
            result.output
        )  # fmt: skip

    return run


def test_a_list_is_tried_said_taken_and_remembered(ask, tmp_path):
    """What isn't known is asked back; a dry run keeps nothing; the next list needs no options."""
    path = tmp_path / "r.csv"
    path.write_text(LIST, encoding="utf-8")
    take = ("cellar", "import", str(path))
    assert "what 'Colour' means" in ask(*take)
    said = ("--column", "Colour=", "--drive", "our fast one=torvane-t2-2")
    told = ask(*take, *said, "--dry-run")
    assert "Colour: left out" in told and "Would add 1 units: RX-1" in told
    assert json.loads(ask("unit", "list", "--json"))["units"] == []
    assert "Added 1 units: RX-1" in ask(*take, *said)
    path.write_text(LIST.replace("RX-1", "RX-2"), encoding="utf-8")
    assert "Added 1 units: RX-2" in ask(*take)
    assert "has no name before a =" in ask(*take, "--column", "Colour")
    assert "are for lists (.csv)" in ask("cellar", "import", "x.json", "--dry-run")
