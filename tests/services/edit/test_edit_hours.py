"""Editors with their hours on the boathouse's stores: what decides, what is said, what is kept."""

import math
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

import pytest

from vastcellar.core.errors import BadFileError, BadValueError
from vastcellar.core.evidence import Verdict
from vastcellar.core.shoot.edit_plan import Editor, EditPlan, StreamSetup
from vastcellar.core.units import PLAIN
from vastcellar.services.edit.edit_planning import plan_edit
from vastcellar.services.edit.edit_sums import edit_sums
from vastcellar.services.edit.edit_wording import compare_rows, headline, jump_text
from vastcellar.services.edit.plans import edit_in_file, save_edit
from vastcellar.store.run_record import RunRecord


@pytest.fixture
def plan():
    """The boathouse, without its cut."""
    return replace(edit_in_file(Path("docs/examples/boathouse.edit.json")), timeline="")


def edit_run(tag, streams, missed, **of_step):
    """A kept edit test of the boathouse's stream over a network."""
    figures = {
        "plan": {"stream_bytes_per_s": 92.17e6, "frames_per_s": 25.0, "read_ahead_frames": 12},
        "steps": [{"streams": streams, "frames": 500, "missed": missed, **of_step}],
    }
    made = {"is_direct": True, "is_over_network": True}
    at = datetime(2026, 11, 24, tzinfo=UTC)
    return RunRecord(tag, "edit", at, False, True, made, figures, 3)


HOUR = 3600.0
DAY = (
    Editor("Cut", 9 * HOUR, 18 * HOUR),
    Editor("Second", 13 * HOUR, 22 * HOUR),
    Editor("Mix", 10 * HOUR, 16 * HOUR, stream=StreamSetup("HD proxies", bytes_per_s=10e6),
           sound_tracks=48, write_bytes_per_s=5e6),
)  # fmt: skip


def test_editors_with_hours_decide_by_their_busiest(plan, catalog):
    """Alone each is held by gigabit; from one to four three of them ask 195 of 110 MB/s."""
    edit = plan_edit(replace(plan, timeline="", editors=DAY), catalog)
    first, ten = edit.stores[:2]
    assert [each.start_s / HOUR for each in first.spells] == [9, 10, 13, 16, 18]
    assert first.busiest.start_s / HOUR == 13 and first.busiest.end_s / HOUR == 16
    assert first.verdict is Verdict.FALLS_SHORT and first.margin == first.busiest.margin < 0
    assert ten.verdict is Verdict.HOLDS and ten.busiest.late_frames_per_minute == 0
    assert (first.streams, first.load.desks) == (3, 3)  # 194.3 MB/s in streams of 92.2
    assert headline(first).endswith("editors ask for 194 MB/s from 13:00 to 16:00")
    rows = {row.name: row.values for row in compare_rows(edit, PLAIN)}
    assert rows["Late a minute, busiest hours"][1] == "0"
    assert rows["Late a minute, busiest hours"][0] == PLAIN.number(
        first.busiest.late_frames_per_minute, 0)  # fmt: skip
    told = edit_sums(first, PLAIN)["edit-hours"].lines
    assert [line.label for line in told[:3]] == ["Cut", "Second", "Mix"]
    assert told[2].reckoning == "one stream of HD proxies, 48 tracks of sound, writes 5 MB/s"
    assert next(line for line in told if line.label == "its 1 GbE port").value == "183 %"


def test_hours_that_dont_meet_ask_for_one_at_a_time(plan, catalog):
    """One leaves when the other comes: one stream and one desk, and gigabit is enough."""
    day = (Editor("Day", 8 * HOUR, 16 * HOUR), Editor("Night", 16 * HOUR, 30 * HOUR))
    edit = plan_edit(replace(plan, timeline="", editors=day, streams=4, desks=4), catalog)
    first = edit.stores[0]
    assert (first.streams, first.load.desks) == (1, 1)
    assert first.verdict is not Verdict.FALLS_SHORT and len(first.spells) == 2
    assert edit_sums(edit.stores[0], PLAIN)["edit-hours"].title == "Busiest 8:00 to 16:00"


def test_a_measured_rung_decides_only_what_it_measured(plan, catalog):
    """A test of two streams in time stands for two editors who play one each, not where one of
    them mixes 48 tracks beside, nor where three come."""
    kept = edit_run("N-01", streams=2, missed=0)
    bound = replace(plan.stores[1], unit_tag="N-01")
    base = replace(plan, timeline="", stores=(bound,), chosen="")
    two = replace(base, editors=(DAY[0], DAY[1]))
    (proved,) = plan_edit(two, catalog, records=[kept]).stores
    assert proved.proof is not None and proved.verdict is Verdict.HOLDS
    (mixed,) = plan_edit(replace(base, editors=DAY), catalog, records=[kept]).stores
    assert mixed.proof is None and not mixed.is_as_wanted
    third = replace(DAY[0], name="Third")
    (more,) = plan_edit(replace(base, editors=(*DAY[:2], third)), catalog, records=[kept]).stores
    assert more.streams == 3 and more.proof is None


def test_jumps_and_scrubs_that_were_measured_stand_beside_the_reckoned(plan, catalog):
    """Where a test of as many streams jumped; a step that never did says nothing."""
    bound = replace(plan.stores[1], unit_tag="N-01")
    base = replace(plan, timeline="", stores=(bound,), chosen="")
    (plain,) = plan_edit(base, catalog, records=[edit_run("N-01", 2, 0)]).stores
    assert plain.measured_jump is None and jump_text(plain, PLAIN)[0] == plain.jump.half_s
    kept = edit_run("N-01", 2, 0, first_frame={"p50_s": 0.031, "p99_s": 0.22},
                    scrub_frame={"p50_s": 0.02, "p99_s": 0.09})  # fmt: skip
    (jumped,) = plan_edit(base, catalog, records=[kept]).stores
    assert jump_text(jumped, PLAIN) == (0.031, "to a first frame, 99 of 100 220 ms: measured")
    told = {line.label: line.value for line in edit_sums(jumped, PLAIN)["edit-jump"].lines}
    assert told["measured: 99 of 100"] == "220.0 ms"
    assert told["measured: each frame of a scrub"] == "90.0 ms"
    never = edit_run("N-01", 2, 0, first_frame={"p50_s": math.nan, "p99_s": None})
    (other,) = plan_edit(base, catalog, records=[never]).stores
    assert other.measured_jump is None


def test_editors_come_back_from_a_file(plan, tmp_path):
    """All that is said of them; one with a field that nobody knows is refused by name."""
    path = tmp_path / "plan.edit.json"
    save_edit(path, replace(plan, editors=DAY))
    assert edit_in_file(path).editors == DAY
    path.write_text(path.read_text().replace('"sound_tracks"', '"soundtracks"', 1))
    with pytest.raises(BadFileError, match="soundtracks"):
        edit_in_file(path)


@pytest.mark.parametrize("changes", [{"name": " "}, {"streams": -1}, {"sound_tracks": 513},
                                     {"start_s": 9 * HOUR, "end_s": 9 * HOUR},
                                     {"end_s": 34 * HOUR},
                                     {"write_bytes_per_s": -1.0}])  # fmt: skip
def test_an_editor_that_cant_be_is_refused(changes):
    """One sentence each; two of one name are refused by the plan."""
    with pytest.raises(BadValueError):
        replace(DAY[0], **changes)
    with pytest.raises(BadValueError, match="two editors"):
        EditPlan(editors=(DAY[0], DAY[0]))


def test_an_editor_who_plays_a_camera_that_is_gone_is_said_once(plan, catalog, slipway):
    """One sentence for the plan, not one for each store."""
    lost = replace(DAY[0], stream=StreamSetup("", "Z"))
    with pytest.raises(BadValueError, match="no camera 'Z'"):
        plan_edit(replace(plan, editors=(lost,)), catalog, slipway)
