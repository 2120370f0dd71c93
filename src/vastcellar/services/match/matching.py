"""Find what to record to: candidates of catalog and shelf, picks, hosts side by side."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime

import numpy as np

from vastcellar.core.candidates.candidates import CandidateTable, find_candidates
from vastcellar.core.candidates.picks import CapacityStep, Pick, crossover, pareto_front, pick_all
from vastcellar.core.candidates.proved_candidates import with_proofs
from vastcellar.core.chain.chain import Chain, find_parts
from vastcellar.core.chain.measured_stages import build_measured_chain
from vastcellar.core.errors import BadValueError, VastCellarError
from vastcellar.core.parts.parts import Catalog, Host, Unit
from vastcellar.core.shoot.needs import camera_need
from vastcellar.core.shoot.shoot import Camera, Setup, Shoot
from vastcellar.core.shoot.shoot_plan import day_on_media
from vastcellar.core.verdict.judgement import Judgement, judge_take
from vastcellar.core.writing.copying import CopyRate, CopyStage, copy_rate
from vastcellar.core.writing.workloads import medium_over_a_day
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
    table = find_candidates(
        camera, need, hosts, catalog, units, shoot.ambient_c, owned, shelf.stages
    )
    table = with_proofs(table, camera, need, catalog, shoot.ambient_c, shelf.proofs, shelf.stages)
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


def _offload(there: OnHost) -> CopyRate | None:
    """Return how fast its files come off onto the computer's own disk, and what sets that."""
    chain, host = there.chain, there.host
    if chain.problem:
        return None
    drive = chain.parts.drive
    stages = [
        CopyStage(f"{chain.parts.name}, reading", drive.claimed_read_bytes_per_s),
        CopyStage("the link", chain.link_cap_bytes_per_s),
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
    only = Shelf((replace(unit, state="ready"),), shelf.proofs, shelf.stages)
    others = tuple(replace(c, setup=None) if c.key != camera.key else c for c in shoot.cameras)
    table = find_for(replace(shoot, cameras=others, copies=()), camera, hosts, catalog, only).table
    mine = [row for row in range(len(table)) if table.unit(row) is not None]
    if not mine:
        where = own.name if own else "any computer"
        raise BadValueError(
            f"{unit.tag} connects to nothing on {where}",
            where=f"camera {camera.key!r}",
            mend="Choose a unit that fits its port or slot",
        )

    margin = np.nan_to_num(table.margin, nan=-1.0)  # not known: after all that is

    def preference(row: int) -> tuple[bool, float, float, float]:
        holds = bool(table.holds[row])
        case_price = float(table.parts.price[table.assembly[row]]) if holds else 0.0
        return not holds, case_price, -float(margin[row]), float(table.price[row])

    return table.setup(min(mine, key=preference))


@dataclass(frozen=True)
class OnHost:
    """The same drive on another computer, in its best port with its best cable."""

    host: Host
    setup: Setup
    chain: Chain
    judgement: Judgement
    copy: CopyRate | None = None
    """Of an offload from it to the computer's own disk; None where nothing connects."""


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
                    chain = build_measured_chain(parts, catalog, shoot.ambient_c, shelf.stages)
                except VastCellarError:
                    continue
                rate = chain.link_cap_bytes_per_s
                if best is None or rate > best.chain.link_cap_bytes_per_s:
                    judgement = judge_take(
                        camera, need, chain, shoot.ambient_c, shelf.proofs, now=datetime.now(UTC)
                    )
                    best = OnHost(host, tried, chain, judgement)
        if best is not None:
            found.append(replace(best, copy=_offload(best)))
    return tuple(found)
