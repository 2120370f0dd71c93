"""What is found by itself: each with what it rests on, the worst first, quiet once looked after."""

from dataclasses import replace
from datetime import date, datetime, timedelta

import pytest

from histories import DRIVE, SETTING, START, TODAY, facts, happened, noisy, point, rng, series
from vastcellar.core.cellar.findings import Finding, FindingKind, Harm, findings_of, is_quiet
from vastcellar.core.cellar.story import Story
from vastcellar.core.cellar.wear_ahead import wear_ahead
from vastcellar.core.parts.acceptance import Acceptance
from vastcellar.core.parts.units import Unit


def kinds(known, twins=None, today=TODAY):
    """Return the kinds of all that is found."""
    return [each.kind for each in findings_of(known, twins, today)]


def slow_drive(events=()):
    """Return a unit that got slower after eleven runs."""
    draw = rng(2)
    runs = series([*noisy(draw, 418e6, 11), *noisy(draw, 297e6, 7)])
    return facts(runs, ids=(1,), events=events)


def test_nothing_is_found_in_a_healthy_unit():
    """Twenty runs of one level, little written, seen lately: not a word."""
    healthy = facts(series(noisy(rng(1), 4e8, 20)), seen_on=TODAY)
    assert findings_of(healthy, None, TODAY) == ()


def test_slower_tells_how_much_how_sure_and_what_happened_meanwhile():
    """The loan that ended in the very week is named beside it."""
    back = happened(7 * 11 + 5, "returned")
    (found,) = findings_of(slow_drive((back, happened(3, "label"))), None, TODAY)
    assert found.kind is FindingKind.SLOWER and found.harm is Harm.MARGIN
    assert found.values["share"] == pytest.approx(-0.29, abs=0.02)
    assert found.values["sure_share"] > 0.99
    assert found.values["events"] == (back,)
    assert len(found.run_ids) == 18


def test_looked_after_it_is_quiet_until_there_is_something_new():
    """One more run at the same level says nothing new; a lower level does."""
    (found,) = findings_of(slow_drive(), None, TODAY)
    seen = happened(200, "looked after", finding=found.kind.value, mark=found.mark)
    assert is_quiet(found, Story((seen,))) and not is_quiet(found, Story())
    draw = rng(2)
    rates = [*noisy(draw, 418e6, 11), *noisy(draw, 297e6, 7)]
    (same,) = findings_of(facts(series([*rates, 297e6]), ids=(1,)), None, TODAY)
    assert is_quiet(same, Story((seen,)))
    lower = facts(series([*rates, *noisy(draw, 150e6, 8)]), ids=(1,))
    (worse,) = findings_of(lower, None, TODAY)
    assert worse.kind is FindingKind.SLOWER and not is_quiet(worse, Story((seen,)))


def test_the_worst_stands_first():
    """Lost pictures before a worn drive, a worn drive before money."""
    unit = Unit("C-07", "d", "case", written_bytes=5.7e14)
    known = facts(
        unit=unit, wear=wear_ahead(unit, DRIVE, [], TODAY), false_capacity=(4, 2.56e11),
        case_bytes_per_s=4e7,
    )  # fmt: skip
    assert kinds(known) == [FindingKind.FALSE_CAPACITY, FindingKind.WORN, FindingKind.CAPPED]


def test_a_card_that_holds_a_little_less_is_no_fraud():
    """A terabyte of 1,000 or of 1,024: only a tenth missing is a false one."""
    assert kinds(facts(false_capacity=(4, 0.95e12))) == []
    assert kinds(facts(false_capacity=(4, 0.85e12))) == [FindingKind.FALSE_CAPACITY]


def test_quick_in_a_short_test_and_a_tenth_of_it_in_a_long_one():
    """It collapses; one that keeps two thirds doesn't, nor one that stood still for a second."""
    burst = replace(SETTING, kind="burst")
    short = point(1, 9e8, setting=burst, moved=3e10)
    assert kinds(facts([short, point(2, 2e8, slowest_bytes_per_s=9e7)])) == [FindingKind.COLLAPSES]
    assert kinds(facts([short, point(2, 7e8, slowest_bytes_per_s=6e8)])) == []
    assert kinds(facts([short, point(2, 7e8, slowest_bytes_per_s=0.1, stall_s=1.5)])) == []
    real = replace(SETTING, is_simulated=False)
    mixed = [short, point(2, 2e8, slowest_bytes_per_s=9e7, setting=real)]
    assert kinds(facts(mixed)) == []


def test_it_stalls_by_itself_or_beside_its_twins():
    """Half of its runs with a standstill of over a second."""
    runs = [point(n, 4e8, stall_s=9.0 * (n % 2)) for n in range(1, 5)]
    (found,) = findings_of(facts(runs), None, TODAY)
    assert found.kind is FindingKind.STALLS and found.values["stalled"] == 2
    assert kinds(facts([point(1, 4e8, stall_s=9.0)])) == []


def test_dropped_it_is_in_doubt_until_it_is_proved_again():
    """A proof made before says nothing; one made since does."""
    dropped = happened(50, "incident", what="dropped")
    before, after = START + timedelta(days=40), START + timedelta(days=60)
    assert kinds(facts(events=(dropped,), proof_at=before)) == [FindingKind.DOUBTED]
    assert kinds(facts(events=(dropped,), proof_at=after)) == []


def test_a_long_test_is_enough_for_copies_after_a_fall():
    """A working drive is well again by a long write; recorder media needs its take proved."""
    dropped = happened(50, "incident", what="dropped")
    for duty, found in (("working drive", []), ("recorder media", [FindingKind.DOUBTED])):
        unit = Unit("K-10", "d", acceptance=Acceptance(TODAY, duty, True, (1,)))
        since = point(3, 4e8, day=60)
        assert kinds(facts([since], unit=unit, events=(dropped,), seen_on=TODAY)) == found
        assert kinds(
            facts([point(3, 4e8, day=40)], unit=unit, events=(dropped,), seen_on=TODAY)
        ) == [FindingKind.DOUBTED]


def test_overdue_unseen_and_lying_too_long_are_one_thing_each():
    """Lent and late is overdue; on the shelf for over a year unseen; with data on it, worse."""
    lent = happened(600, "lent", to="office", due_on="2026-11-20")
    (found,) = findings_of(facts(events=(lent,), seen_on=date(2025, 1, 1)), None, TODAY)
    assert found.kind is FindingKind.OVERDUE and found.values["days"] == 7
    assert kinds(facts(seen_on=date(2025, 10, 1))) == [FindingKind.NOT_SEEN]
    full = Unit("K-10", "d", used_bytes=1e11)
    assert kinds(facts(unit=full, seen_on=date(2025, 10, 1))) == [FindingKind.LIES_TOO_LONG]


def test_a_retired_one_only_asks_how_it_was_wiped():
    """Whatever else is wrong with it; with a note it is quiet."""
    old = Unit("K-10", "d", state="retired", written_bytes=6e14)
    wear = wear_ahead(old, DRIVE, [], TODAY)
    assert kinds(facts(unit=old, wear=wear)) == [FindingKind.NOT_WIPED]
    wiped = happened(700, "retired", wiped="overwritten once")
    assert kinds(facts(unit=old, wear=wear, events=(wiped,))) == []


def test_old_proofs_warranty_and_heat():
    """Each by its own rule: needed and old; within sixty days; five kelvin hotter for sure."""
    made = datetime(2025, 9, 1, tzinfo=START.tzinfo)
    assert kinds(facts(proof_at=made, proof_days=455, needed_by="camera A")) == [
        FindingKind.PROOF_OLD
    ]
    assert kinds(facts(proof_at=made, proof_days=None)) == []
    bought = happened(0, "bought", warranty_until="2026-12-31")
    assert kinds(facts(events=(bought,))) == [FindingKind.WARRANTY_ENDS]
    hot = [point(n, 4e8 + n, hottest_c=50 + n / 99 + 9 * (n > 8)) for n in range(1, 17)]
    assert kinds(facts(hot)) == [FindingKind.HOTTER]


def test_every_kind_has_its_harm():
    """None falls out of the order of harm."""
    for kind in FindingKind:
        assert Harm.PICTURES <= Finding(kind, "X").harm <= Harm.MONEY
