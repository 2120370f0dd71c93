"""vast-cellar need: what each camera of a shoot asks of its media."""

from __future__ import annotations

from pathlib import Path

import click

from vastcellar.cli.printing import print_json, print_lines
from vastcellar.core.needs import camera_need, copied_bytes_per_day, shoot_bytes_per_day
from vastcellar.core.units import PLAIN
from vastcellar.services.catalogs import read_catalog
from vastcellar.services.folders import folders
from vastcellar.services.shoots import shoot_in_file


@click.command()
@click.argument("shoot", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def need(shoot: Path, as_json: bool) -> None:
    """Print the need of each camera in the file SHOOT."""
    job = shoot_in_file(shoot, read_catalog(folders(demo=False)))
    needs = [(camera, camera_need(camera)) for camera in job.cameras]
    if as_json:
        print_json(
            {
                "shoot": job.name,
                "days": job.days,
                "bytes_per_day": shoot_bytes_per_day(job),
                "copied_bytes_per_day": copied_bytes_per_day(job),
                "cameras": [
                    {
                        "key": camera.key,
                        "name": camera.name,
                        "format": camera.recording.name,
                        "average_bytes_per_s": found.average_bytes_per_s,
                        "peak_bytes_per_s": found.peak_bytes_per_s,
                        "needed_write_bytes_per_s": found.needed_write_bytes_per_s,
                        "bytes_per_hour": found.bytes_per_hour,
                        "seconds_per_medium": found.seconds_per_medium,
                        "longest_take_bytes": found.longest_take_bytes,
                        "bytes_per_day": found.bytes_per_day,
                    }
                    for camera, found in needs
                ],
            }
        )
        return
    for camera, found in needs:
        click.echo(f"{camera.key} {camera.name}: {camera.recording.name}")
        print_lines(
            [
                ("average", PLAIN.rate(found.average_bytes_per_s, 2)),
                ("worst second", PLAIN.rate(found.peak_bytes_per_s, 2)),
                ("need", PLAIN.rate(found.needed_write_bytes_per_s, 2)),
                ("an hour", PLAIN.size(found.bytes_per_hour)),
                ("a medium lasts", PLAIN.duration(found.seconds_per_medium)),
                ("longest take", PLAIN.size(found.longest_take_bytes)),
            ]
        )
    if not needs:
        click.echo(f"{job.name} has no cameras yet.")
