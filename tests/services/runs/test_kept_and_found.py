"""Record, keep, read: a run comes back as the proof that it was, with the conditions it had."""

import math
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vastcellar.core.evidence import Evidence, Verdict
from vastcellar.services.match.judging import chain_of, judge_camera
from vastcellar.services.proving.recorder_loads import load_of_camera
from vastcellar.services.proving.recorder_proving import keep_proof, rig_proof
from vastcellar.services.workplace.run_records import recorder_proofs
from vastcellar.store.catalog_files import load_catalog
from vastcellar.store.run_record import RunRecord

SHIPPED = load_catalog()


def recorded(workplace, slipway, key="B", take_s=None):
    """A take of a camera on the rig of what it records to, run to its end."""
    camera = slipway.camera(key)
    chain = chain_of(camera.setup, workplace.catalog, workplace.shelf(), slipway.ambient_c)
    load = load_of_camera(camera, take_s or camera.longest_take_s)
    proof = rig_proof(load, chain, slipway.ambient_c, workplace=workplace, speed=math.inf)
    for _ in proof.run.snapshots():
        pass
    return camera, chain, proof


@pytest.mark.parametrize("key", ["A", "B", "C"])
def test_a_run_that_is_kept_is_the_proof_that_it_was(workplace, slipway, key):
    """Unit, parts, pace, losses and buffer are the same before and after the database."""
    camera, chain, proof = recorded(workplace, slipway, key)
    result, unit = proof.run.result, chain.parts.unit
    number = keep_proof(workplace, unit.tag, proof)
    (found,) = [each for each in workplace.shelf().proofs if each.run_id == number]
    assert (found.unit_tag, found.is_simulated) == (unit.tag, True)
    assert found.frames_dropped == result.frames_dropped
    assert found.load_bytes_per_s == pytest.approx(result.load.average_bytes_per_s)
    assert found.duration_s == pytest.approx(camera.longest_take_s, rel=0.02)
    assert found.worst_backlog_bytes == result.worst_backlog_bytes
    assert found.buffer_bytes == camera.buffer_bytes
    conditions = found.conditions
    assert (conditions.drive_key, conditions.enclosure_key) == (
        chain.parts.drive.key,
        chain.parts.enclosure.key if chain.parts.enclosure else "",
    )
    assert (conditions.host_key, conditions.port_key) == (
        chain.parts.host.key,
        chain.parts.port.key,
    )
    assert conditions.ambient_c == slipway.ambient_c


def test_what_was_measured_is_what_the_camera_is_judged_by_afterwards(workplace, slipway):
    """B's whole take lost nothing: from then on its verdict is proved, with the run's margin."""
    camera, chain, proof = recorded(workplace, slipway)
    before = judge_camera(slipway, camera, workplace.catalog, workplace.shelf())
    assert before.evidence is Evidence.COMPUTED
    number = keep_proof(workplace, chain.parts.unit.tag, proof)
    after = judge_camera(slipway, camera, workplace.catalog, workplace.shelf())
    assert (after.evidence, after.proof.run_id) == (Evidence.PROVED, number)
    slowest = after.proof.slowest_second_ability_bytes_per_s
    assert after.margin == pytest.approx(slowest / after.need.needed_write_bytes_per_s - 1)
    assert after.verdict is Verdict.HOLDS


@given(hours=st.lists(st.floats(0, 5000), min_size=2, max_size=5, unique=True))
@settings(deadline=None)
def test_proofs_come_back_whatever_the_order_they_were_kept_in(hours):
    """Records in any order give the same proofs: each by its own moment, none twice or lost."""
    start = datetime(2026, 5, 1, tzinfo=UTC)
    records = [
        RunRecord(
            unit_tag="K-11", kind="recorder", measured_at=start + timedelta(hours=each),
            is_simulated=False, is_complete=True, conditions={"drive_key": "some-drive"},
            figures={
                "frames_dropped": 0, "duration_s": 60.0, "load_bytes_per_s": 1e8,
                "achieved_bytes_per_s": 1e8, "slowest_second_ability_bytes_per_s": 2e8,
                "worst_backlog_bytes": 0, "buffer_bytes": 10**9,
            },
            run_id=number,
        )
        for number, each in enumerate(hours)
    ]  # fmt: skip
    forth = recorder_proofs(records, SHIPPED, is_demo=False)
    back = recorder_proofs(list(reversed(records)), SHIPPED, is_demo=False)
    assert sorted(proof.run_id for proof in forth) == list(range(len(hours)))
    assert {proof.run_id: proof for proof in forth} == {proof.run_id: proof for proof in back}
    rehearsed = [replace(each, is_simulated=True) for each in records]
    assert all(each.is_rehearsal for each in recorder_proofs(rehearsed, SHIPPED, is_demo=False))
    assert not any(each.is_rehearsal for each in recorder_proofs(rehearsed, SHIPPED, is_demo=True))
