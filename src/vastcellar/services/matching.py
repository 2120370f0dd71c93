"""Find what to record to: candidates of catalog and shelf, picks, hosts side by side."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from vastcellar.core.candidates import CandidateTable, find_candidates
from vastcellar.core.chain import Chain, build_chain, find_parts
from vastcellar.core.errors import VastCellarError
from vastcellar.core.judgement import Judgement, judge_take
from vastcellar.core.needs import camera_need
from vastcellar.core.parts import Catalog, Host, Unit
from vastcellar.core.picks import CapacityStep, Pick, crossover, pareto_front, pick_all
from vastcellar.core.shoot import Camera, Setup, Shoot
from vastcellar.services.workplace import Shelf


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
    """Return the candidates for *camera* on *hosts*; units of other cameras are left to them."""
    taken = {
        other.setup.unit_tag for other in shoot.cameras if other.key != camera.key and other.setup
    }
    taken.update(tag for copy in shoot.copies for tag in copy.unit_tags)
    units = [unit for unit in shelf.units if unit.state == "ready" and unit.tag not in taken]
    owned = frozenset(
        key
        for each in shoot.cameras
        if each.setup
        for key in (each.setup.cable_key, *each.setup.hub_keys)
    )
    need = camera_need(camera)
    table = find_candidates(camera, need, hosts, catalog, units, shoot.ambient_c, owned)
    steps, pays_from = crossover(table)
    front = pareto_front(table.price, table.sustained_write)
    return Found(table, pick_all(table), tuple(front.tolist()), steps, pays_from)


def judge_what_if(
    shoot: Shoot,
    camera: Camera,
    catalog: Catalog,
    shelf: Shelf,
    ambient_c: float,
    used_share: float,
) -> Judgement | None:
    """Return the verdict in another room and with the drive that full; None with nothing chosen.

    Proofs don't count: they were made under other conditions.
    """
    setup = camera.setup
    if setup is None:
        return None
    drive = catalog.drive(setup.drive_key)
    unit = Unit(
        setup.unit_tag or drive.name,
        setup.drive_key,
        setup.enclosure_key,
        used_bytes=drive.capacity_bytes * used_share,
    )
    chain = build_chain(find_parts(setup, catalog, unit), catalog, ambient_c)
    return judge_take(camera, camera_need(camera), chain, ambient_c)


@dataclass(frozen=True)
class OnHost:
    """The same drive on another computer, in its best port with its best cable."""

    host: Host
    setup: Setup
    chain: Chain
    judgement: Judgement


def side_by_side(
    shoot: Shoot, camera: Camera, catalog: Catalog, shelf: Shelf
) -> tuple[OnHost, ...]:
    """Return what the camera's drive and enclosure come to on every computer, best port each."""
    setup = camera.setup
    if setup is None:
        return ()
    need = camera_need(camera)
    unit = shelf.unit(setup.unit_tag) if setup.unit_tag else None
    found = []
    for host in catalog.hosts.values():
        if host.is_camera:
            continue
        best: OnHost | None = None
        for port in host.ports:
            cables = ("",) if port.is_slot else tuple(catalog.cables)
            for cable_key in cables:
                tried = Setup(
                    drive_key=setup.drive_key,
                    host_key=host.key,
                    port_key=port.key,
                    unit_tag=setup.unit_tag,
                    enclosure_key=setup.enclosure_key,
                    cable_key=cable_key,
                )
                try:
                    parts = find_parts(tried, catalog, unit)
                    chain = build_chain(parts, catalog, shoot.ambient_c)
                except VastCellarError:
                    continue
                rate = chain.link_cap_bytes_per_s
                if best is None or rate > best.chain.link_cap_bytes_per_s:
                    judgement = judge_take(camera, need, chain, shoot.ambient_c)
                    best = OnHost(host, tried, chain, judgement)
        if best is not None:
            found.append(best)
    return tuple(found)
