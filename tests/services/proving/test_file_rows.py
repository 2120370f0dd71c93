"""What an edit or project test came to, as rows beside each other."""

import math
from dataclasses import replace

import pytest

from vastcellar.bench.edit_run import EditPlan, EditRun
from vastcellar.bench.folder_target import FolderTarget
from vastcellar.bench.project_run import ProjectPlan, ProjectRun
from vastcellar.core.units import PLAIN
from vastcellar.services.proving.file_kinds import file_figures, file_rows, file_sentence
from vastcellar.services.proving.file_proving import file_proof
from vastcellar.services.proving.offloading import made_up_clips
from vastcellar.services.proving.shown import Picture


def finish(run):
    for _ in run.snapshots():
        pass
    return run.result


def test_each_step_stands_beside_what_its_streams_ask_for(tmp_path):
    """A step's measured streams stand beside the rate that they asked for."""
    plan = EditPlan(2e6, 25, 2, step_s=0.6, clip_s=1, jumps_per_minute=400, is_ramp=False)
    result = finish(EditRun(plan, FolderTarget(tmp_path, tmp_path / "notes")))
    (measured,) = result.steps
    one, late = replace(measured, streams=1, missed=0), replace(measured, missed=3)
    shown = file_rows(replace(result, steps=(one, late)), PLAIN)
    assert [row.name for row in shown.rows] == ["1 stream", "2 streams"]
    assert shown.rows[1].wanted == 2 * shown.rows[0].wanted
    assert max(max(row.share, row.wanted) for row in shown.rows) == 1
    assert shown.rows[1].is_short
    assert f"3 of {late.frames} frames late" in shown.rows[1].text
    assert "4 MB/s asked" in shown.rows[1].text
    assert "no frame late" in shown.rows[0].text and not shown.rows[0].is_short


def test_a_step_that_lived_on_what_was_read_ahead_is_short_and_says_by_how_much(tmp_path):
    """No frame was late, and yet it isn't held: 30 ms a second are gone in eight seconds."""
    plan = EditPlan(2e6, 25, 1, step_s=0.3, clip_s=1)
    result = finish(EditRun(plan, FolderTarget(tmp_path, tmp_path / "notes")))
    losing = replace(result.steps[0], missed=0, read_ahead_loss_s_per_s=0.03)
    result = replace(result, steps=(losing,), most_streams=0)
    (row,) = file_rows(result, PLAIN).rows
    assert row.is_short and "what was read ahead shrank by 30 ms a second" in row.text
    head, why = file_sentence(result, PLAIN)
    assert head.startswith("Not one stream")
    assert "no frame came late yet, but what was read ahead shrank by 30 ms a second" in why


def test_each_operation_is_as_long_as_nearly_all_of_its_kind_took(tmp_path):
    """The longest bar is the operation with the longest 99th percentile."""
    plan = ProjectPlan(files=8, reads=20, large_bytes=2 * 2**20)
    result = finish(ProjectRun(plan, FolderTarget(tmp_path, tmp_path / "notes")))
    shown = file_rows(result, PLAIN)
    assert [row.name for row in shown.rows] == [each.name for each in result.operations]
    longest = max(result.operations, key=lambda each: each.latency.p99_s)
    assert next(row for row in shown.rows if row.share == 1).name == longest.name
    assert all(math.isnan(row.wanted) and not row.is_short for row in shown.rows)
    assert all("a second" in row.text for row in shown.rows)


PLANS = {
    "edit": EditPlan(2e6, 25, 1, step_s=0.3, clip_s=1),
    "project": ProjectPlan(5, 5),
    "offload": made_up_clips(2, 3_000_000),
}


@pytest.mark.parametrize("key", PLANS)
def test_each_kind_is_kept_told_and_drawn_as_what_it_is(tmp_path, key):
    """One class says it all: the kind in the figures, two sentences, and either parts or a trace,
    as the picture that it is shown by."""
    proof = file_proof(tmp_path, PLANS[key], tmp_path / "notes")
    proof.begin()
    result = finish(proof.run)
    assert proof.kind == file_figures(result)["kind"] == key
    head, evidence = file_sentence(result, PLAIN)
    assert head.endswith(".") and evidence[-1:] in ("", ".")
    rows, trace = file_rows(result, PLAIN), proof.what.trace(result)
    assert (rows is not None) == (proof.shown.picture is Picture.PARTS)
    assert (trace is not None) == (proof.shown.picture is Picture.TRACE)
    assert trace is None or trace.written_bytes[-1] == result.written_bytes
    assert proof.conditions(result).write_mode
