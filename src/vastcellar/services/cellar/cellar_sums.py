"""The sums behind the Cellar's figures: the change of a unit, its wear ahead, a packed set."""

from __future__ import annotations

from collections import Counter

from vastcellar.core.cellar.findings import UnitFacts
from vastcellar.core.cellar.packing import Packing, copy_lost_chance
from vastcellar.core.cellar.trends import Figure
from vastcellar.core.cellar.wear_ahead import WRITE_AMPLIFICATION
from vastcellar.core.evidence import Evidence
from vastcellar.core.parts.units import WATCH_WEAR_SHARE
from vastcellar.core.units import NumberFormat
from vastcellar.services.cellar.packing import PackedShoot
from vastcellar.services.cellar.packing_wording import mass_words
from vastcellar.services.cellar.story_wording import day_words
from vastcellar.services.sums.sum_lines import Sum, SumLine

TREND_SUM, AHEAD_SUM = "cellar-trend", "cellar-ahead"
MASS_SUM, RISK_SUM = "pack-mass", "pack-risk"


def unit_sums(facts: UnitFacts, day_bytes: float, fmt: NumberFormat) -> dict[str, Sum]:
    """Return the sums of a unit; *day_bytes* is what its camera records a day, 0 for none."""
    found = {}
    if trend := trend_sum(facts, fmt):
        found[TREND_SUM] = trend
    if ahead := ahead_sum(facts, day_bytes, fmt):
        found[AHEAD_SUM] = ahead
    return found


def trend_sum(facts: UnitFacts, fmt: NumberFormat) -> Sum | None:
    """Return how its rate is against how it was; None without runs."""
    trend = facts.trends.of(Figure.RATE)
    if trend is None:
        return None
    was, now = fmt.rate(trend.baseline, 1), fmt.rate(trend.now, 1)
    lines = [
        SumLine("as it was", f"median of {trend.baseline_count} like runs", was),
        SumLine("now", f"median of {trend.now_count} like runs", now),
    ]
    change = trend.change or trend.maybe
    if change is not None:
        one_in = 1 / change.chance
        lines += [
            SumLine("step", f"{now} ÷ {was} − 1", fmt.percent(trend.share if trend.change else
                                                             change.share, signed=True)),
            SumLine("by chance", "as clearly parted, of as many shuffled series",
                    f"1 in {fmt.number(one_in, 0)}"),
        ]  # fmt: skip
    if trend.between is not None:
        first, last = (day_words(each) for each in trend.between)
        lines.append(
            SumLine("it lies between", "last good run, first slow one", f"{first}, {last}")
        )
    if facts.trends.left_out:
        lines.append(SumLine("not compared", "another case, port, room, fill or size",
                             f"{len(facts.trends.left_out)} runs"))  # fmt: skip
    title = f"{facts.unit.tag}: its rate over time"
    simulated = any(each.setting.is_simulated for each in trend.points)
    source = f"{len(trend.points)} like runs" + (", simulated rig" if simulated else "")
    return Sum(TREND_SUM, title, tuple(lines), source, Evidence.PROVED)


def ahead_sum(facts: UnitFacts, day_bytes: float, fmt: NumberFormat) -> Sum | None:
    """Return how far its endurance goes; None where none is rated."""
    wear, drive = facts.wear, facts.drive
    if wear is None:
        return None
    rated = fmt.size(drive.tbw_bytes)
    by = "as the drive says itself" if wear.is_by_drive else "written ÷ rated"
    lines = [
        SumLine("used", by, fmt.percent(wear.used_share)),
        SumLine("fills left", f"{fmt.size(wear.bytes_left)} ÷ {fmt.size(drive.capacity_bytes)}",
                fmt.number(wear.fills_left, 0)),
    ]  # fmt: skip
    if wear.per_month_bytes:
        lines.append(SumLine("a month", f"written in {fmt.number(wear.months_known, 1)} months",
                             fmt.size(wear.per_month_bytes)))  # fmt: skip
    if wear.watched_on is not None:
        lines.append(SumLine("80 % on", f"({fmt.percent(WATCH_WEAR_SHARE)} of {rated} − used) ÷ a "
                             "month", day_words(wear.watched_on)))  # fmt: skip
    if day_bytes > 0:
        lines.append(SumLine(
            "shooting days left",
            f"{fmt.size(wear.bytes_left)} ÷ ({fmt.size(day_bytes)} × "
            f"{fmt.number(WRITE_AMPLIFICATION, 1)})",
            fmt.number(wear.days_left(day_bytes), 0),
        ))  # fmt: skip
    title = f"{facts.unit.tag}: how far it goes"
    return Sum(AHEAD_SUM, title, tuple(lines), drive.source, Evidence.COMPUTED)


def packing_sums(packed: PackedShoot, packing: Packing, fmt: NumberFormat) -> dict[str, Sum]:
    """Return the sums of a packed set: what it weighs, and what a copy risks."""
    units = {unit.tag: unit for unit in packed.task.units}
    lines = []
    counted: set[str] = set()
    for met in packing.needs:
        mine = [tag for tag in (*met.tags, *met.spares) if tag not in counted]
        counted |= set(mine)
        if mine:
            each = " + ".join(fmt.number(units[tag].mass_g, 0) for tag in mine)
            mass = sum(units[tag].mass_g for tag in mine)
            lines.append(SumLine(met.need.name, each, mass_words(mass, fmt)))
    pieces = {each.key: each for each in packed.task.accessories}
    for key, count in sorted(Counter(packing.accessories).items()):
        mass = pieces[key].mass_g * count
        lines.append(SumLine(pieces[key].name, f"{count} × {fmt.number(pieces[key].mass_g, 0)}",
                             mass_words(mass, fmt)))  # fmt: skip
    lines.append(SumLine("together", "without the case", mass_words(packing.mass_g, fmt)))
    chance = copy_lost_chance(packing, packed.task, packed.shoot.days)
    copies = [tag for met in packing.needs if met.need.is_copy for tag in met.tags]
    disks = sum(units[tag].is_disk for tag in copies)
    risk = [
        SumLine("units of copies", f"of these {disks} disks", str(len(copies))),
        SumLine("fail in a year", "1 %, disks 1.5 %: typical of the class", "1 to 1.5 %"),
        SumLine("a copy loses a unit", f"1 − Π (1 − a year × {packed.shoot.days} ÷ 365)",
                f"1 in {fmt.number(1 / chance, 0)}" if chance else "never: no copy"),
    ]  # fmt: skip
    assumed = "masses of the catalog; cables 28 g a metre and two plugs, readers 60 g (assumed)"
    return {
        MASS_SUM: Sum(MASS_SUM, "What it weighs", tuple(lines), assumed, Evidence.COMPUTED),
        RISK_SUM: Sum(RISK_SUM, "What a copy risks", tuple(risk),
                      "classes; none of these units was asked", Evidence.COMPUTED),
    }  # fmt: skip
