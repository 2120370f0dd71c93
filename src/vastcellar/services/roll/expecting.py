"""What a copy that runs should still take: the drives behind its folders, and their profiles."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from vastcellar.core.candidates.assemblies import as_its_box_says
from vastcellar.core.chain.setup_parts import find_parts, heat_path
from vastcellar.core.errors import VastCellarError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.parts import WriteBehaviour
from vastcellar.core.parts.units import Unit
from vastcellar.core.roll.day import CopyDrive
from vastcellar.core.roll.time_left import ExpectedCopy, expected_copy
from vastcellar.core.shoot.shoot import Setup
from vastcellar.core.writing.heat import HeatPath
from vastcellar.services.proving.places import find_place
from vastcellar.services.roll.follow import CopyNow
from vastcellar.services.workplace.workplace import Shelf

_NO_LIMIT = 1e15
_LEAST_S = 1.0
"""A rate over less than this says nothing yet."""


@dataclass(frozen=True, slots=True)
class KnownDrive:
    """A unit that a destination lies on, and how its drive behaves; None where none is bound."""

    tag: str
    value: CopyDrive


def known_drives(
    folders: Sequence[Path], catalog: Catalog, shelf: Shelf, ambient_c: float
) -> tuple[KnownDrive | None, ...]:
    """Return the units that *folders* lie on, by the devices that they were bound to.

    What link they hang on isn't asked here: it is seen in the rate.
    """
    return tuple(_known(each, catalog, shelf, ambient_c) for each in folders)


def _known(folder: Path, catalog: Catalog, shelf: Shelf, ambient_c: float) -> KnownDrive | None:
    try:
        place = find_place(folder)
        device = place.identity
        units = shelf.units_on(device) if device.is_telling else ()
        if len(units) != 1:
            return None
        drive = as_drive(units[0], catalog, ambient_c, float(place.mount.free_bytes))
    except VastCellarError:
        return None
    return KnownDrive(units[0].tag, drive)


def as_drive(unit: Unit, catalog: Catalog, ambient_c: float, free_bytes: float) -> CopyDrive:
    """Return *unit* as a drive that is copied to, with so much room and no link in its way."""
    host = next(iter(catalog.hosts.values()))
    setup = Setup(unit.drive_key, host.key, host.ports[0].key, unit.tag, unit.enclosure_key)
    parts = find_parts(setup, catalog, unit)
    capacity = float(parts.drive.capacity_bytes)
    return CopyDrive(
        unit.tag,
        unit.tag,
        parts.drive.behaviour or as_its_box_says(parts.drive),
        heat_path(parts, ambient_c),
        _NO_LIMIT,
        _NO_LIMIT,
        parts.medium_read_bytes_per_s,
        free_bytes=min(free_bytes, capacity),
        capacity_bytes=capacity,
    )


def expected_of(
    now: CopyNow,
    drives: Sequence[KnownDrive | None],
    best_bytes_per_s: Sequence[float],
) -> ExpectedCopy | None:
    """Return how the copy should go, by what was seen of it so far; None where too little was.

    A drive of a known unit follows its profile, held to the fastest it has been seen to write; any
    other is taken to go on as it did.

    Args:
        now: how far it has come.
        drives: of its destinations, in their order.
        best_bytes_per_s: the fastest that each was seen to write.

    """
    reading_s = now.elapsed_s - now.waited_s
    if now.elapsed_s < _LEAST_S or reading_s <= 0 or not now.read_bytes or not now.total_bytes:
        return None
    legs: list[CopyDrive] = []
    for number, leg in enumerate(now.legs):
        if leg.dropped_by:
            continue
        seen = leg.written_bytes / leg.busy_s if leg.busy_s > 0 else 0.0
        known = drives[number] if number < len(drives) else None
        if seen <= 0:
            return None
        if known is not None:
            behaviour = known.value.behaviour
            # Faster than its link lets through it has never been, whatever its profile says.
            held = max(seen, best_bytes_per_s[number], behaviour.direct_write_bytes_per_s)
            value = replace(known.value, tag=f"{number}", link_cap_bytes_per_s=held)
        else:
            path = HeatPath(12.0, 60.0, 5.0, 14.0, 0.0, 20.0)
            value = CopyDrive(
                f"{number}", f"{number}", WriteBehaviour(seen, seen), path, _NO_LIMIT, _NO_LIMIT,
                _NO_LIMIT, free_bytes=1e18, capacity_bytes=1e18,
            )  # fmt: skip
        legs.append(value)
    if not legs:
        return None
    return expected_copy(float(now.total_bytes), now.total_files, now.read_bytes / reading_s, legs)
