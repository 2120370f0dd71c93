"""The table of a proof's reach: for every condition what a difference does, and to which run."""

from __future__ import annotations

import math
from dataclasses import fields, replace
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.chain.chain import build_chain
from vastcellar.core.chain.setup_parts import find_parts
from vastcellar.core.evidence import Evidence, Verdict
from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.core.parts.units import Unit
from vastcellar.core.shoot.needs import camera_need
from vastcellar.core.shoot.shoot import Setup
from vastcellar.core.verdict.judgement import judge_take
from vastcellar.core.verdict.proof import RecorderProof, RunConditions
from vastcellar.core.verdict.reach.comparing import Asked
from vastcellar.core.verdict.reach.reaching import Reach, answer, newest_standing, reach_of
from vastcellar.core.verdict.reach.rules import RULES, Condition, Effect

DRIVE = DeviceIdentity("flat 1", "KF1-0042", 1_000_000_000_000, "aaaa-1111")
OTHER = DeviceIdentity("flat 1", "KF1-0043", 1_000_000_000_000, "bbbb-2222")
NOW = datetime(2026, 11, 20, 12, tzinfo=UTC)
DOCK = Setup("kelmarsh-flat-1", "boathouse-desk", "c-10g-1", "K-11", "drumlin-flat", "wr-10g")


@pytest.fixture(scope="module")
def camera(slipway):
    return slipway.camera("B")


def asked_of(camera, catalog, *, unit=None, setup=None, ambient_c=24.0):
    """Camera B on K-11 in the setup of the shoot, or in another."""
    unit = unit or Unit("K-11", "kelmarsh-flat-1", "drumlin-flat", device=DRIVE)
    chain = build_chain(find_parts(setup or camera.setup, catalog, unit), catalog, ambient_c)
    return Asked(camera, camera_need(camera), chain, ambient_c, NOW)


def proof_for(asked, **changes):
    """A run that answers *asked* in every condition, but for the *changes*."""
    parts, need = asked.chain.parts, asked.need
    made = RecorderProof(
        run_id=7,
        measured_at=NOW - timedelta(days=9),
        is_simulated=False,
        is_complete=True,
        load_bytes_per_s=need.average_bytes_per_s,
        duration_s=asked.camera.longest_take_s,
        buffer_bytes=int(asked.camera.buffer_bytes),
        achieved_bytes_per_s=need.average_bytes_per_s,
        slowest_second_ability_bytes_per_s=300e6,
        frames_dropped=0,
        worst_backlog_bytes=4_000_000,
        crest=need.peak_bytes_per_s / need.average_bytes_per_s,
        conditions=RunConditions(
            unit_tag=parts.unit.tag,
            drive_key=parts.drive.key,
            enclosure_key=parts.enclosure.key,
            host_key=parts.host.key,
            port_key=parts.port.key,
            cable_key=parts.cable.key,
            hub_keys=tuple(hub.key for hub in parts.hubs),
            sharing=parts.sharing,
            mode_key=asked.chain.mode.key,
            link_ceiling_bytes_per_s=asked.chain.mode.ceiling_bytes_per_s,
            device=DRIVE,
            file_system="exfat",
            file_system_write_share=0.98,
            free_share=1.0,
            ambient_c=24.0,
        ),
    )
    names = {field.name for field in fields(RunConditions)}
    of_run = {key: changes.pop(key) for key in list(changes) if key in names}
    return replace(made, conditions=replace(made.conditions, **of_run), **changes)


# (what the run had otherwise, which condition that is, what it does to a run that passed, and to
# one that dropped frames)
VOIDS, WEAKENS, NOTHING = Effect.VOIDS, Effect.WEAKENS, Effect.NOTHING
TABLE = [
    ({"is_rehearsal": True, "is_simulated": True}, Condition.REHEARSAL, VOIDS, VOIDS),
    ({"is_in_memory": True}, Condition.PLACE, VOIDS, VOIDS),
    ({"is_over_network": True}, Condition.PLACE, VOIDS, VOIDS),
    ({"device": OTHER}, Condition.DEVICE, VOIDS, VOIDS),
    ({"device": DeviceIdentity()}, Condition.DEVICE, VOIDS, VOIDS),
    ({"device": None}, Condition.DEVICE, VOIDS, VOIDS),
    ({"drive_capacity_bytes": 4e12}, Condition.SIZE, VOIDS, VOIDS),
    ({"is_ahead": True}, Condition.DATE, VOIDS, VOIDS),
    ({"stated_by": "theirs.json"}, Condition.SOURCE, WEAKENS, WEAKENS),
    (
        {"stated_by": "theirs.json", "stated_doubt": "it has no trace"},
        Condition.SOURCE,
        VOIDS,
        VOIDS,
    ),
    ({"drive_key": "torvane-t2-1"}, Condition.MODULE, VOIDS, VOIDS),
    ({"enclosure_key": "drumlin-fin"}, Condition.ENCLOSURE, VOIDS, VOIDS),
    ({"host_key": "old-tower"}, Condition.HOST, WEAKENS, WEAKENS),
    ({"port_key": "another"}, Condition.PORT, WEAKENS, WEAKENS),
    ({"cable_key": "another"}, Condition.CABLE, WEAKENS, WEAKENS),
    ({"mode_key": "usb-20g", "link_ceiling_bytes_per_s": 2424e6}, Condition.LINK, VOIDS, NOTHING),
    ({"mode_key": "usb-2", "link_ceiling_bytes_per_s": 53e6}, Condition.LINK, NOTHING, VOIDS),
    ({"link_bits_per_s": 20e9}, Condition.LINK, VOIDS, NOTHING),
    ({"link_bits_per_s": 480e6}, Condition.LINK, NOTHING, VOIDS),
    ({"mode_key": ""}, Condition.LINK, VOIDS, VOIDS),
    ({"slowest_second_ability_bytes_per_s": 9e9}, Condition.RATE, WEAKENS, WEAKENS),
    ({"hub_keys": ("sedgeway-quad",)}, Condition.HUB, WEAKENS, WEAKENS),
    ({"sharing": 4}, Condition.SHARING, NOTHING, VOIDS),
    ({"is_encrypted": True}, Condition.ENCRYPTION, NOTHING, VOIDS),
    ({"free_share": 0.4}, Condition.FILL, NOTHING, VOIDS),
    ({"ambient_c": 15.0}, Condition.ROOM, VOIDS, NOTHING),
    ({"ambient_c": 40.0}, Condition.ROOM, NOTHING, VOIDS),
    ({"ambient_c": math.nan}, Condition.ROOM, VOIDS, VOIDS),
    ({"cooling": "a fan on the case"}, Condition.COOLING, VOIDS, NOTHING),
    ({"is_direct": False}, Condition.HOST_MEMORY, WEAKENS, WEAKENS),
    ({"other_cpu_share": 0.6}, Condition.LOAD, VOIDS, VOIDS),
    ({"other_tests": 1}, Condition.OTHER_TEST, VOIDS, VOIDS),
    ({"slept_s": 90.0}, Condition.SLEEP, VOIDS, NOTHING),
    ({"stood_still_s": 5.0}, Condition.STANDSTILL, VOIDS, NOTHING),
    ({"clock_set_s": -3600.0}, Condition.CLOCK, VOIDS, VOIDS),
    ({"is_complete": False}, Condition.COMPLETE, VOIDS, NOTHING),
    ({"load_bytes_per_s": 80e6, "crest": 2.0}, Condition.PACE, VOIDS, NOTHING),
    ({"load_bytes_per_s": 200e6, "crest": 1.0}, Condition.PACE, NOTHING, VOIDS),
    ({"crest": 1.0}, Condition.CREST, VOIDS, NOTHING),
    ({"crest": 3.0}, Condition.CREST, NOTHING, VOIDS),
    ({"crest": math.inf}, Condition.CREST, VOIDS, VOIDS),
    ({"duration_s": 2399.0}, Condition.LENGTH, VOIDS, NOTHING),
    ({"duration_s": 9000.0}, Condition.LENGTH, NOTHING, VOIDS),
    ({"buffer_bytes": 900_000_000}, Condition.BUFFER, VOIDS, NOTHING),
    ({"buffer_bytes": 9_000_000}, Condition.BUFFER, NOTHING, VOIDS),
    ({"measured_at": NOW - timedelta(days=800)}, Condition.AGE, WEAKENS, WEAKENS),
]


@pytest.mark.parametrize(
    ("change", "condition", "passed", "failed"), TABLE, ids=[str(row[0]) for row in TABLE]
)
def test_what_each_difference_does(camera, catalog, change, condition, passed, failed):
    """One thing is otherwise: it voids, weakens or doesn't matter, and is named as the reason."""
    asked = asked_of(camera, catalog)
    for dropped, effect in ((0, passed), (25, failed)):
        found = reach_of(proof_for(asked, **{**change, "frames_dropped": dropped}), asked)
        voids = {each.condition for each in found.voids}
        weakens = {each.condition for each in found.weakens}
        assert (condition in voids, condition in weakens) == (effect is VOIDS, effect is WEAKENS)
        assert (found.reach is Reach.COVERS) == (not voids)


def test_every_condition_has_its_row(camera, catalog):
    """A condition that no row changes would be one that nobody has thought about."""
    elsewhere = {
        Condition.UNIT,
        Condition.INCIDENT,
        Condition.FILE_SYSTEM,
        Condition.WRITTEN_SINCE,
        Condition.CALIBRATION,
    }
    assert {row[1] for row in TABLE} | elsewhere == set(Condition) == set(RULES)


def test_a_run_in_all_conditions_alike_covers_and_nothing_is_said_beside_it(camera, catalog):
    """Alike in all conditions a proof covers and is silent; another unit voids it."""
    asked = asked_of(camera, catalog)
    found = reach_of(proof_for(asked), asked)
    assert (found.reach, found.voids, found.weakens) == (Reach.COVERS, (), ())
    other_unit = reach_of(proof_for(asked, unit_tag="K-12"), asked)
    assert [each.condition for each in other_unit.voids] == [Condition.UNIT]


def test_the_question_may_be_the_harder_one(camera, catalog):
    """The run stays; what is asked gets a hub of four, encryption, a slower file system."""
    plain = proof_for(asked_of(camera, catalog, setup=DOCK))
    for change, condition in (
        ({"hub_keys": (next(iter(catalog.hubs)),), "sharing": 4}, Condition.SHARING),
        ({"is_encrypted": True}, Condition.ENCRYPTION),
        ({"file_system_key": "ntfs"}, Condition.FILE_SYSTEM),
    ):
        asked = asked_of(camera, catalog, setup=replace(DOCK, **change))
        assert condition in {each.condition for each in reach_of(plain, asked).voids}
    # One that writes faster than the run's is no worse, and still another.
    asked = asked_of(camera, catalog, setup=replace(DOCK, file_system_key="ext4"))
    assert [each.condition for each in reach_of(plain, asked).weakens] == [Condition.FILE_SYSTEM]


def test_dropped_since_it_was_proved_it_is_not_proved_any_more(camera, catalog):
    """A proof from before the fall is void, one from after it counts; lost frames still speak."""
    setup = camera.setup
    fell = Unit(setup.unit_tag, setup.drive_key, setup.enclosure_key, device=DRIVE,
                doubted_at=NOW - timedelta(days=10))  # fmt: skip
    asked = asked_of(camera, catalog, unit=fell)
    before = proof_for(asked, measured_at=NOW - timedelta(days=11))
    assert [each.condition for each in reach_of(before, asked).voids] == [Condition.INCIDENT]
    assert newest_standing([before], fell) is None
    after = proof_for(asked, measured_at=NOW - timedelta(days=9))
    assert reach_of(after, asked).reach is Reach.COVERS and newest_standing([after], fell) is after
    lost = replace(before, frames_dropped=25)
    assert not reach_of(lost, asked).voids


def test_a_drive_filled_since_is_asked_of_the_model(slipway, catalog):
    """A's drive lives by its cache: at 98 % full its proof is void, at 10 % it stands."""
    camera = replace(slipway.camera("A"), longest_take_s=600.0)
    setup, drive = camera.setup, catalog.drive(camera.setup.drive_key)
    bound = Unit(setup.unit_tag, setup.drive_key, setup.enclosure_key, device=DRIVE)
    asked = asked_of(camera, catalog, unit=bound)
    proof = proof_for(asked)
    assert reach_of(proof, asked).reach is Reach.COVERS
    for share, effect in ((0.10, WEAKENS), (0.98, VOIDS)):
        fuller = replace(bound, used_bytes=drive.capacity_bytes * share)
        found = reach_of(proof, asked_of(camera, catalog, unit=fuller))
        said = found.voids if effect is VOIDS else found.weakens
        assert Condition.FILL in {each.condition for each in said}


def test_wear_and_a_slower_calibration_are_said_beside_the_mark(camera, catalog):
    """A proof ages: what was written since, and what later runs of the unit showed."""
    drive = catalog.drive("kelmarsh-flat-1")
    slow = replace(drive.writes, cache_write_bytes_per_s=60e6, direct_write_bytes_per_s=60e6)
    worn = Unit(
        "K-11", "kelmarsh-flat-1", "drumlin-flat", written_bytes=30e12, device=DRIVE,
        fitted=slow, fitted_from=drive.writes, fitted_at=NOW - timedelta(days=1),
    )  # fmt: skip
    asked = asked_of(camera, catalog, unit=worn)
    found = reach_of(proof_for(asked, unit_written_bytes=1e12), asked)
    assert found.reach is Reach.COVERS
    assert {each.condition for each in found.weakens} == {
        Condition.WRITTEN_SINCE,
        Condition.CALIBRATION,
    }


def test_nothing_is_proved_of_a_unit_that_is_bound_to_no_device(camera, catalog):
    """A run into any folder would else prove any unit."""
    loose = Unit("K-11", "kelmarsh-flat-1", "drumlin-flat")
    asked = asked_of(camera, catalog, unit=loose)
    found = reach_of(proof_for(asked), asked)
    assert [each.condition for each in found.voids] == [Condition.DEVICE]
    assert newest_standing([proof_for(asked)], loose) is None


def test_a_newer_slow_run_speaks_against_an_older_proof(camera, catalog):
    """Held in May, crawling in November: that is not known to hold, until a later run holds."""
    asked = asked_of(camera, catalog)
    held = proof_for(asked, measured_at=NOW - timedelta(days=200))
    slow = proof_for(
        asked,
        run_id=8,
        duration_s=5.0,
        achieved_bytes_per_s=40e6,
        slowest_second_ability_bytes_per_s=35e6,
    )
    judged = judge_take(camera, asked.need, asked.chain, 24.0, (held, slow))
    assert (judged.verdict, judged.against) == (Verdict.NOT_KNOWN, slow)
    again = proof_for(asked, run_id=9, measured_at=NOW - timedelta(days=1))
    judged = judge_take(camera, asked.need, asked.chain, 24.0, (held, slow, again))
    assert (judged.evidence, judged.proof) == (Evidence.PROVED, again)


def test_a_run_cut_short_counts_where_it_had_lost_frames_by_then(camera, catalog):
    """On the shelf as in the verdict: cancelled after losing frames it fell short all the same."""
    asked = asked_of(camera, catalog)
    unit = asked.chain.parts.unit
    lost = proof_for(asked, is_complete=False, frames_dropped=4_000)
    assert reach_of(lost, asked).reach is Reach.COVERS
    assert newest_standing((lost,), unit) == lost
    unhurt = proof_for(asked, is_complete=False, frames_dropped=0)
    assert reach_of(unhurt, asked).reach is not Reach.COVERS
    assert newest_standing((unhurt,), unit) is None


def test_a_run_that_does_not_reach_is_named_with_its_reason(camera, catalog):
    """What was measured and doesn't count is said, not passed over."""
    asked = asked_of(camera, catalog)
    short = proof_for(asked, duration_s=60.0)
    found = answer([short], asked)
    assert (found.covering, found.against) == (None, None)
    assert [each.condition for each in found.beside.voids] == [Condition.LENGTH]
    judged = judge_take(camera, asked.need, asked.chain, 24.0, (short,))
    assert (judged.evidence, judged.beside) == (Evidence.COMPUTED, found.beside)


HARDER = {
    "duration_s": st.floats(2400, 9000),
    "ambient_c": st.floats(24, 60),
    "free_share": st.floats(0.3, 1.0),
    "sharing": st.integers(1, 8),
    "buffer_bytes": st.integers(1, 512_000_000),
}


@given(changes=st.fixed_dictionaries({}, optional=HARDER), dropped=st.sampled_from([0, 9]))
def test_a_pass_under_harder_conditions_always_covers_a_failure_only_if_alike(
    slipway, catalog, changes, dropped
):
    """Having held the harder it holds the easier; having failed the harder it says nothing."""
    asked = asked_of(slipway.camera("B"), catalog)
    found = reach_of(proof_for(asked, **changes, frames_dropped=dropped), asked)
    if not dropped:
        assert found.reach is Reach.COVERS
    else:
        assert (found.reach is Reach.COVERS) == (not found.voids)


@given(serial=st.text(max_size=12), uuid=st.text(max_size=8), other=st.text(max_size=12))
def test_a_device_is_itself_and_identity_is_mutual(serial, uuid, other):
    """Same as itself wherever it tells at all; and what one says of two, the other says too."""
    one = DeviceIdentity("m", serial, 10**12, uuid)
    two = DeviceIdentity("m", other, 10**12, uuid)
    assert one.is_same_as(one) is (True if one.is_telling else None)
    assert one.is_same_as(two) == two.is_same_as(one)


@pytest.mark.parametrize("serial", ["", "000000000000", "0123456789ABCDEF", "123456789ABC", "11"])
def test_serials_that_bridges_make_up_tell_nothing(serial):
    """Two drives behind bridges of one kind say the same: then the file system's UUID decides."""
    one = DeviceIdentity("bridge", serial, 10**12, "aaaa-1111")
    two = DeviceIdentity("bridge", serial, 10**12, "bbbb-2222")
    assert one.is_same_as(two) is False
    assert replace(one, file_system_uuid="").is_same_as(replace(two, file_system_uuid="")) is None
