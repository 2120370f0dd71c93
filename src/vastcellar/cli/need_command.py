"""vast-cellar need: what each camera of a shoot asks of its media, and the shoot of its copies."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import Any

import click

from vastcellar.cli.printing import echo, print_json, print_lines
from vastcellar.core.shoot.guarantees import guarantee_margins
from vastcellar.core.shoot.shoot_plan import CameraPlan, day_on_media
from vastcellar.core.units import PLAIN
from vastcellar.report.need_csv import need_csv
from vastcellar.services.shoot.planning import PlannedShoot, planned
from vastcellar.services.shoot.shoots import shoot_in_file
from vastcellar.services.words.plan_wording import range_text, warning_sentence
from vastcellar.services.workplace.catalogs import read_catalog
from vastcellar.services.workplace.exports import save_bytes
from vastcellar.services.workplace.folders import folders
from vastcellar.services.workplace.workplace import Shelf


@click.command()
@click.argument("shoot", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
@click.option("--csv", "csv_path", type=click.Path(path_type=Path), help="Save a table as well.")
@click.option("--pdf", "pdf_path", type=click.Path(path_type=Path), help="Save the need sheet.")
@click.option("--paper", default="a4", show_default=True, type=click.Choice(["a4", "letter"]))
def need(
    shoot: Path, as_json: bool, csv_path: Path | None, pdf_path: Path | None, paper: str
) -> None:
    """Print the need of each camera in the file SHOOT, its media and the copies day by day."""
    catalog = read_catalog(folders(demo=False))
    job = planned(shoot_in_file(shoot, catalog), catalog, Shelf())
    if csv_path is not None:
        save_bytes(csv_path, need_csv(job).encode("utf-8"))
    if pdf_path is not None:
        # The PDF library takes a fifth of a second: only paid by whoever wants a sheet.
        from vastcellar.report.need_sheet import need_sheet_pdf

        today = datetime.now().astimezone().date()
        save_bytes(pdf_path, need_sheet_pdf(job, PLAIN, paper=paper, made_on=today))
    if as_json:
        print_json(_as_json(job))
    else:
        _print(job)


def _as_json(job: PlannedShoot) -> dict[str, Any]:
    plan, shoot = job.plan, job.shoot
    day = plan.fullest_day
    return {
        "shoot": shoot.name,
        "days": shoot.days,
        "total_bytes": plan.total_bytes,
        "total_bytes_range": [plan.easy_bytes, plan.hard_bytes],
        "bytes_by_day": plan.copied_bytes.tolist(),
        "copies": [
            {
                "name": each.copy.name,
                "kept_at": each.copy.kept_at,
                "keep_days": each.copy.keep_days,
                "held_bytes_by_day": each.held_bytes.tolist(),
                "needed_bytes": each.needed_bytes,
            }
            for each in plan.copies
        ],
        "cameras": [_camera_as_json(each) for each in plan.cameras],
        "fullest_day": {
            "day": day,
            "reloads": [
                {
                    "camera": each.camera.key,
                    "at": PLAIN.time_of_day(reload.at_s),
                    "inside_take": reload.is_inside_take,
                }
                for each in plan.cameras
                for reload in day_on_media(shoot, each.camera, each.need, day).reloads
            ],
        },
        "warnings": [
            {
                "concern": each.concern.value,
                "camera": each.camera_key or None,
                "day": each.day or None,
                "grave": each.is_grave,
                "says": warning_sentence(each, shoot, PLAIN),
            }
            for each in job.warnings
        ],
    }


def _camera_as_json(plan: CameraPlan) -> dict[str, Any]:
    camera, need = plan.camera, plan.need
    return {
        "key": camera.key,
        "name": camera.name,
        "format": camera.recording.name,
        "evidence": need.evidence.value,
        "average_bytes_per_s": need.average_bytes_per_s,
        "average_range_bytes_per_s": [need.easy_bytes_per_s, need.hard_bytes_per_s],
        "peak_bytes_per_s": need.peak_bytes_per_s,
        "needed_write_bytes_per_s": need.needed_write_bytes_per_s,
        "bytes_per_hour": need.bytes_per_hour,
        "seconds_per_medium": need.seconds_per_medium,
        "longest_take_bytes": need.longest_take_bytes,
        "longest_take_share_of_medium": plan.longest_share_of_medium,
        "bytes_by_day": plan.recorded_bytes.tolist(),
        "copied_bytes_by_day": plan.copied_bytes.tolist(),
        "bytes_in_all": float(plan.copied_bytes.sum()),
        "takes_by_day": plan.takes.tolist(),
        "media_by_day": plan.media.tolist(),
        "media_to_carry": plan.media_to_carry,
        "guaranteed_by": {
            each.guarantee.name: each.margin
            for each in guarantee_margins(need.needed_write_bytes_per_s)
            if each.covers
        },
    }


def _print(job: PlannedShoot) -> None:
    plan, shoot = job.plan, job.shoot
    for each in plan.cameras:
        camera, need = each.camera, each.need
        echo(f"{camera.key} {camera.name}: {camera.recording.name}")
        spread = range_text(need, PLAIN)
        carry = f"{each.media_to_carry} of {PLAIN.size(camera.medium_bytes)}"
        covering = [
            f"{g.guarantee.name} ({PLAIN.percent(g.margin, signed=True)})"
            for g in guarantee_margins(need.needed_write_bytes_per_s)
            if g.covers
        ]
        print_lines(
            [
                ("average", PLAIN.rate(need.average_bytes_per_s, 2)),
                *([("easy to hard picture", spread)] if spread else []),
                ("worst second", PLAIN.rate(need.peak_bytes_per_s, 2)),
                ("need", PLAIN.rate(need.needed_write_bytes_per_s, 2)),
                ("guaranteed by", ", ".join(covering) or "no card class"),
                ("an hour", PLAIN.size(need.bytes_per_hour)),
                ("a medium lasts", PLAIN.duration(need.seconds_per_medium)),
                ("longest take", PLAIN.size(need.longest_take_bytes)),
                ("fullest day", PLAIN.size(float(each.copied_bytes.max(initial=0.0)))),
                ("media to carry", carry),
            ]
        )
    if not plan.cameras:
        echo(f"{shoot.name} has no cameras yet.")
        return
    days = "1 day" if shoot.days == 1 else f"{shoot.days} days"
    echo(
        f"In {days}: {PLAIN.size(plan.total_bytes)} "
        f"({PLAIN.size(plan.easy_bytes)} to {PLAIN.size(plan.hard_bytes)})"
    )
    if plan.copies:
        print_lines([(each.copy.name, PLAIN.size(each.needed_bytes)) for each in plan.copies])
    for warning in job.warnings:
        echo(f"! {warning_sentence(warning, shoot, PLAIN)}.")
