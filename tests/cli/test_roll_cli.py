"""vast-cellar roll: the day as text and JSON, and sentences for what can't be planned."""

import json
from pathlib import Path

import pytest
from click.testing import CliRunner

from vastcellar.cli.main import cli
from vastcellar.core.errors import VastCellarError

SHOOT = "docs/examples/slipway.shoot.json"


@pytest.fixture(autouse=True)
def home(tmp_path, monkeypatch):
    """Data, state and settings of their own."""
    for name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME"):
        monkeypatch.setenv(name, str(tmp_path / "home" / name))


def run(*words):
    """Return what the command prints."""
    done = CliRunner().invoke(cli, ["roll", *words])
    if done.exception is not None and not isinstance(done.exception, SystemExit):
        raise done.exception
    return done.output


def test_json_has_the_moments_the_waits_the_pool_and_nine_of_ten():
    """Two cameras of the demo wait; the last verified copy is the latest of all cards."""
    made = json.loads(run(SHOOT, "--demo", "--json", "--drawn", "20"))
    assert {wait["camera"] for wait in made["waits"]} == {"A", "B"}
    latest = max(at_s for card in made["cards"] for at_s in card["verified_s"].values())
    assert made["last_verified_copy_s"] == latest
    hours, minutes = map(int, made["last_verified_copy"].split(":"))
    assert abs(hours * 3600 + minutes * 60 - latest) <= 30
    assert made["smallest_pool"]["cards"]["A"] > 1
    assert made["p50"] and made["p90"]
    assert made["drawn_days"] == 20
    assert made["evidence"] == "computed"
    assert {"camera", "from_s", "until_s", "card"} <= set(made["waits"][0])
    assert made["levers"][-1]["is_a_risk"]


def test_a_copy_that_is_made_later_is_in_json_and_in_text(tmp_path):
    """From the client's drive at ten in the evening, with when the cards are safe by it."""
    shoot = json.loads(Path(SHOOT).read_text())
    safety = next(each for each in shoot["copies"] if each["name"] == "Safety copy")
    safety |= {"made_from": "Van copy", "not_before_s": 22 * 3600}
    (tmp_path / "s.json").write_text(json.dumps(shoot))
    made = json.loads(run(str(tmp_path / "s.json"), "--demo", "--json", "--drawn", "0"))
    (later,) = made["later"]
    assert (later["unit"], later["from"]) == ("H-02", "K-06")
    assert later["start_s"] >= 22 * 3600 and later["verified_s"] > later["copied_s"]
    told = run(str(tmp_path / "s.json"), "--demo", "--drawn", "0")
    assert "Safety copy, made later from K-06, " in told


def test_text_tells_the_day_and_how_late_it_may_start():
    """Headline, a line for each card, the pool, and the start for an evening off."""
    told = run(SHOOT, "--demo", "--drawn", "0", "--home-by", "23:59")
    assert "Day 1 of 6, on Van laptop" in told
    assert "Last verified copy" in told
    assert "Smallest pool without waits: " in told
    assert "To be home by 23:59 the day may start at most" in told
    assert "drawn days" not in told


def test_another_day_of_the_shoot_can_be_asked_for():
    """Day 6 has the launch: one take of 52 minutes of A."""
    assert json.loads(run(SHOOT, "--demo", "--json", "--drawn", "0", "--day", "6"))["day"] == 6


def test_a_day_that_is_not_in_the_shoot_is_one_sentence():
    """What, where and the mend."""
    with pytest.raises(VastCellarError, match=r"no day 9 in 6"):
        run(SHOOT, "--demo", "--day", "9")


def test_an_empty_cellar_is_said_with_the_mend():
    """Without the demo's shelf no unit of the shoot is known."""
    with pytest.raises(VastCellarError, match=r"no camera records|no copy of the shoot"):
        run(SHOOT)


def test_a_claim_is_checked_at_this_station():
    """2 TB in half an hour: what it asks, and that it can't be; anything else is no claim."""
    made = json.loads(run(SHOOT, "--demo", "--json", "--drawn", "0", "--claim", "2 TB in 30 min"))
    assert made["claim"]["verdict"] == "falls short"
    assert made["claim"]["asks_bytes_per_s"] == pytest.approx(2e12 / 1800)
    assert made["claim"]["copied_s"] > 1800
    with pytest.raises(VastCellarError, match="is no claim"):
        run(SHOOT, "--demo", "--claim", "very fast")
