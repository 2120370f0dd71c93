"""vast-cellar edit and timeline: JSON for programs, lines for people, sentences for mistakes."""

import json
from pathlib import Path

import pytest
from click.testing import CliRunner

from timelines import clip, timeline, track, write
from vastcellar.cli.main import cli
from vastcellar.core.errors import VastCellarError

EDIT, CUT = "docs/examples/boathouse.edit.json", "docs/examples/slipway.otio"


@pytest.fixture(autouse=True)
def home(tmp_path, monkeypatch):
    """Data, state and settings of their own."""
    for name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME"):
        monkeypatch.setenv(name, str(tmp_path / "home" / name))


def run(*words):
    """Return what the command prints."""
    done = CliRunner().invoke(cli, list(words))
    if done.exception is not None and not isinstance(done.exception, SystemExit):
        raise done.exception
    return done.output


def test_json_has_streams_limit_bytes_rebuild_and_risk():
    """Of the chosen store on top, and of each."""
    made = json.loads(run("edit", EDIT, "--json"))
    assert (made["streams_held"], made["limit"]) == (1, "its 1 GbE port")
    assert made["usable_bytes"] == 24e12
    assert made["rebuild_seconds"] / 3600 == pytest.approx(24.7, abs=0.05)
    assert made["unreadable_risk"] == pytest.approx(0.175, abs=0.0005)
    assert [each["streams_held"] for each in made["stores"]] == [1, 5, 10, 2]
    assert made["stores"][2]["rebuild_seconds"] is None
    assert made["helps"][-1]["helps"] is False
    assert made["evidence"] == "computed"
    assert {each["evidence"] for each in made["stores"]} == {"computed"}
    assert made["rungs"][1]["late_frames_per_minute"] > 1000


def test_text_names_what_would_and_what_would_not_help():
    """A line for each store and each change."""
    told = run("edit", EDIT)
    assert "N-01: 4 × Kelmarsh Dray" in told
    assert "10 GbE port in use: holds" in told
    assert "would not help: Pentle Flat Q 4 TB in the bays" in told


def test_a_shoots_camera_can_be_what_is_played(tmp_path):
    """A's raw over gigabit: not one stream."""
    plan = json.loads(Path(EDIT).read_text(encoding="utf-8"))
    plan |= {"stream": {"camera_key": "A"}, "timeline": ""}
    (tmp_path / "a.edit.json").write_text(json.dumps(plan))
    made = json.loads(run("edit", str(tmp_path / "a.edit.json"), "--json",
                          "--shoot", "docs/examples/slipway.shoot.json"))  # fmt: skip
    assert made["streams_held"] == 0
    with pytest.raises(VastCellarError, match="no shoot is open"):
        run("edit", str(tmp_path / "a.edit.json"))


def test_a_timelines_worst_second_is_told_with_its_clips():
    """Both cameras of the demo's cut at once."""
    made = json.loads(run("timeline", CUT, "--json"))
    assert made["worst_second_bytes_per_s"] == pytest.approx(184.34e6)
    assert len(made["worst_second_clips"]) == 2
    assert made["duration_s"] == 2880
    assert "Its worst second begins at 17:00: 184.3 MB/s" in run("timeline", CUT)


def test_clips_of_no_known_rate_ask_for_one(tmp_path):
    """One sentence without a rate; with it they are taken for that, and so it is said."""
    path = str(write(tmp_path / "cut.otio", timeline(track(clip("A", 4, rate=0)))))
    with pytest.raises(VastCellarError, match="Name the rate"):
        run("timeline", path)
    made = json.loads(run("timeline", path, "--rate", "92.2 MB/s", "--json"))
    assert made["worst_second_bytes_per_s"] == pytest.approx(92.2e6)
    assert made["rates_known_by"] == {"the format named": 1}
