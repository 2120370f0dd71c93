"""Acceptance: the tests a unit has to pass for its duty, what came of them, and its answer."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date
from enum import StrEnum
from typing import Any

from vastcellar.core.diagnosis.causes import Cause
from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.acceptance import DUTIES, Acceptance
from vastcellar.core.parts.units import Unit
from vastcellar.core.units import NumberFormat
from vastcellar.services.runs.doubt import run_doubt
from vastcellar.services.runs.failing import has_failed
from vastcellar.services.runs.run_rows import run_rows
from vastcellar.services.workplace.run_records import RECORDER, run_conditions
from vastcellar.services.workplace.workplace import Shelf, Workplace
from vastcellar.store.run_record import RunRecord


class Outcome(StrEnum):
    """What came of a test. That a made one was hard enough for the day is for people to say."""

    OPEN = "not made yet"
    MADE = "made"
    FAILED = "failed"


@dataclass(frozen=True, slots=True)
class AcceptanceTest:
    """A test that a duty asks for; *kind* is what its runs are kept as."""

    kind: str
    words: str


@dataclass(frozen=True, slots=True)
class AcceptanceStep:
    """A test of the duty, and the newest run that answers it."""

    test: AcceptanceTest
    outcome: Outcome
    said: str
    run_id: int = 0
    """0 where it is open."""
    is_simulated: bool = False
    mend: str = ""
    """What would mend a failed one."""


_CAPACITY = AcceptanceTest("capacity", "Capacity proof: does it hold what it says?")
_FLAT = AcceptanceTest("write", "Flat-out write until it is steady")
_BY_DUTY = {
    "recorder media": (
        AcceptanceTest(RECORDER, "Recorder test, a full-length take, warm from a first one"),
    ),
    "working drive": (
        _FLAT,
        AcceptanceTest("offload", "Offload test with clips of the day"),
    ),
    "edit storage": (AcceptanceTest("edit", "Edit test, with the streams of the timeline"),),
}
_ELSEWHERE = "by another cable, port and case; if it stays, the drive itself is broken"
_MENDS = {
    "capacity": "nothing mends a false capacity: give it back",
    "write": f"write and read it again {_ELSEWHERE}",
    "offload": f"copy again {_ELSEWHERE}",
    "edit": "fewer streams, proxies, or a faster way to it: Match shows what limits",
}
_MENDS_BY_CAUSE = {
    Cause.THERMAL: "a pad that touches, a case with fins or a fan: Build shows what each gains",
    Cause.CACHE: "a shorter take on an emptied drive, or one that writes faster past its cache",
    Cause.LINK: "a faster port, cable or case: Match shows what limits",
    Cause.INCONSISTENT: "nothing: give this sample back",
}
_ANY_DROPPED = "a lighter format or a faster drive: Prove shows what slowed it"


def mend_of(kind: str, flat: dict[str, Any]) -> str:
    """Return what would mend a failed test of *kind*.

    A take that lost frames doesn't tell why: *flat* are the figures of the unit's newest flat-out
    run, whose diagnosis does; empty where there is none.
    """
    if kind != RECORDER:
        return _MENDS[kind]
    causes = (flat.get("diagnosis") or {}).get("causes") or ()
    known = (mend for cause, mend in _MENDS_BY_CAUSE.items() if cause in causes)
    return next(known, _ANY_DROPPED)


def acceptance_tests(duty: str, *, is_seller_unknown: bool) -> tuple[AcceptanceTest, ...]:
    """Return the tests that a unit has to pass before it goes into service for *duty*.

    Raises BadValueError for another duty.
    """
    if duty not in _BY_DUTY:
        raise BadValueError(
            f"no duty is called {duty!r}", where="duty", mend=f"Use one of {', '.join(DUTIES)}"
        )
    return (*((_CAPACITY,) if is_seller_unknown else ()), *_BY_DUTY[duty])


def acceptance_steps(
    tests: Sequence[AcceptanceTest],
    workplace: Workplace,
    shelf: Shelf,
    unit: Unit,
    fmt: NumberFormat,
) -> tuple[AcceptanceStep, ...]:
    """Return what came of each of *tests* on *unit*: its newest run of that kind that counts.

    A rehearsal on a rig answers nothing, nor does a run on another device than the unit's; one
    that was cut short answers only where it had failed by then.
    """
    return tuple(_step(each, workplace, shelf, unit, fmt) for each in tests)


def _step(
    test: AcceptanceTest, workplace: Workplace, shelf: Shelf, unit: Unit, fmt: NumberFormat
) -> AcceptanceStep:
    newest = _newest(test, workplace, shelf, unit)
    if newest is None:
        return AcceptanceStep(test, Outcome.OPEN, Outcome.OPEN.value)
    is_failed = has_failed(test.kind, newest.figures)
    outcome = Outcome.FAILED if is_failed else Outcome.MADE
    said = _said(newest, fmt, workplace.rig_word)
    mend = ""
    if is_failed:
        flat = _newest(_FLAT, workplace, shelf, unit)
        mend = mend_of(test.kind, flat.figures if flat else {})
    return AcceptanceStep(test, outcome, said, newest.run_id, newest.is_simulated, mend)


def _newest(
    test: AcceptanceTest, workplace: Workplace, shelf: Shelf, unit: Unit
) -> RunRecord | None:
    """Return the newest run of that kind that tells anything of *unit*."""
    answers = [each for each in shelf.records if _answers(each, test, workplace, shelf, unit)]
    return max(answers, key=lambda run: (run.measured_at, run.run_id), default=None)


def _answers(
    run: RunRecord, test: AcceptanceTest, workplace: Workplace, shelf: Shelf, unit: Unit
) -> bool:
    if (run.unit_tag, run.kind) != (unit.tag, test.kind):
        return False
    if run.kind == RECORDER:  # what stands of those is one rule, with the verdicts
        proof = shelf.standing_proofs.get(unit.tag)
        return proof is not None and proof.run_id == run.run_id
    if run.is_simulated and not workplace.is_demo:
        return False
    if run_doubt(unit, run_conditions(run, workplace.catalog)):
        return False
    return run.is_complete or has_failed(run.kind, run.figures)


def _said(run: RunRecord, fmt: NumberFormat, rig_word: str) -> str:
    """Say a run as the cellar's own table says it."""
    when, _what, rate, size, found, _slowest, number = run_rows(
        [run], run.unit_tag, fmt, rig_word=rig_word
    )[0]
    rate = "" if rate == "–" else rate
    how = rig_word if run.is_simulated else ""
    facts = ", ".join(each for each in (rate, size, found, how) if each)
    return f"run {number} of {when}: {facts}"


def waiting(steps: Sequence[AcceptanceStep]) -> tuple[AcceptanceStep, ...]:
    """Return what still stands between a unit and its service: tests open, or failed."""
    return tuple(each for each in steps if each.outcome is not Outcome.MADE)


def put_in_service(unit: Unit, duty: str, steps: Sequence[AcceptanceStep], today: date) -> Unit:
    """Return *unit* as it goes into service for *duty*, with these runs as its baseline.

    Raises BadValueError while one of the tests is open or has failed.
    """
    for each in waiting(steps):
        raise BadValueError(
            f"{each.test.words.partition(',')[0].partition(':')[0].lower()}: {each.outcome}",
            where=f"unit {unit.tag}",
            mend="Make the test in Prove, or refuse the unit",
        )
    made = Acceptance(
        today,
        duty,
        is_in_service=True,
        baseline_run_ids=tuple(each.run_id for each in steps),
        simulated_run_ids=tuple(each.run_id for each in steps if each.is_simulated),
    )
    return replace(unit, state="ready", acceptance=made)


def refuse(unit: Unit, duty: str, steps: Sequence[AcceptanceStep], today: date) -> Unit:
    """Return *unit* refused for *duty*: what failed is the reason, with what would mend it.

    It stands in doubt until another decision.
    """
    failed = [each for each in steps if each.outcome is Outcome.FAILED]
    made = Acceptance(
        today,
        duty,
        is_in_service=False,
        reasons=tuple(each.said for each in failed),
        mends=tuple(each.mend for each in failed),
    )
    return replace(unit, state="in doubt", acceptance=made)
