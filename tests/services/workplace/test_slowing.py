"""A unit that became slower is slower in every verdict, by one rule, until it is calibrated."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from types import SimpleNamespace

import pytest

from vastcellar.core.cellar.findings import FindingKind
from vastcellar.core.evidence import Verdict
from vastcellar.core.parts.acceptance import Acceptance
from vastcellar.core.parts.parts import no_faster_than
from vastcellar.core.parts.units import Slowed, Unit
from vastcellar.core.shoot.shoot import Setup
from vastcellar.core.units import PLAIN
from vastcellar.services.cellar.still_holds import held_by, held_words
from vastcellar.services.cellar.unit_memory import UnitMemory
from vastcellar.services.match.judging import chain_of, judge_camera
from vastcellar.services.match.matching import find_for, setup_for_unit
from vastcellar.services.workplace.slowing import since_slowed, slowed
from vastcellar.services.workplace.workplace import Shelf, open_workplace
from vastcellar.store.run_record import RunRecord

BEGIN = datetime(2025, 1, 6, tzinfo=UTC)
UNIT = Unit("K-10", "kelmarsh-flat-2", "drumlin-flat")


def run(number, rate, *, kind="write", simulated=False, **changes):
    """A long write of the unit in month *number*."""
    figures = {"write": {"bytes_per_s": rate, "moved_bytes": 4e11, "longest_stall_s": 0.1,
                         "slowest_second_bytes": rate * 0.9, "stall_count": 0,
                         "hottest_c": 50.0}, "read": None, "diagnosis": None}  # fmt: skip
    conditions = {"drive_key": UNIT.drive_key, "enclosure_key": "drumlin-flat",
                  "host_key": "h", "port_key": "p", "mode_key": "usb-5g",
                  "write_mode": "direct", **changes}  # fmt: skip
    at = BEGIN + timedelta(days=30 * number)
    return RunRecord("K-10", kind, at, simulated, True, conditions, figures, number + 1)


def history(*rates, **changes):
    """Runs of these rates, newest first, as a shelf has them."""
    wobble = (0.0, 0.004, -0.003, 0.002, -0.004)
    made = [run(n, r * (1 + wobble[n % 5]), **changes) for n, r in enumerate(rates)]
    return tuple(reversed(made))


SLOWER = history(*[430e6] * 8, *[300e6] * 8)
STEADY = history(*[430e6] * 16)


def test_a_sure_step_down_is_found_with_what_it_writes_now():
    """Eight runs at 430 and eight at 300 MB/s: 300 since the ninth; steady or faster: nothing."""
    found = slowed(UNIT, SLOWER, is_demo=False)
    assert found.bytes_per_s == pytest.approx(300e6, rel=0.01)
    assert found.was_bytes_per_s == pytest.approx(430e6, rel=0.01)
    assert found.since == BEGIN + timedelta(days=240)
    assert slowed(UNIT, STEADY, is_demo=False) is None
    assert slowed(UNIT, history(*[300e6] * 8, *[430e6] * 8), is_demo=False) is None
    assert slowed(UNIT, SLOWER[-8:], is_demo=False) is None


@pytest.mark.parametrize(
    "changes", [{"simulated": True}, {"kind": "trace"}, {"drive_key": "torvane-t2-2"}]
)
def test_what_says_nothing_of_it_slows_nothing(changes):
    """Rehearsals, another program's traces, runs of another module under its tag."""
    assert slowed(UNIT, history(*[430e6] * 8, *[300e6] * 8, **changes), is_demo=False) is None


def test_calibrated_since_it_counts_by_its_own_model():
    """A fit that was made after it became slower knows it already; an older one doesn't."""
    late = replace(UNIT, fitted_at=BEGIN + timedelta(days=500))
    early = replace(UNIT, fitted_at=BEGIN + timedelta(days=100))
    assert slowed(late, SLOWER, is_demo=False) is None
    assert slowed(early, SLOWER, is_demo=False) is not None


def test_every_verdict_knows_it_and_all_say_the_same(slipway, catalog):
    """Chain, verdict, candidate row and Cellar: none of them has it faster than it writes now."""
    unit = replace(UNIT, slowed=Slowed(300e6, 430e6, BEGIN))
    setup = Setup(UNIT.drive_key, "maro-4", "usb-c", "K-10", "drumlin-flat", "wr-10g")
    camera = replace(slipway.camera("B"), setup=setup)
    before, after = Shelf((UNIT,)), Shelf((unit,))
    was, now = (chain_of(setup, catalog, shelf, 24.0) for shelf in (before, after))
    assert was.at_first_bytes_per_s > 400e6
    assert now.at_first_bytes_per_s == now.lasting_bytes_per_s == 300e6
    assert "became slower" in now.parts.basis
    judged = judge_camera(slipway, camera, catalog, after)
    need = judged.need.needed_write_bytes_per_s
    assert judged.margin == pytest.approx(300e6 / need - 1)
    assert judge_camera(slipway, camera, catalog, before).margin > judged.margin
    table = find_for(slipway, camera, [catalog.host("maro-4")], catalog, after).table
    rows = [row for row in range(len(table)) if table.unit(row) is not None]
    assert rows and all(table.margin[row] <= judged.margin + 1e-9 for row in rows)


def test_shelf_and_findings_agree_on_who_became_slower(places):
    """Read from a cellar: the unit that the Cellar says is slower is the one that verdicts have
    slower, by the same figure, also where somebody looked after the finding."""
    opened = open_workplace(places=places)
    opened.cellar.save_units((UNIT,))
    for each in reversed(SLOWER):
        opened.cellar.add_run(each, "")
    accepted = Acceptance(BEGIN.date() + timedelta(days=210), "recorder media", True, (1, 2, 3))
    opened.cellar.change_unit(UNIT, replace(UNIT, acceptance=accepted))
    shelf = opened.shelf()
    known = UnitMemory().remember(
        shelf, opened.catalog, BEGIN.date() + timedelta(days=500), is_demo=False
    )
    (found,) = [each for each in known.of("K-10") if each.kind is FindingKind.SLOWER]
    unit = shelf.unit("K-10")
    assert unit.slowed.bytes_per_s == pytest.approx(300e6, rel=0.01)
    assert found.values["share"] == pytest.approx(
        unit.slowed.bytes_per_s / unit.slowed.was_bytes_per_s - 1
    )
    opened.close()


def test_no_rate_of_a_slower_drive_is_above_what_it_writes_now(catalog):
    """Cache, after it, folding, throttled: all at most that; what is slower stays as it is."""
    writes = catalog.drive("torvane-t2-2").writes
    capped = no_faster_than(writes, 500e6)
    assert capped.cache_write_bytes_per_s == 500e6
    assert capped.direct_write_bytes_per_s == min(writes.direct_write_bytes_per_s, 500e6)
    assert all(stage.cap_bytes_per_s <= 500e6 for stage in capped.throttle)
    assert no_faster_than(writes, 1e12) == writes


def test_what_it_still_holds_is_what_match_says_camera_by_camera(slipway, catalog):
    """Of the cameras that it connects to: at 300 MB/s B with its margin and not A; a card that no
    camera takes holds nothing, and nothing is said."""
    unit = replace(UNIT, slowed=Slowed(250e6, 430e6, BEGIN))
    shelf = Shelf((unit,))
    held = {each.camera_key: each for each in held_by(unit, slipway, catalog, shelf)}
    assert set(held) == {"A", "B"}  # the others have slots for cards
    for key, each in held.items():
        camera = slipway.camera(key)
        setup = setup_for_unit(slipway, camera, unit, catalog, shelf)
        judged = judge_camera(slipway, replace(camera, setup=setup), catalog, shelf)
        assert (each.verdict, each.margin) == (judged.verdict, judged.margin)
    assert held["A"].verdict is Verdict.FALLS_SHORT and held["B"].verdict is Verdict.HOLDS
    words = held_words(tuple(held.values()), slipway.name, PLAIN)
    assert words.startswith("In Slipway it still holds B (+") and "too full for A." in words
    assert held_words((), "Slipway", PLAIN) == ""


def test_what_was_proved_before_it_became_slower_is_no_proof_any_more():
    """A take that it held then is dropped, one that it held since counts, and another unit's
    proofs stay as they are."""
    unit = replace(UNIT, slowed=Slowed(300e6, 430e6, BEGIN + timedelta(days=240)))
    early, late, other = (
        SimpleNamespace(unit_tag=tag, measured_at=BEGIN + timedelta(days=days))
        for tag, days in (("K-10", 200), ("K-10", 250), ("K-11", 200))
    )
    assert since_slowed([early, late, other], [unit, Unit("K-11", "x")]) == (late, other)
    assert since_slowed([early], [UNIT]) == (early,)
