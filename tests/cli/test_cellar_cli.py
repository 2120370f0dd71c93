"""The Cellar in the terminal: findings, stories, and what is noted or refused."""

import json
import shutil

import pytest
from click.testing import CliRunner
from PIL import Image

from vastcellar.cli.main import cli
from vastcellar.core.errors import VastCellarError
from vastcellar.services.workplace.folders import folders


@pytest.fixture
def answer(tmp_path, monkeypatch, two_years):
    """Ask the demo's cellar something; return what it prints, or the sentence of its refusal."""
    for name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME"):
        monkeypatch.setenv(name, str(tmp_path / name))
    kept = folders(demo=True).cellar_file
    kept.parent.mkdir(parents=True)
    shutil.copy(two_years, kept)

    def ask(*arguments, refused=False):
        result = CliRunner().invoke(cli, ["--demo", "cellar", *arguments])
        if refused:
            assert isinstance(result.exception, VastCellarError), result.output
            return str(result.exception)
        assert result.exit_code == 0, result.output
        return result.output

    return ask


def test_findings_as_lines_and_as_json_are_the_same(answer):
    """The worst first, numbered, with evidence and what to do next."""
    lines = answer("findings")
    rows = json.loads(answer("findings", "--json"))
    assert rows["simulated"] and rows["findings"][0]["tag"] == "C-07"
    for row in rows["findings"]:
        assert f"{row['number']}. {row['tag']}: {row['says']}. {row['evidence']}" in lines
        assert row["next"] and row["harm"] in (
            "pictures",
            "frames",
            "copy",
            "margin",
            "unit",
            "money",
        )


def test_looked_after_it_is_gone_and_comes_back_with_all(answer):
    """And what isn't found can't be looked after."""
    answer("looked", "C-07", "--note", "sent back to the shop")
    assert "C-07" not in answer("findings")
    assert "C-07: holds 256 GB, sold as 1 TB (looked after)" in answer("findings", "--all")
    assert "nothing is found there" in answer("looked", "K-06", refused=True)


def test_a_unit_tells_its_rate_its_wear_and_its_story(answer):
    """What was measured against what it was, and every stay and loan."""
    said = answer("show", "K-10")
    for words in ("% sure", "18 like runs", "Not compared: 3 runs", "80 % on", "got hot"):
        assert words in said
    kept = json.loads(answer("show", "K-10", "--json"))
    rate = kept["trends"]["rate"]
    assert rate["now"] / rate["baseline"] - 1 == pytest.approx(rate["share"])
    assert len(rate["runs"]) == 18 and kept["loans"][0]["to"] == "the rowing club"
    assert [each["case"] for each in kept["cases"]] == ["drumlin-flat-10", "drumlin-flat"]
    assert "no unit" in answer("show", "K-99", refused=True)


def test_lent_and_back_and_what_cannot_be(answer):
    """A loan is a note with a number that can be taken back."""
    assert "it is on loan" in answer("lent", "P-01", "--to", "the club", refused=True)
    answer("back", "P-01")
    assert "P-01" not in answer("findings")
    said = answer("lent", "P-01", "--to", "the club", "--due", "2099-01-02")
    number = said.split("(Note ")[1].rstrip(")\n")
    assert "with the club until 2 Jan 2099" in answer("show", "P-01")
    answer("take-back", number)
    assert "the club" not in answer("show", "P-01")
    assert "no event" in answer("take-back", number, refused=True)
    assert "before it is lent" in answer(
        "lent", "P-01", "--to", "x", "--due", "2001-01-01", refused=True
    )
    assert "is no day" in answer("back", "P-01", "--on", "yesterday", refused=True)
    assert "still to come" in answer(
        "incident", "K-06", "dropped", "--on", "2099-01-01", refused=True
    )


def test_dropped_bought_worn_placed_and_retired(answer):
    """Each stands in the story; a fall asks for a proof, a retirement for a note on its wiping."""
    answer("incident", "K-06", "dropped", "--note", "off the pier")
    assert "K-06: dropped on" in answer("findings")
    answer(
        "bought", "K-12", "--price", "245", "--warranty-until", "2029-01-01", "--seller", "a shop"
    )
    answer("wear", "K-12", "83 %")
    answer("place", "K-12", "the drawer")
    said = answer("show", "K-12")
    assert "83 % of its endurance used, as it says itself" in said and "Where: the drawer" in said
    answer("retire", "K-12")
    assert "K-12: retired without a note on how it was wiped" in answer("findings")
    answer("retire", "K-12", "--wiped", "overwritten once, read back")
    assert "K-12" not in answer("findings")


def test_a_label_that_was_printed_stands_in_the_story(answer, tmp_path):
    """From the terminal, too."""
    done = CliRunner().invoke(cli, ["--demo", "label", "K-06", "--pdf", str(tmp_path / "l.pdf")])
    assert done.exit_code == 0, done.output
    assert "label printed" in answer("show", "K-06")


def test_packing_in_the_terminal_and_as_json(answer, tmp_path):
    """The set, why each, who stays; a job that isn't there is refused."""
    shoot = "docs/examples/slipway.shoot.json"
    done = CliRunner().invoke(cli, ["--demo", "pack", shoot, "--job", "Slipway", "--json"])
    assert done.exit_code == 0, done.output
    figures = json.loads(done.output)
    assert figures["goal"] == "lightest" and figures["is_optimal"] and not figures["holds"]
    assert (
        figures["evening"]["tests"] and {"tag": "C-07", "why": "false capacity"} in figures["stays"]
    )
    told = CliRunner().invoke(cli, ["--demo", "pack", shoot, "--goal", "safest", "--spend", "2500"])
    assert "Holds every need" in told.output and "To prove the evening before" in told.output
    wrong = CliRunner().invoke(cli, ["--demo", "pack", shoot, "--job", "No such"])
    assert "there is no job" in str(wrong.exception)


def test_out_check_backup_and_merge_in_the_terminal(answer, tmp_path):
    """A cellar merged with its own export has nothing new; the file is whole."""
    path = tmp_path / "all.json"
    assert "25 units" in answer("export", str(path))
    assert "Merged: 0 new units, 0 changed, 0 runs, 0 events" in answer("merge", str(path))
    assert "Backed up:" in answer("backup")
    said = json.loads(answer("check", "--json"))
    assert said["is_well"] and {each["why"] for each in said["backups"]} == {"merge", "asked"}
    assert "nothing is wrong" in answer("restore", refused=True)
    assert "has units already" in answer("import", str(path), refused=True)


def test_a_photo_goes_in_and_comes_out_again(answer, tmp_path):
    """Kept with its note, in the story, saved by its unit and day; what is none is refused."""
    Image.new("RGB", (30, 20), (10, 120, 40)).save(tmp_path / "plug.png")
    told = answer("photo", "K-10", str(tmp_path / "plug.png"), "--note", "bent plug")
    assert told.startswith("K-10") and "photo plug.png" in told and "bent plug" in told
    (tmp_path / "out").mkdir()
    (saved,) = answer("photos", "K-10", str(tmp_path / "out")).split()
    with Image.open(saved) as kept:
        assert kept.size == (30, 20)
    assert "no photo" in answer("photos", "K-11", str(tmp_path / "out"), refused=True)
    (tmp_path / "x.jpg").write_text("x")
    assert "no picture" in answer("photo", "K-10", str(tmp_path / "x.jpg"), refused=True)
