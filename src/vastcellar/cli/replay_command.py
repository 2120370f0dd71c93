"""vast-cellar replay: which cameras of a shoot a measured trace would have held."""

from __future__ import annotations

from pathlib import Path

import click

from vastcellar.cli.printing import echo, print_json
from vastcellar.core.units import PLAIN
from vastcellar.services.runs.replaying import CameraReplay, replay_in_file, replay_sentence
from vastcellar.services.shoot.shoots import shoot_in_file
from vastcellar.services.workplace.catalogs import read_catalog
from vastcellar.services.workplace.folders import folders


@click.command()
@click.argument("trace", type=click.Path(path_type=Path))
@click.option("--shoot", required=True, type=click.Path(path_type=Path), help="The shoot file.")
@click.option("--camera", help="Only the camera of this key.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def replay(trace: Path, shoot: Path, camera: str | None, as_json: bool) -> None:
    """Hold the flat-out write in TRACE (CSV) against the cameras of a shoot.

    TRACE has the columns elapsed_s,written_bytes,temperature_c. A paced one shows no more than
    its pace, and so falls short of anything faster.
    """
    job = shoot_in_file(shoot, read_catalog(folders(demo=False)))
    found = replay_in_file(trace, job)
    if camera is not None:
        key = job.camera(camera).key
        found = tuple(each for each in found if each.camera.key == key)
    if as_json:
        print_json({"cameras": [_as_json(each) for each in found]})
        return
    for each in found:
        echo(replay_sentence(each, PLAIN))


def _as_json(each: CameraReplay) -> dict[str, object]:
    replayed, outcome = each.replay, each.replay.outcome
    return {
        "key": each.camera.key,
        "name": each.camera.name,
        "verdict": replayed.verdict.value,
        "margin": replayed.margin,
        "needed_write_bytes_per_s": each.need.needed_write_bytes_per_s,
        "covered_share": replayed.covered_share,
        "seen_bytes": replayed.seen_bytes,
        "worst_backlog_bytes": outcome.worst_backlog_bytes,
        "lost_bytes": outcome.lost_bytes,
        "dropped_frames": outcome.lost_bytes / each.need.bytes_per_frame,
        "first_loss_s": outcome.first_loss_s,
    }
