"""--device: a plugged-in device by its name, in place of a folder on it."""

from __future__ import annotations

from pathlib import Path

import click

from vastcellar.cli.running import is_demo
from vastcellar.core.errors import BadValueError
from vastcellar.services.plugged.seen import System, device_named, plugged_in
from vastcellar.services.plugged.wording import why_no_target
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
