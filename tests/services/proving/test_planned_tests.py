"""Announced is kept: what is said before a test is what it then writes, and how long it takes."""

import math
from dataclasses import replace
from pathlib import Path

import pytest

from vastcellar.core.errors import BadValueError
from vastcellar.core.protocols.amounts import Amount
from vastcellar.core.shoot.shoot import Setup
from vastcellar.core.units import PLAIN
from vastcellar.services.match.judging import chain_of
from vastcellar.services.proving import planned_kinds
from vastcellar.services.proving.planned_tests import (
    expected_profile,
    make_proof,
    plan_test,
    plan_text,
)
from vastcellar.services.proving.recorder_loads import load_of_camera
from vastcellar.services.proving.tests_offered import TESTS, Test, Wish, offered_tests

SETUPS = {
    "a QLC module that gets hot": Setup(
        "pentle-q1-1", "van-laptop", "c-10g", "M-03", "drumlin-pocket", "wr-10g"
    ),
    "a hard disk in part full": Setup(
        "kelmarsh-dray-8", "van-laptop", "c-10g", "H-01", "sedgeway-dock-35", "wr-10g"
    ),
}


@pytest.fixture(autouse=True)
def no_waiting(monkeypatch):
    """A rig's seconds cost nobody any."""
    monkeypatch.setattr(planned_kinds, "rig_speed", lambda _seconds: math.inf)


def offered(key):
    return next(test for test in TESTS if test.kind == key)


def wish_for(kind, slipway, size="80GB", **changes):
    test = kind if isinstance(kind, Test) else offered(kind)
    camera = replace(slipway.camera("B"), longest_take_s=120.0)
    amount = Amount(size_bytes=int(float(size.removesuffix("GB")) * 1e9))
    return Wish(test, amount, (load_of_camera(camera, 120.0),), None, **changes)


@pytest.mark.parametrize("setup", SETUPS.values(), ids=list(SETUPS))
@pytest.mark.parametrize("kind", ["recorder", "burst", "write", "read", "capacity", "too much"])
def test_a_run_writes_what_was_announced_and_takes_no_longer(
    kind, setup, slipway, catalog, shelf, workplace
):
    """On a rig, which runs as the model does, bytes are met and the time is not gone beyond."""
    chain = chain_of(setup, catalog, shelf, 24.0)
    wish = wish_for(kind, slipway) if kind != "too much" else wish_for("write", slipway, "90000GB")
    planned = plan_test(wish, chain, 24.0, workplace)
    proof = make_proof(planned, workplace)
    for _ in proof.run.snapshots():
        pass
    result = proof.run.result
    # A capacity proof ends in the file that the disk has no room for any more.
    off = 1e-3 * planned.bytes_to_write if kind in ("capacity", "too much") else 4 * 2**20
    assert result.written_bytes == pytest.approx(planned.bytes_to_write, abs=off)
    assert result.written_bytes <= planned.bytes_to_write
    took_s = result.trace.duration_s if kind == "recorder" else (
        result.write.elapsed_s + (result.read.elapsed_s if result.read else 0.0)
    )  # fmt: skip
    assert took_s <= planned.most_s * 1.02 + 1.0


def test_a_disk_is_announced_by_its_zones_and_not_by_its_outer_rate(
    slipway, catalog, shelf, workplace
):
    """Filling what is free of an 8 TB disk takes longer than its bytes over its best rate."""
    chain = chain_of(SETUPS["a hard disk in part full"], catalog, shelf, 24.0)
    planned = plan_test(wish_for("write", slipway, "6000GB"), chain, 24.0, workplace)
    outer_s = planned.bytes_to_write / chain.parts.drive.writes.direct_write_bytes_per_s
    assert planned.most_s > 1.2 * outer_s
    text = plan_text(planned.wish, chain, 24.0, workplace, PLAIN).text
    assert PLAIN.duration(math.ceil(planned.most_s)) in text
    assert PLAIN.size(planned.bytes_to_write) in text
    drawn = expected_profile(planned.wish, chain, 24.0)
    assert drawn.minutes[-1] * 60 == pytest.approx(planned.most_s)
    assert drawn.bytes_per_s[-1] < 0.8 * drawn.bytes_per_s[0]


def test_a_set_is_announced_as_a_whole_with_the_cache_it_has_filled(
    slipway, catalog, shelf, workplace
):
    """A later write of a set meets the cache that an earlier one has filled: it takes longer."""
    chain = chain_of(SETUPS["a QLC module that gets hot"], catalog, shelf, 24.0)
    sets = [test for test in offered_tests(workplace.folders) if test.protocol is not None]
    assert sets
    for test in sets:
        planned = plan_text(wish_for(test, slipway), chain, 24.0, workplace, PLAIN).planned
        if planned is None:
            continue  # with files, or too large for this unit
        steps = planned.plan.steps
        assert planned.bytes_to_write == sum(step.bytes_to_write for step in steps)
        rests_s = planned.plan.waiting_s
        assert planned.most_s > rests_s + planned.bytes_to_write / chain.link_cap_bytes_per_s


def test_of_a_drive_known_by_its_box_no_time_is_announced(slipway, catalog, shelf, workplace):
    """Nobody knows what it writes for long, so no time is made up from its box."""
    chain = chain_of(SETUPS["a QLC module that gets hot"], catalog, shelf, 24.0)
    box = replace(chain.parts.drive, behaviour=None, typical=None)
    known = replace(chain, parts=replace(chain.parts, drive=box))
    found = plan_text(wish_for("write", slipway), known, 24.0, workplace, PLAIN)
    assert "up to" not in found.text
    assert found.planned.most_s == math.inf


def test_files_on_a_rig_and_a_folder_twice_are_refused(
    slipway, catalog, shelf, workplace, tmp_path: Path
):
    """What can't be run is not announced: the sentence says what is in the way."""
    chain = chain_of(SETUPS["a QLC module that gets hot"], catalog, shelf, 24.0)
    with pytest.raises(BadValueError, match="no files to work with"):
        plan_test(wish_for("project", slipway), chain, 24.0, workplace)
    twice = replace(wish_for("turns", slipway), folder=tmp_path, other_folder=tmp_path)
    with pytest.raises(BadValueError, match="the same folder"):
        plan_test(twice, chain, 24.0, workplace)
