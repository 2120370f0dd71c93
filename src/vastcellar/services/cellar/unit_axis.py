"""A unit's history on one time axis: its runs, its baseline, the change, its stays, its wear."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from vastcellar.core.cellar.findings import UnitFacts
from vastcellar.core.cellar.story import EventKind, Stay
from vastcellar.core.cellar.trends import Figure
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.units import NumberFormat
from vastcellar.services.cellar.story_wording import case_name, day_words, event_words

_LEAST_DAYS = 30


@dataclass(frozen=True, slots=True)
class AxisPoint:
    """A run on the axis."""

    at: datetime
    bytes_per_s: float
    is_like: bool
    is_after: bool
    """Whether it lies after the change."""
    run_id: int


@dataclass(frozen=True, slots=True)
class AxisStay:
    """A stretch of the axis that the unit spent somewhere."""

    name: str
    since: datetime
    until: datetime
    is_away: bool = False


@dataclass(frozen=True, slots=True)
class AxisMark:
    """Something that happened."""

    at: datetime
    words: str
    is_bad: bool


@dataclass(frozen=True)
class UnitAxis:
    """All that the picture of a unit's history shows."""

    since: datetime
    until: datetime
    points: tuple[AxisPoint, ...]
    baseline_bytes_per_s: float | None
    now_bytes_per_s: float | None
    between: tuple[datetime, datetime] | None
    cases: tuple[AxisStay, ...]
    places: tuple[AxisStay, ...]
    marks: tuple[AxisMark, ...]
    wear: tuple[tuple[datetime, float], ...]
    """Share of its endurance that was used, over time."""
    watched_on: date | None
    left_out: int


_TOLD = (EventKind.INCIDENT, EventKind.LABEL, EventKind.TAG, EventKind.DRIVE, EventKind.RETIRED,
         EventKind.WEAR)  # fmt: skip


def unit_axis(facts: UnitFacts, catalog: Catalog, fmt: NumberFormat, now: datetime) -> UnitAxis:
    """Return the history of a unit as it is drawn, up to *now*."""
    trends, story = facts.trends, facts.story
    rate = trends.of(Figure.RATE)
    like = {each.run_id for each in rate.points} if rate else set()
    first_after = rate.points[rate.change.index].run_id if rate and rate.change else None
    moments = [each.at for each in (*facts.points, *facts.of_others)] + [
        each.at for each in story.events
    ]
    since = min(moments, default=now - timedelta(days=_LEAST_DAYS))
    since = min(since, now - timedelta(days=_LEAST_DAYS))
    seen_change = False
    points = []
    for each in sorted((*facts.points, *facts.of_others), key=lambda run: (run.at, run.run_id)):
        seen_change = seen_change or each.run_id == first_after
        if each.bytes_per_s:
            is_like = each.run_id in like
            points.append(
                AxisPoint(each.at, each.bytes_per_s, is_like, seen_change and is_like, each.run_id)
            )
    return UnitAxis(
        since=since,
        until=now,
        points=tuple(points),
        baseline_bytes_per_s=rate.baseline if rate else None,
        now_bytes_per_s=rate.now if rate else None,
        between=rate.between if rate else None,
        cases=_stays(story.stays(EventKind.CASE, facts.unit.enclosure_key), since, now,
                     lambda name: case_name(name, catalog)),
        places=_places(facts, since, now),
        marks=tuple(
            AxisMark(e.at, f"{event_words(e, catalog, fmt)}, {day_words(e.at)}",
                     e.kind is EventKind.INCIDENT)
            for e in story.of(*_TOLD)
        ),
        wear=_wear(facts, now),
        watched_on=facts.wear.watched_on if facts.wear else None,
        left_out=len(points) - len(like),
    )  # fmt: skip


def _stays(
    stays: tuple[Stay, ...], since: datetime, now: datetime, name_of: Callable[[str], str]
) -> tuple[AxisStay, ...]:
    found = [AxisStay(name_of(each.name), each.since or since, each.until or now) for each in stays]
    return tuple(each for each in found if each.until > each.since)


def _places(facts: UnitFacts, since: datetime, now: datetime) -> tuple[AxisStay, ...]:
    story = facts.story
    here = _stays(story.stays(EventKind.PLACE, story.place), since, now, lambda name: name)
    here = tuple(each for each in here if each.name)
    away = tuple(
        AxisStay(f"lent to {each.to}", each.since, each.until or now, True) for each in story.loans
    )
    return (*here, *away)


def _wear(facts: UnitFacts, now: datetime) -> tuple[tuple[datetime, float], ...]:
    if facts.wear is None or not facts.drive.tbw_bytes:
        return ()
    bought = facts.story.bought
    known = [(each.at, each.written_bytes / facts.drive.tbw_bytes)
             for each in facts.points if each.written_bytes is not None]  # fmt: skip
    if bought is not None and not bought.data.get("is_used"):
        known.append((bought.at, 0.0))
    return (*sorted(known), (now, facts.wear.used_share))
