"""The sums behind a build: the heat's way step by step, the heights, the bill."""

from __future__ import annotations

import math

from vastcellar.core.build.stack_path import AIR_W_PER_MK, CHIP_K_MM2_PER_W
from vastcellar.core.evidence import Evidence
from vastcellar.core.parts.heights import right_pad_mm
from vastcellar.core.units import NumberFormat
from vastcellar.services.build.building import Build
from vastcellar.services.sums.sum_lines import Sum, SumLine
from vastcellar.services.words.said_wording import measure_text

_TYPICAL = "thickness ÷ (conductivity × area of the chips); chips and connector typical of modules"


def build_sums(made: Build, fmt: NumberFormat, currency: str) -> dict[str, Sum]:
    """Return the sums of *made*, by key."""
    found = [_stack_sum(made, fmt), _heights_sum(made, fmt), _bill_sum(made, fmt, currency)]
    return {entry.key: entry for entry in found if entry is not None}


def _stack_sum(made: Build, fmt: NumberFormat) -> Sum | None:
    path, heat = made.path, made.heat
    if path is None:
        return None
    area = fmt.number(path.chip_area_mm2, 0)
    lines = []
    for step in path.steps:
        if step.w_per_mk:
            conducts = fmt.number(step.w_per_mk, 3 if step.w_per_mk == AIR_W_PER_MK else 1)
            text = f"{fmt.number(step.thickness_mm * 1000, 0)} µm ÷ ({conducts} × {area} mm²)"
        elif step.name == "chips":
            text = f"{fmt.number(CHIP_K_MM2_PER_W, 0)} ÷ {area} mm²"
        else:
            text = "of this case"
        lines.append(SumLine(step.name, text, f"{fmt.number(step.k_per_w, 2)} K/W"))
    up, down = fmt.number(path.up_k_per_w, 1), fmt.number(path.down_k_per_w, 0)
    both = f"{fmt.number(path.drive_to_case_k_per_w, 1)} K/W"
    lines.append(SumLine("up and down the connector", f"1 ÷ (1 ÷ {up} + 1 ÷ {down})", both))
    if heat is not None:
        watts = heat.up_w + heat.down_w
        lines += [
            SumLine("case, at its hottest", f"after {fmt.duration(round(heat.at_s))}",
                    fmt.temperature(heat.case_c)),
            SumLine("chips", f"{fmt.number(heat.case_c, 1)} + {fmt.number(watts, 2)} W × {both}",
                    fmt.temperature(heat.chips_c)),
        ]  # fmt: skip
    return Sum("stack", "Heat to the case", tuple(lines), _TYPICAL, Evidence.COMPUTED)


def _heights_sum(made: Build, fmt: NumberFormat) -> Sum | None:
    inside, size, fit = made.layout.enclosure.inside, made.layout.drive.size, made.layout.pad_fit
    if inside is None or size is None or fit is None:
        return None
    above, top = inside.above_mm or 0.0, size.top_mm or 0.0
    thin, thick = right_pad_mm(fit.room_mm)
    lines = [
        SumLine("over the chips", f"{measure_text(above, fmt)} − {measure_text(top, fmt)}",
                measure_text(fit.room_mm, fmt)),
        SumLine("right pads", "room ÷ 0.9 to room ÷ 0.7",
                f"{fmt.number(thin, 2)}–{measure_text(thick, fmt)}"),
        SumLine("pad", "as it is before it is pressed", measure_text(fit.pad_mm, fmt)),
    ]  # fmt: skip
    if fit.touches:
        lines.append(SumLine("pressed", "1 − room ÷ pad", fmt.percent(fit.pressed_share)))
    else:
        lines.append(SumLine("gap", "room − pad", measure_text(fit.gap_mm, fmt)))
    source = "measures of the parts; a pad is pressed by 10 to 30 % (typical)"
    return Sum("heights", "Height over the chips", tuple(lines), source, Evidence.CLAIMED)


def _bill_sum(made: Build, fmt: NumberFormat, currency: str) -> Sum:
    bill = made.bill
    lines = [
        SumLine(line.name, f"from {line.reused_from}" if line.reused_from else "buy",
                fmt.number(line.to_pay, 0))
        for line in bill.lines
    ]  # fmt: skip
    lines.append(SumLine("to pay", "", f"{fmt.number(bill.to_pay, 0)} {currency}"))
    tb = bill.capacity_bytes / 1e12
    lines.append(SumLine("a TB, all new", f"{fmt.number(bill.all_new, 0)} ÷ {fmt.number(tb)} TB",
                         f"{fmt.number(bill.worth.per_tb, 0)} {currency}"))  # fmt: skip
    if math.isfinite(bill.worth.per_lasting_mb_per_s):
        lasting = fmt.rate(bill.lasting_bytes_per_s)
        lines.append(SumLine("a lasting MB/s", f"{fmt.number(bill.all_new, 0)} ÷ {lasting}",
                             fmt.number(bill.worth.per_lasting_mb_per_s, 2)))  # fmt: skip
    return Sum("bill", "Bill", tuple(lines), "prices of the catalog", Evidence.CLAIMED)
