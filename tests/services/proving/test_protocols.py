"""Sets of tests in a folder and on a rig: what is kept when a step fails, and what rests do."""

import errno
import os
import threading
from dataclasses import replace

import pytest

from vastcellar.core.errors import BadFileError, BadValueError
from vastcellar.core.protocols.protocol_text import parse_steps
from vastcellar.services.match.judging import chain_of
from vastcellar.services.proving.keeping import keep_protocol
from vastcellar.services.proving.protocol_run import ProtocolRun
from vastcellar.services.proving.protocols import (
    keep_own_protocol,
    own_protocol,
    plan_protocol,
    protocol_named,
    protocols_known,
)
from vastcellar.services.proving.testbeds import FolderTestbed, RigTestbed
from vastcellar.services.runs.calibrating import calibrate_unit


@pytest.fixture
def rig(workplace, slipway):
    camera = slipway.camera("A")
    chain = chain_of(camera.setup, workplace.catalog, workplace.shelf(), 24.0)
    return RigTestbed(chain, 24.0, workplace)


def run_of(testbed, text, **kwargs):
    protocol = own_protocol("Tried", parse_steps(text))
    return ProtocolRun(plan_protocol(protocol, testbed), testbed, ready=lambda _: True, **kwargs)


def finish(run):
    return [shown.phase for shown in run.snapshots()]


def test_a_second_write_at_once_meets_a_full_cache_and_one_after_a_long_rest_does_not(rig):
    """A second write right after the first meets the full cache; rested it doesn't."""
    run = run_of(rig, "write 200 GB; write 100 GB; rest 90 min; write 100 GB")
    finish(run)
    first, at_once, rested = (step for step in run.steps if step["kind"] == "write")
    assert first["diagnosis"]["causes"] == ["cache"]
    assert at_once["bytes_per_s"] < 0.4 * first["bytes_per_s"]
    assert rested["bytes_per_s"] > 900e6
    assert run.result.written_bytes == pytest.approx(400e9, rel=1e-3)
    assert [proof.rest.is_enough for proof in run.proofs] == [True, False, True]


def test_the_rest_of_a_cooling_pair_is_as_long_as_this_drive_needs(rig, tmp_path, places):
    """The rest between two runs is as long as cache and case really need."""
    pair = protocol_named("cooling-pair", places)
    on_rig = plan_protocol(pair, rig)
    folder = plan_protocol(pair, FolderTestbed(tmp_path, tmp_path / "notes"))
    # 150 GB of cache that folds at 60 MB/s outlast the cooling of a small case.
    assert on_rig.waiting_s == pytest.approx(2500, rel=0.05)
    assert folder.waiting_s == 3600
    assert on_rig.bytes_to_write == sum(step.bytes_to_write for step in on_rig.steps)


def test_a_disk_that_fails_in_the_second_step_keeps_the_first(workplace, tmp_path, monkeypatch):
    """A failing second step keeps the first step's result."""
    disk = tmp_path / "disk"
    disk.mkdir()
    run = run_of(FolderTestbed(disk, tmp_path / "notes"), "write 8 MB; rest 0.1 s; write 64 MB")
    real, written = os.pwrite, []

    def failing(handle, data, at):
        written.append(len(data))
        if sum(written) > 20e6:
            raise OSError(errno.EIO, os.strerror(errno.EIO))
        return real(handle, data, at)

    monkeypatch.setattr(os, "pwrite", failing)
    finish(run)
    assert "stopped answering" in str(run.error)
    assert not run.result.is_complete
    kept = keep_protocol(workplace, "K-11", run)
    assert len(kept) == 2
    shorter, whole = workplace.cellar.runs("K-11")
    assert (whole.is_complete, shorter.is_complete) == (True, False)
    assert whole.figures["protocol"] == "own-tried"
    assert workplace.shelf().unit("K-11").written_bytes > 38e12
    assert list(disk.iterdir()) == []


def test_a_folder_that_is_gone_after_the_rest_ends_it_with_a_sentence(tmp_path):
    """A folder that is gone after a rest ends the set with a sentence."""
    disk = tmp_path / "disk"
    disk.mkdir()
    run = run_of(FolderTestbed(disk, tmp_path / "notes"), "write 8 MB; rest 0.5 s; write 8 MB")
    for shown in run.snapshots():
        if shown.phase == "resting" and disk.exists():
            disk.rmdir()
    assert run.error is not None and run.error.mend
    assert [step["kind"] for step in run.steps] == ["write", "pause"]
    assert run.ended_by == str(run.error)


def test_stopped_while_it_rests_it_ends_at_once(tmp_path):
    """Stopping during a rest doesn't wait for its end."""
    run = run_of(FolderTestbed(tmp_path, tmp_path / "notes"), "write 8 MB; rest 60 min; write 8 MB")
    for shown in run.snapshots():
        if shown.phase == "resting":
            assert "59 min" in shown.detail or "1 h" in shown.detail
            run.stop()
    assert run.ended_by == "cancelled"
    assert len(run.proofs) == 1


def test_without_somebody_to_ask_it_waits_until_it_is_told_to_go_on(rig):
    """A step for hands waits for a person and says for what."""
    run = run_of(rig, "hands: Put a fan on the case; burst")
    run.ready = None
    for shown in run.snapshots():
        if shown.phase == "your turn":
            assert run.waits_for == "Put a fan on the case"
            threading.Thread(target=run.go_on).start()
    assert run.waits_for == ""
    assert run.is_complete


def test_own_sets_are_kept_side_by_side_and_a_broken_file_is_left_as_it_is(places):
    """Own sets are added and replaced by name, and a broken file isn't overwritten."""
    keep_own_protocol(own_protocol("One", parse_steps("burst")), places)
    keep_own_protocol(own_protocol("Two", parse_steps("burst x2")), places)
    keep_own_protocol(own_protocol("One", parse_steps("burst x5")), places)
    known = {each.key: each for each in protocols_known(places)}
    assert known["own-one"].steps[0].times == 5
    assert known["own-two"].steps[0].times == 2
    (path,) = places.protocols_folder.glob("*.json")
    path.write_text("{broken", encoding="utf-8")
    with pytest.raises(BadFileError):
        keep_own_protocol(own_protocol("Three", parse_steps("burst")), places)
    assert path.read_text(encoding="utf-8") == "{broken"
    with pytest.raises(BadValueError, match="no name"):
        own_protocol(" ", parse_steps("burst"))


def test_a_take_needs_a_camera_and_files_need_a_folder(rig):
    """Steps that need a camera, files or room are refused when planned."""
    with pytest.raises(BadValueError, match="none is given"):
        plan_protocol(own_protocol("T", parse_steps("record")), rig)
    with pytest.raises(BadValueError, match="no files to work with"):
        plan_protocol(own_protocol("T", parse_steps("edit")), rig)
    full = replace(rig.chain.parts.unit, used_bytes=rig.chain.parts.drive.capacity_bytes - 5e8)
    rig.chain = replace(rig.chain, parts=replace(rig.chain.parts, unit=full))
    with pytest.raises(BadValueError, match="may be filled"):
        plan_protocol(own_protocol("T", parse_steps("burst")), rig)


def test_a_warm_write_of_a_set_teaches_nothing_of_the_drive_at_rest(rig, workplace):
    """Simulated or not: it began with a full cache, and the newest run leads a calibration."""
    run = run_of(rig, "write 250 GB; write 60 GB")
    finish(run)
    first, second = keep_protocol(workplace, "M-03", run)
    assert first.prediction is not None and second.prediction is None
    made = calibrate_unit(workplace, "M-03", keep=False)
    assert made.record.run_ids == (first.run_id,)
    assert f"run {second.run_id}: it began before the drive was at rest" in made.left_out[0]
    kept = {each.run_id: each for each in workplace.cellar.runs("M-03")}
    assert [kept[n].measured_at for n in (first.run_id, second.run_id)] == run.ended_at


def test_a_pair_with_a_burst_before_it_is_still_a_pair(rig, workplace):
    """A warm-up before a cooling pair doesn't spoil the pair."""
    steps = parse_steps("burst; rest 2 h; write 200 GB; rest 2 h; write 200 GB")
    pair = own_protocol("Pair", steps, is_pair=True)
    run = ProtocolRun(plan_protocol(pair, rig), rig)
    finish(run)
    cooled = [p.conditions(p.run.result).cooling for p in run.proofs]
    assert cooled == ["", "", "a fan on the case"]
    assert run.diagnosis.cause_names == ["cache"]
    burst, write, _ = keep_protocol(workplace, "M-03", run)
    kept = {each.run_id: each.figures["diagnosis"] for each in workplace.cellar.runs("M-03")}
    assert "with a fan" in str(kept[write.run_id]["findings"])
    assert "with a fan" not in str(kept[burst.run_id])
