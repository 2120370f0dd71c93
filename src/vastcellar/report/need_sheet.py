"""The need sheet: what a shoot asks of media and copies, on one page to print or send."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from reportlab.graphics.shapes import Drawing, Polygon, Rect, String
from reportlab.platypus import Flowable, Spacer, Table, TableStyle

from vastcellar import __version__
from vastcellar.core.shoot.guarantees import guarantee_margins
from vastcellar.core.shoot.needs import Need
from vastcellar.core.shoot.shoot_plan import CameraPlan, day_on_media
from vastcellar.core.units import NumberFormat
from vastcellar.report.sheet import (
    BOLD,
    BRICK,
    COPPER,
    LINE,
    PLAIN,
    SMALL,
    SOFT,
    STONE,
    WATER,
    plain_paragraph,
    sheet_pdf,
    style,
)
from vastcellar.services.shoot.planning import PlannedShoot
from vastcellar.services.words.plan_wording import range_text, warning_sentence

# With more cameras than this the ribbons would push the sheet off its page.
_MOST_RIBBONS = 6
_RIBBON_PT, _LABEL_PT = 22.0, 84.0


def need_sheet_pdf(
    job: PlannedShoot, fmt: NumberFormat, *, paper: str = "a4", made_on: date
) -> bytes:
    """Return the sheet as PDF. *paper* is "a4" or "letter"; a KeyError is a bug of the caller."""
    return sheet_pdf(
        f"Need sheet: {job.shoot.name}", paper, lambda width: _story(job, fmt, width, made_on)
    )


def _story(job: PlannedShoot, fmt: NumberFormat, width: float, made_on: date) -> list[Flowable]:
    shoot, plan = job.shoot, job.plan
    soft = style(9.5, font=SMALL, color=SOFT)
    head = style(11.5, font=BOLD, after_pt=4)
    days = "1 day" if shoot.days == 1 else f"{shoot.days} days"
    story: list[Flowable] = [
        plain_paragraph(f"{shoot.name}: need sheet", style(19, font=BOLD)),
        plain_paragraph(
            f"{days} · room {fmt.temperature(shoot.ambient_c)} · "
            f"{fmt.size(plan.total_bytes)} of material "
            f"({fmt.size(plan.easy_bytes)} to {fmt.size(plan.hard_bytes)} as pictures go)",
            soft,
        ),
    ]
    if shoot.note:
        story.append(plain_paragraph(shoot.note, soft))
    story += [
        Spacer(1, 8),
        plain_paragraph("What must never be missed", head),
        _cameras(job, fmt, width),
    ]
    shown = plan.cameras[:_MOST_RIBBONS]
    if shown and plan.largest_day_bytes:
        day = plan.fullest_day
        story += [
            Spacer(1, 10),
            plain_paragraph(f"Media over the fullest day (day {day})", head),
            *(_ribbon(job, each, day, fmt, width) for each in shown),
            plain_paragraph(
                f"From {fmt.time_of_day(shoot.day_start_s)} to {fmt.time_of_day(shoot.day_end_s)}. "
                "A stroke is a change of medium, the bar below a ribbon the longest take.",
                soft,
            ),
        ]
    if plan.copies:
        story += [Spacer(1, 10), plain_paragraph("Copies", head), _copies(job, fmt, width)]
    if job.warnings:
        story += [Spacer(1, 10), plain_paragraph("Mind", head)]
        for warning in job.warnings:
            color = BRICK if warning.is_grave else SOFT
            story.append(
                plain_paragraph(
                    f"{warning_sentence(warning, shoot, fmt)}.", style(9.5, color=color)
                )
            )
    story += [
        Spacer(1, 8),
        plain_paragraph(
            f"Need = worst second × headroom. Ranges and crest factors are typical of their codec "
            f"unless measured. Vast Cellar {__version__}, {made_on.isoformat()}.",
            style(8, font=SMALL, color=SOFT),
        ),
    ]
    return story


def _table(rows: Sequence[Sequence[object]], widths: list[float]) -> Table:
    table = Table(rows, colWidths=widths, repeatRows=1)
    table.setStyle(
        TableStyle(
            [
                ("FONT", (0, 0), (-1, 0), SMALL, 8.5),
                ("TEXTCOLOR", (0, 0), (-1, 0), SOFT),
                ("FONT", (0, 1), (-1, -1), PLAIN, 9),
                ("LINEBELOW", (0, 0), (-1, -1), 0.5, LINE),
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
                ("LEFTPADDING", (0, 0), (-1, -1), 0),
                ("RIGHTPADDING", (0, 0), (-1, -1), 5),
                ("TOPPADDING", (0, 0), (-1, -1), 3),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 3),
            ]
        )
    )
    return table


def _cameras(job: PlannedShoot, fmt: NumberFormat, width: float) -> Table:
    head = ("Camera", "Format", "Average", "Worst second", "Need", "An hour", "Longest", "Media")
    cell, need_cell = style(9, after_pt=0), style(9, font=BOLD, color=COPPER, after_pt=0)
    small = style(8.5, font=SMALL, color=SOFT, after_pt=0)
    rows: list[Sequence[object]] = [head]
    for plan in job.plan.cameras:
        camera, need = plan.camera, plan.need
        average = fmt.rate(need.average_bytes_per_s)
        spread = range_text(need, fmt)
        rows.append(
            (
                [
                    plain_paragraph(f"{camera.key} {camera.name}", cell),
                    plain_paragraph(camera.model, small),
                ],
                [
                    plain_paragraph(camera.recording.name, cell),
                    plain_paragraph(_covered(need, fmt), small),
                ],
                [
                    plain_paragraph(average, cell),
                    *([plain_paragraph(spread, small)] if spread else []),
                ],
                plain_paragraph(fmt.rate(need.peak_bytes_per_s), cell),
                plain_paragraph(fmt.rate(need.needed_write_bytes_per_s), need_cell),
                plain_paragraph(fmt.size(need.bytes_per_hour), cell),
                [
                    plain_paragraph(fmt.duration(camera.longest_take_s), cell),
                    plain_paragraph(fmt.size(need.longest_take_bytes), small),
                ],
                [
                    plain_paragraph(
                        f"{plan.media_to_carry} × {fmt.size(camera.medium_bytes)}", cell
                    ),
                    plain_paragraph(f"each {fmt.duration(need.seconds_per_medium)}", small),
                ],
            )
        )
    shares = (0.125, 0.235, 0.13, 0.105, 0.105, 0.09, 0.1, 0.11)
    return _table(rows, [width * share for share in shares])


def _covered(need: Need, fmt: NumberFormat) -> str:
    first = next((m for m in guarantee_margins(need.needed_write_bytes_per_s) if m.covers), None)
    if first is None:
        return "no card class guarantees it"
    return f"{first.guarantee.name} guarantees it ({fmt.percent(first.margin, signed=True)})"


def _copies(job: PlannedShoot, fmt: NumberFormat, width: float) -> Table:
    rows: list[Sequence[object]] = [("Copy", "Kept", "For", "Needs", "Free on its units")]
    cell = style(9, after_pt=0)
    for each in job.plan.copies:
        copy = each.copy
        kept = f"{copy.keep_days} days" if copy.keep_days else "to the end"
        free = job.free_bytes.get(copy.name)
        tags = ", ".join(copy.unit_tags)
        if free is not None:
            room = f"{fmt.size(free)} on {tags}"
        else:
            room = f"not known of {tags}" if tags else "no unit named yet"
        cells = (copy.name, copy.kept_at, kept, fmt.size(each.needed_bytes), room)
        rows.append([plain_paragraph(text, cell) for text in cells])
    return _table(rows, [width * share for share in (0.22, 0.24, 0.14, 0.14, 0.26)])


def _ribbon(
    job: PlannedShoot, plan: CameraPlan, day: int, fmt: NumberFormat, width: float
) -> Drawing:
    """A camera's day: media filling from left to right, the longest take underlined."""
    shoot, camera = job.shoot, plan.camera
    found = day_on_media(shoot, camera, plan.need, day)
    ends = [take.end_s for take in found.takes]
    start_s, end_s = shoot.day_start_s, max([shoot.day_end_s, *ends])
    scale = (width - _LABEL_PT) / (end_s - start_s)
    drawing = Drawing(width, _RIBBON_PT + 8)
    label = f"{camera.key} {fmt.duration(camera.hours_on(day) * 3600)}"
    drawing.add(String(0, 12, label, fontName=SMALL, fontSize=9))

    def across(at_s: float) -> float:
        return _LABEL_PT + (at_s - start_s) * scale

    drawing.add(
        Rect(_LABEL_PT, 5, width - _LABEL_PT, _RIBBON_PT, fillColor=STONE, strokeColor=None)
    )
    for medium in found.media:
        points = []
        for stretch in medium.stretches:
            for at_s, filled in (
                (stretch.start_s, stretch.bytes_before),
                (stretch.end_s, stretch.bytes_after),
            ):
                points += [across(at_s), 5 + _RIBBON_PT * filled / camera.medium_bytes]
        outline = [points[0], 5, *points, points[-2], 5]
        drawing.add(Polygon(outline, fillColor=WATER, strokeColor=None))
    for reload in found.reloads:
        color = BRICK if reload.is_inside_take else SOFT
        drawing.add(
            Rect(across(reload.at_s) - 0.5, 3, 1, _RIBBON_PT + 4, fillColor=color, strokeColor=None)
        )
    for take in found.takes:
        if take.is_longest:
            long = take.duration_s * scale
            drawing.add(
                Rect(across(take.start_s), 1.5, long, 2, fillColor=COPPER, strokeColor=None)
            )
    return drawing
