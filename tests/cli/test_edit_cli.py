"""vast-cellar edit and timeline: JSON for programs, lines for people, sentences for mistakes."""

import json
from dataclasses import replace
from pathlib import Path

import pytest
from click.testing import CliRunner

from timelines import clip, timeline, track, write
from vastcellar.cli.main import cli
from vastcellar.core.edit.edit_load import EditLoad, StreamKind
from vastcellar.core.errors import VastCellarError
from vastcellar.services.edit.measured import measured_rungs
from vastcellar.services.workplace.workplace import open_workplace

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


def test_a_cut_played_from_a_unit_stands_beside_what_is_computed(tmp_path):
    """Kept under its tag, in the unit's record, and named where that cut is planned on it."""
    disk = tmp_path / "disk"
    disk.mkdir()
    cut = write(tmp_path / "cut.otio", timeline(track(clip("A", 3, rate=1e6))))
    plan = json.loads(Path(EDIT).read_text(encoding="utf-8"))
    stores = [each | {"unit_tag": "H-02"} for each in plan["stores"] if each["name"] == "H-02"]
    plan |= {"stores": stores, "chosen": "H-02", "timeline": cut.name, "beside": []}
    planned = tmp_path / "own.edit.json"
    planned.write_text(json.dumps(plan))

    words = ("--demo", "prove", "cut", str(disk), str(cut), "--read-ahead", "0.2", "--json")
    with pytest.raises(VastCellarError, match="isn't bound to a device yet"):
        run(*words, "--unit", "H-02")
    told = run(*words, "--unit", "H-02", "--bind")
    played = json.JSONDecoder().raw_decode(told[told.index("{") :])[0]
    assert played["frames"] == 75
    assert list(disk.iterdir()) == []
    (measured,) = (each["measured_cut"] for each in asked_of(planned)["stores"])
    assert (measured["frames"], measured["late_frames"]) == (75, played["late_frames"])
    assert "H-02 played 0:00 to 0:03 on " in run("edit", str(planned), "--demo")

    write(cut, timeline(track(clip("A", 3, rate=2e6))))
    assert asked_of(planned)["measured_cut"] is None


def asked_of(planned):
    """What the demo's cellar and catalog say of such a plan."""
    return json.loads(run("edit", str(planned), "--demo", "--json"))


def test_what_several_clients_saw_is_kept_as_one_test_of_the_unit(tmp_path):
    """Two here: they stand for the store's ladder. The one that joins keeps nothing of its own."""
    disk = tmp_path / "disk"
    disk.mkdir()
    told = run("--demo", "prove", "edit", str(disk), "--clients", "2", "--streams", "2",
               "--rate", "2MB/s", "--seconds", "1", "--unit", "H-02", "--bind",
               "--json")  # fmt: skip
    seen = json.JSONDecoder().raw_decode(told[told.index("{") :])[0]
    workplace = open_workplace(demo=True)
    (kept,) = (each for each in workplace.cellar.runs("H-02") if each.kind == "edit")
    workplace.close()
    assert kept.figures["steps"] == seen["steps"] and kept.figures["clients"] == 2
    assert kept.figures["plan"]["streams"] == 2
    assert kept.figures["most_streams"] == seen["streams_held"]
    load = EditLoad(StreamKind("made up", 2e6, 25.0, read_ahead_s=1.0))
    rungs = measured_rungs([kept], "H-02", load)
    assert [each.streams for each in rungs] == [each["streams"] for each in seen["steps"]]
    elsewhere = replace(kept, figures=kept.figures | {"other_computers": 1})
    assert measured_rungs([elsewhere], "H-02", load) == ()
    assert "belongs to the client that calls" in run(
        "prove", "edit", str(disk), "--join", "--unit", "H-02"
    )


def test_the_hours_of_editors_are_printed_spell_by_spell(tmp_path):
    """When who works, what that asks of each stage, and what is late; as JSON and in lines."""
    plan = json.loads(Path(EDIT).read_text(encoding="utf-8"))
    plan["timeline"] = ""
    plan["editors"] = [
        {"name": "Cut", "start_s": 32400, "end_s": 64800},
        {"name": "Night", "start_s": 57600, "end_s": 100800, "streams": 2, "sound_tracks": 24},
    ]
    file = tmp_path / "hours.edit.json"
    file.write_text(json.dumps(plan))
    made = json.loads(run("edit", str(file), "--json"))
    alone, both, night = made["hours"]
    assert (both["from_s"], both["to_s"], both["editors"]) == (57600, 64800, ["Cut", "Night"])
    assert both["streams"] == 3 and both["limit"] == "its 1 GbE port" and not both["is_held"]
    assert alone["is_held"] and alone["late_frames_per_minute"] == 0
    assert night["used_shares"]["the disks"] < 1 < night["used_shares"]["its 1 GbE port"]
    assert made["streams_wanted"] == 3 and made["scrub_frames_per_s"] > 1
    told = run("edit", str(file))
    assert "16:00 to 18:00, Cut, Night: 3 streams, 277 MB/s" in told
    plan["editors"][1]["end_s"] = 57600
    file.write_text(json.dumps(plan))
    with pytest.raises(VastCellarError, match="Night"):
        run("edit", str(file))
