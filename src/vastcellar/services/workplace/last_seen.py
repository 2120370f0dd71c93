"""What a window last showed: kept when it closes, and shown by the next start at once.

It is shown only while nothing that it was made from has changed since: the cellar's file, the
user's catalog, the program itself. The cellar is then opened behind it and asked how often it
was written: had anything been missed, it would be read anew. Of a cellar on a server nothing can
be told without asking it: what was seen last stands there until it has answered, which is at once.
Without a picture, or with one that doesn't fit, a start reads everything, as the first one does.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import sys
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import vastcellar
from vastcellar.bench.simulated_rig import RigFault
from vastcellar.core.errors import VastCellarError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.shoot.shoot import Shoot
from vastcellar.services.workplace.catalogs import own_files
from vastcellar.services.workplace.databases import has_cellar, late_cellar, server_address
from vastcellar.services.workplace.folders import Folders
from vastcellar.services.workplace.workplace import Shelf, Workplace, remove_killed_tests
from vastcellar.store.late_cellar import LateCellar
from vastcellar.store.value_pictures import keep_picture, kept_picture

_MODULES = (
    "vastcellar.services.workplace.last_seen",
    "vastcellar.services.workplace.workplace",
    "vastcellar.store.run_record",
    "vastcellar.store.calibration_record",
    "vastcellar.bench.simulated_rig",
)
MOST_RUNS = 200_000
"""A larger cellar is not kept: writing 100,000 down takes a second of the end of the window."""


@dataclass(frozen=True)
class LastSeen:
    """What was on the screen, with all that it needs."""

    catalog: Catalog
    shelf: Shelf
    changes: int
    """How often the cellar had been written when the shelf was read."""
    is_demo: bool
    is_on_server: bool
    where: str
    """The cellar, as it is shown."""
    rig_faults: dict[str, RigFault]
    shoot: Shoot
    shoot_path: Path | None
    shoot_mark: str
    """Of the shoot's file, as it was read or saved; "" where the shoot differs from it."""


def picture_of(
    workplace: Workplace, shelf: Shelf, changes: int | None, shoot: Shoot,
    shoot_path: Path | None, shoot_mark: str,
) -> LastSeen | None:  # fmt: skip
    """Return what is kept of a window that ends; None where there is nothing to be sure of.

    Args:
        workplace: with the cellar, still open.
        shelf: as it was last read.
        changes: how often the cellar had been written then; None before it was read.
        shoot: the one that was open.
        shoot_path: its file, if any.
        shoot_mark: of that file, while the shoot is as it stands there; else "".

    """
    cellar: object = workplace.cellar
    if changes is None or len(shelf.records) > MOST_RUNS:
        return None
    if isinstance(cellar, LateCellar) and not cellar.is_open:
        return None  # nothing was asked: the picture that was shown still holds
    try:
        # What can't be read is said whenever the cellar is read: that must go on.
        if workplace.cellar.change_count() != changes or workplace.cellar.unreadable:
            return None
    except VastCellarError:
        return None
    return LastSeen(
        workplace.catalog,
        shelf,
        changes,
        workplace.is_demo,
        workplace.cellar.path is None,
        workplace.cellar.where,
        dict(workplace.rig_faults),
        shoot,
        shoot_path,
        shoot_mark,
    )


def remember(picture: LastSeen, places: Folders, *, demo: bool) -> None:
    """Keep *picture* for the next start; the cellar is closed by now.

    That it can't be kept keeps nobody from closing a window.
    """
    with contextlib.suppress(VastCellarError, OSError):
        keep_picture(_file(places), _mark(places, demo=demo), picture)


def recall(places: Folders, *, demo: bool) -> LastSeen | None:
    """Return what the last window showed; None where any of it may have changed since."""
    if not has_cellar(places, demo=demo):
        return None
    try:
        mark = _mark(places, demo=demo)
    except OSError:  # a program that isn't in a folder, a catalog that can't be looked into
        return None
    found = kept_picture(_file(places), mark, _MODULES)
    return found if isinstance(found, LastSeen) else None


def forget(places: Folders) -> None:
    """Have the next start read everything."""
    with contextlib.suppress(OSError):
        _file(places).unlink(missing_ok=True)


def workplace_of(picture: LastSeen, places: Folders, *, demo: bool) -> Workplace:
    """Return the workplace of *picture*: its cellar is opened when it is first asked for."""
    cellar = late_cellar(
        places, demo=demo, on_fault=lambda: _on_fault(picture, places), where=picture.where
    )  # fmt: skip
    removed = remove_killed_tests(places)
    return Workplace(places, picture.catalog, cellar, picture.is_demo, picture.rig_faults, removed)


def _on_fault(picture: LastSeen, places: Folders) -> None:
    """A file that can't be opened is offered its backup at the next start. A server may be away
    for a while: what was seen of it last is all that there is meanwhile."""
    if not picture.is_on_server:
        forget(places)


def _file(places: Folders) -> Path:
    return places.state / "last-seen"


def _mark(places: Folders, *, demo: bool) -> Mapping[str, Any]:
    """Return what a picture stands or falls with."""
    database = places.cellar_file
    address = server_address(places, demo=demo)
    # What a window that lives on wrote, or a kill left, stands in the second.
    files = [_stamp(database), _stamp(database.with_name(database.name + "-wal"))]
    # An address may have a password in it.
    server = hashlib.sha256(address.encode("utf-8", errors="replace")).hexdigest()
    return {
        "demo": demo,
        "python": list(sys.version_info[:3]),
        "program": _program(),
        "cellar": server if address else files,
        "own": [[str(path), _stamp(path)] for path in own_files(places)],
    }


def _stamp(path: Path) -> list[int]:
    """Return what changes with every write of *path*; nothing for an empty or a missing one."""
    try:
        status = path.stat()
    except OSError:
        return []
    if not status.st_size:
        return []
    return [status.st_ino, status.st_size, status.st_mtime_ns]


def _program() -> list[int]:
    """Return what changes with any file of ours: a picture of other classes can't be read."""
    count, newest_ns, size = 0, 0, 0
    folders = [str(Path(vastcellar.__file__).parent)]
    while folders:
        with os.scandir(folders.pop()) as entries:
            for entry in entries:
                if entry.is_dir(follow_symlinks=False):
                    if entry.name != "__pycache__":
                        folders.append(entry.path)
                    continue
                status = entry.stat()
                count, size = count + 1, size + status.st_size
                newest_ns = max(newest_ns, status.st_mtime_ns)
    return [count, size, newest_ns]
