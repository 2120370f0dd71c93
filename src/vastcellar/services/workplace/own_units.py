"""Put a unit of one's own on the shelf, or change what is known of one."""

from __future__ import annotations

from dataclasses import replace

from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.fitting import case_misfit
from vastcellar.core.parts.units import Unit
from vastcellar.services.workplace.workplace import Shelf

UNIT_STATES = ("ready", "on loan", "in doubt", "retired")


def checked_unit(unit: Unit, catalog: Catalog, shelf: Shelf, before: Unit | None = None) -> Unit:
    """Return *unit*, its tag trimmed, if it may stand on the shelf, new or in place of *before*.

    Raises BadValueError for a tag that is taken, a case that the drive does not go into, or
    more data on it than it holds; UnknownPartError for a part
    that the catalog doesn't have.
    """
    tag = unit.tag.strip()
    where = f"unit {tag}"
    is_its_own = before is not None and tag == before.tag
    if not is_its_own and shelf.unit(tag) is not None:
        raise BadValueError(
            "there is one of this tag already",
            where=where,
            mend="Give another tag, or choose that unit and change it",
        )
    drive = catalog.drive(unit.drive_key)
    if unit.enclosure_key in catalog.stores:
        raise BadValueError(
            f"{catalog.stores[unit.enclosure_key].name} holds several disks, and a unit is one",
            where=where,
            mend="Choose the case that it stays in, or none",
        )
    if unit.enclosure_key:
        unfit = case_misfit(drive, catalog.enclosure(unit.enclosure_key))
        if unfit:
            raise BadValueError(unfit, where=where, mend="Choose another enclosure, or none")
    if unit.used_bytes > drive.capacity_bytes:
        raise BadValueError(
            f"more is said to be on it than the {drive.capacity_bytes / 1e9:,.0f} GB it holds",
            where=where,
            mend="Check what is in use, or choose the larger drive",
        )
    if before is not None and unit.acceptance == before.acceptance:
        parts = (before.drive_key, before.enclosure_key)
        if (unit.drive_key, unit.enclosure_key) != parts:
            # Its tests were made with other parts: what they showed isn't of this one.
            return replace(unit, tag=tag, acceptance=None)
    return replace(unit, tag=tag)
