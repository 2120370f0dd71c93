"""On which units a clip lies, by the log of copies."""

from __future__ import annotations

from vastcellar.core.roll.copy_log import places_of
from vastcellar.services.roll.day_log import log_of
from vastcellar.services.workplace.workplace import Workplace


def units_with_clip(workplace: Workplace, name: str) -> frozenset[str]:
    """Return the tags of the units on which a clip of that name lies. Raises CellarError."""
    return frozenset(
        tag
        for found in places_of(name, log_of(workplace, None))
        if (tag := found.copy.places[found.number].unit_tag)
    )
