"""Plan this day: cameras, cards and drives of a shoot at the computer they are copied on."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.parts import Host
from vastcellar.core.parts.units import free_bytes_on
from vastcellar.core.roll.day import CameraDay, Card, Reader, RollDay, Uplink
from vastcellar.core.roll.day_run import DayRun, run_day
from vastcellar.core.roll.fills import DayOnDrive
from vastcellar.core.roll.later import LaterRun
from vastcellar.core.roll.learned import Learned, at_speed, learned_from
from vastcellar.core.roll.pools import with_cards
from vastcellar.core.shoot.needs import camera_need
from vastcellar.core.shoot.shoot import Camera, Copy, Shoot, cables_and_hubs_of, tags_in_use
from vastcellar.core.shoot.shoot_plan import day_on_media
from vastcellar.core.shoot.stations import FIRST, at_station, station_label, station_names
from vastcellar.services.match.placing import Placing
from vastcellar.services.roll.copied_runs import measured_copies
from vastcellar.services.roll.day_drives import NamedCopy, copies_on, drive_of_copy, setup_of_unit
from vastcellar.services.roll.later_copies import later_copies
from vastcellar.services.roll.station_ports import (
    Device,
    Plugged,
    PortTable,
    plugged_ways,
    shared_ports,
)
from vastcellar.services.workplace.workplace import Shelf


@dataclass(frozen=True)
class CopyOnDay:
    """A copy of the shoot, on the unit that takes the day."""

    copy: Copy
    tag: str
    filled: tuple[DayOnDrive, ...]
    """All days of the shoot on its units; () for a drive that isn't ours."""
    placed: Placing | None
    """Where it hangs; None for a drive that isn't ours."""


@dataclass(frozen=True)
class PlannedDay:
    """A day of a shoot, and what comes of it."""

    shoot: Shoot
    number: int
    """Which day, from 1."""
    host: Host
    day: RollDay
    run: DayRun
    copies: tuple[CopyOnDay, ...]
    """Those that are made later after the others."""
    later: tuple[LaterRun, ...]
    cards: dict[str, dict[str, Placing]]
    """Where each card can be put in, by tag and port."""
    notes: tuple[str, ...]
    """What could not be planned, each as a sentence."""
    learned: tuple[tuple[str, Learned], ...]
    """What measured copies say of the day's drives, by tag."""
    other_ways: tuple[RollDay, ...]
    """The same day with the drives in other ports."""
    station: str = FIRST
    """Which station of the shoot it is; ``shoot`` has what goes on there."""
    used_elsewhere: frozenset[str] = frozenset()
    """Tags of units that the shoot's other stations use."""


def station_of(shoot: Shoot, catalog: Catalog) -> Host:
    """Return the computer that the cards are copied on. Raises where there is none."""
    if shoot.offload.host_key:
        return catalog.host(shoot.offload.host_key)
    for host in catalog.hosts.values():
        if not host.is_camera:
            return host
    raise BadValueError(
        "the catalog has no computer to copy on", where="station", mend="Add one to it"
    )


class DayPlanner:
    """Plans days with one catalog and shelf; what things come to in a port is asked once."""

    def __init__(self, catalog: Catalog, shelf: Shelf) -> None:
        self.catalog, self.shelf = catalog, shelf
        self._tables: dict[tuple[str, float, frozenset[str]], PortTable] = {}

    def table(self, shoot: Shoot) -> PortTable:
        """Return what devices come to in the ports of the computer of *shoot*."""
        host, owned = station_of(shoot, self.catalog), cables_and_hubs_of(shoot)
        key = (host.key, shoot.ambient_c, owned)
        if key not in self._tables:
            self._tables[key] = PortTable(host, self.catalog, self.shelf, shoot.ambient_c, owned)
        return self._tables[key]

    def plan(self, shoot: Shoot, number: int, station: str = FIRST) -> PlannedDay:
        """Return day *number* of *shoot* at one of its stations, as ``plan_day`` does."""
        here = at_station(shoot, station)
        if shoot.offload.further and not (here.cameras and here.copies):
            raise BadValueError(
                "nothing is copied there yet",
                where=station_label(station),
                mend="Say which cameras' cards go there, and which copies are made there",
            )
        elsewhere = tags_in_use(shoot) - tags_in_use(here)
        copied_to = frozenset(tag for copy in shoot.copies for tag in copy.unit_tags)
        planned = _planned(
            here, number, self.catalog, self.shelf, self.table(here), copied_to
        )  # fmt: skip
        if len(station_names(shoot)) == 1:
            return planned
        return replace(
            planned,
            station=station,
            used_elsewhere=elsewhere,
            notes=(*planned.notes, *_at_two_stations(shoot, here, station)),
        )

    def plan_again(self, planned: PlannedDay, shoot: Shoot) -> PlannedDay:
        """Return the day of *planned* for *shoot*, its own with something changed."""
        copied_to = frozenset(tag for copy in shoot.copies for tag in copy.unit_tags)
        return _planned(
            shoot, planned.number, self.catalog, self.shelf, self.table(shoot), copied_to
        )


def _at_two_stations(shoot: Shoot, here: Shoot, station: str) -> Iterator[str]:
    """Yield what can't be: a unit that is needed here and at another station."""
    for name in station_names(shoot):
        if name != station:
            both = tags_in_use(here) & tags_in_use(at_station(shoot, name))
            for tag in sorted(both):
                where = station_label(name)
                yield f"{tag} is used at another station as well ({where}): it can't be at both"


def plan_day(
    shoot: Shoot, number: int, catalog: Catalog, shelf: Shelf, station: str = FIRST
) -> PlannedDay:
    """Return day *number* of *shoot*, from 1, minute by minute, at one of its stations.

    Raises BadValueError or UnknownPartError for what can't be planned: no camera that records to
    anything, no copy with a unit, a unit that nobody knows, a computer with too few ports.
    """
    return DayPlanner(catalog, shelf).plan(shoot, number, station)


def _planned(
    shoot: Shoot,
    number: int,
    catalog: Catalog,
    shelf: Shelf,
    table: PortTable,
    copied_to: frozenset[str],
) -> PlannedDay:
    if not 1 <= number <= shoot.days:
        raise BadValueError(
            f"there is no day {number} in {shoot.days}", where="day", mend="Choose one of them"
        )
    notes: list[str] = []
    pools = [
        (camera, _pool(camera, number, catalog, shelf, notes, copied_to))
        for camera in shoot.cameras
    ]
    pools = [(camera, pool) for camera, pool in pools if pool]
    named = copies_on(shoot, number, catalog, shelf, notes)
    copies = [each for each in named if not each[0].made_from]
    if not pools:
        raise BadValueError(
            "no camera records to anything", where="day", mend="Choose what it records to in Match"
        )
    if not copies:
        raise BadValueError(
            "no copy of the shoot has a unit",
            where="day",
            mend="Name the units that it is made on in Shoot",
        )
    drives = [
        Device(tag, setup_of_unit(unit), 0.0)
        for _copy, tag, unit, _filled in copies
        if unit is not None
    ]
    cards = [device for _camera, pool in pools for device, _room in pool]
    ways = plugged_ways(table, drives, cards, dict(shoot.offload.ports))
    counting = sum(not copy.is_handed_over for copy, *_rest in copies)
    later = [each for each in named if each[0].made_from]
    if counting < shoot.offload.verified_copies:
        drives_count = "1 drive counts" if counting == 1 else f"{counting} drives count"
        until = "before those are made that are made later" if later else "again"
        notes.append(
            f"{shoot.offload.verified_copies} verified copies are asked for and {drives_count}: "
            f"no card is ever free {until}"
        )
    learned = _learned(shoot, number, copies, ways[0], catalog, shelf)
    made = [_day_on(shoot, number, pools, copies, way, table, learned) for way in _distinct(ways)]
    day, way = made[0], ways[0]
    run = run_day(day)
    return PlannedDay(
        shoot,
        number,
        table.host,
        day,
        run,
        tuple(CopyOnDay(copy, tag, filled, way.drives.get(tag)) for copy, tag, _u, filled in named),
        later_copies(shoot, number, run, copies, later, table, notes),
        way.cards,
        tuple(notes),
        tuple(learned.items()),
        tuple(made[1:]),
    )


_MOST_OTHER_WAYS = 6


def _distinct(ways: Sequence[Plugged]) -> list[Plugged]:
    """Return the first of those ways that differ in what anything carries."""
    seen: dict[tuple[object, ...], Plugged] = {}
    for way in ways:
        rates = (
            *((tag, round(chain.link_cap_bytes_per_s)) for tag, (_s, chain) in way.drives.items()),
            *(
                (tag, sorted(round(chain.reading_bytes_per_s) for _s, chain in placed.values()))
                for tag, placed in way.cards.items()
            ),
        )
        seen.setdefault(tuple(map(str, rates)), way)
        if len(seen) > _MOST_OTHER_WAYS:
            break
    return list(seen.values())


# What there is on the day

Pool = list[tuple[Device, float]]
"""Cards of a camera in the order in which they go in, and the room on each."""


def _pool(
    camera: Camera,
    number: int,
    catalog: Catalog,
    shelf: Shelf,
    notes: list[str],
    copied_to: frozenset[str],
) -> Pool:
    setup = camera.setup
    if setup is None:
        notes.append(f"{camera.key} records to nothing yet: it is left out")
        return []
    day_bytes = camera.hours_on(number) * 3600 * camera_need(camera).average_bytes_per_s
    found: Pool = []
    tags = (setup.unit_tag, *camera.pool_tags) if setup.unit_tag else camera.pool_tags
    if not setup.unit_tag:
        found.append((Device(f"{camera.key} 1", setup, day_bytes), float(camera.medium_bytes)))
    for tag in tags:
        if tag in copied_to:
            notes.append(f"{tag} of {camera.key} is copied to as well: it is left out")
            continue
        unit = shelf.unit(tag)
        if unit is None or not unit.is_ready:
            why = "isn't in the cellar" if unit is None else f"is {unit.state}"
            notes.append(f"{tag} of {camera.key} {why}: it is left out")
            continue
        room = free_bytes_on(catalog.drive(unit.drive_key), unit)
        if room <= 0:
            notes.append(f"{tag} of {camera.key} is full: it is left out")
            continue
        own = replace(setup_of_unit(unit), file_system_key=setup.file_system_key)
        if not own.enclosure_key and catalog.drive(unit.drive_key).needs_enclosure:
            own = replace(own, enclosure_key=setup.enclosure_key)
        found.append((Device(tag, own, day_bytes), room))
    return found


# The day itself


def _day_on(
    shoot: Shoot,
    number: int,
    pools: Sequence[tuple[Camera, Pool]],
    copies: Sequence[NamedCopy],
    way: Plugged,
    table: PortTable,
    learned: Mapping[str, Learned],
) -> RollDay:
    rules = shoot.offload
    used = {port for placed in way.cards.values() for port in placed}
    shared = shared_ports(way.drives, table.modes)
    behind = {tag: port.key for port in shared for tag in port.tags}
    return RollDay(
        cameras=tuple(_camera_day(shoot, number, camera, pool, way) for camera, pool in pools),
        readers=tuple(Reader(port.key, port.name) for port in table.ports if port.key in used),
        drives=tuple(
            replace(
                at_speed(drive, learned[drive.tag].factor) if drive.tag in learned else drive,
                uplink=behind.get(drive.tag, ""),
            )
            for drive in (drive_of_copy(shoot, number, each, way) for each in copies)
        ),
        uplinks=tuple(Uplink(port.key, port.bytes_per_s) for port in shared),
        people=rules.people,
        walk_s=rules.walk_s,
        swap_s=rules.swap_s,
        order=rules.order,
        copies_at_once=rules.copies_at_once,
        verified_copies=rules.verified_copies,
    )


def _learned(
    shoot: Shoot,
    number: int,
    copies: Sequence[NamedCopy],
    way: Plugged,
    catalog: Catalog,
    shelf: Shelf,
) -> dict[str, Learned]:
    """Return what measured copies say of each drive, beside its profile as it is planned."""
    found = {}
    for each in copies:
        _copy, tag, unit, _filled = each
        if unit is None:
            continue
        measured = measured_copies(shelf.records, tag, catalog)
        said = learned_from(drive_of_copy(shoot, number, each, way), measured)
        if said is not None:
            found[tag] = said
    return found


def _camera_day(shoot: Shoot, number: int, camera: Camera, pool: Pool, way: Plugged) -> CameraDay:
    need = camera_need(camera)
    cards = tuple(
        Card(
            device.tag,
            room,
            tuple(
                (port, chain.reading_bytes_per_s)
                for port, (_setup, chain) in way.cards[device.tag].items()
            ),
        )
        for device, room in pool
    )
    value = CameraDay(
        camera.key,
        camera.name,
        day_on_media(shoot, camera, need, number).takes,
        need.average_bytes_per_s,
        cards,
        camera.card_changes_s,
    )
    return with_cards(value, len(cards) + camera.more_media) if camera.more_media else value
