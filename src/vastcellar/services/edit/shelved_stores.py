"""A store as a unit of the shelf: one drive to whoever copies to it, computed from its disks."""

from __future__ import annotations

import itertools
from dataclasses import dataclass, replace
from pathlib import Path

from vastcellar.core.edit.arrays import Level
from vastcellar.core.edit.as_drive import array_as_drive
from vastcellar.core.edit.edit_store import StageKind
from vastcellar.core.errors import BadValueError
from vastcellar.core.links.links import has_larger_frames
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.parts import Drive, DriveKind
from vastcellar.core.parts.units import Unit
from vastcellar.core.shoot.edit_plan import EditPlan, StoreSetup
from vastcellar.core.units import PLAIN
from vastcellar.services.edit.edit_wording import LEVEL_NAMES
from vastcellar.services.edit.plans import edit_in_file
from vastcellar.services.edit.stores import (
    build_store,
    is_network,
    round_trip_s,
    with_larger_frames,
)
from vastcellar.services.workplace.own_catalog import own_key
from vastcellar.services.workplace.own_drives import with_drive
from vastcellar.services.workplace.own_units import checked_unit
from vastcellar.services.workplace.workplace import Shelf, Workplace


def store_drive(setup: StoreSetup, catalog: Catalog) -> Drive:
    """Return a store as one drive of one's own catalog.

    Raises BadValueError for one that is none: disks that each are a volume, a single drive at the
    desk, one without a link; and as ``build_store`` does.
    """
    store = build_store(setup, catalog)
    where = f"store {setup.name!r}"
    if store.array.level is Level.SINGLE and not is_network(setup):
        raise BadValueError(
            "it is a single drive at the desk", where=where,
            mend="Put that drive on the shelf as a unit of its own",
        )  # fmt: skip
    if not setup.port_mode:
        raise BadValueError(
            "it has no link that anything could be copied over", where=where,
            mend="Say which link it is on",
        )  # fmt: skip
    limits = [
        each.bytes_per_s for each in store.stages
        if each.kind is StageKind.ENCRYPTION and not each.is_per_desk
    ]  # fmt: skip
    if setup.window_bytes and is_network(setup):
        limits.append(setup.window_bytes / round_trip_s(setup))
    return array_as_drive(
        own_key(setup.name),
        setup.name,
        store.array,
        [catalog.drive(key) for key in setup.disk_keys],
        _links(setup, catalog),
        catalog.enclosure(setup.box_key) if setup.box_key else None,
        min(limits, default=None),
    )


def _links(setup: StoreSetup, catalog: Catalog) -> tuple[str, ...]:
    """Return the links that it has as it stands: the one that it is on, and the slower ones.

    Of those of its box or hub; of one at the desk itself those of the same family.
    """
    own = catalog.modes[setup.port_mode]
    if setup.box_key:
        offered = catalog.enclosure(setup.box_key).host_modes
    elif setup.hub_key:
        offered = catalog.hub(setup.hub_key).uplink_modes
    else:
        family = setup.port_mode.partition("-")[0]
        offered = tuple(key for key in catalog.modes if key.partition("-")[0] == family)
    with_larger = has_larger_frames(setup.port_mode)
    return tuple(
        key
        for key in (with_larger_frames(offered) if with_larger else offered)
        if key in catalog.modes
        and catalog.modes[key].line_rate_bits_per_s <= own.line_rate_bits_per_s
        and (with_larger or not has_larger_frames(key))
    )


@dataclass(frozen=True, slots=True)
class Shelved:
    """A store as it goes onto the shelf."""

    unit: Unit
    drive: Drive
    """What the unit is, for one's own catalog."""
    before: Unit | None = None
    """The unit that it is already, in place of which this one comes."""


def shelved(
    setup: StoreSetup, tag: str, catalog: Catalog, shelf: Shelf, *, updates: bool = False
) -> Shelved:
    """Return a store as the unit *tag*, as full as it is.

    With *updates* it comes in place of the store that stands there under that tag.
    Raises BadValueError as ``store_drive`` does, and where nothing, or no store, is of that tag.
    """
    computed = store_drive(setup, catalog)
    before = shelf.unit(tag.strip()) if updates else None
    if updates and (before is None or not is_store(before, catalog)):
        raise BadValueError(
            f"{tag} on the shelf is no store of several disks", where=f"store {setup.name!r}",
            mend="Put it on the shelf under a tag of its own",
        )  # fmt: skip
    key = _own_key_for(tag, catalog)
    drive = replace(computed, key=key, name=f"{setup.name} ({_in_words(setup, computed)})")
    used = drive.capacity_bytes * setup.used_share
    if before is not None:
        return Shelved(replace(before, drive_key=key, used_bytes=used), drive, before)
    return Shelved(Unit(tag, key, used_bytes=used), drive)


def _own_key_for(tag: str, catalog: Catalog) -> str:
    """Return a key that nothing has: two stores of one name are two drives.

    So is one that was changed. What was proved of it before was proved of other disks, and what
    was accepted then isn't accepted now.
    """
    first = own_key(f"store {tag}")
    keys = (first if number == 1 else f"{first}-{number}" for number in itertools.count(1))
    return next(key for key in keys if key not in catalog.drives)


def _in_words(setup: StoreSetup, drive: Drive) -> str:
    level = Level(setup.level)
    disks = f"{len(setup.disk_keys)} disks" if level is Level.SINGLE else LEVEL_NAMES[level]
    return f"{disks}, {PLAIN.size(drive.capacity_bytes)}"


def is_store(unit: Unit, catalog: Catalog) -> bool:
    """Whether a unit is an array or a network store."""
    drive = catalog.drives.get(unit.drive_key)
    return drive is not None and drive.kind is DriveKind.STORE


def is_another_by_now(setup: StoreSetup, unit: Unit, catalog: Catalog) -> bool:
    """Whether the store was changed since it was put on the shelf as *unit*."""
    if not is_store(unit, catalog):
        return False
    stands = catalog.drive(unit.drive_key)
    now = store_drive(setup, catalog)
    same = replace(now, key=stands.key, name=stands.name, price=stands.price)
    return same != stands


def store_named(plan: EditPlan, name: str) -> StoreSetup:
    """Return the store *name* of a plan, the chosen one where none is named.

    Raises BadValueError where there is none of that name.
    """
    if not name and plan.store is not None:
        return plan.store
    for each in plan.stores:
        if each.name == name:
            return each
    known = ", ".join(each.name for each in plan.stores)
    raise BadValueError(
        f"it has no store {name!r}", where="edit plan", mend=f"It has: {known or 'none'}"
    )


def shelve(
    workplace: Workplace, path: Path, name: str, tag: str, *, updates: bool = False
) -> Workplace:
    """Put the store *name* of the edit plan in *path* on the shelf; return the new workplace.

    Raises BadFileError, BadValueError and UnknownPartError, with nothing changed.
    """
    plan, shelf, catalog = edit_in_file(path), workplace.shelf(), workplace.catalog
    asked = shelved(store_named(plan, name), tag, catalog, shelf, updates=updates)
    unit = checked_unit(asked.unit, with_drive(catalog, asked.drive), shelf, asked.before)
    workplace = workplace.with_own([asked.drive])
    if asked.before is None:
        workplace.cellar.add_unit(unit)
    else:
        workplace.cellar.change_unit(asked.before, unit)
    return workplace
