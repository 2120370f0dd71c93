"""The cellar on a server, from a terminal: used, filled from a file, checked, backed up."""

import json

import pytest
from click.testing import CliRunner

from vastcellar.cli.main import cli
from vastcellar.core.errors import BadValueError, CellarError
from vastcellar.services.workplace.folders import folders


@pytest.fixture
def ask(tmp_path, monkeypatch):
    """Ask something in folders of one's own; return what it prints, or raise its refusal."""
    for name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME"):
        monkeypatch.setenv(name, str(tmp_path / name))

    def run(*arguments):
        result = CliRunner().invoke(cli, list(arguments))
        if result.exception is not None and not isinstance(result.exception, SystemExit):
            raise result.exception
        assert result.exit_code == 0, result.output
        return result.output

    return run


def test_a_file_moves_onto_a_server_and_both_say_where_they_are(ask, server, tmp_path):
    """Units go there by export and import; the file stays as it was, and can be used again."""
    ask("unit", "add", "K-01", "--drive", "torvane-t2-2", "--note", "first")
    export = tmp_path / "all.json"
    ask("cellar", "export", str(export))
    assert "is in " in ask("cellar", "use") and str(folders(demo=False).cellar_file) in ask(
        "cellar", "use"
    )
    address = server.new_database()
    assert "is on postgresql://desk@" in ask("cellar", "use", address)
    assert json.loads(ask("unit", "list", "--json"))["units"] == []
    ask("cellar", "import", str(export))
    ask("unit", "add", "K-02", "--drive", "torvane-t2-2")
    assert [u["tag"] for u in json.loads(ask("unit", "list", "--json"))["units"]] == [
        "K-01", "K-02",
    ]  # fmt: skip
    assert "Backed up: " in ask("cellar", "backup")
    told = ask("cellar", "check")
    assert "it answers." in told and ", asked: " in told
    figures = json.loads(ask("cellar", "check", "--json"))
    assert figures["is_well"] and figures["path"].startswith("postgresql://")
    assert figures["backups"][0]["path"].endswith("-asked.json")
    with pytest.raises(BadValueError, match="on a server, which is put back there"):
        ask("cellar", "restore")
    ask("cellar", "use", "--file")
    assert [u["tag"] for u in json.loads(ask("unit", "list", "--json"))["units"]] == ["K-01"]


def test_an_address_that_doesnt_answer_is_never_kept(ask, tmp_path):
    """The sentence says why, and the cellar is where it was."""
    ask("unit", "add", "K-01", "--drive", "torvane-t2-2")
    with pytest.raises(CellarError, match="can't be reached"):
        ask("cellar", "use", f"postgresql://desk@/cellar?host={tmp_path}")
    with pytest.raises(BadValueError, match="is no address"):
        ask("cellar", "use", "the office")
    assert "K-01" in ask("unit", "list")
