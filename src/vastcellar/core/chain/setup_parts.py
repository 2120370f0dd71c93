"""A setup with its keys looked up: what it is made of, and whether that goes together."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.errors import BadValueError
from vastcellar.core.links.hubs import Hub, ring_of
from vastcellar.core.links.links import Cable, Port
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.file_systems import FileSystem
from vastcellar.core.parts.fitting import case_misfit
from vastcellar.core.parts.parts import Case, Drive, Enclosure, Host
from vastcellar.core.parts.units import Unit, filled_share, free_bytes_on
from vastcellar.core.shoot.shoot import Setup
from vastcellar.core.writing.heat import HeatPath
from vastcellar.core.writing.lasting_rate import zone_write_bytes_per_s

FloatArray = NDArray[np.float64]
BoolArray = NDArray[np.bool_]

BARE_MODULE_CASE = Case(
    heat_capacity_j_per_k=40.0, drive_to_case_k_per_w=5.0, case_to_room_k_per_w=14.0
)
"""Stands in where a drive lies in a slot with nothing known about its surroundings (typical)."""


@dataclass(frozen=True, slots=True)
class Parts:
    """A setup with its keys looked up."""

    drive: Drive
    host: Host
    port: Port
    unit: Unit | None = None
    enclosure: Enclosure | None = None
    cable: Cable | None = None
    hubs: tuple[Hub, ...] = ()
    sharing: int = 1
    file_system: FileSystem | None = None
    is_encrypted: bool = False

    @property
    def case(self) -> Case:
        """What carries the drive's heat to the room."""
        return case_of(self.drive, self.enclosure)

    @property
    def free_bytes(self) -> float:
        """The room on the drive."""
        return free_bytes_on(self.drive, self.unit)

    @property
    def filled_share(self) -> float:
        """Which share of the drive is full, 0 to 1: a hard disk's rate goes by it."""
        return filled_share(self.drive, self.unit)

    @property
    def medium_read_bytes_per_s(self) -> float:
        """What the medium itself reads: as its box says, of a disk in the zone it has come to."""
        return read_bytes_per_s(self.drive, self.filled_share)

    @property
    def device_modes(self) -> tuple[str, ...]:
        """Link modes of what hangs on the port."""
        if self.enclosure is not None:
            return self.enclosure.host_modes
        return self.drive.host_modes

    @property
    def basis(self) -> str:
        """Where the figures of how the drive writes come from."""
        if not self.drive.is_calibrated:
            return "typical figures"
        if self.unit is not None and self.unit.slowed is not None:
            return "no better than its own runs since it became slower"
        is_simulated = self.unit is not None and self.unit.is_fit_simulated
        return (
            "figures fitted to its own simulated runs"
            if is_simulated
            else ("figures fitted to its own runs")
        )

    @property
    def name(self) -> str:
        """The tag of the unit, or the drive's name."""
        return self.unit.tag if self.unit else self.drive.name


def case_of(drive: Drive, enclosure: Enclosure | None) -> Case:
    """Return what carries the heat of *drive* to the room: its enclosure, its own, or nothing."""
    if enclosure is not None:
        return enclosure.case
    return drive.own_case or BARE_MODULE_CASE


def read_bytes_per_s(drive: Drive, filled_share: float) -> float:
    """Return what *drive* reads, filled that far: a disk's zones slow reads as they slow writes."""
    behaviour = drive.behaviour
    if behaviour is None or behaviour.inner_share >= 1:
        return drive.claimed_read_bytes_per_s
    outer = behaviour.direct_write_bytes_per_s
    return drive.claimed_read_bytes_per_s * zone_write_bytes_per_s(behaviour, filled_share) / outer


def find_parts(setup: Setup, catalog: Catalog, unit: Unit | None) -> Parts:
    """Look up every key of *setup*. Raises UnknownPartError for one that does not exist."""
    host = catalog.host(setup.host_key)
    is_own = unit is not None and unit.drive_key == setup.drive_key
    return Parts(
        drive=catalog.drive_of(unit) if unit and is_own else catalog.drive(setup.drive_key),
        host=host,
        port=host.port(setup.port_key),
        unit=unit,
        enclosure=catalog.enclosure(setup.enclosure_key) if setup.enclosure_key else None,
        cable=catalog.cable(setup.cable_key) if setup.cable_key else None,
        hubs=tuple(catalog.hub(key) for key in setup.hub_keys),
        sharing=setup.sharing,
        file_system=catalog.file_system(setup.file_system_key) if setup.file_system_key else None,
        is_encrypted=setup.is_encrypted,
    )


def draws_w(drive: Drive, enclosure: Enclosure | None) -> float:
    """Return the most that drive and bridge draw together; 0 where the drive's own isn't known."""
    return drive.peak_w + case_of(drive, enclosure).bridge_w if drive.peak_w else 0.0


def is_over_budget(drawn_w: float | FloatArray, port: Port) -> BoolArray:
    """Return whether *port* gives less than is drawn, where both are known."""
    return np.asarray(drawn_w) > (port.power_w or np.inf)


def is_of_another(drive: Drive, host: Host) -> bool:
    """Return whether *drive* is the own disk of another computer than *host*."""
    return bool(drive.only_host) and drive.only_host != host.key


def misfit(parts: Parts) -> str:
    """Say why the parts can't be put together, or return ""."""
    drive, enclosure = parts.drive, parts.enclosure
    if drive.needs_enclosure and enclosure is None:
        return f"{drive.name} is a bare drive and needs an enclosure"
    if enclosure is not None and (unfit := case_misfit(drive, enclosure)):
        return unfit
    if is_of_another(drive, parts.host):
        return f"{drive.name} is the own disk of another computer"
    drawn_w = draws_w(drive, enclosure)
    if is_over_budget(drawn_w, parts.port):
        return (
            f"{drive.name} and its bridge draw up to {drawn_w:g} W, the {parts.port.name} gives "
            f"{parts.port.power_w:g} W"
        )
    if not parts.port.is_slot and parts.cable is None:
        return f"the {parts.port.name} port needs a cable"
    if parts.port.is_slot and parts.cable is not None:
        return f"the {parts.port.name} takes a card, not a cable"
    if ring := ring_of(parts.hubs):
        return f"{ring} stands twice on the way: hubs can't form a ring"
    if parts.hubs and parts.sharing > parts.hubs[-1].slots:
        return (
            f"{parts.hubs[-1].name} has {parts.hubs[-1].slots} slots, {parts.sharing} devices "
            "don't fit"
        )
    return ""


def heat_path(parts: Parts, ambient_c: float) -> HeatPath:
    """Return the two-node heat path of *parts* in a room of *ambient_c*."""
    return heat_path_of(parts.drive, parts.enclosure, ambient_c)


def heat_path_of(drive: Drive, enclosure: Enclosure | None, ambient_c: float) -> HeatPath:
    """Return the two-node heat path of a drive in its case in a room of *ambient_c*."""
    case = case_of(drive, enclosure)
    return HeatPath(
        drive_j_per_k=drive.writes.heat_capacity_j_per_k,
        case_j_per_k=case.heat_capacity_j_per_k,
        drive_to_case_k_per_w=case.drive_to_case_k_per_w,
        case_to_room_k_per_w=case.case_to_room_k_per_w,
        bridge_w=case.bridge_w,
        ambient_c=ambient_c,
    )


def require_parts_of_unit(parts: Parts, unit: Unit, catalog: Catalog) -> None:
    """Raise BadValueError where *parts* are others than *unit* is made of.

    A file that names another drive under the unit's tag would else prove that drive's.
    """
    if parts.drive.key != unit.drive_key:
        own = catalog.drive(unit.drive_key).name
        raise BadValueError(
            f"the chain is of {parts.drive.name}, and {unit.tag} is {own}",
            where="chain",
            mend=f"Describe what {unit.tag} hangs on, or name the unit that it is of",
        )
    case_key = parts.enclosure.key if parts.enclosure else ""
    if unit.enclosure_key and case_key != unit.enclosure_key:
        own = catalog.enclosure(unit.enclosure_key).name
        found = parts.enclosure.name if parts.enclosure else "no enclosure"
        raise BadValueError(
            f"the chain has {found}, and {unit.tag} stands in {own}",
            where="chain",
            mend=f"Describe what {unit.tag} hangs on, or change the unit's enclosure",
        )
