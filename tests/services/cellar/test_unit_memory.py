"""What is found on the demo's shelf by itself, and what is remembered of each unit."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import pytest

from vastcellar.core.cellar.findings import FindingKind
from vastcellar.core.cellar.story import EventKind, UnitEvent
from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.core.units import PLAIN
from vastcellar.services.cellar.finding_wording import finding_words
from vastcellar.services.cellar.unit_memory import UnitMemory
from vastcellar.services.match.judging import chain_of
from vastcellar.services.proving.flat_proving import FlatPlan, rig_flat_proof
from vastcellar.services.proving.keeping import keep_flat_proof
from vastcellar.services.workplace.run_points import history_points
from vastcellar.store.run_record import RunRecord
from vastcellar.store.unit_log import add_event

TODAY = date.today()


def remembered(workplace, today=TODAY, shoot=None):
    """Return all that is known of the workplace's shelf."""
    memory = UnitMemory()
    return memory.remember(workplace.shelf(), workplace.catalog, today,
                           is_demo=workplace.is_demo, shoot=shoot)  # fmt: skip


def said(known, catalog):
    """Return the line of each finding, by tag and kind."""
    return {
        (each.tag, each.kind): finding_words(each, known.facts[each.tag], catalog, PLAIN)
        for each in known.findings
    }


ODDITIES = {
    ("C-07", FindingKind.FALSE_CAPACITY): ("holds 256 GB, sold as 1 TB", "capacity proof"),
    ("M-04", FindingKind.STALLS): ("its twins do not", "0 of 10 runs of M-01 and M-02"),
    ("M-03", FindingKind.COLLAPSES): ("MB/s at first and", "A short test"),
    ("P-02", FindingKind.SWAPPED): ("swapped with P-03", "holds 4 TB"),
    ("P-03", FindingKind.SWAPPED): ("swapped with P-02", "holds 1 TB"),
    ("K-10", FindingKind.SLOWER): ("% slower since", "came back"),
    ("K-13", FindingKind.WORN): ("96 % of its endurance used", "nobody promises"),
    ("P-01", FindingKind.OVERDUE): ("6 days overdue", "harbour office"),
    ("K-05", FindingKind.CAPPED): ("its case carries", "limit of every test"),
}


def test_it_finds_each_oddity_of_the_demo_by_itself(two_years, workplace):
    """Each with its evidence, the worst first; and of the healthy units nothing."""
    known = remembered(workplace)
    words = said(known, workplace.catalog)
    for key, (line, evidence) in ODDITIES.items():
        assert line in words[key].line and evidence in words[key].evidence
    harms = [each.harm for each in known.findings]
    assert harms == sorted(harms) and known.findings[0].tag == "C-07"
    healthy = {
        "M-01",
        "M-02",
        "K-06",
        "K-07",
        "K-08",
        "K-11",
        "K-14",
        "C-05",
        "C-06",
        "S-02",
        "H-01",
    }
    assert not healthy & {each.tag for each in known.findings}
    slower = next(each for each in known.findings if each.tag == "K-10")
    assert slower.values["share"] == pytest.approx(-0.27, abs=0.03)
    assert slower.values["sure_share"] > 0.99 and len(slower.run_ids) == 18
    assert len(known.facts["K-10"].trends.left_out) == 3  # in the tower, in another case


def test_every_run_of_the_two_years_is_simulated_and_says_so(two_years, workplace):
    """Nothing in the demo is a measurement of a real thing."""
    records = workplace.shelf().records
    assert len(records) > 100 and all(each.is_simulated for each in records)


def test_looked_after_it_goes_quiet_and_stays_so_after_a_restart(two_years, workplace):
    """Noted in the story of the unit; the others stay as loud."""
    loud = remembered(workplace).findings
    first = loud[0]
    add_event(workplace.cellar, UnitEvent(
        first.tag, datetime.now(UTC), EventKind.LOOKED_AFTER,
        {"finding": first.kind.value, "mark": first.mark}, "sent back"))  # fmt: skip
    known = remembered(workplace)
    assert [e.key for e in known.findings] == [e.key for e in loud[1:]]
    assert [e.key for e in known.quiet] == [first.key]


def test_only_units_that_changed_are_worked_out_anew(two_years, workplace):
    """The same facts for all others, as objects; a new run makes its unit's new."""
    memory = UnitMemory()

    def known():
        return memory.remember(workplace.shelf(), workplace.catalog, TODAY, is_demo=True).facts

    before = known()
    figures = {"write": {"bytes_per_s": 9e8}}
    new = RunRecord("K-08", "write", datetime.now(UTC), True, True, {}, figures)
    workplace.cellar.add_run(new, "")
    after = known()
    same = {tag for tag in after if after[tag].trends is before[tag].trends}
    assert set(after) - same == {"K-08"}


def test_a_rehearsal_is_no_part_of_a_history(workplace, catalog, slipway):
    """Outside a demo what a rig did says nothing of any unit."""
    record = RunRecord("K-08", "write", datetime.now(UTC), True, True, {}, {"write": {}})
    assert len(history_points([record], is_demo=True)) == 1
    assert history_points([record], is_demo=False) == ()


def test_a_kept_run_becomes_a_point_with_all_that_makes_it_comparable(workplace, slipway):
    """From a real rig run, through the cellar: rate, heat, stall, fill, room, setting."""
    camera = slipway.camera("B")
    chain = chain_of(camera.setup, workplace.catalog, workplace.shelf(), 24.0)
    proof = rig_flat_proof(FlatPlan("write", 20 * 10**9), chain, 24.0, workplace=workplace,
                           speed=float("inf"))  # fmt: skip
    for _ in proof.run.snapshots():
        pass
    keep_flat_proof(workplace, "K-11", proof)
    (point,) = history_points(workplace.cellar.runs("K-11"), is_demo=True)
    result = proof.run.result
    assert point.bytes_per_s == result.write.bytes_per_s
    assert point.moved_bytes == pytest.approx(20 * 10**9, rel=1e-6) and point.room_c == 24.0
    assert point.filled_share == pytest.approx(0.56)
    assert 24 < point.hottest_c < 70 and not point.was_disturbed
    assert point.setting.drive == "kelmarsh-flat-1" and point.setting.enclosure == "drumlin-flat"


def test_a_run_cut_short_or_in_bad_company_is_told_apart(workplace):
    """No rate of the one; the other is disturbed; what can't be read is no figure."""
    made = RunRecord("K", "write", datetime.now(UTC), True, True, {"other_cpu_share": 0.5},
                     {"write": {"bytes_per_s": 5e8, "longest_stall_s": "eaten"}})  # fmt: skip
    (point,) = history_points([made], is_demo=True)
    assert point.was_disturbed and point.bytes_per_s == 5e8 and point.stall_s == 0.0
    (short,) = history_points([replace(made, is_complete=False)], is_demo=True)
    assert short.bytes_per_s is None
    (held,) = history_points(
        [replace(made, kind="copy", figures={"bytes_per_s": 4e8, "sets_pace": False})], is_demo=True
    )
    assert held.bytes_per_s is None


def test_two_units_bound_to_one_device_are_doubted_both(workplace):
    """By the serial number; the words name the other one."""
    workplace.cellar.bind_unit("K-08", DeviceIdentity("Fin", "DF10-00417", 2 * 10**12))
    words = said(remembered(workplace), workplace.catalog)
    assert "the same device as K-07" in words["K-08", FindingKind.SWAPPED].line
    assert words["K-07", FindingKind.SWAPPED].steps


def test_a_proof_that_is_too_old_for_the_job_is_found(workplace, slipway):
    """Needed by a camera and over a year old; of a unit that no camera wants it is nothing."""
    long_ago = datetime.now(UTC) - timedelta(days=400)
    figures = {
        "frames_dropped": 0, "duration_s": 60.0, "load_bytes_per_s": 1e8, "elapsed_s": 60.0,
        "achieved_bytes_per_s": 1e8, "slowest_second_ability_bytes_per_s": 2e8,
        "worst_backlog_bytes": 0, "buffer_bytes": 10**9, "cameras": [],
    }  # fmt: skip
    conditions = {"drive_key": "kelmarsh-flat-1", "enclosure_key": "drumlin-flat"}
    workplace.cellar.add_run(
        RunRecord("K-11", "recorder", long_ago, True, True, conditions, figures), ""
    )
    assert FindingKind.PROOF_OLD not in {e.kind for e in remembered(workplace).findings}
    words = said(remembered(workplace, shoot=slipway), workplace.catalog)
    assert (
        "proved 400 days ago, and camera B records to it"
        in words["K-11", FindingKind.PROOF_OLD].line
    )


def test_every_finding_has_words_and_a_next_step(two_years, workplace):
    """No kind without its sentence."""
    known = remembered(workplace)
    for words in said(known, workplace.catalog).values():
        assert words.short and words.line and words.evidence.endswith(".") and words.steps


CONDITIONS = {"drive_key": "torvane-t2-4", "capacity_bytes": 4 * 10**12, "free_bytes": 10**12}


def capacity_run(days_ago=1, **read):
    """Return a capacity proof of K-08, 4 TB by its record, that wrote 1 TB in blocks of 1 MB."""
    figures = {
        "block_bytes": 10**6, "true_capacity_bytes": 10**12,
        "write": {"bytes_per_s": 9e8, "moved_bytes": 10**12},
        "read": {"moved_bytes": 10**12, "wrong_blocks": 0, "first_wrong_at": None, **read},
    }  # fmt: skip
    at = datetime.now(UTC) - timedelta(days=days_ago)
    return RunRecord("K-08", "capacity", at, True, True, CONDITIONS, figures)


@pytest.mark.parametrize(
    ("read", "kind", "holds"),
    [
        ({}, None, None),  # full to three quarters before, and every block of the rest came back
        ({"wrong_blocks": 3, "first_wrong_at": 4e11}, FindingKind.WRONG_BYTES, None),  # a cable
        ({"wrong_blocks": 6e5, "first_wrong_at": 4e11}, None, 3.4e12),
        ({"wrong_blocks": 999e3, "first_wrong_at": 1e9}, FindingKind.FALSE_CAPACITY, 3.001e12),
    ],
    ids=["half full and well", "a few bad blocks", "a seventh is missing", "false"],
)
def test_a_good_disk_is_never_called_counterfeit(workplace, read, kind, holds):
    """Only where nearly all beyond a place is gone, what lay before it counted in."""
    workplace.cellar.add_run(capacity_run(**read), "")
    if holds == 3.4e12:
        kind = FindingKind.FALSE_CAPACITY  # 85 % of what it says: more than a tenth is missing
    found = [each for each in remembered(workplace).findings if each.tag == "K-08"]
    assert [each.kind for each in found] == ([kind] if kind else [])
    if kind is FindingKind.FALSE_CAPACITY:
        assert found[0].values["holds_bytes"] == pytest.approx(holds)


def test_a_good_capacity_proof_hides_no_wrong_bytes_of_another_run(workplace):
    """It held what it says, and a later test read back something else: that is said."""
    workplace.cellar.add_run(capacity_run(days_ago=9), "")
    later = replace(capacity_run(wrong_blocks=5, first_wrong_at=7e9), kind="burst")
    workplace.cellar.add_run(later, "")
    kinds = {each.kind for each in remembered(workplace).findings if each.tag == "K-08"}
    assert kinds == {FindingKind.WRONG_BYTES}


def test_what_another_device_did_under_the_tag_says_nothing_of_this_one(workplace):
    """Released and bound anew, or another module in it: the old runs accuse nobody."""
    mine = {"drive_key": "torvane-t2-4", "device_serial": "NEW-4711", "device_model": "Fin"}
    theirs = {**mine, "device_serial": "OLD-0815"}
    workplace.cellar.bind_unit("K-08", DeviceIdentity("Fin", "NEW-4711", 4 * 10**12))
    for number in range(8):
        at = datetime.now(UTC) - timedelta(days=90 - number)
        figures = {"write": {"bytes_per_s": 9e8 + number, "longest_stall_s": 9.0}}
        workplace.cellar.add_run(RunRecord("K-08", "write", at, False, True, theirs, figures), "")
    bad = replace(capacity_run(wrong_blocks=999e3, first_wrong_at=1e9), is_simulated=False,
                  conditions={**CONDITIONS, **theirs})  # fmt: skip
    workplace.cellar.add_run(bad, "")
    for number in range(8):
        at = datetime.now(UTC) - timedelta(days=30 - number)
        figures = {"write": {"bytes_per_s": 4e8 + number}}
        workplace.cellar.add_run(RunRecord("K-08", "write", at, False, True, mine, figures), "")
    known = remembered(workplace)
    assert known.of("K-08") == ()
    facts = known.facts["K-08"]
    assert (len(facts.points), len(facts.of_others)) == (8, 9)
    other_module = {**mine, "drive_key": "torvane-t2-1"}
    figures = {"write": {"bytes_per_s": 1e8}}
    last = RunRecord("K-08", "write", datetime.now(UTC), False, True, other_module, figures)
    workplace.cellar.add_run(last, "")
    assert len(remembered(workplace).facts["K-08"].of_others) == 10


def test_asked_from_two_threads_at_once_it_stays_whole(two_years, workplace):
    """An edit while the shelf is still worked out: both answers are what one thread gets."""
    memory, shelf = UnitMemory(), workplace.shelf()

    def ask(day):
        today = TODAY + timedelta(days=day)
        return memory.remember(shelf, workplace.catalog, today, is_demo=True)

    with ThreadPoolExecutor(4) as pool:
        answers = list(pool.map(ask, [0, 1, 2, 3] * 6))
    memory = UnitMemory()
    alone = [ask(day) for day in range(4)]
    for day, known in zip([0, 1, 2, 3] * 6, answers, strict=True):
        assert known.findings == alone[day].findings
