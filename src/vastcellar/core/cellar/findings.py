"""What the tool found on the shelf by itself, in the order of the harm it can do."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from enum import IntEnum, StrEnum
from typing import Any

from vastcellar.core.cellar.likeness import RunPoint
from vastcellar.core.cellar.samples import OutOfLine
from vastcellar.core.cellar.story import EventKind, Story, UnitEvent
from vastcellar.core.cellar.trends import STALLS_S, Figure, Trend, UnitTrends, stalls_of
from vastcellar.core.cellar.wear_ahead import WearAhead, lies_too_long
from vastcellar.core.parts.parts import Drive
from vastcellar.core.parts.units import WATCH_WEAR_SHARE, Unit, is_worn


class Harm(IntEnum):
    """What is lost where nobody looks after it, worst first."""

    PICTURES = 1
    FRAMES = 2
    COPY = 3
    MARGIN = 4
    UNIT = 5
    """The unit itself, or that it is missing on a job."""
    MONEY = 6


class FindingKind(StrEnum):
    """What can be found."""

    FALSE_CAPACITY = "false capacity"
    WRONG_BYTES = "wrong bytes"
    """What was read back wasn't what was written."""
    STALLS = "stalls"
    COLLAPSES = "collapses"
    SWAPPED = "swapped"
    """Its label is on another device, or two units are one."""
    DOUBTED = "doubted"
    """An incident after which nothing was proved."""
    SLOWER = "slower"
    SLOWER_ELSEWHERE = "slower elsewhere"
    MAYBE_SLOWER = "maybe slower"
    HOTTER = "hotter"
    WORN = "worn"
    LIES_TOO_LONG = "lies too long"
    OVERDUE = "overdue"
    NOT_SEEN = "not seen"
    PROOF_OLD = "proof old"
    NOT_WIPED = "not wiped"
    WARRANTY_ENDS = "warranty ends"
    CAPPED = "capped"


_HARM = {
    FindingKind.FALSE_CAPACITY: Harm.PICTURES,
    FindingKind.WRONG_BYTES: Harm.PICTURES,
    FindingKind.STALLS: Harm.FRAMES,
    FindingKind.COLLAPSES: Harm.FRAMES,
    FindingKind.SWAPPED: Harm.COPY,
    FindingKind.DOUBTED: Harm.FRAMES,
    FindingKind.SLOWER: Harm.MARGIN,
    FindingKind.SLOWER_ELSEWHERE: Harm.MARGIN,
    FindingKind.MAYBE_SLOWER: Harm.MARGIN,
    FindingKind.HOTTER: Harm.MARGIN,
    FindingKind.WORN: Harm.UNIT,
    FindingKind.LIES_TOO_LONG: Harm.COPY,
    FindingKind.OVERDUE: Harm.UNIT,
    FindingKind.NOT_SEEN: Harm.UNIT,
    FindingKind.PROOF_OLD: Harm.MARGIN,
    FindingKind.NOT_WIPED: Harm.UNIT,
    FindingKind.WARRANTY_ENDS: Harm.MONEY,
    FindingKind.CAPPED: Harm.MONEY,
}
_TRUE_SHARE = 0.9
"""A drive holds a little less than its box says, in other units; never a tenth less."""
_COLLAPSED_SHARE = 1 / 3
"""Of its own rate in a short test, or at its first: less than that it doesn't keep up."""
_CAPPED_SHARE = 0.2
"""Of what the drive could write; a case that carries a quarter is a usual choice."""
NOT_SEEN_DAYS = 365
_LONG_TESTS = ("write", "capacity", "offload")
_WARRANTY_DAYS = 60


@dataclass(frozen=True)
class Finding:
    """One thing about one unit."""

    kind: FindingKind
    tag: str
    values: Mapping[str, Any] = field(default_factory=dict)
    run_ids: tuple[int, ...] = ()
    """The runs that it rests on."""
    mark: str = ""
    """Changes when there is something new to it; looked after, it is quiet until then."""

    @property
    def harm(self) -> Harm:
        """What is lost where nobody looks after it."""
        return _HARM[self.kind]

    @property
    def key(self) -> str:
        """Tells it from others: its kind and unit."""
        return f"{self.kind.value} {self.tag}"


@dataclass(frozen=True)
class UnitFacts:
    """What is known of one unit, for finding something in it."""

    unit: Unit
    drive: Drive
    trends: UnitTrends
    points: tuple[RunPoint, ...] = ()
    """Its runs: of the module that is in it, on the device that it is bound to."""
    of_others: tuple[RunPoint, ...] = ()
    """Runs under its tag that another module or device made: they say nothing of it."""
    story: Story = field(default_factory=Story)
    wear: WearAhead | None = None
    seen_on: date | None = None
    """The last day on which it was certainly there: a run, a copy, something that happened."""
    false_capacity: tuple[int, float] | None = None
    """The newest capacity proof, where it lost all beyond a place; and how much it holds."""
    wrong_bytes: tuple[int, datetime] | None = None
    """The newest run that read back something else, and when."""
    swapped_with: str = ""
    """The unit that is bound to the same device, or whose device this one's should be."""
    device_bytes: float | None = None
    """What the device holds that it is bound to, where its record says something else."""
    case_bytes_per_s: float | None = None
    """What its case's link carries; None without a case, or where that isn't known."""
    proof_at: datetime | None = None
    """Of its newest proof that counts."""
    proof_days: float | None = None
    """How old that is on the day it is needed; None where it isn't needed, or has none."""
    needed_by: str = ""
    """What it is needed for that is to be proved."""


_FINDERS: list[Any] = []


def _finds(function: Any) -> Any:
    _FINDERS.append(function)
    return function


def findings_of(facts: UnitFacts, twins: OutOfLine | None, today: date) -> tuple[Finding, ...]:
    """Return all that is found in one unit, worst first; what was looked after is among it.

    Of a retired unit only that nobody noted how it was wiped.
    """
    if facts.unit.state == "retired":
        return tuple(_not_wiped(facts))
    found = [each for find in _FINDERS for each in find(facts, twins, today)]
    return in_order(found)


def in_order(found: Sequence[Finding]) -> tuple[Finding, ...]:
    """Return *found* by harm, then by tag."""
    kinds = list(FindingKind)
    return tuple(sorted(found, key=lambda each: (each.harm, kinds.index(each.kind), each.tag)))


def is_quiet(finding: Finding, story: Story) -> bool:
    """Return whether somebody looked after *finding*, and nothing is new to it since."""
    return any(
        each.text("finding") == finding.kind.value and each.text("mark") == finding.mark
        for each in story.of(EventKind.LOOKED_AFTER)
    )


@_finds
def _false_capacity(facts: UnitFacts, _twins: OutOfLine | None, _today: date) -> list[Finding]:
    if facts.false_capacity is None:
        return []
    run_id, holds = facts.false_capacity
    sold = facts.drive.capacity_bytes
    if holds >= sold * _TRUE_SHARE:
        return []
    values = {"holds_bytes": holds, "sold_bytes": float(sold)}
    return [Finding(FindingKind.FALSE_CAPACITY, facts.unit.tag, values, (run_id,), str(run_id))]


@_finds
def _wrong_bytes(facts: UnitFacts, _twins: OutOfLine | None, _today: date) -> list[Finding]:
    if facts.wrong_bytes is None:
        return []
    run_id, at = facts.wrong_bytes
    if facts.false_capacity is not None and facts.false_capacity[0] == run_id:
        return []  # what lies beyond its end isn't there: said as that
    return [Finding(FindingKind.WRONG_BYTES, facts.unit.tag, {"at": at}, (run_id,), str(run_id))]


@_finds
def _stalls(facts: UnitFacts, twins: OutOfLine | None, _today: date) -> list[Finding]:
    tag = facts.unit.tag
    trend = facts.trends.of(Figure.STALL)
    if twins is not None and twins.stalls:
        values: dict[str, Any] = {
            "longest_s": twins.longest_stall_s, "runs": twins.runs, "stalled": twins.stalled_runs,
            "twins": twins.twins, "twin_runs": twins.twin_runs,
            "twin_stalled": twins.twin_stalled_runs,
        }  # fmt: skip
        return [Finding(FindingKind.STALLS, tag, values, twins.run_ids, str(max(twins.run_ids)))]
    if trend is not None and trend.change is not None and trend.now > trend.baseline:
        return [_of_trend(FindingKind.STALLS, tag, trend, {"longest_s": max(trend.values)})]
    stalled, count = stalls_of(facts.points)
    if stalled >= 2 and stalled * 2 >= count:
        ids = tuple(each.run_id for each in facts.points)
        longest = max(each.stall_s for each in facts.points)
        values = {"longest_s": longest, "runs": count, "stalled": stalled}
        return [Finding(FindingKind.STALLS, tag, values, ids, str(max(ids)))]
    return []


@_finds
def _collapses(facts: UnitFacts, _twins: OutOfLine | None, _today: date) -> list[Finding]:
    short = [e for e in facts.points if e.setting.kind == "burst" and e.bytes_per_s]
    long = [e for e in facts.points if e.setting.kind == "write" and e.slowest_bytes_per_s]
    if not short or not long or short[-1].setting.is_simulated != long[-1].setting.is_simulated:
        return []
    quick, slow = short[-1], long[-1]
    at_first, at_last = float(quick.bytes_per_s or 0), float(slow.slowest_bytes_per_s or 0)
    if at_last >= at_first * _COLLAPSED_SHARE or slow.stall_s >= STALLS_S:
        return []  # a second without a byte is a stall, and said as one
    values = {"first_bytes_per_s": at_first, "last_bytes_per_s": at_last,
              "room_bytes": slow.moved_bytes}  # fmt: skip
    ids = (quick.run_id, slow.run_id)
    return [Finding(FindingKind.COLLAPSES, facts.unit.tag, values, ids, str(slow.run_id))]


@_finds
def _swapped(facts: UnitFacts, _twins: OutOfLine | None, _today: date) -> list[Finding]:
    if not facts.swapped_with and facts.device_bytes is None:
        return []
    values = {
        "with": facts.swapped_with, "device_bytes": facts.device_bytes,
        "record_bytes": float(facts.drive.capacity_bytes),
    }  # fmt: skip
    mark = f"{facts.swapped_with} {facts.device_bytes or 0:.0f}"
    return [Finding(FindingKind.SWAPPED, facts.unit.tag, values, (), mark)]


@_finds
def _doubted(facts: UnitFacts, _twins: OutOfLine | None, _today: date) -> list[Finding]:
    event = facts.story.doubted_since()
    if event is None or (facts.proof_at is not None and facts.proof_at > event.at):
        return []
    accepted = facts.unit.acceptance
    if accepted is not None and accepted.duty != "recorder media" and any(
        each.at > event.at and each.bytes_per_s and each.setting.kind in _LONG_TESTS
        for each in facts.points
    ):  # fmt: skip
        return []  # copies and editing ask for a long test, not for a take
    values = {"what": event.text("what"), "day": event.day}
    return [Finding(FindingKind.DOUBTED, facts.unit.tag, values, (), event.at.isoformat())]


@_finds
def _slower(facts: UnitFacts, twins: OutOfLine | None, _today: date) -> list[Finding]:
    tag, trend = facts.unit.tag, facts.trends.of(Figure.RATE)
    if trend is not None and trend.change is not None and trend.share < 0:
        return [_of_trend(FindingKind.SLOWER, tag, trend, _around(facts.story, trend))]
    elsewhere = facts.trends.elsewhere
    if elsewhere is not None and elsewhere.by.share < 0:
        values = {"share": elsewhere.by.share, "differs": elsewhere.differs,
                  "count": len(elsewhere.points), "since": elsewhere.points[0].at}  # fmt: skip
        ids = tuple(each.run_id for each in elsewhere.points)
        mark = f"{ids[0]} {elsewhere.by.share:.1f}"
        return [Finding(FindingKind.SLOWER_ELSEWHERE, tag, values, ids, mark)]
    if twins is not None and not twins.stalls:
        values = {"share": twins.share, "twins": twins.twins, "count": twins.runs}
        mark = str(max(twins.run_ids))
        return [Finding(FindingKind.SLOWER, tag, values, twins.run_ids, mark)]
    if trend is not None and trend.maybe is not None and trend.maybe.share < 0:
        maybe = trend.maybe
        values = {"share": maybe.share, "chance": maybe.chance,
                  "since": trend.points[maybe.index].at,
                  "before_bytes_per_s": maybe.before, "after_bytes_per_s": maybe.after}  # fmt: skip
        ids = tuple(each.run_id for each in trend.points)
        return [Finding(FindingKind.MAYBE_SLOWER, tag, values, ids, str(max(ids)))]
    return []


@_finds
def _hotter(facts: UnitFacts, _twins: OutOfLine | None, _today: date) -> list[Finding]:
    trend = facts.trends.of(Figure.HEAT)
    if trend is None or trend.change is None or trend.now <= trend.baseline:
        return []
    return [_of_trend(FindingKind.HOTTER, facts.unit.tag, trend, _around(facts.story, trend))]


def _of_trend(kind: FindingKind, tag: str, trend: Trend, more: Mapping[str, Any]) -> Finding:
    assert trend.change is not None
    values = {
        "share": trend.share, "sure_share": trend.sure_share, "baseline": trend.baseline,
        "now": trend.now, "baseline_count": trend.baseline_count, "now_count": trend.now_count,
        "between": trend.between, "is_drift": trend.change.is_drift, **more,
    }  # fmt: skip
    ids = tuple(each.run_id for each in trend.points)
    # New is another level, not one more run on the same one.
    first_after = trend.points[trend.change.index].run_id
    return Finding(kind, tag, values, ids, f"{first_after} {trend.share:.1f}")


def _around(story: Story, trend: Trend) -> dict[str, Any]:
    """Return what happened while the figure changed: what may stand behind it."""
    between = trend.between
    events: tuple[UnitEvent, ...] = story.between(*between) if between else ()
    told = tuple(each for each in events if each.kind is not EventKind.LOOKED_AFTER)
    return {"events": told}


@_finds
def _worn(facts: UnitFacts, _twins: OutOfLine | None, today: date) -> list[Finding]:
    wear = facts.wear
    if wear is None or wear.used_share < WATCH_WEAR_SHARE:
        return []
    ends_on = None
    if wear.per_month_bytes:
        months = wear.bytes_left / wear.per_month_bytes
        ends_on = date.fromordinal(today.toordinal() + round(min(months, 1200) * 365.25 / 12))
    values = {"share": wear.used_share, "ends_on": ends_on, "is_nearly": is_worn(wear.used_share),
              "is_by_drive": wear.is_by_drive}  # fmt: skip
    return [Finding(FindingKind.WORN, facts.unit.tag, values, (), f"{wear.used_share:.2f}")]


@_finds
def _lies(facts: UnitFacts, _twins: OutOfLine | None, today: date) -> list[Finding]:
    days = lies_too_long(facts.unit, facts.drive, facts.seen_on, today)
    if days is None:
        return []
    values = {"days": days, "holds_bytes": facts.unit.used_bytes,
              "share": facts.wear.used_share if facts.wear else None}  # fmt: skip
    return [Finding(FindingKind.LIES_TOO_LONG, facts.unit.tag, values, (), str(facts.seen_on))]


@_finds
def _away(facts: UnitFacts, _twins: OutOfLine | None, today: date) -> list[Finding]:
    loan = facts.story.loan
    days = loan.days_overdue(today) if loan else 0
    if loan is not None and days:
        values = {"to": loan.to, "days": days, "due_on": loan.due_on}
        return [Finding(FindingKind.OVERDUE, facts.unit.tag, values, (), str(loan.due_on))]
    if facts.seen_on is None or (today - facts.seen_on).days <= NOT_SEEN_DAYS or loan is not None:
        return []
    if lies_too_long(facts.unit, facts.drive, facts.seen_on, today) is not None:
        return []  # said there, with what it holds
    values = {"days": (today - facts.seen_on).days}
    return [Finding(FindingKind.NOT_SEEN, facts.unit.tag, values, (), str(facts.seen_on))]


@_finds
def _old_proof(facts: UnitFacts, _twins: OutOfLine | None, _today: date) -> list[Finding]:
    if facts.proof_days is None or facts.proof_at is None or not facts.needed_by:
        return []
    values = {"days": facts.proof_days, "needed_by": facts.needed_by, "at": facts.proof_at}
    mark = f"{facts.proof_at.isoformat()} {facts.needed_by}"
    return [Finding(FindingKind.PROOF_OLD, facts.unit.tag, values, (), mark)]


@_finds
def _warranty(facts: UnitFacts, _twins: OutOfLine | None, today: date) -> list[Finding]:
    bought = facts.story.bought
    until = bought.day_in("warranty_until") if bought else None
    if until is None or not 0 <= (until - today).days <= _WARRANTY_DAYS:
        return []
    return [Finding(FindingKind.WARRANTY_ENDS, facts.unit.tag, {"until": until}, (), str(until))]


@_finds
def _capped(facts: UnitFacts, _twins: OutOfLine | None, _today: date) -> list[Finding]:
    carried, claimed = facts.case_bytes_per_s, facts.drive.claimed_write_bytes_per_s
    if carried is None or carried >= claimed * _CAPPED_SHARE:
        return []
    values = {"case_bytes_per_s": carried, "drive_bytes_per_s": claimed}
    return [Finding(FindingKind.CAPPED, facts.unit.tag, values, (), facts.unit.enclosure_key)]


def _not_wiped(facts: UnitFacts) -> list[Finding]:
    retired = facts.story.last(EventKind.RETIRED)
    if retired is not None and retired.text("wiped"):
        return []
    return [Finding(FindingKind.NOT_WIPED, facts.unit.tag, {}, (), "retired")]
