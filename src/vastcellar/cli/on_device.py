"""A plugged-in device in place of a folder: named, told what it holds, kept as a unit."""

from __future__ import annotations

from pathlib import Path

import click

from vastcellar.cli.printing import echo
from vastcellar.cli.running import is_demo
from vastcellar.core.errors import BadValueError
from vastcellar.core.units import PLAIN
from vastcellar.services.plugged.seen import System, device_named, plugged_in
from vastcellar.services.plugged.wording import why_no_target
from vastcellar.services.proving.binding import identity_words
from vastcellar.services.proving.flat_proving import FlatProof
from vastcellar.services.proving.new_unit import keep_as_unit, measured_device_of
from vastcellar.services.runs.holding import held_cameras, held_sentence
from vastcellar.services.shoot.shoots import new_shoot
from vastcellar.services.workplace.catalogs import read_catalog
from vastcellar.services.workplace.folders import folders
from vastcellar.services.workplace.workplace import open_workplace


def folder_on(name: str | None, folder: Path | None, *, even_system: bool) -> Path | None:
    """Return *folder*, or where files can be written on the plugged-in device *name*.

    Raises UnknownPartError for a name that nothing has, BadValueError where nothing can be
    written there or where the computer runs from it and that wasn't said to be meant.
    """
    if name is None:
        return folder
    if folder is not None:
        raise click.UsageError("Name either a FOLDER or --device, not both.")
    workplace = open_workplace(demo=is_demo())
    try:
        # Never the made-up computer: what is written to must be real.
        found = plugged_in(System(), workplace.shelf(), workplace.catalog, asks_smart=False)
    finally:
        workplace.close()
    seen = device_named(found, name)
    if seen.device.is_system and not even_system:
        raise BadValueError(
            "this computer runs from it, and a test fills and wears it",
            where=f"device {name}",
            mend="Choose another; if you mean it, say so twice: add --even-system",
        )
    if seen.folder is None:
        raise BadValueError(
            f"nothing can be written there: {why_no_target(seen)}",
            where=f"device {name}",
            mend="Mount it, or name a folder on it",
        )
    return seen.folder


def tell_what_it_holds(proof: FlatProof) -> None:
    """Say which of all known formats the measured drive holds, past what a burst shows."""
    result = proof.run.result
    if result is None or not proof.can_calibrate:
        return
    catalog = read_catalog(folders(demo=is_demo()))
    try:
        held = held_cameras(result.write.trace, new_shoot(), catalog)
    except BadValueError:
        echo("Too short to say what it holds: half a second of writing is the least.")
        return
    echo(f"{held_sentence(held, PLAIN)}.")


def keep_device_as(proof: FlatProof, tag: str, class_key: str) -> None:
    """Make a unit of the device that *proof* measured, and say so.

    Raises BadValueError for a tag that is taken, a class that doesn't fit, or a device that can't
    be kept; CellarError, BadFileError.
    """
    workplace = open_workplace(demo=is_demo())
    try:
        found = plugged_in(System(), workplace.shelf(), workplace.catalog)
        folder = Path(proof.target).resolve()
        holding = [seen for seen in found if seen.holds(folder)]
        # The deepest mount: a root holds every path.
        seen = max(holding, key=lambda each: each.depth_of(folder), default=None)
        measured = measured_device_of(proof, seen, workplace.catalog, PLAIN)
        made = keep_as_unit(workplace, measured, proof, tag, class_key)
        if made.trouble is not None:
            raise made.trouble
        fitting = ", ".join(each.key for each in measured.classes) or "none that is known"
        echo(f"{made.unit.tag} is {identity_words(measured.identity)}.", err=True)
        echo(f"Classes that its trace doesn't contradict: {fitting}.", err=True)
    finally:
        workplace.close()
