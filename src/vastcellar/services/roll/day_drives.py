"""The drives that a shoot's day is copied to: which unit takes it, and how it hangs there."""

from __future__ import annotations

from vastcellar.core.candidates.assemblies import as_its_box_says
from vastcellar.core.chain.setup_parts import heat_path
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.parts import WriteBehaviour
from vastcellar.core.parts.units import Unit, free_bytes_on
from vastcellar.core.roll.day import CopyDrive
from vastcellar.core.roll.fills import DayOnDrive, days_on_drives
from vastcellar.core.shoot.shoot import Copy, Setup, Shoot
from vastcellar.core.shoot.shoot_plan import plan_shoot
from vastcellar.core.writing.heat import HeatPath
from vastcellar.services.match.placing import Placing
from vastcellar.services.roll.station_ports import Plugged
from vastcellar.services.workplace.workplace import Shelf

_NO_LIMIT = 1e12
"""Of a drive that isn't ours only the rate is known that it is said to write."""


NamedCopy = tuple[Copy, str, Unit | None, tuple[DayOnDrive, ...]]
"""A copy, the tag that it goes by on the day, its unit (None for a drive that isn't ours), and all
days of the shoot on its units."""


def setup_of_unit(unit: Unit) -> Setup:
    """Return a unit as it is built, in no port yet."""
    return Setup(unit.drive_key, "", "", unit_tag=unit.tag, enclosure_key=unit.enclosure_key)


def copies_on(
    shoot: Shoot, number: int, catalog: Catalog, shelf: Shelf, notes: list[str]
) -> list[NamedCopy]:
    """Return the copies of *shoot* with the unit that takes day *number*, and its days so far.

    Why one is left out is added to *notes*.
    """
    day_bytes = (plan_shoot(shoot).copied_bytes * (1 + shoot.reserve)).tolist()
    found: list[NamedCopy] = []
    for copy in shoot.copies:
        units = []
        for tag in copy.unit_tags:
            unit = shelf.unit(tag)
            if unit is None or not unit.is_ready:
                why = "isn't in the cellar" if unit is None else f"is {unit.state}"
                notes.append(f"{tag} of the {copy.name} {why}: it is left out")
            else:
                units.append(unit)
        if not units and copy.write_bytes_per_s:
            found.append((copy, copy.name, None, ()))
            continue
        if not units:
            notes.append(f"the {copy.name} has no unit to be made on: it is left out")
            continue
        rooms = [free_bytes_on(catalog.drive(unit.drive_key), unit) for unit in units]
        filled = days_on_drives(day_bytes, rooms, copy.keep_days)
        today = filled[number - 1]
        if not today.fits:
            notes.append(f"the {copy.name} has no unit with room for the whole of day {number}")
        unit = units[today.drive]
        if any(unit.tag == tag for _copy, tag, _unit, _filled in found):
            notes.append(f"{unit.tag} has a copy already: the {copy.name} there is none beside it")
            continue
        found.append((copy, unit.tag, unit, filled))
    return found


def drive_of_copy(shoot: Shoot, number: int, named: NamedCopy, way: Plugged) -> CopyDrive:
    """Return the drive of a copy as it hangs there, with the room that the day finds on it."""
    copy, tag, unit, filled = named
    if unit is None:
        rate = copy.write_bytes_per_s
        return CopyDrive(
            tag,
            copy.name,
            WriteBehaviour(rate, rate),
            HeatPath(12.0, 60.0, 5.0, 14.0, 0.0, shoot.ambient_c),  # any: it makes nothing slower
            _NO_LIMIT,
            _NO_LIMIT,
            rate,
            free_bytes=1e18,
            capacity_bytes=1e18,
            counts=not copy.is_handed_over,
        )
    return copy_drive(
        tag,
        way.drives[tag],
        shoot.ambient_c,
        filled[number - 1].free_bytes,
        counts=not copy.is_handed_over,
    )


def copy_drive(
    tag: str, placed: Placing, ambient_c: float, free_bytes: float, *, counts: bool
) -> CopyDrive:
    """Return a unit at its port as a drive of the day, with so much room left on it."""
    chain = placed[1]
    parts = chain.parts
    return CopyDrive(
        tag,
        tag,
        parts.drive.behaviour or as_its_box_says(parts.drive),
        heat_path(parts, ambient_c),
        chain.link_cap_bytes_per_s,
        chain.reading_link_bytes_per_s,
        parts.medium_read_bytes_per_s,
        free_bytes=free_bytes,
        capacity_bytes=parts.drive.capacity_bytes,
        counts=counts,
    )
