"""Where the cellar is: in a file of this desk, or on a server that several desks share."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, cast

from vastcellar.core.errors import BadValueError
from vastcellar.services.workplace.folders import Folders
from vastcellar.store.json_files import write_text_whole
from vastcellar.store.late_cellar import LateCellar
from vastcellar.store.private_files import make_private_folder

if TYPE_CHECKING:
    from vastcellar.store.cellar import Cellar

DATABASE_VARIABLE = "VAST_CELLAR_DATABASE"
_SETTING = "database"
BACKUPS = "backups"


def server_address(places: Folders, *, demo: bool) -> str:
    """Return the address of the server that the cellar is on; "" where it is in a file.

    The environment counts before what was set with ``use_server``. A demo is always in a file.
    """
    if demo:
        return ""
    if address := os.environ.get(DATABASE_VARIABLE, "").strip():
        return address
    with contextlib.suppress(OSError, UnicodeDecodeError):
        return (places.config / _SETTING).read_text(encoding="utf-8").strip()
    return ""


def open_cellar(places: Folders, *, demo: bool, in_file: bool = False) -> Cellar:
    """Open the cellar, wherever it is; with *in_file* the one of this desk, whatever is set.

    Raises CellarError; BadValueError for no address.
    """
    # The database takes a third of a second to load: not needed to answer in a terminal.
    from vastcellar.store.cellar import Cellar

    address = "" if in_file else server_address(places, demo=demo)
    if not address:
        return Cellar(places.cellar_file, is_demo=demo)
    return Cellar(address, is_demo=False, backups=places.data / BACKUPS)


def late_cellar(
    places: Folders, *, demo: bool, on_fault: Callable[[], object], where: str
) -> Cellar:
    """Return the cellar, wherever it is: opened when it is first asked for something.

    *on_fault* is called where it can't be; each call raises as ``open_cellar`` then. *where* is
    how it was shown when it was open last.
    """
    address = server_address(places, demo=demo)
    made = LateCellar(
        address or places.cellar_file, is_demo=demo, on_fault=on_fault,
        backups=places.data / BACKUPS if address else None, where=where if address else "",
    )  # fmt: skip
    return cast("Cellar", made)


def has_cellar(places: Folders, *, demo: bool) -> bool:
    """Whether there is a cellar already, so that looking at it makes none."""
    return bool(server_address(places, demo=demo)) or places.cellar_file.exists()


def use_server(places: Folders, address: str) -> str:
    """Have the cellar on the server at *address* from now on; return how it is shown.

    It is opened first: an address that doesn't answer is never kept. The file stays as it is.
    Raises CellarError, BadValueError for one with a password in it, BadFileError.
    """
    from vastcellar.store.cellar import Cellar
    from vastcellar.store.server_database import ServerDatabase

    ServerDatabase(address, places.data / BACKUPS).require_no_password()
    opened = Cellar(address, backups=places.data / BACKUPS)
    try:
        if opened.is_demo:
            raise BadValueError("it is a demo's", where=opened.where, mend="Use another database")
        shown = opened.where
    finally:
        opened.close()
    make_private_folder(places.config)
    write_text_whole(places.config / _SETTING, address + "\n", is_private=True)
    return shown


def use_file(places: Folders) -> Path:
    """Have the cellar in its file from now on; return which. Raises BadFileError."""
    if (places.config / _SETTING).exists():
        write_text_whole(places.config / _SETTING, "", is_private=True)
    return places.cellar_file
