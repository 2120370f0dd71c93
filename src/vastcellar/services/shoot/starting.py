"""What a start opens: catalog, cellar, and the shoot that was left, opened last or asked for."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from vastcellar.core.errors import VastCellarError
from vastcellar.services.shoot.shoots import (
    OpenShoot,
    file_mark,
    new_shoot,
    open_shoot,
    recent_shoots,
    remember_recent,
)
from vastcellar.services.workplace.autosaving import has_unsaved, restore_unsaved
from vastcellar.services.workplace.folders import Folders
from vastcellar.services.workplace.last_seen import LastSeen, recall, workplace_of
from vastcellar.services.workplace.rescuing import Rescued, rescued_runs
from vastcellar.services.workplace.workplace import Workplace, demo_shoot_path, open_workplace


@dataclass(frozen=True)
class Started:
    """What a window begins with."""

    workplace: Workplace
    opened: OpenShoot
    trouble: VastCellarError | None = None
    """Why the shoot can't be opened."""
    rescued: tuple[Rescued, ...] = ()
    """Runs that the cellar couldn't take when they ended."""
    seen: LastSeen | None = None
    """What the last window showed, where nothing has changed since."""


def start(
    places: Folders, *, demo: bool, shoot_path: Path | None = None, in_file: bool = False
) -> Started:
    """Read catalog, cellar and the shoot.

    With *in_file* the cellar is this desk's own, even where it is on a server.
    Raises BadFileError for a catalog file, CellarError for the database.
    """
    seen = None if in_file else recall(places, demo=demo)
    if seen is not None:
        workplace = workplace_of(seen, places, demo=demo)
    else:
        workplace = open_workplace(demo=demo, places=places, in_file=in_file)
    trouble: VastCellarError | None = None
    try:
        opened = _opened(workplace, shoot_path, places, seen, demo=demo)
    except VastCellarError as error:
        opened, trouble = OpenShoot(new_shoot()), error
    return Started(workplace, opened, trouble, rescued_runs(places), seen)


def _opened(
    workplace: Workplace, asked: Path | None, places: Folders, seen: LastSeen | None, *, demo: bool
) -> OpenShoot:
    """Open what was left unsaved, what is asked for, or what was opened last."""
    catalog = workplace.catalog
    if asked is None and has_unsaved(places):
        unsaved = restore_unsaved(catalog, places)
        if unsaved is not None:
            return OpenShoot(
                unsaved.shoot, unsaved.path, True, unsaved.seen, autosave=unsaved.autosave
            )
    path = asked
    if path is None:
        path = demo_shoot_path(places) if demo else next(iter(recent_shoots(places)), None)
    if path is None:
        return OpenShoot(new_shoot())
    if seen is not None and seen.shoot_mark and seen.shoot_path == path.resolve():
        mark = file_mark(path)
        if mark == seen.shoot_mark:  # the file is as it was: so is what it says
            remember_recent(path, places)
            return OpenShoot(seen.shoot, seen.shoot_path, seen=mark)
    return open_shoot(path, catalog, places)
