"""A packed set in words: what it comes to, why each is in, and as figures for programs."""

from __future__ import annotations

from typing import Any

from vastcellar.core.cellar.evening import Evening
from vastcellar.core.cellar.packing import (
    Goal,
    NeedMet,
    Packing,
    Without,
    copy_lost_chance,
    without,
)
from vastcellar.core.evidence import Verdict, verdict_for_margin
from vastcellar.core.units import NumberFormat
from vastcellar.services.cellar.packing import PackedShoot, evening_before

EVENING_PORTS = 2
"""Ports that a laptop usually has free for tests."""
GOAL_WORDS = {
    Goal.LIGHTEST: "Lightest", Goal.FEWEST: "Fewest", Goal.CHEAPEST: "Cheapest",
    Goal.SAFEST: "Safest",
}  # fmt: skip


def mass_words(mass_g: float, fmt: NumberFormat) -> str:
    """Return a mass as it is said."""
    return f"{fmt.number(mass_g / 1000, 1)} kg" if mass_g >= 1000 else f"{fmt.number(mass_g, 0)} g"


def set_verdict(packing: Packing) -> Verdict:
    """Return whether a set holds every need: tight where one of them is."""
    if packing.open_needs:
        return Verdict.FALLS_SHORT
    return min(
        (verdict_for_margin(each.margin) for each in packing.needs),
        key=(Verdict.FALLS_SHORT, Verdict.TIGHT, Verdict.HOLDS).index,
    )


def tight_needs(packing: Packing) -> int:
    """Return how many needs of a set are held tightly."""
    return sum(verdict_for_margin(each.margin) is Verdict.TIGHT for each in packing.needs)


def set_words(packing: Packing, fmt: NumberFormat) -> str:
    """Return what a set comes to, in a line."""
    mass = mass_words(packing.mass_g, fmt)
    count = len(packing.tags)
    units = "1 unit" if count == 1 else f"{count} units"
    if packing.open_needs:
        short = " and ".join(each.need.name for each in packing.open_needs)
        return f"Falls short of {short}; the rest in {units}, {mass}"
    tight = tight_needs(packing)
    told = f"; {tight} {'is' if tight == 1 else 'are'} tight" if tight else ""
    return f"Holds every need in {units}, {mass}{told}"


def optimum_words(packing: Packing) -> str:
    """Return how sure it is that there is no better set."""
    better = {
        Goal.LIGHTEST: "lighter", Goal.FEWEST: "smaller", Goal.CHEAPEST: "cheaper",
        Goal.SAFEST: "safer",
    }[packing.goal]  # fmt: skip
    if packing.is_optimal:
        return f"computed · no {better} set exists on this shelf"
    return f"computed · time ran out: a {better} set may exist"


def need_words(met: NeedMet, fmt: NumberFormat) -> str:
    """Return how a need is held."""
    margin = fmt.percent(met.margin, signed=True)
    by = "rate" if met.is_by_rate else "room"
    if len(met.spares) < met.need.spares and met.margin >= 0:
        return f"{margin} {by}, no spare"
    return f"{margin} {by}" if met.margin >= 0 else f"short {margin}"


def without_words(found: Without, fmt: NumberFormat) -> str:
    """Return what becomes of a need without a unit."""
    if found.steps_in:
        return f"{found.need}; else {found.steps_in} steps in"
    if found.margin <= -1:
        return f"{found.need}; else none"
    if found.margin < 0:
        return f"{found.need}; else short {fmt.percent(found.margin, signed=True)}"
    return f"{found.need}; else {fmt.percent(found.margin, signed=True)} is left"


def why_words(packed: PackedShoot, packing: Packing, tag: str, fmt: NumberFormat) -> str:
    """Return why the unit *tag* is in."""
    parts = []
    for each in without(packing, packed.task, tag):
        met = next(m for m in packing.needs if m.need.name == each.need)
        is_spare = tag in met.spares
        parts.append(f"spare for {each.need}" if is_spare else without_words(each, fmt))
    return ", ".join(parts)


def evening_words(evening: Evening, fmt: NumberFormat) -> str:
    """Return what must be proved before the day, in a line; "" for nothing."""
    if not evening.slots:
        return ""
    told = ", ".join(
        f"{slot.test.tag} for {slot.test.need} ({fmt.duration(slot.test.duration_s)})"
        for slot in evening.slots
    )
    ports = "one port" if evening.ports == 1 else f"{evening.ports} ports"
    return (
        f"To prove the evening before, {fmt.duration(evening.took_s)} on {ports}, "
        f"{fmt.size(evening.bytes_to_write)} written: {told}"
    )


def packing_figures(packed: PackedShoot, goal: Goal, days: int) -> dict[str, Any]:
    """Return a packed set as figures for programs."""
    packing = packed.sets[goal]
    evening = evening_before(packed, packing, EVENING_PORTS)
    return {
        "goal": goal.value,
        "holds": not packing.open_needs,
        "is_optimal": packing.is_optimal,
        "mass_g": packing.mass_g,
        "litres": packing.litres,
        "price": packing.price,
        "copy_lost_chance": copy_lost_chance(packing, packed.task, days),
        "units": [
            {"tag": tag, "for": [each.need.name for each in packing.of(tag) if tag in each.tags],
             "spare_for": [each.need.name for each in packing.of(tag) if tag in each.spares],
             "without": [{"need": w.need, "margin": w.margin, "steps_in": w.steps_in or None}
                         for w in without(packing, packed.task, tag)]}
            for tag in packing.tags
        ],
        "accessories": list(packing.accessories),
        "needs": [
            {"name": met.need.name, "needed_bytes": met.need.bytes_needed,
             "room_bytes": met.room_bytes, "margin": met.margin,
             "margin_of": "rate" if met.is_by_rate else "room",
             "units": list(met.tags), "spares": list(met.spares), "holds": met.is_met,
             "evidence": evidence_of(packed, met)}
            for met in packing.needs
        ],
        "evening": {
            "ports": evening.ports, "took_s": evening.took_s,
            "bytes_to_write": evening.bytes_to_write,
            "tests": [{"tag": s.test.tag, "need": s.test.need, "port": s.port,
                       "begin_s": s.begin_s, "duration_s": s.test.duration_s}
                      for s in evening.slots],
        },
        "stays": [{"tag": each.tag, "why": each.why} for each in packed.stays],
    }  # fmt: skip


def evidence_of(packed: PackedShoot, met: NeedMet) -> str:
    """Return what a need's verdict rests on: the weakest of its units'."""
    found = {
        packed.judged[tag, met.need.name].evidence.value
        for tag in met.tags
        if (tag, met.need.name) in packed.judged
    }
    order = ("claimed", "computed", "stated", "proved")
    return min(found, key=order.index, default="computed")
