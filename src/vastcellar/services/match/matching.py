"""Find what to record to: candidates of catalog and shelf, picks, hosts side by side."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime

import numpy as np

from vastcellar.core.candidates.candidates import CandidateTable, find_candidates
from vastcellar.core.candidates.picks import CapacityStep, Pick, crossover, pareto_front, pick_all
from vastcellar.core.candidates.proved_candidates import with_proofs
from vastcellar.core.chain.chain import Chain
from vastcellar.core.chain.measured_stages import build_measured_chain
from vastcellar.core.chain.setup_parts import find_parts
from vastcellar.core.errors import BadValueError
from vastcellar.core.links.links import Cable, Port
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.parts import Host
from vastcellar.core.parts.units import Unit
from vastcellar.core.shoot.needs import camera_need
from vastcellar.core.shoot.shoot import Camera, Setup, Shoot, cables_and_hubs_of, tags_in_use
from vastcellar.core.shoot.shoot_plan import day_on_media
from vastcellar.core.verdict.judgement import Judgement, judge_take
from vastcellar.core.writing.copying import CopyRate, CopyStage, copy_rate
from vastcellar.core.writing.workloads import medium_over_a_day
from vastcellar.services.match.placing import best_owned, carries, placings
from vastcellar.services.workplace.workplace import Shelf


@dataclass(frozen=True)
class Found:
    """Everything that could be recorded to, and what stands out of it."""

    table: CandidateTable
    picks: dict[Pick, int]
    front: tuple[int, ...]
    """Rows that nothing beats in price and sustained rate, cheapest first."""
    steps: tuple[CapacityStep, ...]
    building_pays_from_bytes: float | None


def own_host(camera: Camera, catalog: Catalog) -> Host | None:
    """Return the host that a camera records at: its own model's slots and ports, or None."""
    return next((host for host in catalog.hosts.values() if host.name == camera.model), None)


def hosts_named(name: str, catalog: Catalog) -> tuple[Host, ...]:
    """Return the host called *name* or of that key. Raises UnknownPartError where there is none."""
    for host in catalog.hosts.values():
        if name.casefold() in (host.name.casefold(), host.key):
            return (host,)
    return (catalog.host(name),)


def find_for(
    shoot: Shoot, camera: Camera, hosts: Sequence[Host], catalog: Catalog, shelf: Shelf
) -> Found:
    """Return the candidates for *camera* on *hosts*; units in use elsewhere stay there."""
    taken = tags_in_use(shoot, besides=camera.key)
    free = [unit for unit in shelf.units if unit.is_ready and unit.tag not in taken]
    table = _candidates(shoot, camera, hosts, free, catalog, shelf)
    steps, pays_from = crossover(table)
    front = pareto_front(table.price, table.sustained_write)
    return Found(table, pick_all(table), tuple(front.tolist()), steps, pays_from)


def _candidates(
    shoot: Shoot,
    camera: Camera,
    hosts: Sequence[Host],
    units: Sequence[Unit],
    catalog: Catalog,
    shelf: Shelf,
) -> CandidateTable:
    """Return all that *camera* could record to on *hosts*, of *units* and what can be bought."""
    need, owned = camera_need(camera), cables_and_hubs_of(shoot)
    table = find_candidates(
        camera, need, hosts, catalog, units, shoot.ambient_c, owned, shelf.stages, camera.setup
    )
    return with_proofs(table, camera, need, catalog, shoot.ambient_c, shelf.proofs, shelf.stages)


def judge_what_if(
    shoot: Shoot,
    camera: Camera,
    catalog: Catalog,
    shelf: Shelf,
    ambient_c: float,
    used_share: float,
    *,
    over_day: int = 0,
) -> Judgement | None:
    """Return the verdict in another room and with the drive that full; None with nothing chosen.

    With *over_day* it is of what the medium of the longest take sees on that day, counted from
    1, pauses and all; then only the model counts.
    Raises BadValueError where nothing is recorded on that day.
    """
    setup = camera.setup
    if setup is None:
        return None
    drive = catalog.drive(setup.drive_key)
    own = shelf.unit(setup.unit_tag) if setup.unit_tag else None
    unit = own or Unit(drive.name, setup.drive_key, setup.enclosure_key)
    unit = replace(unit, used_bytes=drive.capacity_bytes * used_share)
    parts = find_parts(setup, catalog, unit)
    chain = build_measured_chain(parts, catalog, ambient_c, shelf.stages)
    need = camera_need(camera)
    workload = None
    if over_day:
        day = day_on_media(shoot, camera, need, over_day)
        workload = medium_over_a_day(day, need.average_bytes_per_s)
    return judge_take(
        camera, need, chain, ambient_c, shelf.proofs, workload=workload, now=datetime.now(UTC)
    )


def _offload(host: Host, chain: Chain) -> CopyRate | None:
    """Return how fast its files come off onto the computer's own disk, and what sets that."""
    if chain.problem:
        return None
    stages = [
        CopyStage(f"{chain.parts.name}, reading", chain.parts.medium_read_bytes_per_s),
        CopyStage("the link", chain.reading_link_bytes_per_s),
    ]
    if host.disk_write_bytes_per_s:
        stages.append(CopyStage(f"the disk of the {host.name}", host.disk_write_bytes_per_s))
    return copy_rate(stages)


def setup_for_unit(
    shoot: Shoot, camera: Camera, unit: Unit, catalog: Catalog, shelf: Shelf
) -> Setup:
    """Return the best way for *camera* to record to *unit*, at the camera's own port or slot.

    A bare unit gets the cheapest case that holds, or the best where none does.
    Raises BadValueError where the two don't connect.
    """
    own = own_host(camera, catalog)
    hosts = (own,) if own else tuple(catalog.hosts.values())
    table = _candidates(shoot, camera, hosts, [unit], catalog, shelf)
    mine = [row for row in range(len(table)) if table.unit(row) is not None]
    if not mine:
        where = own.name if own else "any computer"
        raise BadValueError(
            f"{unit.tag} connects to nothing on {where}",
            where=f"camera {camera.key!r}",
            mend="Choose a unit that fits its port or slot",
        )
    return table.setup(_best_row(table, mine, camera))


def setups_for_units(
    shoot: Shoot, camera: Camera, units: Sequence[Unit], catalog: Catalog, shelf: Shelf
) -> dict[str, Setup]:
    """Return the best way for *camera* to record to each of *units* that connects, by its tag.

    As ``setup_for_unit`` chooses it, all at once.
    """
    own = own_host(camera, catalog)
    hosts = (own,) if own else tuple(catalog.hosts.values())
    if not units:
        return {}
    table = _candidates(shoot, camera, hosts, units, catalog, shelf)
    rows: dict[str, list[int]] = {}
    for row in range(len(table)):
        if (unit := table.unit(row)) is not None:
            rows.setdefault(unit.tag, []).append(row)
    return {tag: table.setup(_best_row(table, mine, camera)) for tag, mine in rows.items()}


def _best_row(table: CandidateTable, rows: Sequence[int], camera: Camera) -> int:
    """Return which of *rows*, all of one unit, is the best way to record to it."""
    mine = list(rows)
    if camera.setup is not None and camera.setup.hub_keys:
        hubs = camera.setup.hub_keys, camera.setup.sharing
        behind = [row for row in mine if _hubs_of(table.setup(row)) == hubs]
        mine = behind or mine  # only the unit was chosen anew: the dock stays where it fits

    margin = np.nan_to_num(table.margin, nan=-1.0)  # not known: after all that is

    def preference(row: int) -> tuple[bool, float, float, float]:
        holds = bool(table.holds[row])
        case_price = float(table.parts.price[table.assembly[row]]) if holds else 0.0
        return not holds, case_price, -float(margin[row]), float(table.price[row])

    return min(mine, key=preference)


def _hubs_of(setup: Setup) -> tuple[tuple[str, ...], int]:
    return setup.hub_keys, setup.sharing


@dataclass(frozen=True)
class MissingCable:
    """A cable that one doesn't have, and what it would carry at first."""

    cable: Cable
    port: Port
    at_first_bytes_per_s: float


@dataclass(frozen=True)
class OnHost:
    """The same drive on another computer, in its best port with the best cable one has."""

    host: Host
    setup: Setup
    chain: Chain
    judgement: Judgement
    copy: CopyRate | None = None
    """Of an offload from it to the computer's own disk; None where nothing connects."""
    missing: MissingCable | None = None
    """What would carry more there; None where no cable would, or this one must be bought anyway."""
    has_cable: bool = True
    """Whether the cable, if it takes one, is one of the shoot's."""


def side_by_side(
    shoot: Shoot, camera: Camera, catalog: Catalog, shelf: Shelf
) -> tuple[OnHost, ...]:
    """Return what the camera's drive and enclosure come to on every computer, best port each.

    Cables of the shoot come first; where none of them connects, the best of the catalog counts
    and is said to be missing. Whatever is not chosen anew stays: file system, encryption, hubs.
    """
    setup = camera.setup
    if setup is None:
        return ()
    owned = cables_and_hubs_of(shoot)
    rows = []
    for host in catalog.hosts.values():
        if host.is_camera:
            continue
        tried = placings(host.ports, host, setup, catalog, shelf, shoot.ambient_c)
        if not tried:
            continue
        best, best_chain = max(tried, key=carries)
        (placed, chain), is_owned = best_owned(tried, owned)
        judgement = judge_take(
            camera,
            camera_need(camera),
            chain,
            shoot.ambient_c,
            shelf.proofs,
            now=datetime.now(UTC),
        )
        row = OnHost(host, placed, chain, judgement, _offload(host, chain))
        row = replace(row, has_cable=is_owned or bool(chain.problem))
        gained = best_chain.link_cap_bytes_per_s > chain.link_cap_bytes_per_s * 1.001
        if gained and best.cable_key:
            first = best_chain.at_first_bytes_per_s
            cable, port = catalog.cable(best.cable_key), host.port(best.port_key)
            row = replace(row, missing=MissingCable(cable, port, first))
        rows.append(row)
    return tuple(rows)
