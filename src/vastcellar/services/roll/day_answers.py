"""What follows from a planned day: the smallest pool, what would help, how late it may get."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

from vastcellar.core.candidates.assemblies import as_its_box_says
from vastcellar.core.candidates.candidates import CandidateTable
from vastcellar.core.errors import VastCellarError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.parts import DriveKind
from vastcellar.core.parts.units import Unit, free_bytes_on
from vastcellar.core.roll.day import CopyDrive
from vastcellar.core.roll.drawn_days import DrawnDays, Spread, draw_days
from vastcellar.core.roll.levers import (
    Lever,
    LeverKind,
    Pulled,
    levers_of,
    limiting_drive,
    pull,
)
from vastcellar.core.roll.pools import SmallestPool, smallest_pool, with_pools
from vastcellar.core.shoot.offload import CardOrder
from vastcellar.core.shoot.shoot import Camera, Setup, Shoot, cables_and_hubs_of, tags_in_use
from vastcellar.services.match.matching import find_for, own_host
from vastcellar.services.roll.day_drives import copy_drive
from vastcellar.services.roll.day_planning import DayPlanner, PlannedDay
from vastcellar.services.roll.station_ports import Device, PortTable
from vastcellar.services.workplace.workplace import Shelf

DRAWN_DAYS = 1000
SEED = 20_26
"""Any: the same plan is always told the same."""
_MOST_SPARES, _MOST_DRIVES = 3, 12


@dataclass(frozen=True)
class DayAnswers:
    """What follows from a day."""

    pool: SmallestPool
    pulled: tuple[Pulled, ...]
    """What would help, best first; a risk comes last."""


def answer_day(planned: PlannedDay, catalog: Catalog, shelf: Shelf) -> DayAnswers:
    """Return the smallest pool of *planned* and what would help it."""
    pool = smallest_pool(planned.day)
    levers = [
        *_smallest_pool(planned, pool),
        *_spares_for_pools(planned, catalog, shelf),
        *_other_drives(planned, catalog, shelf),
        *(Lever(LeverKind.OTHER_PORTS, "", day) for day in planned.other_ways),
        *levers_of(planned.day, planned.run),
    ]
    return DayAnswers(pool, pull(levers, planned.run))


def draw(
    planned: PlannedDay,
    count: int = DRAWN_DAYS,
    spread: Spread | None = None,
    is_wanted: Callable[[], bool] = lambda: True,
) -> DrawnDays | None:
    """Return *count* days like *planned*, as they may really go; None once nobody wants them."""
    return draw_days(planned.day, count, SEED, spread, is_wanted)


def _missing(planned: PlannedDay, pool: SmallestPool) -> dict[str, int]:
    """Return how many cards more than it has a camera needs in *pool*, where it needs any."""
    have = {camera.key: len(camera.cards) for camera in planned.day.cameras}
    return {key: count - have[key] for key, count in pool.counts if count > have[key]}


def _smallest_pool(planned: PlannedDay, pool: SmallestPool) -> Iterator[Lever]:
    """All cards that are missing at once; nothing is taken out of a pool that has more."""
    missing = _missing(planned, pool)
    if sum(missing.values()) > 1:
        have = {camera.key: len(camera.cards) for camera in planned.day.cameras}
        day = with_pools(planned.day, {key: have[key] + more for key, more in missing.items()})
        words = ", ".join(f"{key} +{more}" for key, more in missing.items())
        yield Lever(LeverKind.SMALLEST_POOL, "", day, with_what=words)


# From the shelf


def _free_units(planned: PlannedDay, shelf: Shelf) -> list[Unit]:
    taken = tags_in_use(planned.shoot) | planned.used_elsewhere
    return [unit for unit in shelf.units if unit.is_ready and unit.tag not in taken]


def _spares_for_pools(planned: PlannedDay, catalog: Catalog, shelf: Shelf) -> Iterator[Lever]:
    """A free unit into the pool of each camera that waits, if its longest take holds on it.

    The shoot with it is planned anew: the order of the pool is the plan's alone to say.
    """
    shoot, planner = planned.shoot, DayPlanner(catalog, shelf)
    in_use = tags_in_use(shoot) | planned.used_elsewhere
    for camera in planned.day.cameras:
        if not planned.run.waits_of(camera.key):
            continue
        ours = shoot.camera(camera.key)
        for unit, setup in _units_that_hold(shoot, ours, catalog, shelf, in_use)[:_MOST_SPARES]:
            reads = _reads(planned, unit, setup, catalog, shelf)
            room = free_bytes_on(catalog.drive(unit.drive_key), unit)
            if not reads or room < camera.bytes_per_s * max(t.duration_s for t in camera.takes):
                continue
            lever = Lever(LeverKind.POOL, camera.key, planned.day, with_what=unit.tag)
            with_it = taken(planned, lever)
            if with_it is not None:
                yield replace(lever, day=planner.plan_again(planned, with_it).day)


def _units_that_hold(
    shoot: Shoot, camera: Camera, catalog: Catalog, shelf: Shelf, taken: frozenset[str]
) -> list[tuple[Unit, Setup]]:
    """Return free units that hold the need of *camera* as they are, the surest first."""
    host = own_host(camera, catalog)
    hosts = (host,) if host else tuple(catalog.hosts.values())
    try:
        table: CandidateTable = find_for(shoot, camera, hosts, catalog, shelf).table
    except VastCellarError:
        return []
    found: dict[str, tuple[float, Unit, Setup]] = {}
    for row in range(len(table)):
        unit = table.unit(row)
        if unit is None or unit.tag in taken or not table.holds[row] or table.price[row] > 0:
            continue
        margin = float(table.margin[row])
        if unit.tag not in found or margin > found[unit.tag][0]:
            found[unit.tag] = (margin, unit, table.setup(row))
    surest = sorted(found.values(), key=lambda each: -each[0])
    return [(unit, setup) for _margin, unit, setup in surest]


def _reads(
    planned: PlannedDay, unit: Unit, setup: Setup, catalog: Catalog, shelf: Shelf
) -> tuple[tuple[str, float], ...]:
    """Return what comes off *unit* in each reader of the day."""
    shoot = planned.shoot
    table = PortTable(planned.host, catalog, shelf, shoot.ambient_c, cables_and_hubs_of(shoot))
    device = Device(unit.tag, setup, 0.0)
    readers = {each.key for each in planned.day.readers}
    placed = ((port, table.at(device, port)) for port in table.ports if port.key in readers)
    return tuple((port.key, at[1].reading_bytes_per_s) for port, at in placed if at is not None)


def _other_drives(planned: PlannedDay, catalog: Catalog, shelf: Shelf) -> Iterator[Lever]:
    """A free unit in the place of the drive that is waited for, on its port."""
    shoot, day = planned.shoot, planned.day
    limiting = limiting_drive(day, planned.run)
    on_day = next((c for c in planned.copies if limiting and c.tag == limiting.tag), None)
    if limiting is None or on_day is None or on_day.placed is None:
        return
    port = planned.host.port(on_day.placed[0].port_key)
    table = PortTable(planned.host, catalog, shelf, shoot.ambient_c, cables_and_hubs_of(shoot))
    day_bytes = on_day.filled[planned.number - 1].day_bytes
    made: list[CopyDrive] = []
    for unit in _quickest_with_room(_free_units(planned, shelf), day_bytes, catalog):
        room = free_bytes_on(catalog.drive(unit.drive_key), unit)
        setup = Setup(unit.drive_key, "", "", unit.tag, unit.enclosure_key)
        placed = table.at(Device(unit.tag, setup, 0.0), port)
        if placed is not None:
            counts = limiting.counts
            made.append(copy_drive(unit.tag, placed, shoot.ambient_c, room, counts=counts))
    for each in made:
        drives = tuple(each if d.tag == limiting.tag else d for d in day.drives)
        yield Lever(
            LeverKind.OTHER_DRIVE, limiting.tag, replace(day, drives=drives), with_what=each.tag
        )


def _quickest_with_room(units: Sequence[Unit], day_bytes: float, catalog: Catalog) -> list[Unit]:
    """Return the few units that write the most past their cache, and hold the day.

    Each is let happen for a whole day: a shelf of thousands would be reckoned for minutes.
    """
    found = []
    for unit in units:
        drive = catalog.drives.get(unit.drive_key)
        if drive is None or drive.kind is DriveKind.CARD:
            continue
        bare = drive.needs_enclosure and not unit.enclosure_key
        if not bare and free_bytes_on(drive, unit) >= day_bytes:
            writes = drive.behaviour or as_its_box_says(drive)
            found.append((writes.direct_write_bytes_per_s, unit))
    found.sort(key=lambda each: -each[0])
    return [unit for _rate, unit in found[:_MOST_DRIVES]]


# Taking one


def taken(planned: PlannedDay, lever: Lever) -> Shoot | None:
    """Return the shoot with *lever* taken; None for one that nothing in the shoot stands for.

    The plan of that shoot is the day of the lever.
    """
    shoot, subject = planned.shoot, lever.subject
    rules = shoot.offload
    match lever.kind:
        case LeverKind.ORDER:
            return replace(shoot, offload=replace(rules, order=CardOrder(subject)))
        case LeverKind.POOL:
            camera = shoot.camera(subject)
            tags = (*camera.pool_tags, lever.with_what)
            return shoot.with_camera(replace(camera, pool_tags=tags))
        case LeverKind.CARD:
            camera = shoot.camera(subject)
            return shoot.with_camera(replace(camera, more_media=camera.more_media + 1))
        case LeverKind.SMALLEST_POOL:
            for before, after in zip(planned.day.cameras, lever.day.cameras, strict=True):
                camera = shoot.camera(after.key)
                more = camera.more_media + len(after.cards) - len(before.cards)
                shoot = shoot.with_camera(replace(camera, more_media=more))
            return shoot
        case LeverKind.EARLY_CHANGE:
            camera = shoot.camera(subject)
            changes = next(c.changes_s for c in lever.day.cameras if c.key == subject)
            return shoot.with_camera(replace(camera, card_changes_s=changes))
        case LeverKind.OTHER_DRIVE:
            copies = tuple(
                replace(
                    copy,
                    unit_tags=tuple(
                        lever.with_what if tag == subject else tag for tag in copy.unit_tags
                    ),
                )
                for copy in shoot.copies
            )
            return replace(shoot, copies=copies)
        case LeverKind.READER if lever.day.readers == planned.day.readers:
            at_once = rules.copies_at_once + 1
            return replace(shoot, offload=replace(rules, copies_at_once=at_once))
        case _:
            return None
