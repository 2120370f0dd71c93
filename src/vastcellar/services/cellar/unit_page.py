"""All that is known of one unit, as figures for programs and as lines to read."""

from __future__ import annotations

from datetime import date
from typing import Any

from vastcellar.core.cellar.findings import UnitFacts
from vastcellar.core.cellar.story import EventKind, worth_now
from vastcellar.core.cellar.trends import Figure, Trend
from vastcellar.core.cellar.wear_ahead import WearAhead
from vastcellar.core.errors import UnknownPartError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.units import NumberFormat
from vastcellar.services.cellar.finding_wording import finding_words, sure_words
from vastcellar.services.cellar.story_wording import (
    case_name,
    day_words,
    event_words,
    loan_words,
    whereabouts,
)
from vastcellar.services.cellar.unit_memory import Remembered

WRITTEN_OFF_YEARS = 4.0
"""A working drive's usual life in the books."""
_FIGURE_WORDS = {Figure.RATE: "rate", Figure.STALL: "longest stall", Figure.HEAT: "heat"}


def facts_of(known: Remembered, tag: str) -> UnitFacts:
    """Return what is known of the unit *tag*. Raises UnknownPartError."""
    facts = known.facts.get(tag)
    if facts is None:
        raise UnknownPartError(
            f"what {tag!r} is isn't in the catalog", where="unit",
            mend="Add its drive to the catalog, or change what it is",
        )  # fmt: skip
    return facts


def unit_figures(known: Remembered, tag: str, catalog: Catalog, today: date) -> dict[str, Any]:
    """Return all that is known of a unit, for programs. Raises UnknownPartError."""
    facts = facts_of(known, tag)
    wear, story = facts.wear, facts.story
    return {
        "tag": tag,
        "place": story.place or None,
        "seen_on": facts.seen_on.isoformat() if facts.seen_on else None,
        "trends": {f.value: _trend_figures(t) for f, t in facts.trends.by_figure.items()},
        "not_compared": [each.run_id for each in facts.trends.left_out],
        "wear": _wear_figures(wear) if wear else None,
        "worth": _worth(facts, today),
        "loans": [
            {"to": each.to, "since": each.since.isoformat(),
             "due_on": each.due_on.isoformat() if each.due_on else None,
             "until": each.until.isoformat() if each.until else None,
             "days_overdue": each.days_overdue(today)}
            for each in story.loans
        ],
        "cases": [
            {"case": each.name or None, "since": each.since.isoformat() if each.since else None,
             "until": each.until.isoformat() if each.until else None}
            for each in story.stays(EventKind.CASE, facts.unit.enclosure_key)
        ],
        "events": [
            {"number": each.event_id, "at": each.at.isoformat(), "kind": each.kind.value,
             "data": dict(each.data), "note": each.note}
            for each in story.events
        ],
        "findings": [
            {"kind": each.kind.value, "says": finding_words(each, facts, catalog, _PLAIN).line}
            for each in known.of(tag)
        ],
    }  # fmt: skip


def unit_lines(
    known: Remembered, tag: str, catalog: Catalog, fmt: NumberFormat, today: date
) -> list[str]:
    """Return all that is known of a unit, to read. Raises UnknownPartError."""
    facts = facts_of(known, tag)
    story = facts.story
    key = facts.unit.enclosure_key
    case = f" in {case_name(key, catalog)}" if key else ""
    lines = [f"{tag}: {facts.drive.name}{case}, {facts.unit.state}."]
    if where := whereabouts(story, today):
        lines.append(f"Where: {where}.")
    lines += [f"Found: {finding_words(each, facts, catalog, fmt).line}." for each in known.of(tag)]
    rate = facts.trends.of(Figure.RATE)
    if rate is not None:
        lines.append(f"{_FIGURE_WORDS[Figure.RATE].capitalize()}: {trend_words(rate, fmt)}.")
    if left_out := len(facts.trends.left_out):
        runs = "1 run is" if left_out == 1 else f"{left_out} runs are"
        lines.append(f"Not compared: {runs} not like those.")
    if facts.wear is not None:
        lines.append(f"Wear: {wear_words(facts.wear, fmt)}.")
    if (worth := _worth(facts, today)) is not None:
        lines.append(f"Worth: {fmt.number(worth, 0)} {catalog.currency} of what it cost, "
                     f"written off over {WRITTEN_OFF_YEARS:.0f} years.")  # fmt: skip
    lines += [
        f"Lent: {loan_words(each, today)}"
        + (f", back {day_words(each.until)}." if each.until else ".")
        for each in story.loans
    ]
    lines += [f"{day_words(each.at)}: {event_words(each, catalog, fmt)}." for each in story.events]
    return lines


def trend_words(trend: Trend, fmt: NumberFormat) -> str:
    """Return how the rate of a unit went, in words."""
    was, now = fmt.rate(trend.baseline), fmt.rate(trend.now)
    count = len(trend.values)
    runs = "1 like run" if count == 1 else f"{count} like runs"
    if trend.change is None:
        unsure = ", the newest out of line: two more decide" if trend.maybe else ""
        return f"{now}, as it was ({runs}){unsure}"
    share = fmt.percent(trend.share, signed=True)
    return f"{now}, {was} before: {share}, {sure_words(trend.sure_share)} ({runs})"


def wear_words(wear: WearAhead, fmt: NumberFormat) -> str:
    """Return how far a unit is worn and goes, in words."""
    parts = [
        f"{fmt.percent(wear.used_share)} of its endurance used"
        + (", as it says itself" if wear.is_by_drive else ""),
        f"{fmt.number(wear.fills_left, 0)} fills left",
    ]
    if wear.per_month_bytes:
        parts.append(f"{fmt.size(wear.per_month_bytes)} a month")
    if wear.watched_on is not None:
        parts.append(f"80 % on {day_words(wear.watched_on)}")
    return ", ".join(parts)


def _worth(facts: UnitFacts, today: date) -> float | None:
    bought = facts.story.bought
    price = bought.data.get("price") if bought else None
    if bought is None or not price:
        return None
    return worth_now(float(price), bought.day, today, WRITTEN_OFF_YEARS)


def _trend_figures(trend: Trend) -> dict[str, Any]:
    change, between = trend.change, trend.between
    return {
        "runs": [each.run_id for each in trend.points], "values": list(trend.values),
        "baseline": trend.baseline, "now": trend.now, "share": trend.share,
        "sure_share": trend.sure_share if change else None,
        "is_drift": change.is_drift if change else None,
        "between": [each.isoformat() for each in between] if between else None,
    }  # fmt: skip


def _wear_figures(wear: WearAhead) -> dict[str, Any]:
    return {
        "used_share": wear.used_share, "is_by_drive": wear.is_by_drive,
        "fills_left": wear.fills_left, "bytes_left": wear.bytes_left,
        "per_month_bytes": wear.per_month_bytes,
        "passes_80_percent_on": wear.watched_on.isoformat() if wear.watched_on else None,
    }  # fmt: skip


_PLAIN = NumberFormat()
