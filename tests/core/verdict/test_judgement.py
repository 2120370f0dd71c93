"""Chains, verdicts, proofs and mends on the demo's parts."""

from dataclasses import fields, replace
from datetime import UTC, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.candidates.mends import Change, find_mends
from vastcellar.core.chain.chain import build_chain
from vastcellar.core.chain.setup_parts import find_parts
from vastcellar.core.evidence import Evidence, Verdict
from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.core.parts.units import Unit
from vastcellar.core.shoot.needs import camera_need
from vastcellar.core.shoot.shoot import Setup
from vastcellar.core.verdict.bottlenecks import Bottleneck
from vastcellar.core.verdict.judgement import judge_take
from vastcellar.core.verdict.proof import RecorderProof, RunConditions
from vastcellar.core.verdict.reach.comparing import Asked
from vastcellar.core.verdict.reach.reaching import Reach, reach_of
from vastcellar.core.writing.drive_in_use import EventKind

K_11 = DeviceIdentity("flat 1", "serial-of-k-11", 1_000_000_000_000)

WASTED = Setup(
    drive_key="kelmarsh-vane-2",
    enclosure_key="drumlin-fin",
    cable_key="wr-10g",
    host_key="boathouse-desk",
    port_key="c-20g",
)


def chain_of(setup, catalog, shelf=None, ambient_c=24.0):
    unit = shelf.unit(setup.unit_tag) if shelf and setup.unit_tag else None
    if unit is not None:
        unit = replace(unit, device=K_11)
    return build_chain(find_parts(setup, catalog, unit), catalog, ambient_c)


def test_module_and_slot_use_the_lanes_and_generation_they_share(catalog):
    """A PCIe 4.0 x4 module in a 3.0 x2 slot, and in a 4.0 x4 one."""
    slots = [
        next(stage for stage in chain_of(setup, catalog).stages if stage.key == "slot")
        for setup in (WASTED, replace(WASTED, enclosure_key="drumlin-forge"))
    ]
    assert [slot.part for slot in slots] == ["PCIe 3.0 x2", "PCIe 4.0 x4"]


@given(
    enclosure=st.sampled_from(["drumlin-pocket", "drumlin-fin-20", "drumlin-forge"]),
    wider=st.sampled_from([("wr-charge", "wr-10g"), ("wr-10g", "wr-20g"), ("wr-20g", "wr-40g-08")]),
    port=st.sampled_from(["bolt-1", "c-10g"]),
    drive=st.sampled_from(["torvane-t2-1", "kelmarsh-vane-4", "pentle-q1-1"]),
)
def test_a_wider_cable_never_lowers_what_is_delivered(catalog, enclosure, wider, port, drive):
    """A better cable never makes the same chain slower."""
    before, after = (
        chain_of(Setup(drive, "van-laptop", port, "", enclosure, cable), catalog) for cable in wider
    )
    assert after.at_first_bytes_per_s >= before.at_first_bytes_per_s
    assert after.lasting_bytes_per_s >= before.lasting_bytes_per_s


def judged(slipway, key, catalog, shelf, setup=None, proofs=()):
    camera = slipway.camera(key)
    chain = chain_of(setup or camera.setup, catalog, shelf, slipway.ambient_c)
    return judge_take(camera, camera_need(camera), chain, slipway.ambient_c, proofs)


def test_a_top_drive_behind_a_10g_bridge_delivers_what_the_bridge_does(catalog):
    """The bridge, not the drive, sets what a wasted drive delivers."""
    chain = chain_of(WASTED, catalog)
    assert chain.mode.ceiling_bytes_per_s == pytest.approx(1212.1e6, rel=1e-4)
    assert chain.at_first_bytes_per_s == pytest.approx(1000e6, rel=0.05)
    assert chain.bottleneck.key == "bridge"
    charging = chain_of(replace(WASTED, cable_key="wr-charge"), catalog)
    assert 35e6 <= charging.at_first_bytes_per_s <= 42e6
    assert charging.bottleneck.key == "cable"


@given(
    enclosure=st.sampled_from(["drumlin-pocket", "drumlin-fin", "drumlin-fin-20", "drumlin-forge"]),
    cable=st.sampled_from(["wr-charge", "wr-5g-ac", "wr-10g", "wr-20g", "wr-40g-12", "wr-40g-08"]),
    port=st.sampled_from(["bolt-1", "c-10g"]),
    drive=st.sampled_from(["torvane-t2-1", "kelmarsh-vane-4", "pentle-q1-1", "pentle-b3-05"]),
)
def test_no_chain_delivers_more_than_any_stages_ceiling(catalog, enclosure, cable, port, drive):
    """No chain delivers more than any of its stages, at first or later."""
    chain = chain_of(Setup(drive, "van-laptop", port, "", enclosure, cable), catalog)
    for stage in chain.stages:
        assert chain.at_first_bytes_per_s <= stage.ceiling_bytes_per_s or stage.is_lasting
        assert stage.typical_bytes_per_s <= stage.ceiling_bytes_per_s * 1.0001
    assert chain.lasting_bytes_per_s <= chain.at_first_bytes_per_s


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"enclosure_key": "drumlin-flat"}, "speaks NVMe"),
        ({"enclosure_key": ""}, "needs an enclosure"),
        ({"cable_key": ""}, "needs a cable"),
        ({"enclosure_key": "sedgeway-hollow"}, "tunnel-only"),
        ({"host_key": "van-laptop", "port_key": "sd"}, "not a cable"),
    ],
)
def test_what_doesnt_fit_delivers_nothing_and_says_why(catalog, slipway, change, says):
    """Parts that don't fit deliver nothing, with the reason in the verdict."""
    chain = chain_of(replace(WASTED, **change), catalog)
    assert says in chain.problem
    assert chain.at_first_bytes_per_s == 0
    camera = slipway.camera("A")
    verdict = judge_take(camera, camera_need(camera), chain, 24.0)
    assert (verdict.verdict, verdict.bottleneck) == (Verdict.FALLS_SHORT, Bottleneck.NOT_CONNECTED)


def test_the_demos_four_verdicts(slipway, catalog, shelf):
    """One collapses, one is tight, two hold."""
    a = judged(slipway, "A", catalog, shelf)
    assert (a.verdict, a.bottleneck, a.evidence) == (
        Verdict.FALLS_SHORT,
        Bottleneck.CACHE,
        Evidence.COMPUTED,
    )
    full = a.run.first(EventKind.CACHE_FULL)
    assert full.at_s == pytest.approx((12e9 + 0.22 * 627e9) / (159.83e6 - 54.67e6), rel=1e-3)
    assert a.fails_at_s == pytest.approx(full.at_s)
    assert a.outcome.first_loss_s == pytest.approx(full.at_s + 1100 / (159.83 - 120), rel=1e-3)
    assert judged(slipway, "B", catalog, shelf).verdict is Verdict.HOLDS
    assert judged(slipway, "C", catalog, shelf).verdict is Verdict.HOLDS
    assert judged(slipway, "D", catalog, shelf).verdict is Verdict.TIGHT


def test_a_take_longer_than_the_room_on_the_drive_falls_short(slipway, catalog, shelf):
    """The room left on a drive limits the take, earlier jobs counted."""
    camera = replace(slipway.camera("B"), longest_take_s=4 * 3600)
    chain = chain_of(camera.setup, catalog, shelf)
    found = judge_take(camera, camera_need(camera), chain, 24.0)
    assert (found.verdict, found.bottleneck) == (Verdict.FALLS_SHORT, Bottleneck.SPACE)
    # 560 GB of the job before are still on it.
    assert found.margin == pytest.approx(440e9 / camera_need(camera).longest_take_bytes - 1)


def proof_of(slipway, **changes):
    need, setup = camera_need(slipway.camera("B")), slipway.camera("B").setup
    made = RecorderProof(
        run_id=7,
        measured_at=datetime(2026, 11, 3, tzinfo=UTC),
        is_simulated=False,
        is_complete=True,
        load_bytes_per_s=need.average_bytes_per_s,
        duration_s=2400.0,
        buffer_bytes=512_000_000,
        achieved_bytes_per_s=need.average_bytes_per_s,
        slowest_second_ability_bytes_per_s=300e6,
        frames_dropped=0,
        worst_backlog_bytes=4_000_000,
        crest=need.peak_bytes_per_s / need.average_bytes_per_s,
        conditions=RunConditions(
            unit_tag="K-11",
            drive_key="kelmarsh-flat-1",
            enclosure_key="drumlin-flat",
            host_key=setup.host_key,
            port_key=setup.port_key,
            cable_key=setup.cable_key,
            mode_key="usb-5g",
            link_ceiling_bytes_per_s=500e6,
            device=K_11,
            free_share=1.0,
            ambient_c=24.0,
        ),
    )
    return changed(made, **changes)


def changed(proof, **changes):
    """Return *proof* with fields of its own or of its conditions changed."""
    names = {field.name for field in fields(RunConditions)}
    of_run = {key: changes.pop(key) for key in list(changes) if key in names}
    return replace(proof, conditions=replace(proof.conditions, **of_run), **changes)


def test_a_full_length_proof_outranks_the_model(slipway, catalog, shelf):
    """A full-length proof replaces the model, with the measured margin."""
    found = judged(slipway, "B", catalog, shelf, proofs=(proof_of(slipway),))
    assert (found.evidence, found.verdict) == (Evidence.PROVED, Verdict.HOLDS)
    assert found.margin == pytest.approx(300e6 / found.need.needed_write_bytes_per_s - 1)


@pytest.mark.parametrize(
    "changes",
    [
        {"unit_tag": "K-12"},
        {"enclosure_key": "drumlin-fin"},
        {"mode_key": "usb-10g"},
        {"duration_s": 2399.0},
        {"is_complete": False},
        {"load_bytes_per_s": 80e6},
        {"buffer_bytes": 900_000_000},
        {"ambient_c": 15.0},
    ],
)
def test_a_proof_under_other_conditions_proves_nothing(slipway, catalog, shelf, changes):
    """Another host, cable, fill or heat: the proof is not one for what is asked."""
    camera = slipway.camera("B")
    proof = proof_of(slipway, **changes)
    chain = chain_of(camera.setup, catalog, shelf)
    asked = Asked(camera, camera_need(camera), chain, 24.0)
    assert reach_of(proof, asked).reach is Reach.NOT
    found = judged(slipway, "B", catalog, shelf, proofs=(proof,))
    assert found.evidence is Evidence.COMPUTED


def test_dropped_frames_prove_that_it_falls_short_however_short_the_run(slipway, catalog, shelf):
    """An easier load that failed is proof; a harder one that failed is not."""
    easier = proof_of(slipway, frames_dropped=9, duration_s=60.0, is_complete=False)
    found = judged(slipway, "B", catalog, shelf, proofs=(easier,))
    assert (found.verdict, found.evidence) == (Verdict.FALLS_SHORT, Evidence.PROVED)
    harder = proof_of(slipway, frames_dropped=9, load_bytes_per_s=200e6)
    assert judged(slipway, "B", catalog, shelf, proofs=(harder,)).evidence is Evidence.COMPUTED


def test_a_short_run_that_was_slow_speaks_against_the_model(slipway, catalog, shelf):
    """A short slow run can't prove, but it isn't ignored either."""
    slow = proof_of(
        slipway,
        duration_s=5.0,
        achieved_bytes_per_s=46e6,
        slowest_second_ability_bytes_per_s=37e6,
    )
    found = judged(slipway, "B", catalog, shelf, proofs=(slow,))
    assert (found.verdict, found.margin, found.against) == (Verdict.NOT_KNOWN, None, slow)
    # A later one that kept the pace takes it back; one at an easier pace doesn't.
    later = datetime(2026, 11, 4, tzinfo=UTC)
    kept = proof_of(slipway, duration_s=5.0, measured_at=later)
    assert judged(slipway, "B", catalog, shelf, proofs=(slow, kept)).verdict is Verdict.HOLDS
    easy = replace(kept, load_bytes_per_s=20e6, achieved_bytes_per_s=20e6)
    assert judged(slipway, "B", catalog, shelf, proofs=(slow, easy)).against is slow
    b = slipway.camera("B")
    setup = replace(b.setup, host_key="van-laptop", port_key="bolt-1")
    mends = find_mends(b, camera_need(b), setup, catalog, shelf.units, 24.0, (slow,))
    assert Change.PORT not in {mend.change for mend in mends.useless}  # not known there either
    # In a hotter room, on another unit, or merely short: nothing is said by it.
    for changes in (
        {"ambient_c": 40.0},
        {"unit_tag": "K-12"},
        {"slowest_second_ability_bytes_per_s": 300e6},
    ):
        other = changed(slow, **changes)
        assert judged(slipway, "B", catalog, shelf, proofs=(other,)).verdict is Verdict.HOLDS


def test_a_proof_makes_no_room(slipway, catalog, shelf):
    """A proof of speed doesn't make a full drive roomier."""
    camera = slipway.camera("B")
    full = replace(shelf.unit("K-11"), used_bytes=900e9, device=K_11)
    chain = build_chain(find_parts(camera.setup, catalog, full), catalog, 24.0)
    found = judge_take(camera, camera_need(camera), chain, 24.0, (proof_of(slipway),))
    assert (found.verdict, found.bottleneck) == (Verdict.FALLS_SHORT, Bottleneck.SPACE)


def test_mends_hold_and_come_cheapest_first(slipway, catalog, shelf):
    """Every mend that helps carries the need, the cheapest first, from ready units only."""
    camera = slipway.camera("A")
    need = camera_need(camera)
    mends = find_mends(camera, need, camera.setup, catalog, shelf.units, 24.0)
    prices = [m.price for m in mends.helping if m.judgement.verdict is Verdict.HOLDS]
    assert prices == sorted(prices)
    assert prices[0] == 0
    for mend in mends.helping:
        assert mend.judgement.lowest_ability_bytes_per_s >= need.needed_write_bytes_per_s
    states = {unit.tag: unit.state for unit in shelf.units}
    tags = [m.setup.unit_tag for m in mends.helping if m.change is Change.UNIT]
    assert len(tags) == len(set(tags))
    assert all(states[tag] == "ready" for tag in tags)
    assert {m.change for m in mends.useless} >= {Change.CABLE, Change.ENCLOSURE}


def test_a_bare_unit_helps_in_the_case_that_is_there(slipway, catalog):
    """A bare drive mends by moving into the case that is there."""
    camera = slipway.camera("A")
    bare = Unit("N-01", "torvane-t2-2")
    mends = find_mends(camera, camera_need(camera), camera.setup, catalog, (bare,), 24.0)
    (mend,) = [m for m in mends.helping if m.change is Change.UNIT]
    assert (mend.setup.unit_tag, mend.setup.enclosure_key) == ("N-01", camera.setup.enclosure_key)
    assert mend.price == 0


def test_units_of_other_cameras_are_left_to_them(slipway, catalog, shelf):
    """A mend never takes the drive that another camera records to."""
    camera = slipway.camera("A")
    mends = find_mends(
        camera,
        camera_need(camera),
        camera.setup,
        catalog,
        shelf.units,
        24.0,
        taken_tags=frozenset({"K-07"}),
    )
    assert "K-07" not in {m.setup.unit_tag for m in mends.helping}


def test_a_setup_that_holds_is_offered_nothing_that_changes_nothing(slipway, catalog, shelf):
    """Whatever is offered has more to spare than what is there; at a limit no part moves, nothing
    is."""
    for key in ("B", "C"):
        camera = slipway.camera(key)
        need = camera_need(camera)
        now = judged(slipway, key, catalog, shelf)
        assert now.verdict is Verdict.HOLDS
        mends = find_mends(camera, need, camera.setup, catalog, shelf.units, 24.0)
        assert all(each.judgement.margin > now.margin for each in mends.helping)
