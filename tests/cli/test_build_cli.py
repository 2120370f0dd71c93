"""vast-cellar build: the same figures as text and JSON, sentences for what makes no build."""

import json

import pytest
from click.testing import CliRunner

from vastcellar.cli.main import cli


@pytest.fixture(autouse=True)
def home(tmp_path, monkeypatch):
    """Data, state and settings of their own."""
    for name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME"):
        monkeypatch.setenv(name, str(tmp_path / "home" / name))


def run(*words, code=0):
    """Return what the command prints."""
    done = CliRunner().invoke(cli, ["--demo", "build", *words])
    assert done.exit_code == code, done.output
    return done.output


def test_a_build_is_told_with_its_mend_bill_and_steps():
    """A thin pad: the gap with its mend and price, the take as laid out and with it."""
    shoot = "docs/examples/slipway.shoot.json"
    told = run("torvane-s30-2", "drumlin-fin", "pad-05-3", "--shoot", shoot, "--camera", "A")
    assert "the pad of 0.5 mm ends 0.5 mm short" in told
    assert "take Pad 1.25 mm, 6 W/mK, 6 EUR" in told
    assert "air 83.25" in told and "K/W, " in told
    assert "As laid out: " in told and "With the mend: Holds the whole 52 min take" in told
    assert "Put all 5 screws in: none may be left." in told


def test_json_has_fit_gaps_bill_and_steps():
    """The gap in mm, pads that would be right, what is to pay, every step with its cautions."""
    made = json.loads(run("torvane-s30-2", "drumlin-fin", "pad-05-3", "--json"))
    assert made["verdict"] == "falls short"
    assert round(made["gap_mm"], 6) == 0.5
    assert made["pads_that_fit"][0] == "pad-125-6"
    assert made["bill"]["to_pay"] == 199 + 34 + 3
    assert made["take"] is None
    assert made["mended"]["verdict"] == "holds" and made["mended"]["pad"] == "pad-125-6"
    assert made["heat"]["drive_to_case_k_per_w"] > made["mended"]["heat"]["drive_to_case_k_per_w"]
    assert all(step["says"] and step["minutes"] > 0 for step in made["steps"])
    assert made["instead"][0]["price"] <= made["instead"][-1]["price"]


def test_words_that_do_not_go_together():
    """A shoot without a camera is asked back; an unknown part is named; --splash is checked."""
    assert "--shoot and --camera together" in run(
        "torvane-t2-2", "drumlin-fin", "--camera", "A", code=2
    )
    done = CliRunner().invoke(cli, ["--demo", "build", "nix"])
    assert "nothing is called 'nix'" in str(done.exception)
    assert "water gets in" in run("torvane-t2-2", "drumlin-fin", "--splash")
    assert "rated IP55" in run("torvane-t2-2", "drumlin-splash", "--splash")
