"""The sums behind a unit on the shelf: how much room it has, how far it is worn."""

from __future__ import annotations

from vastcellar.core.evidence import Evidence
from vastcellar.core.parts.parts import Drive
from vastcellar.core.parts.units import Unit, free_bytes_on, worn_share
from vastcellar.core.units import NumberFormat
from vastcellar.services.sums.sum_lines import Sum, SumLine


def unit_sum(unit: Unit, drive: Drive, fmt: NumberFormat) -> Sum:
    """Return the room on *unit* and the share of its endurance that is used."""
    free = free_bytes_on(drive, unit)
    lines = [
        SumLine("holds", fmt.binary_size(drive.capacity_bytes), fmt.size(drive.capacity_bytes)),
        SumLine("in use", "as stated", fmt.size(unit.used_bytes)),
        SumLine("free", "what it holds − in use", fmt.size(free)),
    ]
    worn = worn_share(unit, drive)
    if worn is not None:
        lines += [
            SumLine("written so far", "stated, and every real test since",
                    fmt.size(unit.written_bytes)),
            SumLine("rated endurance", f"{fmt.number(drive.tbw_bytes / drive.capacity_bytes, 0)} "
                    "times full", fmt.size(drive.tbw_bytes)),
            SumLine("worn", "written ÷ rated", fmt.percent(worn)),
        ]  # fmt: skip
    return Sum("unit", f"{unit.tag}: room and wear", tuple(lines), drive.source, Evidence.STATED)
