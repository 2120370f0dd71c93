"""Calibrated on its own runs: which of them count, and what Match makes of it."""

import math
from dataclasses import asdict, replace
from datetime import UTC, datetime, timedelta

import pytest

from vastcellar.core.errors import BadValueError, UnknownPartError
from vastcellar.core.evidence import Verdict
from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.services.match.judging import chain_of, judge_camera
from vastcellar.services.match.matching import find_for, judge_what_if
from vastcellar.services.proving.flat_proving import FlatPlan, rig_flat_proof
from vastcellar.services.proving.keeping import keep_flat_proof
from vastcellar.services.proving.recorder_loads import load_of_camera
from vastcellar.services.proving.recorder_proving import keep_proof, rig_proof
from vastcellar.services.runs.calibrating import calibrate_unit, forget_calibration
from vastcellar.store.calibration_record import fit_as_json, fit_from_json


def write_on_rig(workplace, chain, tag, size_bytes=300_000_000_000):
    proof = rig_flat_proof(FlatPlan("write", size_bytes), chain, 24.0, workplace=workplace,
                           speed=math.inf, sample_tag=tag)  # fmt: skip
    for _ in proof.run.snapshots():
        pass
    return keep_flat_proof(workplace, tag, proof)


DEVICE = {"device_model": "own", "device_serial": "A1B2-77", "device_size_bytes": 10**12}


def bound(workplace, tag):
    """Bind a unit to the device that ``as_real`` says runs were made on."""
    workplace.cellar.bind_unit(tag, DeviceIdentity("own", "A1B2-77", 10**12))


def as_real(workplace, kept, *, days_ago=0.0, **conditions):
    """Say of a simulated run that it was real, as nothing but a disk can."""
    record = next(r for r in workplace.cellar.runs() if r.run_id == kept.run_id)
    bound(workplace, record.unit_tag)
    real = replace(
        record,
        is_simulated=False,
        measured_at=datetime.now(UTC) - timedelta(days=days_ago),
        conditions=record.conditions | {"write_mode": "direct"} | DEVICE | conditions,
    )
    return workplace.cellar.add_run(real, workplace.cellar.trace_csv(kept.run_id))


def slow_camera(slipway, shelf):
    """Camera A on K-10, a SATA drive that has become 30 % slower than its class."""
    camera = slipway.camera("A")
    unit = shelf.unit("K-10")
    setup = replace(camera.setup, unit_tag="K-10", drive_key=unit.drive_key,
                    enclosure_key=unit.enclosure_key)  # fmt: skip
    return replace(camera, setup=setup)


def test_match_judges_a_unit_by_its_own_runs_and_goes_back_when_they_are_forgotten(
    workplace, slipway
):
    """A unit's own runs change its verdict, and forgetting them changes it back."""
    # A crest of 400 MB/s: its class writes 430, this sample 301.
    camera = slow_camera(slipway, workplace.shelf())
    camera = replace(camera, headroom=camera.headroom * 1.36)
    chain = chain_of(camera.setup, workplace.catalog, workplace.shelf(), 24.0)
    before = judge_camera(slipway, camera, workplace.catalog, workplace.shelf())
    write_on_rig(workplace, chain, "K-10")
    made = calibrate_unit(workplace, "K-10")
    assert made.record.is_simulated
    shelf = workplace.shelf()
    after = judge_camera(slipway, camera, workplace.catalog, shelf)
    assert before.verdict is not Verdict.FALLS_SHORT
    assert after.verdict is Verdict.FALLS_SHORT
    stages = {stage.key: stage for stage in after.chain.stages}
    assert dict(stages["direct"].why.values)["basis"] == "fitted to its runs"
    lone = replace(slipway, cameras=(camera,), copies=())
    what_if = judge_what_if(lone, camera, workplace.catalog, shelf, 24.0, 0.2)
    assert what_if.verdict is Verdict.FALLS_SHORT
    table = find_for(lone, replace(camera, setup=None), (after.chain.parts.host,),
                     workplace.catalog, shelf).table  # fmt: skip
    own = [row for row in range(len(table)) if (u := table.unit(row)) and u.tag == "K-10"]
    assert own and not any(table.holds[row] for row in own)
    # A rig is the class and its sample's fault: calibrated or not, it writes the same.
    again = write_on_rig(workplace, after.chain, "K-10")
    runs = {run.run_id: run.figures["bytes_per_s"] for run in workplace.cellar.runs("K-10")}
    assert runs[again.run_id] == pytest.approx(runs[1], rel=0.01)
    assert forget_calibration(workplace, "K-10")
    back = judge_camera(slipway, camera, workplace.catalog, workplace.shelf())
    assert back.margin == pytest.approx(before.margin)
    assert not forget_calibration(workplace, "K-10")


def test_a_run_soon_after_another_and_one_of_before_it_changed_are_left_out(workplace, slipway):
    """Runs on a warm drive, or of before it was changed, teach nothing."""
    camera = slow_camera(slipway, workplace.shelf())
    chain = chain_of(camera.setup, workplace.catalog, workplace.shelf(), 24.0)
    of_class = write_on_rig(workplace, chain, "K-11")
    slow = write_on_rig(workplace, chain, "K-10")
    record = next(r for r in workplace.cellar.runs() if r.run_id == of_class.run_id)
    long_ago = replace(
        record,
        unit_tag="K-10",
        is_simulated=False,
        measured_at=datetime.now(UTC) - timedelta(days=90),
        conditions={**record.conditions, "write_mode": "direct", **DEVICE},
    )
    first = workplace.cellar.add_run(long_ago, workplace.cellar.trace_csv(of_class.run_id))
    rested = as_real(workplace, slow, days_ago=1.0)
    at_once = as_real(workplace, slow, days_ago=0.985)
    made = calibrate_unit(workplace, "K-10")
    assert made.record.run_ids == (rested,)
    assert not made.record.is_simulated
    reasons = "\n".join(made.left_out)
    assert f"run {at_once}: it began before the drive was at rest again" in reasons
    assert f"run {first}: it has changed since (+" in reasons
    assert f"run {slow.run_id}: simulated" in reasons


def test_a_real_run_held_up_by_the_link_measures_that_port_too(workplace, slipway):
    """A real run that the link held up is knowledge of that port."""
    camera = slipway.camera("B")
    chain = chain_of(camera.setup, workplace.catalog, workplace.shelf(), 24.0)
    kept = write_on_rig(workplace, chain, camera.setup.unit_tag, 60_000_000_000)
    as_real(workplace, kept)
    made = calibrate_unit(workplace, camera.setup.unit_tag, keep=False)
    assert workplace.cellar.stage_measurements() == ()
    made = calibrate_unit(workplace, camera.setup.unit_tag)
    (stage,) = workplace.cellar.stage_measurements()
    assert stage.bytes_per_s == made.link_bytes_per_s
    assert (stage.host_key, stage.port_key) == (camera.setup.host_key, camera.setup.port_key)


def test_what_cant_be_calibrated_says_why(workplace, slipway):
    """No unit, no run and no fit are three sentences."""
    with pytest.raises(UnknownPartError, match="no unit 'X-99'"):
        calibrate_unit(workplace, "X-99")
    with pytest.raises(BadValueError, match="no run to learn from"):
        calibrate_unit(workplace, "M-01")
    camera = slow_camera(slipway, workplace.shelf())
    chain = chain_of(camera.setup, workplace.catalog, workplace.shelf(), 24.0)
    proof = rig_flat_proof(FlatPlan("burst", 10**9), chain, 24.0, speed=math.inf)
    for _ in proof.run.snapshots():
        pass
    keep_flat_proof(workplace, "K-10", proof)
    with pytest.raises(BadValueError, match="a burst test shows too little"):
        calibrate_unit(workplace, "K-10")
    load = load_of_camera(slipway.camera("C"), 60.0)
    paced = rig_proof(load, chain, 24.0, speed=math.inf)
    for _ in paced.run.snapshots():
        pass
    keep_proof(workplace, "K-11", paced)
    with pytest.raises(BadValueError, match="its own pace, not the drive's"):
        calibrate_unit(workplace, "K-11")
    assert workplace.cellar.calibrations() == ()


def test_a_fit_comes_back_from_the_cellar_as_it_was(workplace, slipway):
    """A calibration read back equals the one that was kept."""
    camera = slow_camera(slipway, workplace.shelf())
    chain = chain_of(camera.setup, workplace.catalog, workplace.shelf(), 24.0)
    write_on_rig(workplace, chain, "K-10")
    made = calibrate_unit(workplace, "K-10")
    (kept,) = workplace.cellar.calibrations()
    assert asdict(kept.fit.behaviour) == asdict(made.record.fit.behaviour)
    assert kept.fit.figures == made.record.fit.figures
    assert fit_as_json(fit_from_json(fit_as_json(kept.fit))) == fit_as_json(kept.fit)
    assert [asdict(b) for b in kept.fit.draws(3)] == [asdict(b) for b in made.record.fit.draws(3)]
    # Another drive under the same tag is not the one that was measured.
    unit = workplace.shelf().unit("K-10")
    workplace.cellar.save_units((replace(unit, drive_key="kelmarsh-flat-1"),))
    assert workplace.shelf().unit("K-10").fitted is None
