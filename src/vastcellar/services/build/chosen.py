"""What somebody wants to put together, by keys of the catalog and tags of the shelf."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from vastcellar.core.errors import BadValueError, UnknownPartError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.shoot.shoot import Camera
from vastcellar.services.workplace.workplace import Shelf


@dataclass(frozen=True)
class Chosen:
    """What somebody wants to put together, by keys and tags."""

    drive_key: str
    enclosure_key: str
    pad_key: str = ""
    cable_key: str = ""
    reused: tuple[tuple[str, str], ...] = ()
    """Keys of parts that are at hand, and the unit that each comes from."""
    wants_splash: bool = False
    dock_key: str = ""
    """What several of the cases slide into; "" for one alone."""
    beside_keys: tuple[str, ...] = ()
    """Drives of the other bays; () for the same in all of them."""


_SECTIONS = ("drives", "cases", "pads", "cables", "hubs")


def chosen_from(parts: Sequence[str], catalog: Catalog, shelf: Shelf) -> Chosen:
    """Return what *parts* name: keys of bare drives, a case, a pad, a cable, a dock; or tags.

    A unit gives what of it isn't named otherwise: its case, or its module. Several drives go into
    the bays of a store or the slots of a dock, in their order. Raises UnknownPartError for what
    nobody knows, BadValueError where drive or case is missing, or named twice.
    """
    keys: dict[str, str] = {}
    drives: list[str] = []
    units = []
    for part in parts:
        section = next((name for name in _SECTIONS if part in getattr(catalog, name)), "")
        unit = shelf.unit(part)
        if section == "drives":
            drives.append(part)
        elif section:
            if section in keys:
                raise BadValueError(
                    f"{keys[section]!r} and {part!r} are both {section}",
                    where="parts",
                    mend="Name one of them",
                )
            keys[section] = part
        elif unit is not None:
            units.append(unit)
        else:
            raise UnknownPartError(
                f"nothing is called {part!r}",
                where="parts",
                mend="Give keys of a drive, a case, a pad, a cable or a dock, or a unit's tag",
            )
    reused: list[tuple[str, str]] = []
    for unit in units:
        if unit.enclosure_key and "cases" not in keys:
            keys["cases"] = unit.enclosure_key
            reused.append((unit.enclosure_key, unit.tag))
        if not drives and unit.drive_key:
            drives.append(unit.drive_key)
            reused.append((unit.drive_key, unit.tag))
    for is_there, name in ((drives, "a bare drive"), ("cases" in keys, "a case")):
        if not is_there:
            raise BadValueError(f"{name} is missing", where="parts", mend=f"Name {name}, too")
    return Chosen(
        drives[0], keys["cases"], keys.get("pads", ""), keys.get("cables", ""), tuple(reused),
        dock_key=keys.get("hubs", ""), beside_keys=tuple(drives[1:]),
    )  # fmt: skip


def first_choice(camera: Camera | None, catalog: Catalog) -> Chosen:
    """Return what to begin with: what the camera records to, where that is a bare drive."""
    setup = camera.setup if camera else None
    drive = catalog.drives.get(setup.drive_key) if setup else None
    if setup is not None and drive is not None and drive.needs_enclosure and setup.enclosure_key:
        at_hand = ((setup.drive_key, setup.unit_tag), (setup.enclosure_key, setup.unit_tag))
        return Chosen(
            setup.drive_key, setup.enclosure_key, reused=at_hand if setup.unit_tag else ()
        )
    bare = next((each for each in catalog.drives.values() if each.needs_enclosure), None)
    if bare is None:
        raise BadValueError(
            "the catalog has no bare drive", where="build", mend="Add a drive of your own"
        )
    case = next(iter(catalog.enclosures_for(bare)), None) or next(iter(catalog.enclosures.values()))
    return Chosen(bare.key, case.key)
