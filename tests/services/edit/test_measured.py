"""Edit tests of a unit over the computed ladder: which stand for what is asked, and which don't."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from vastcellar.bench.cut_run import part_of
from vastcellar.core.edit.demand import ClipUse, demand_of
from vastcellar.core.evidence import Evidence, Verdict
from vastcellar.core.shoot.edit_plan import Beside
from vastcellar.core.units import PLAIN
from vastcellar.services.edit.edit_planning import plan_edit
from vastcellar.services.edit.edit_wording import evidence_line, measured_cut_text
from vastcellar.services.edit.measured import clips_key, measured_cut, measured_rungs
from vastcellar.services.edit.plans import edit_in_file
from vastcellar.services.edit.stores import load_of
from vastcellar.store.run_record import RunRecord

AT = datetime(2026, 11, 24, 12, tzinfo=UTC)
PLAN = {"stream_bytes_per_s": 92.2e6, "frames_per_s": 25.0, "read_ahead_frames": 6,
        "render_bytes_per_s": 0.0}  # fmt: skip


def record(*steps, plan=None, run_id=1, at=AT, **changes):
    """An edit test of H-02 with steps of (streams, frames, missed)."""
    figures = {
        "plan": {**PLAN, **(plan or {})},
        "steps": [{"streams": s, "frames": f, "missed": m} for s, f, m in steps],
    }
    made = RunRecord("H-02", "edit", at, False, True, {}, figures, run_id)
    return replace(made, **changes)


@pytest.fixture
def plan():
    """The boathouse, with H-02 looked at; two streams are wanted."""
    made = edit_in_file(Path("docs/examples/boathouse.edit.json"))
    stores = tuple(replace(each, unit_tag="H-02") if each.name == "H-02" else each
                   for each in made.stores)  # fmt: skip
    return replace(made, stores=stores, chosen="H-02", timeline="")


def rungs(plan, *records):
    """Streams and late frames a minute that such runs stand for."""
    found = measured_rungs(records, "H-02", load_of(plan, None))
    return {each.streams: each.late_frames_per_minute for each in found}


def test_each_step_is_a_rung_and_the_newest_counts(plan):
    """One in time; of two, every tenth frame late: 300 a minute. A later run says it anew."""
    first = record((1, 150, 0), (2, 300, 30))
    assert rungs(plan, first) == {1: 0.0, 2: pytest.approx(300.0)}
    later = record((2, 300, 0), run_id=2, at=AT + timedelta(days=1))
    assert rungs(plan, later, first) == {1: 0.0, 2: 0.0}


def test_streams_that_lived_on_what_was_read_ahead_are_late_in_the_long_run(plan):
    """No frame late, 30 ms lost each second: 3 of 100 frames can't be in time for long."""
    kept = record((2, 300, 0))
    kept.figures["steps"][0]["read_ahead_loss_s_per_s"] = 0.03
    assert rungs(plan, kept) == {2: pytest.approx(0.03 * 2 * 25 * 60)}


@pytest.mark.parametrize(
    "changed",
    [
        {"plan": {"stream_bytes_per_s": 60e6}},
        {"plan": {"stream_bytes_per_s": 140e6}},
        {"plan": {"frames_per_s": 50.0}},
        {"plan": {"read_ahead_frames": 50}},
        {"kind": "project"},
        {"is_complete": False},
        {"unit_tag": "H-01"},
        {"figures": {"plan": {}, "steps": [1]}},
        {"figures": {}},
    ],
)
def test_a_run_that_asked_something_else_stands_for_nothing(plan, changed):
    """Lighter, much heavier, another pace, read further ahead, another test, half of one, another
    unit, figures of nobody's."""
    assert rungs(plan, record((2, 300, 0), **changed)) == {}


def test_what_is_written_beside_must_have_been_written_in_the_test(plan):
    """A render of 50 MB/s is asked for: a test without one doesn't count."""
    busy = replace(plan, beside=(Beside("render", 50e6),))
    assert rungs(busy, record((2, 300, 0))) == {}
    assert rungs(busy, record((2, 300, 0), plan={"render_bytes_per_s": 50e6})) == {2: 0.0}


@pytest.mark.parametrize(
    ("steps", "verdict", "evidence"),
    [
        (((1, 150, 0), (2, 300, 0), (3, 450, 9)), Verdict.HOLDS, Evidence.PROVED),
        (((4, 600, 0),), Verdict.HOLDS, Evidence.PROVED),
        (((1, 150, 0), (2, 300, 4)), Verdict.FALLS_SHORT, Evidence.PROVED),
        (((1, 150, 3),), Verdict.FALLS_SHORT, Evidence.PROVED),
        (((1, 150, 0),), Verdict.TIGHT, Evidence.COMPUTED),
        (((3, 450, 9),), Verdict.TIGHT, Evidence.COMPUTED),
    ],
)
def test_the_verdict_rests_on_what_was_measured_where_that_decides(
    plan, catalog, steps, verdict, evidence
):
    """As many or more in time; as few or fewer late; anything else decides nothing."""
    edit = plan_edit(plan, catalog, records=[record(*steps)])
    assert (edit.chosen.verdict, edit.chosen.evidence) == (verdict, evidence)


def test_it_is_said_when_and_whether_it_was_simulated(plan, catalog):
    """A rig is no drive."""
    edit = plan_edit(plan, catalog, records=[record((2, 300, 0), is_simulated=True)])
    assert evidence_line(edit.chosen) == "H-02: 2 streams in time on 2026-11-24, simulated"
    late = plan_edit(plan, catalog, records=[record((2, 300, 5))])
    assert evidence_line(late.chosen) == "H-02: 2 streams with late frames on 2026-11-24"
    assert evidence_line(plan_edit(plan, catalog).chosen) == "computed, typical seeks"


def test_a_store_without_a_unit_has_no_measured_rung(plan, catalog):
    """However many runs there are."""
    edit = plan_edit(plan, catalog, records=[record((2, 300, 0))])
    assert edit.stores[0].measured == ()


CLIPS = (ClipUse("A", 0, 30, 92.2e6), ClipUse("B", 20, 60, 92.2e6))


def cut_record(clips=CLIPS, from_s=10.0, seconds=20.0, ahead=0.24, late=7, **changes):
    """A part of a cut of *clips* played from H-02."""
    part = part_of("cut", clips, from_s, seconds, ahead)
    figures = {
        "from_s": from_s, "duration_s": seconds, "read_ahead_s": ahead, "frames": 750,
        "late_frames": late, "worst_second_s": 22 if late else None, "clips_key": clips_key(part),
    }  # fmt: skip
    return replace(RunRecord("H-02", "cut", AT, False, True, {}, figures, 9), **changes)


def test_a_cut_that_was_played_stands_for_that_part_of_that_cut(plan):
    """The newest of several; what was changed outside the part doesn't matter."""
    load = load_of(plan, None)
    old = cut_record(late=0, measured_at=AT - timedelta(days=2))
    found = measured_cut([old, cut_record()], "H-02", demand_of(CLIPS), load)
    assert (found.late_frames, found.frames, found.worst_second_s, found.run_id) == (7, 750, 22, 9)
    longer = (*CLIPS, ClipUse("C", 40, 50, 92.2e6))
    assert measured_cut([cut_record()], "H-02", demand_of(longer), load) is not None


@pytest.mark.parametrize(
    "clips",
    [
        (CLIPS[0], replace(CLIPS[1], start_s=21)),
        (CLIPS[0], replace(CLIPS[1], bytes_per_s=46e6)),
        (CLIPS[0], replace(CLIPS[1], name="C")),
        (CLIPS[0], replace(CLIPS[1], frames_per_s=50.0)),
        CLIPS[:1],
        (*CLIPS, ClipUse("C", 29, 50, 92.2e6)),
        (ClipUse("A", 100, 130, 92.2e6),),
    ],
)
def test_a_cut_that_was_changed_since_was_never_played(plan, clips):
    """Later, lighter, another clip, another pace, one fewer, one more, and all of it elsewhere."""
    assert measured_cut([cut_record()], "H-02", demand_of(clips), load_of(plan, None)) is None


@pytest.mark.parametrize(
    "record",
    [
        cut_record(ahead=2.0),
        cut_record(is_complete=False),
        cut_record(unit_tag="H-01"),
        cut_record(kind="edit"),
        cut_record(figures={}),
        cut_record(figures={"from_s": "soon"}),
    ],
)
def test_a_run_that_played_it_otherwise_says_nothing_of_it(plan, record):
    """Read further ahead, half of it, from another unit, another test, figures of nobody's."""
    assert measured_cut([record], "H-02", demand_of(CLIPS), load_of(plan, None)) is None


def test_with_writing_beside_only_what_was_late_without_it_counts(plan):
    """A cut is played with nothing written beside: in time then says nothing of a render day."""
    busy = load_of(replace(plan, beside=(Beside("render", 50e6),)), None)
    asked = "H-02", demand_of(CLIPS), busy
    assert measured_cut([cut_record(late=0)], *asked) is None
    assert measured_cut([cut_record(late=7)], *asked).late_frames == 7


def test_the_played_part_is_said_with_its_worst_place(plan, catalog):
    """Beside the store that is that unit, and nowhere else."""
    with_cut = replace(plan, timeline="slipway.otio")
    edit = plan_edit(with_cut, catalog, beside=Path("docs/examples"))
    clips = edit.cut.demand.clips
    played = cut_record(clips, 1450.0, 20.0, late=25)
    edit = plan_edit(with_cut, catalog, beside=Path("docs/examples"), records=[played])
    told = "H-02 played 24:10 to 24:30 on 2026-11-24: 25 of 750 frames late, most at 0:22"
    assert measured_cut_text(edit.chosen, PLAIN) == told
    assert [measured_cut_text(each, PLAIN) != "" for each in edit.stores].count(True) == 1
    in_time = cut_record(clips, 1450.0, 20.0, late=0)
    edit = plan_edit(with_cut, catalog, beside=Path("docs/examples"), records=[in_time])
    assert measured_cut_text(edit.chosen, PLAIN).endswith("on 2026-11-24: every frame in time")


@pytest.mark.parametrize(
    ("conditions", "port"),
    [
        ({"is_in_memory": True}, "usb-5g"),
        ({"is_direct": False}, "usb-5g"),
        ({"is_over_network": True}, "usb-5g"),
        ({}, "eth-1g"),
        ({"is_over_network": True}, "eth-1g"),
    ],
)
def test_what_was_measured_elsewhere_proves_nothing_of_this_store(plan, catalog, conditions, port):
    """In memory, through a cache, over a network or without one, and two streams of 92.2 in time
    on a link that carries one: it was another link."""
    stores = tuple(replace(each, port_mode=port) if each.name == "H-02" else each
                   for each in plan.stores)  # fmt: skip
    run = record((2, 300, 0), conditions=conditions)
    edit = plan_edit(replace(plan, stores=stores), catalog, records=[run])
    assert edit.chosen.measured == ()
    assert edit.chosen.evidence is Evidence.COMPUTED


def test_over_a_network_what_its_link_carries_counts(plan, catalog):
    """One stream in time over gigabit, measured on the share."""
    stores = tuple(replace(each, port_mode="eth-1g") if each.name == "H-02" else each
                   for each in plan.stores)  # fmt: skip
    run = record((1, 150, 0), conditions={"is_over_network": True})
    edit = plan_edit(replace(plan, stores=stores, streams=1), catalog, records=[run])
    assert (edit.chosen.verdict, edit.chosen.evidence) == (Verdict.HOLDS, Evidence.PROVED)
