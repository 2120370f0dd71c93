"""The shelf that a command looks at: one's own where there is a cellar, or the demo's."""

from __future__ import annotations

from vastcellar.services.workplace.databases import has_cellar
from vastcellar.services.workplace.folders import Folders
from vastcellar.services.workplace.workplace import Shelf, open_workplace


def known_shelf(places: Folders, *, demo: bool) -> Shelf:
    """Return what stands on the shelf now; nothing, and no cellar made, where there is none yet.

    Raises CellarError.
    """
    if not demo and not has_cellar(places, demo=demo):
        return Shelf()
    workplace = open_workplace(demo=demo, places=places)
    try:
        return workplace.shelf()
    finally:
        workplace.close()
