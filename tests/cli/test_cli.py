"""The terminal: answers as JSON, errors as one sentence, the folder as it was."""

import json
import subprocess
import sys
from itertools import pairwise
from pathlib import Path

import pytest
from click.testing import CliRunner

from vastcellar.cli.main import cli, main

ROOT = Path(__file__).resolve().parents[2]
EXAMPLES = ROOT / "docs" / "examples"


@pytest.fixture(autouse=True)
def own_home(tmp_path, monkeypatch):
    for name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME"):
        monkeypatch.setenv(name, str(tmp_path / "home" / name))


def answer(*arguments):
    result = CliRunner().invoke(cli, [str(a) for a in arguments])
    assert result.exit_code == 0, result.output
    return json.loads(result.output)


def complaint(capsys, monkeypatch, *arguments):
    monkeypatch.setattr(sys, "argv", ["vast-cellar", *map(str, arguments)])
    with pytest.raises(SystemExit) as ended:
        main()
    assert ended.value.code
    return capsys.readouterr().err


def test_need_answers_for_each_camera():
    """The need of every camera of the example, against the worked figures."""
    cameras = answer("need", EXAMPLES / "slipway.shoot.json", "--json")["cameras"]
    assert [camera["key"] for camera in cameras] == ["A", "B", "C", "D"]
    main_camera = cameras[0]
    assert main_camera["average_bytes_per_s"] == pytest.approx(159.83e6, rel=1e-4)
    assert main_camera["peak_bytes_per_s"] == pytest.approx(239.45e6, rel=1e-4)
    assert main_camera["needed_write_bytes_per_s"] == pytest.approx(287.35e6, rel=1e-4)
    assert main_camera["bytes_per_hour"] == pytest.approx(575.4e9, rel=1e-4)
    assert main_camera["seconds_per_medium"] == pytest.approx(104.28 * 60, rel=1e-4)


def test_need_answers_for_the_whole_shoot():
    """The whole shoot is the sum of its days and lies inside its range."""
    found = answer("need", EXAMPLES / "slipway.shoot.json", "--json")
    assert found["total_bytes"] == pytest.approx(sum(found["bytes_by_day"]))
    low, high = found["total_bytes_range"]
    assert low < found["total_bytes"] < high
    main_camera = found["cameras"][0]
    assert main_camera["media_by_day"] == [2, 2, 2, 2, 2, 3]
    assert main_camera["guaranteed_by"] == {"VPG400": pytest.approx(400 / 287.35 - 1, rel=1e-3)}
    reloads = found["fullest_day"]["reloads"]
    assert [(each["camera"], each["inside_take"]) for each in reloads] == [("A", False)] * 2
    van = found["copies"][2]
    assert van["keep_days"] == 2
    assert van["held_bytes_by_day"][1:] == pytest.approx([van["needed_bytes"]] * 5)
    assert [each["concern"] for each in found["warnings"]] == ["file split", "guarantee"]


@pytest.mark.parametrize(
    ("line", "key", "value"),
    [
        ("52 min at 160 MB/s x 3 copies", "value_bytes", 1.4976e12),
        ("4 TB in 30 min", "value_bytes_per_s", 4e12 / 1800),
        ("47 GB at 180 MB/s", "value_s", 261.11),
        ("1274 Mb/s", "value_bytes_per_s", 159.25e6),
        ("1 TB", "value_bytes", 1e12),
        ("4 TB / 500 GB", "value", 8),
    ],
)
def test_sum_answers_a_line(line, key, value):
    """A line of sums answers as the window does, with the links that carry a claim."""
    found = answer("sum", line, "--json")
    assert found[key] == pytest.approx(value, rel=1e-4)
    if found["is_claim"]:
        carries = {each["mode"]: each["carries"] for each in found["links"]}
        assert (carries["usb-10g"], carries["usb4-40g"]) == (False, True)
        assert found["verdict"].startswith("More than a ")
    if line == "1 TB":
        assert any("931" in each["label"] for each in found["lines"])


def test_chain_answers_for_each_stage():
    """Each stage is listed with its rate, and the least of them is the bottleneck."""
    found = answer("chain", EXAMPLES / "wasted.chain.json", "--json")
    assert found["negotiated"]["mode"] == "usb-10g"
    assert found["at_first_bytes_per_s"] == pytest.approx(1e9, rel=0.05)
    assert found["bottleneck"] == "bridge"
    stages = {stage["key"]: stage for stage in found["stages"]}
    assert stages["bridge"]["ceiling_bytes_per_s"] == pytest.approx(1212.1e6, rel=1e-4)
    assert stages["port"]["ceiling_bytes_per_s"] == pytest.approx(2424.2e6, rel=1e-4)
    assert all("typical_bytes_per_s" in stage for stage in stages.values())


def test_match_lists_candidates_with_verdict_margin_limit_and_price():
    """The list begins with what is owned and holds; without a shelf all must be bought."""
    shoot = EXAMPLES / "slipway.shoot.json"
    found = answer("match", shoot, "--camera", "A", "--host", "Van laptop", "--demo", "--json")
    assert found["combinations"] > 1000
    first, last = found["candidates"][0], found["candidates"][-1]
    assert (first["verdict"], first["price"], first["host"]) == ("holds", 0.0, "van-laptop")
    assert first["unit"]
    assert last["margin"] > 0.1
    assert {"limit", "wasted_share", "price_per_tb", "sustained_write_bytes_per_s"} <= set(first)
    picks = found["picks"]
    assert picks["cheapest that holds"]["price"] <= picks["best kept for later"]["price"]
    assert picks["nothing to buy"]["price"] == 0
    # Without a shelf everything must be bought.
    bare = answer("match", shoot, "--camera", "A", "--host", "van-laptop", "--json")
    assert all(each["unit"] is None for each in bare["candidates"])
    assert bare["building_pays_from_bytes"] == pytest.approx(1e12)


def test_a_dock_shares_its_uplink_in_the_terminal_too():
    """Behind a shared dock the hub is the bottleneck, with its half of the uplink."""
    found = answer("chain", EXAMPLES / "dock.chain.json", "--json")
    assert found["bottleneck"] == "hub"
    assert found["at_first_bytes_per_s"] == pytest.approx(245e6)


def test_a_copy_is_no_camera_it_waits_and_its_time_is_the_answer():
    """117 GB of a card that reads 3400 MB/s over a 1000 MB/s link: 117 s, and no frame is lost."""
    chain = EXAMPLES / "collapse.chain.json"
    cards = ("--card", "117GB", "--rate", "3400MB/s")
    found = answer("simulate", chain, "--cards", 1, *cards, "--json")
    assert found["copied_s"] == pytest.approx(117.0)
    assert not {"dropped_frames", "holds"} & set(found)
    more = answer("simulate", chain, "--cards", 30, *cards, "--json")
    assert (more["copied_s"], more["fitting_cards"]) == (None, 5)
    rates = [card["bytes_per_s"] for card in more["cards"][:5]]
    assert all(later <= earlier * 1.001 for earlier, later in pairwise(rates))
    # The second card meets a cache that the first has filled: mostly at the direct rate.
    assert 120e6 < rates[1] < 0.2 * rates[0]


def test_simulate_answers_moment_by_moment():
    """The profile over a take says when it falls and that it is a model."""
    chain = EXAMPLES / "collapse.chain.json"
    found = answer(
        "simulate", chain, "--take", "52 min", "--rate", "need", "--ambient", 30, "--json"
    )
    assert (found["holds"], found["simulated"]) == (False, True)
    assert found["cache_exhausted_at_s"] == pytest.approx(1425.9, abs=0.1)
    assert found["throttled_at_s"] is None
    assert found["lowest_write_bytes_per_s"] == pytest.approx(120e6)
    # (159.83 - 120) MB/s from the first loss on, in frames of 6.39 MB.
    lost = (159.83e6 - 120e6) * (3120 - found["first_drop_at_s"]) / (159.83e6 / 25)
    assert found["dropped_frames"] == pytest.approx(lost, rel=1e-3)
    shoot = EXAMPLES / "slipway.shoot.json"
    same = answer(
        "simulate", chain, "--take", "52 min", "--shoot", shoot, "--camera", "B", "--json"
    )
    assert same["needed_write_bytes_per_s"] == pytest.approx(122e6, rel=1e-3)
    cards = answer(
        "simulate", EXAMPLES / "wasted.chain.json", "--cards", 3, "--card", "512GB",
        "--rate", "800MB/s", "--pause", "2 min", "--json",
    )  # fmt: skip
    assert cards["written_bytes"] == pytest.approx(1.536e12)
    assert cards["copied_s"] == pytest.approx(3 * 640 + 240)
    flat = answer("simulate", chain, "--take", "10 min", "--rate", "flat", "--json")
    assert (flat["holds"], flat["dropped_frames"]) == (None, 0)


def test_record_in_a_folder_answers_and_leaves_it_as_it_was(tmp_path):
    """A recorder test of a real folder answers as JSON and leaves the folder empty."""
    disk = tmp_path / "disk"
    disk.mkdir()
    found = answer(
        "prove", "record", disk, "--rate", "20MB/s", "--frame-rate", "50",
        "--buffer", "64MB", "--seconds", "1", "--json",
    )  # fmt: skip
    assert found["written_bytes"] == 20_000_000
    assert found["is_simulated"] is False
    assert found["frames"] == 50
    assert found["write_mode"]
    assert list(disk.iterdir()) == []


def test_one_trace_is_replayed_for_every_camera(tmp_path, capsys, monkeypatch):
    """A measured trace is held against each camera without being measured again."""
    trace = tmp_path / "run.csv"
    rows = ["elapsed_s,written_bytes,temperature_c"]
    rows += [f"{s},{900_000_000 * s}," for s in range(334)]  # 300 GB fast, then 140 MB/s
    rows += [f"{s},{899_700_000_000 // 3 + 140_000_000 * (s - 333)}," for s in range(334, 2600)]
    trace.write_text("\n".join(rows) + "\n")
    shoot = EXAMPLES / "slipway.shoot.json"
    found = answer("replay", trace, "--shoot", shoot, "--json")["cameras"]
    verdicts = {each["key"]: each["verdict"] for each in found}
    assert (verdicts["A"], verdicts["B"]) == ("falls short", "holds")
    a = found[0]
    # Lost: what 140 MB/s leaves of 159.83 MB/s once the buffer of 1.1 GB is full.
    slow_s = 3120 - 299.7e9 / 159_828_480
    assert a["lost_bytes"] == pytest.approx(slow_s * (159_828_480 - 140e6) - 1.1e9, rel=1e-2)
    said = CliRunner().invoke(cli, ["replay", str(trace), "--shoot", str(shoot), "--camera", "A"])
    assert said.output.startswith("A Main: ") and "the first frame lost after" in said.output
    trace.write_text("\n".join([rows[0], "0,5,", "1,4,"]))
    said = complaint(capsys, monkeypatch, "replay", trace, "--shoot", shoot)
    assert "run.csv, line 3: written_bytes falls" in said


def test_record_on_a_simulated_rig_is_marked():
    """What a rig answers is marked as simulated."""
    found = answer(
        "prove", "record", "--simulated", EXAMPLES / "wasted.chain.json",
        "--rate", "160MB/s", "--seconds", "5 min", "--json",
    )  # fmt: skip
    assert found["is_simulated"] is True
    assert found["frames_dropped"] == 0
    assert found["achieved_bytes_per_s"] == pytest.approx(160e6, rel=1e-3)


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["need", "missing.shoot.json"], "there is no such file. Check the path."),
        (["chain", EXAMPLES / "slipway.shoot.json"], "'vast-cellar/chain' should stand"),
        (["prove", "record", "/nowhere/at/all", "--rate", "1MB/s", "--seconds", "1"], "reached"),
        (["prove", "record", "/tmp", "--rate", "1mb/s", "--seconds", "1"], "bits or bytes"),
        (["prove", "record", "/tmp", "--rate", "1MB/s", "--seconds", "0"], "duration_s is 0"),
        (["prove", "record", "--rate", "1MB/s", "--seconds", "1"], "Name either a FOLDER"),
        (["match", EXAMPLES / "slipway.shoot.json", "--camera", "Z"], "no camera 'Z'"),
        (["match", EXAMPLES / "slipway.shoot.json", "--camera", "A", "--host", "Moon"], "no host"),
        (["simulate", EXAMPLES / "wasted.chain.json", "--take", "1 min"], "says nothing of what"),
        (
            ["simulate", EXAMPLES / "collapse.chain.json", "--take", "1 min", "--ambient", "95"],
            "90",
        ),
        (["simulate", EXAMPLES / "collapse.chain.json", "--take", "soon"], "read as a quantity"),
        (["simulate", EXAMPLES / "collapse.chain.json", "--cards", "2"], "--cards needs --card"),
        (["simulate", EXAMPLES / "collapse.chain.json"], "how long the --take is"),
        (["prove", "record", "/tmp", "--rate", "1TB/s", "--seconds", "9 h"], "Free some space"),
    ],
)
def test_bad_input_is_one_sentence(capsys, monkeypatch, arguments, says):
    """Each bad argument ends in one sentence on stderr and an exit code, never a traceback."""
    assert says in complaint(capsys, monkeypatch, *arguments)


def test_people_read_it_too():
    """Without --json the same figures are words with units."""
    text = CliRunner().invoke(cli, ["need", str(EXAMPLES / "slipway.shoot.json")]).output
    assert "287.35 MB/s" in text
    text = CliRunner().invoke(cli, ["chain", str(EXAMPLES / "wasted.chain.json")]).output
    assert "limited by the bridge" in text
    shoot = str(EXAMPLES / "slipway.shoot.json")
    text = CliRunner().invoke(cli, ["match", shoot, "--camera", "B", "--demo"]).output
    assert "nothing to buy: " in text
    assert "limited" not in text
    assert "on Ostrey Maro 4" in text
    text = CliRunner().invoke(cli, ["sum", "4", "TB", "in", "30", "min"]).output
    assert text.startswith("2\u202f222 MB/s")
    assert "carries in use" in text
    chain = str(EXAMPLES / "collapse.chain.json")
    text = CliRunner().invoke(cli, ["simulate", chain, "--take", "52 min"]).output
    assert "Falls short (simulated)." in text
    assert "cache full" in text


def test_need_saves_sheet_and_table(tmp_path):
    """Sheet and table are written where they were asked to be."""
    shoot = str(EXAMPLES / "slipway.shoot.json")
    pdf, table = tmp_path / "need.pdf", tmp_path / "need.csv"
    text = (
        CliRunner()
        .invoke(cli, ["need", shoot, "--pdf", str(pdf), "--csv", str(table), "--paper", "letter"])
        .output
    )
    assert "! D: VPG200 guarantees 200 MB/s" in text
    assert pdf.read_bytes().startswith(b"%PDF")
    assert table.read_text().count("\n") == 5


def test_the_terminal_runs_where_qt_is_not_installed():
    """And without the database, which it doesn't need to answer."""
    code = (
        "import sys; sys.modules.update(PySide6=None, pyqtgraph=None, sqlalchemy=None);"
        f"sys.argv = ['vast-cellar', 'need', {str(EXAMPLES / 'slipway.shoot.json')!r}];"
        "from vastcellar.cli.main import main; main()"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    assert "A Main" in done.stdout


def test_without_a_screen_the_window_says_so(tmp_path):
    """Without a display the program ends with a sentence, not with Qt's abort."""
    bare = {"PATH": "/usr/bin", "HOME": str(tmp_path)}
    code = (
        "import sys; sys.argv = ['vast-cellar', '--demo'];"
        "from vastcellar.cli.main import main; main()"
    )
    done = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, check=False, env=bare
    )
    assert done.returncode == 1
    assert "there is no screen" in done.stderr


@pytest.mark.parametrize(
    ("line", "headline"),
    [
        ("1 TB in GiB", "931.3 GiB"),
        ("931 GiB in GB", "999.7 GB"),
        ("10 Gb/s in MB/s", "1 250 MB/s"),
        ("52 min at 160 MB/s in TB", "0.5 TB"),
    ],
)
def test_a_sum_answers_in_the_unit_that_is_asked_for(line, headline):
    """The first line is the answer, in that unit and no other."""
    ran = CliRunner().invoke(cli, ["sum", line])
    assert ran.output.splitlines()[0].replace("\u202f", " ") == headline


def test_a_chain_prints_both_figures_and_every_stage():
    """At first and what lasts, each with the stage that limits it, as its JSON has them."""
    found = answer("chain", EXAMPLES / "collapse.chain.json", "--json")
    rates = [stage["typical_bytes_per_s"] for stage in found["stages"]]
    first = [s["typical_bytes_per_s"] for s in found["stages"] if not s["lasting"]]
    assert found["lasting_bytes_per_s"] == min(rates)
    assert found["at_first_bytes_per_s"] == min(first)
    ran = CliRunner().invoke(cli, ["chain", str(EXAMPLES / "collapse.chain.json")])
    assert "At first" in ran.output and "what lasts is" in ran.output
    for stage in found["stages"]:
        assert stage["name"] in ran.output
        assert stage["why"]
