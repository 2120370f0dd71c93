"""vast-cellar devices: what is plugged in, how it links, and which unit it is."""

from __future__ import annotations

import click

from vastcellar.cli.printing import echo, print_json
from vastcellar.cli.running import is_demo
from vastcellar.core.units import PLAIN
from vastcellar.services.plugged.figures import device_figures
from vastcellar.services.plugged.seen import SeenDevice, plugged_in, system_at, system_of
from vastcellar.services.plugged.wording import (
    advice,
    device_sentence,
    volume_words,
    wear_words,
    why_no_target,
)
from vastcellar.services.workplace.workplace import open_workplace


@click.command()
@click.option("--root", help="Another computer: a folder with its trees, or a made-up one by name.")
@click.option("--no-smart", is_flag=True, help="Don't ask the drives what they count.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def devices(root: str | None, no_smart: bool, as_json: bool) -> None:
    """Show what is plugged in: link, hub, file system, identity, wear, and which unit it is."""
    workplace = open_workplace(demo=is_demo())
    try:
        places = workplace.folders
        system = system_at(root, places) if root else system_of(places, is_demo=workplace.is_demo)
        found = plugged_in(system, workplace.shelf(), workplace.catalog, asks_smart=not no_smart)
    finally:
        workplace.close()
    if as_json:
        print_json(
            {
                "is_made_up": system.is_made_up,
                "devices": [device_figures(seen) for seen in found],
            }
        )
        return
    if system.is_made_up:
        echo("A made-up computer:" if root is None else f"The computer below {root}:")
    for seen in found:
        _tell(seen)
    if all(seen.device.is_system for seen in found):
        echo("Nothing is plugged in but the disk that this computer runs from.")


def _tell(seen: SeenDevice) -> None:
    unit = f" ({seen.unit.tag})" if seen.unit else ""
    echo(f"{seen.device.name}{unit}: {device_sentence(seen, PLAIN)}")
    if seen.fall is not None:
        echo(f"  {advice(seen.fall)}.")
    for volume in seen.device.volumes:
        echo(f"  {volume_words(volume, PLAIN)}")
    echo(f"  {wear_words(seen, PLAIN)}")
    if reason := why_no_target(seen):
        echo(f"  no place to measure: {reason}")
