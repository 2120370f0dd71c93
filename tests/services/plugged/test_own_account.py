"""What a drive says of its own wear: asked of the unit that it is; by a command, in a dialog."""

import pytest
from click.testing import CliRunner

from vastcellar.cli.main import cli
from vastcellar.core.errors import BadValueError, UnknownPartError
from vastcellar.core.parts.units import Unit
from vastcellar.services.plugged.own_account import ask_worn, worn_by_itself
from vastcellar.services.plugged.seen import plugged_in, system_of


@pytest.fixture
def scratch(workplace):
    """The demo's computer, with its scratch module as a unit of the shelf."""
    system = system_of(workplace.folders, is_demo=True)
    seen = plugged_in(system, workplace.shelf(), workplace.catalog)
    module = next(each for each in seen if each.device.name == "nvme1n1")
    workplace.cellar.add_unit(Unit("T-01", "torvane-s30-2"))
    workplace.cellar.bind_unit("T-01", module.device.identity)
    return workplace


def test_the_drive_that_a_unit_is_says_what_is_used(scratch):
    """5 % by its own account, as the list of plugged-in devices has it."""
    assert ask_worn(scratch, "T-01") == pytest.approx(0.05)
    system = system_of(scratch.folders, is_demo=True)
    seen = plugged_in(system, scratch.shelf(), scratch.catalog)
    assert worn_by_itself(seen, "T-01") == pytest.approx(0.05)
    assert worn_by_itself(seen, "K-10") is None and worn_by_itself((), "T-01") is None


@pytest.mark.parametrize(("tag", "why"), [("K-10", "isn't plugged in"),
                                          ("K-07", "may be read by root only")])  # fmt: skip
def test_one_that_is_away_or_says_nothing_is_a_sentence(scratch, tag, why):
    """With what to do instead; a tag of nobody is refused by the shelf."""
    with pytest.raises(BadValueError, match=why):
        ask_worn(scratch, tag)
    with pytest.raises(UnknownPartError):
        ask_worn(scratch, "NOBODY")


def test_the_command_asks_where_no_share_is_given(scratch, monkeypatch):
    """`cellar wear T-01` notes 5 %; with a share that one counts, and nothing is asked."""
    monkeypatch.setattr("vastcellar.cli.cellar_command.open_workplace", lambda **_: scratch)
    monkeypatch.setattr(type(scratch), "close", lambda _self: None)
    asked = CliRunner().invoke(cli, ["--demo", "cellar", "wear", "T-01"])
    assert asked.exit_code == 0 and "5 %" in asked.output
    given = CliRunner().invoke(cli, ["--demo", "cellar", "wear", "K-10", "12 %"])
    assert given.exit_code == 0 and "12 %" in given.output
    shares = {event.unit_tag: event.data["used_share"] for event in scratch.shelf().events
              if event.kind.value == "wear"}  # fmt: skip
    assert shares == {"T-01": 0.05, "K-10": 0.12}
