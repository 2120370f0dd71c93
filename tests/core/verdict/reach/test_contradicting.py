"""Two runs held against each other: no failure is outlived by a pass that had it no harder."""

import math
from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from core.verdict.reach.test_reach import NOW, asked_of, proof_for
from vastcellar.core.evidence import Evidence, Verdict
from vastcellar.core.verdict.judgement import judge_take
from vastcellar.core.verdict.reach.contradicting import contradicts
from vastcellar.core.verdict.reach.reaching import answer

HARD = {
    "ambient_c": st.floats(24, 45),
    "free_share": st.floats(0.2, 1.0),
    "sharing": st.integers(1, 6),
    "buffer_bytes": st.integers(1_000_000, 512_000_000),
    "duration_s": st.floats(3200, 9000),
    "is_encrypted": st.booleans(),
}
EASE = {
    "ambient_c": lambda value, by: value - 40 * by,
    "free_share": lambda value, by: min(value + by, 1.0),
    "sharing": lambda value, by: max(1, value - round(5 * by)),
    "buffer_bytes": lambda value, by: round(value * (1 + by)),
    "duration_s": lambda value, by: value * (1 - by / 2),
    "is_encrypted": lambda value, by: value and by < 0.5,
}


@given(
    hard=st.fixed_dictionaries({}, optional=HARD),
    by=st.fixed_dictionaries({name: st.floats(0, 1) for name in HARD}),
    asked_c=st.floats(15, 45),
    pace=st.floats(0.5, 1.0),
)
def test_a_failure_no_harder_than_a_pass_leaves_no_question_proved(
    slipway, catalog, hard, by, asked_c, pace
):
    """Whatever both were made under, and whatever is asked: what failed since isn't proved."""
    camera = slipway.camera("B")
    asked = asked_of(camera, catalog, ambient_c=asked_c)
    passed = proof_for(asked, **hard)
    easier = {name: EASE[name](value, by[name]) for name, value in hard.items()}
    load = asked.need.average_bytes_per_s * pace
    failed = proof_for(
        asked, **easier, run_id=8, measured_at=NOW - timedelta(days=1), frames_dropped=40,
        load_bytes_per_s=load,
    )  # fmt: skip
    assert contradicts(failed, passed)
    judged = judge_take(camera, asked.need, asked.chain, asked_c, (passed, failed))
    assert judged.evidence is not Evidence.PROVED or judged.proof is failed


@pytest.mark.parametrize(
    "harder",
    [{"ambient_c": 30.0}, {"free_share": 0.5}, {"sharing": 3}, {"hub_keys": ("sedgeway-quad",)}],
    ids=str,
)
def test_both_made_under_the_same_harder_conditions(slipway, catalog, harder):
    """Both at 30 degrees, both fuller, both behind a hub: the newer failure counts; a still newer
    pass takes it back."""
    camera = slipway.camera("B")
    asked = asked_of(camera, catalog)
    passed = proof_for(asked, **harder)
    failed = proof_for(
        asked, **harder, run_id=8, measured_at=NOW - timedelta(days=1), frames_dropped=3
    )
    judged = judge_take(camera, asked.need, asked.chain, 24.0, (passed, failed))
    assert judged.verdict in (Verdict.NOT_KNOWN, Verdict.FALLS_SHORT)
    assert failed in (judged.against, judged.proof)
    again = proof_for(asked, **harder, run_id=9, measured_at=NOW - timedelta(hours=1))
    judged = judge_take(camera, asked.need, asked.chain, 24.0, (passed, failed, again))
    assert (judged.evidence, judged.proof) == (Evidence.PROVED, again)


def test_a_failure_that_had_it_harder_leaves_the_pass_alone(slipway, catalog):
    """Hotter, shared by more, longer, in another case: that the easier held is no contradiction.
    How warm it was isn't known: then it speaks against it."""
    asked = asked_of(slipway.camera("B"), catalog)
    passed = proof_for(asked)
    for change in (
        {"ambient_c": 40.0}, {"sharing": 4}, {"duration_s": 9000.0}, {"is_encrypted": True},
        {"enclosure_key": "drumlin-fin"}, {"link_bits_per_s": 480e6, "mode_key": "usb-2"},
        {"buffer_bytes": 1000}, {"load_bytes_per_s": 200e6},
    ):  # fmt: skip
        base = {"link_bits_per_s": 5e9} if "link_bits_per_s" in change else {}
        failed = proof_for(asked, **change, run_id=8, measured_at=NOW, frames_dropped=9)
        assert not contradicts(failed, proof_for(asked, **base)), change
        assert answer([proof_for(asked, **base), failed], asked).covering is not None
    unknown = proof_for(asked, ambient_c=math.nan, run_id=8, measured_at=NOW, frames_dropped=9)
    assert contradicts(unknown, passed)
    assert answer([passed, unknown], asked).covering is None


def test_a_run_that_is_dated_ahead_neither_counts_nor_outranks(slipway, catalog):
    """A failure of next year takes nothing from a pass of last week; a pass proves nothing."""
    asked = asked_of(slipway.camera("B"), catalog)
    ahead = NOW + timedelta(days=300)
    passed = proof_for(asked)
    lost = proof_for(asked, run_id=8, measured_at=ahead, is_ahead=True, frames_dropped=9)
    assert answer([passed, lost], asked).covering.proof is passed
    held = proof_for(asked, run_id=9, measured_at=ahead, is_ahead=True)
    assert answer([held], asked).covering is None
