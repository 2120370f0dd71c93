"""Acceptance: what a duty asks for, which runs answer it, and what the unit says afterwards."""

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import pytest

from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.acceptance import DUTIES, Acceptance
from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.core.units import PLAIN
from vastcellar.services.build.acceptance import (
    _FLAT,
    Outcome,
    _newest,
    acceptance_steps,
    acceptance_tests,
    mend_of,
    put_in_service,
    refuse,
    waiting,
)
from vastcellar.services.words.acceptance_wording import acceptance_words
from vastcellar.services.workplace.own_units import checked_unit
from vastcellar.services.workplace.workplace import Shelf, open_workplace
from vastcellar.store.run_record import RunRecord

TODAY = date(2026, 11, 27)
DEVICE = DeviceIdentity("Fin", "DF10-00417", 2_000_000_000_000, "")
WRITE = {"bytes_per_s": 4e8, "moved_bytes": 1e11, "slowest_second_bytes": 3.9e8}


@pytest.fixture
def own(places):
    """A cellar of real drives."""
    opened = open_workplace(places=places)
    yield opened
    opened.close()


@pytest.fixture
def unit(shelf):
    """A unit that is bound to its device."""
    return replace(shelf.units[0], tag="K-07", device=DEVICE, note="")


def run(number, kind="write", device=DEVICE, **changes):
    """Return a real run on *device*, number *number*, with the figures of its kind."""
    wrong = changes.pop("wrong", 0)
    figures = {
        "write": WRITE,
        "read": {"wrong_blocks": wrong, "bytes_per_s": 4e8},
        "different": ["clip 1"] * wrong,
        "limit": "drive",
        "most_streams": 4 - wrong,
        "plan": {"streams": 4},
    }
    conditions = {"device_model": device.model, "device_serial": device.serial,
                  "device_size_bytes": device.size_bytes}  # fmt: skip
    record = RunRecord("K-07", kind, datetime(2026, 11, 1, tzinfo=UTC) + timedelta(hours=number),
                       False, True, conditions, figures, run_id=number)  # fmt: skip
    return replace(record, **changes)


def steps_of(workplace, unit, *records, duty="working drive", is_seller_unknown=False):
    """Return what came of the tests of *duty* on *unit*."""
    tests = acceptance_tests(duty, is_seller_unknown=is_seller_unknown)
    return acceptance_steps(tests, workplace, Shelf((unit,), records=records), unit, PLAIN)


def test_each_duty_has_its_proofs():
    """An unknown seller's drive shows first that it holds what it says."""
    for duty in DUTIES:
        plain = acceptance_tests(duty, is_seller_unknown=False)
        asked = acceptance_tests(duty, is_seller_unknown=True)
        assert plain and asked[1:] == plain and asked[0].kind == "capacity"
    with pytest.raises(BadValueError, match="no duty is called 'x'"):
        acceptance_tests("x", is_seller_unknown=False)


def test_a_unit_goes_into_service_with_its_runs_as_the_baseline(own, unit):
    """Not before every test is made; then state and note say which runs it was."""
    half = steps_of(own, unit, run(3))
    assert [step.outcome for step in half] == [Outcome.MADE, Outcome.OPEN]
    with pytest.raises(BadValueError, match="offload test with clips of the day: not made yet"):
        put_in_service(unit, "working drive", half, TODAY)
    steps = steps_of(own, unit, run(3), run(5, "offload"))
    assert "400.0 MB/s, 100 GB" in steps[0].said and steps[0].run_id == 3
    served = put_in_service(replace(unit, state="in doubt"), "working drive", steps, TODAY)
    assert served.state == "ready"
    assert served.acceptance.baseline_run_ids == (3, 5) and served.note == ""
    words = acceptance_words(served.acceptance)
    assert words == "in service since 2026-11-27 as working drive, baseline: run 3, 5"


@pytest.mark.parametrize(
    ("kind", "duty", "is_seller_unknown"),
    [("write", "working drive", False), ("offload", "working drive", False),
     ("edit", "edit storage", False), ("capacity", "edit storage", True)],
)  # fmt: skip
def test_what_failed_keeps_it_out_and_is_the_reason(own, unit, kind, duty, is_seller_unknown):
    """A block that came back wrong, a clip that differs, a stream too few: refused, in doubt."""
    steps = steps_of(
        own, unit, run(7, kind, wrong=1), duty=duty, is_seller_unknown=is_seller_unknown
    )
    failed = next(step for step in steps if step.test.kind == kind)
    assert failed.outcome is Outcome.FAILED
    with pytest.raises(BadValueError, match="failed"):
        put_in_service(unit, duty, [failed], TODAY)
    refused = refuse(unit, duty, steps, TODAY)
    assert refused.state == "in doubt"
    assert refused.acceptance.reasons == (failed.said,)
    assert refused.acceptance.mends == (failed.mend,) and failed.mend
    words = acceptance_words(refused.acceptance)
    assert words == f"refused 2026-11-27 as {duty}: {failed.said}; to mend it: {failed.mend}"
    later = steps_of(own, unit, run(7, kind, wrong=1), run(8, kind),
                     duty=duty, is_seller_unknown=is_seller_unknown)  # fmt: skip
    assert next(step for step in later if step.test.kind == kind).outcome is Outcome.MADE


@pytest.mark.parametrize(
    "other",
    [
        run(9, device=DeviceIdentity("Fin", "DF10-00999", 2_000_000_000_000, "")),
        run(9, is_simulated=True),
        run(9, is_complete=False),
        run(9, conditions={"is_in_memory": True}),
        run(9, unit_tag="K-08"),
        run(9, kind="burst"),
    ],
    ids=["another device", "a rehearsal", "cut short", "in memory", "another unit", "another test"],
)
def test_what_is_no_run_of_this_drive_answers_nothing(own, unit, other):
    """A later run that proves nothing of the unit neither answers nor covers an earlier one."""
    assert steps_of(own, unit, other)[0].outcome is Outcome.OPEN
    assert steps_of(own, unit, run(3), other)[0].run_id == 3


def test_a_rigs_baseline_says_for_ever_that_it_was_simulated(workplace, unit):
    """In a demo a rig stands for the drive; the note tells it, wherever it is read later."""
    runs = (run(3, is_simulated=True), run(5, "offload", is_simulated=True))
    steps = steps_of(workplace, unit, *runs)
    assert not waiting(steps) and all("simulated" in step.said for step in steps)
    served = put_in_service(unit, "working drive", steps, TODAY)
    assert acceptance_words(served.acceptance).endswith("run 3 (simulated), 5 (simulated)")


def test_one_that_was_cut_short_after_it_failed_still_failed(own, unit):
    """Stopping a run doesn't undo what had come back wrong by then."""
    steps = steps_of(own, unit, run(4), run(9, is_complete=False, wrong=1))
    assert steps[0].outcome is Outcome.FAILED and steps[0].run_id == 9


def test_a_decision_against_a_unit_needs_no_failed_test(own, unit):
    """Refused by hand: it says that no test failed, and the note stays as it stood."""
    refused = refuse(replace(unit, note="loose plug"), "edit storage", (), TODAY)
    assert refused.note == "loose plug"
    assert acceptance_words(refused.acceptance) == (
        "refused 2026-11-27 as edit storage: by decision, no test failed"
    )


@pytest.mark.parametrize(
    ("causes", "word"),
    [(["thermal"], "fins"), (["cache"], "emptied"), (["link"], "faster port"),
     (["inconsistent"], "give this sample back"), (["cache", "thermal"], "fins"),
     (["cannot_tell"], "lighter format"), ([], "lighter format")],
)  # fmt: skip
def test_lost_frames_are_mended_by_what_caused_them(causes, word):
    """Heat by a cooler case, a full cache by another drive, as the unit's newest flat-out run
    tells it; where nobody can tell, by less."""
    assert word in mend_of("recorder", {"diagnosis": {"causes": causes}})
    assert mend_of("recorder", {"diagnosis": None}) == mend_of("recorder", {})


def test_the_decision_comes_back_from_the_cellar_as_it_was_made(own, unit):
    """Kept and read again in a cellar of its own: every field; another window's note stays."""
    kept = replace(unit, device=None)
    own.cellar.add_unit(kept)
    served = put_in_service(kept, "working drive",
                            steps_of(own, unit, run(3), run(5, "offload")), TODAY)  # fmt: skip
    own.cellar.change_unit(kept, replace(kept, note="seen by another window"))
    own.cellar.change_unit(kept, served)
    (found,) = own.cellar.units()
    assert found.acceptance == served.acceptance
    assert found.note == "seen by another window"
    refused = refuse(found, "working drive", steps_of(own, unit, run(7, wrong=1)), TODAY)
    own.cellar.change_unit(found, refused)
    assert own.cellar.units()[0].acceptance == refused.acceptance


@pytest.mark.parametrize(
    "changes",
    [{"duty": "paperweight"}, {"is_in_service": True, "baseline_run_ids": ()},
     {"is_in_service": True, "reasons": ("a block came back wrong",)}],
    ids=["no duty", "no baseline", "with a failure"],
)  # fmt: skip
def test_no_unit_is_in_service_by_nothing(changes):
    """An unknown duty, no run, or one that failed: such a decision can't be made."""
    good = Acceptance(TODAY, "working drive", is_in_service=True, baseline_run_ids=(3,))
    with pytest.raises(BadValueError):
        replace(good, **changes)


def test_a_take_that_lost_frames_is_mended_by_what_the_flat_out_run_showed(own, unit):
    """A recorder run keeps no cause of its own: that of the newest flat-out run of this very
    device is asked, and no other's."""
    hot = {"diagnosis": {"causes": ["thermal"]}, "read": None, **WRITE}
    full = {"diagnosis": {"causes": ["cache"]}, "read": None, **WRITE}
    other = DeviceIdentity("Fin", "DF10-00999", 2_000_000_000_000, "")
    lost = run(9, "recorder")
    lost = replace(lost, figures={**lost.figures, "frames_dropped": 3, "frames_late": 0})
    records = (run(3, figures=hot), run(5, figures=full, device=other), lost)
    shelf = Shelf((unit,), records=records)
    found = _newest(_FLAT, own, shelf, unit)
    assert found.run_id == 3
    assert "fins" in mend_of("recorder", found.figures)
    assert _newest(_FLAT, own, Shelf((unit,)), unit) is None


@pytest.mark.parametrize("changes", [{"drive_key": "torvane-t2-1"}, {"enclosure_key": ""}])
def test_other_parts_are_not_in_service_by_the_old_ones_runs(own, catalog, unit, changes):
    """Another drive or case under the same tag: the decision goes; another note leaves it."""
    accepted = Acceptance(TODAY, "working drive", is_in_service=True, baseline_run_ids=(3,))
    before = replace(unit, drive_key="torvane-t2-2", enclosure_key="drumlin-fin",
                     used_bytes=0.0, acceptance=accepted)  # fmt: skip
    shelf = Shelf((before,))
    same = checked_unit(replace(before, note="loose"), catalog, shelf, before)
    assert same.acceptance == accepted
    assert checked_unit(replace(before, **changes), catalog, shelf, before).acceptance is None


def test_another_device_is_not_in_service_by_the_runs_of_the_one_before(own, unit):
    """Released and bound anew: what was decided was of the device before; binding the same one
    again changes nothing."""
    accepted = Acceptance(TODAY, "working drive", is_in_service=True, baseline_run_ids=(3,))
    own.cellar.add_unit(replace(unit, device=None, acceptance=accepted))
    own.cellar.bind_unit("K-07", DEVICE)
    own.cellar.bind_unit("K-07", DEVICE)
    assert own.cellar.units()[0].acceptance == accepted
    own.cellar.bind_unit("K-07", None)
    assert own.cellar.units()[0].acceptance is None


def test_a_store_of_several_disks_is_no_case_of_a_unit(catalog, unit):
    """A unit is one drive: said, and nothing is kept."""
    wrong = replace(unit, drive_key="kelmarsh-dray-4", enclosure_key="sedgeway-loft-2")
    with pytest.raises(BadValueError, match="holds several disks"):
        checked_unit(replace(wrong, tag="K-99", used_bytes=0.0), catalog, Shelf(()))
