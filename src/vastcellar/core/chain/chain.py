"""The chain from port to memory: what each stage carries, and which one is the narrowest."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from vastcellar.core.errors import BadValueError
from vastcellar.core.evidence import Evidence
from vastcellar.core.links.hubs import Hub, Route, ring_of, route
from vastcellar.core.links.links import (
    Cable,
    LinkMode,
    Negotiated,
    Port,
    best_mode,
    cable_modes,
    pcie_mode,
)
from vastcellar.core.parts.file_systems import FileSystem
from vastcellar.core.parts.parts import Case, Catalog, Drive, Enclosure, Host, Unit, case_misfit
from vastcellar.core.shoot.shoot import Setup
from vastcellar.core.writing.heat import HeatPath, largest_rate_without_throttle_bytes_per_s

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


def misfit(parts: Parts) -> str:
    """Say why the parts can't be put together, or return ""."""
    drive, enclosure = parts.drive, parts.enclosure
    if drive.needs_enclosure and enclosure is None:
        return f"{drive.name} is a bare drive and needs an enclosure"
    if enclosure is not None and (unfit := case_misfit(drive, enclosure)):
        return unfit
    if drive.only_host and drive.only_host != parts.host.key:
        return f"{drive.name} is the own disk of another computer"
    if 0 < parts.port.power_w < drive.peak_w + parts.case.bridge_w:
        needs = drive.peak_w + parts.case.bridge_w
        return (
            f"{drive.name} and its bridge draw up to {needs:g} W, the {parts.port.name} gives "
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


@dataclass(frozen=True, slots=True)
class Stage:
    """One stage of the chain; rates in bytes per second.

    ``ceiling_bytes_per_s`` is what the stage could carry by its standard or its box;
    ``typical_bytes_per_s`` what it carries in use in this chain.
    """

    key: str
    name: str
    part: str
    ceiling_bytes_per_s: float
    typical_bytes_per_s: float
    why: str
    evidence: Evidence
    is_lasting: bool = False
    """Whether it only counts once the fast cache is full or the case is warm."""


@dataclass(frozen=True, slots=True)
class Chain:
    """What a setup delivers, stage by stage."""

    parts: Parts
    negotiated: Negotiated
    stages: tuple[Stage, ...]
    problem: str = ""

    @property
    def mode(self) -> LinkMode | None:
        """The link mode that port, cable and device settle on."""
        return self.negotiated.mode

    def _narrowest(self, *, lasting: bool) -> Stage | None:
        if self.problem:
            return None
        stages = [stage for stage in self.stages if lasting or not stage.is_lasting]
        # What a part can't carry by its standard names the culprit before what is lost in use.
        return min(stages, key=lambda s: (round(s.typical_bytes_per_s), s.ceiling_bytes_per_s))

    @property
    def bottleneck(self) -> Stage | None:
        """The narrowest stage while the fast cache lasts, or None where nothing connects."""
        narrowest = self._narrowest(lasting=False)
        if narrowest is None or narrowest.key not in LINK_STAGES:
            return narrowest
        link = [stage for stage in self.stages if stage.key in LINK_STAGES]
        lowest = min(stage.ceiling_bytes_per_s for stage in link)
        if narrowest.ceiling_bytes_per_s <= lowest * 1.001:
            return narrowest
        return min(link, key=lambda stage: stage.ceiling_bytes_per_s)

    @property
    def delivered_write_bytes_per_s(self) -> float:
        """The least typical rate of the chain while the fast cache lasts; 0 unconnected."""
        narrowest = self._narrowest(lasting=False)
        return narrowest.typical_bytes_per_s if narrowest else 0.0

    @property
    def lasting_bottleneck(self) -> Stage | None:
        """The narrowest stage in the long run."""
        narrowest = self._narrowest(lasting=True)
        if narrowest is not None and not narrowest.is_lasting:
            return self.bottleneck
        return narrowest

    @property
    def lasting_write_bytes_per_s(self) -> float:
        """The least typical rate in the long run, cache full and case warm; 0 unconnected."""
        narrowest = self._narrowest(lasting=True)
        return narrowest.typical_bytes_per_s if narrowest else 0.0

    @property
    def link_cap_bytes_per_s(self) -> float:
        """What reaches the drive at most: the least of link, bridge and slot; 0 unconnected."""
        if self.problem:
            return 0.0
        return min(
            stage.typical_bytes_per_s for stage in self.stages if stage.key in CAPPING_STAGES
        )


@dataclass(frozen=True, slots=True)
class KnownRate:
    """What a stage carries on this host in place of its typical rate, and who says so."""

    bytes_per_s: float
    is_stated: bool = True


LINK_STAGES = ("port", "cable", "bridge", "interface")
CAPPING_STAGES = (*LINK_STAGES, "hub", "slot", "file_system", "encryption")
"""Stages that cap what reaches the drive, whatever the drive itself could take."""


def free_bytes(chain: Chain) -> float:
    """Return the room on the drive: its capacity less what the unit holds."""
    used = chain.parts.unit.used_bytes if chain.parts.unit else 0.0
    return max(chain.parts.drive.capacity_bytes - used, 0.0)


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


def build_chain(
    parts: Parts,
    catalog: Catalog,
    ambient_c: float,
    known_rates: Mapping[str, KnownRate] | None = None,
) -> Chain:
    """Return what each stage of *parts* carries for writing, at *ambient_c* in the room.

    A stage measured on this host, or stated to be, by its key in *known_rates*, counts in place
    of its typical value. A rate above a stage's ceiling can't be of this stage and is refused.
    Raises BadValueError for such a rate.
    """
    way = route(parts.port, parts.cable, parts.hubs, parts.device_modes, catalog.modes)
    problem = misfit(parts)
    if not problem and (broken := way.broken_at) is not None:
        problem = broken.why
    stages = [*_link_stages(parts, catalog, way), *_drive_stages(parts, ambient_c)]
    if not problem:
        stages += _format_stages(parts, stages)
    measured = dict(known_rates or {})
    stages = [_measured(stage, measured.pop(stage.key, None)) for stage in stages]
    if measured:
        raise BadValueError(
            f"there is no stage {next(iter(measured))!r} in this chain",
            where="measured stages",
            mend=f"Use one of {', '.join(stage.key for stage in stages)}",
        )
    return Chain(parts, way.device, tuple(stages), problem)


def _measured(stage: Stage, known: KnownRate | None) -> Stage:
    if known is None:
        return stage
    bytes_per_s = known.bytes_per_s
    if not 0 < bytes_per_s <= stage.ceiling_bytes_per_s * 1.001:
        raise BadValueError(
            f"{bytes_per_s / 1e6:g} MB/s can't have been measured at a stage that carries "
            f"{stage.ceiling_bytes_per_s / 1e6:,.0f} MB/s",
            where=f"stage {stage.key!r}",
            mend="Check the unit, or which stage it belongs to",
        )
    word = "stated, not measured here" if known.is_stated else "measured on this host"
    why = f"{word}; typical would be {stage.typical_bytes_per_s / 1e6:,.0f} MB/s"
    evidence = Evidence.STATED if known.is_stated else Evidence.PROVED
    return replace(stage, typical_bytes_per_s=bytes_per_s, why=why, evidence=evidence)


ENCRYPTED_WRITE_SHARE = 0.6
"""What software encryption leaves of a write: a third to nine tenths, typical; reads stay."""


def _format_stages(parts: Parts, stages: list[Stage]) -> list[Stage]:
    """File system and encryption take a share of whatever reaches them."""
    made = []
    reaching = min(stage.typical_bytes_per_s for stage in stages if not stage.is_lasting)
    ceiling = min(stage.ceiling_bytes_per_s for stage in stages if not stage.is_lasting)
    file_system = parts.file_system
    if file_system is not None and file_system.write_share < 1:
        reaching *= file_system.write_share
        made.append(
            Stage(
                "file_system",
                "File system",
                file_system.name,
                ceiling,
                reaching,
                f"{file_system.write_share:.0%} of what reaches it (typical)",
                Evidence.COMPUTED,
            )
        )
    if parts.is_encrypted:
        made.append(
            Stage(
                "encryption",
                "Encryption",
                "software",
                ceiling,
                reaching * ENCRYPTED_WRITE_SHARE,
                f"{ENCRYPTED_WRITE_SHARE:.0%} of what reaches it, a third to nine tenths "
                "(typical); reads stay",
                Evidence.COMPUTED,
            )
        )
    return made


def _link_stages(parts: Parts, catalog: Catalog, way: Route) -> list[Stage]:
    stages = []
    port_best = best_mode(parts.port.modes, catalog.modes)
    if port_best is not None:
        stages.append(
            Stage(
                "port",
                "Port",
                f"{parts.port.name}, {parts.host.name}",
                port_best.ceiling_bytes_per_s,
                port_best.ceiling_bytes_per_s,
                f"{port_best.name} at its payload ceiling; losses in use are counted at the bridge",
                Evidence.COMPUTED,
            )
        )
    if parts.cable is not None:
        carried, rule = cable_modes(parts.cable, catalog.modes)
        cable_best = best_mode(carried, catalog.modes)
        if cable_best is not None:
            stages.append(
                Stage(
                    "cable",
                    "Cable",
                    parts.cable.name,
                    cable_best.ceiling_bytes_per_s,
                    cable_best.ceiling_bytes_per_s,
                    rule or f"{cable_best.name} at its payload ceiling",
                    Evidence.COMPUTED,
                )
            )
    for hub, uplink in zip(parts.hubs, way.uplinks, strict=True):
        stages.append(_hub_stage(hub, uplink, parts.sharing))
    stages.append(_device_stage(parts, catalog, way.device))
    if parts.enclosure is not None:
        stages.append(_slot_stage(parts, parts.enclosure))
    return stages


def _hub_stage(hub: Hub, uplink: Negotiated, sharing: int) -> Stage:
    """A hub's uplink, divided among the devices that are busy behind it."""
    mode = uplink.mode
    ceiling = mode.ceiling_bytes_per_s if mode else 0.0
    typical = mode.typical_bytes_per_s / sharing if mode else 0.0
    why = uplink.why
    if mode and sharing > 1:
        why = f"{sharing} devices at once share its uplink of {mode.short}"
    elif mode:
        why = f"everything behind it shares one uplink of {mode.short}"
    return Stage("hub", "Hub", hub.name, ceiling, typical, why, Evidence.COMPUTED)


def _device_stage(parts: Parts, catalog: Catalog, negotiated: Negotiated) -> Stage:
    """The bridge of an enclosure, or the interface of a card or ready-made drive."""
    own_best = best_mode(parts.device_modes, catalog.modes)
    ceiling = own_best.ceiling_bytes_per_s if own_best else 0.0
    mode = negotiated.mode
    typical, why = (mode.typical_bytes_per_s, mode.source) if mode else (0.0, negotiated.why)
    enclosure = parts.enclosure
    bridge_cap = enclosure.bridge_write_bytes_per_s if enclosure else 0.0
    if mode and bridge_cap and own_best and mode.key == own_best.key:
        typical = min(bridge_cap, mode.ceiling_bytes_per_s)
        why = f"what this bridge reaches on {mode.short} (typical of its class)"
    elif mode and bridge_cap and bridge_cap < typical:
        typical, why = bridge_cap, "the bridge's own limit"
    if enclosure is None:
        return Stage(
            "interface", "Interface", parts.drive.name, ceiling, typical, why, Evidence.COMPUTED
        )
    return Stage("bridge", "Bridge", enclosure.name, ceiling, typical, why, Evidence.COMPUTED)


def _slot_stage(parts: Parts, enclosure: Enclosure) -> Stage:
    drive = parts.drive
    if drive.slot_protocol == "sata":
        ceiling, typical = 600e6, 540e6
        return Stage(
            "slot",
            "Slot",
            "SATA 6 Gb/s",
            ceiling,
            typical,
            "6 Gb/s x 8/10 / 8; in use 520-560 MB/s (typical)",
            Evidence.COMPUTED,
        )
    generation = min(enclosure.pcie_generation, drive.pcie_generation or 3)
    lanes = min(enclosure.pcie_lanes, drive.pcie_lanes or 4)
    mode = pcie_mode(generation, lanes)
    why = "the generation and lanes that module and slot have in common"
    return Stage(
        "slot",
        "Slot",
        mode.name,
        mode.ceiling_bytes_per_s,
        mode.typical_bytes_per_s,
        why,
        Evidence.COMPUTED,
    )


def _basis(drive: Drive) -> str:
    return "fitted to its runs" if drive.is_calibrated else "typical"


def _drive_stages(parts: Parts, ambient_c: float) -> list[Stage]:
    drive, behaviour = parts.drive, parts.drive.behaviour
    if behaviour is None:
        return [
            Stage(
                "box",
                "Drive, box",
                drive.name,
                drive.claimed_write_bytes_per_s,
                drive.claimed_write_bytes_per_s,
                "what its box says; what it writes for a whole take is not known",
                Evidence.CLAIMED,
            )
        ]
    has_cache = bool(behaviour.cache_static_bytes or behaviour.cache_share_of_free)
    stages = []
    if has_cache:
        stages.append(
            Stage(
                "cache",
                "Drive, cache",
                drive.name,
                drive.claimed_write_bytes_per_s,
                behaviour.cache_write_bytes_per_s,
                f"while its fast cache has room ({_basis(drive)})",
                Evidence.COMPUTED if drive.is_calibrated else Evidence.CLAIMED,
            )
        )
    stages.append(
        Stage(
            "direct",
            "Drive, after" if has_cache else "Drive",
            drive.name,
            drive.claimed_write_bytes_per_s,
            behaviour.direct_write_bytes_per_s * behaviour.inner_share,
            f"once the cache is full ({drive.medium}, {_basis(drive)})"
            if has_cache
            else "it has no cache: the same rate all along"
            if behaviour.inner_share == 1
            else "on its innermost zone",
            Evidence.COMPUTED,
            is_lasting=has_cache or behaviour.inner_share < 1,
        )
    )
    if behaviour.throttle:
        first = behaviour.throttle[0]
        limit = largest_rate_without_throttle_bytes_per_s(
            heat_path(parts, ambient_c),
            first.on_c,
            behaviour.idle_w,
            behaviour.direct_j_per_gb if has_cache else behaviour.cache_j_per_gb,
        )
        stages.append(
            Stage(
                "case",
                "Case, warm",
                parts.enclosure.name if parts.enclosure else drive.name,
                max(limit, first.cap_bytes_per_s),
                max(limit, first.cap_bytes_per_s),
                f"the rate that never warms the drive to {first.on_c:g} °C in a room of "
                f"{ambient_c:g} °C"
                if limit >= first.cap_bytes_per_s
                else f"capped at {first.on_c:g} °C",
                Evidence.COMPUTED,
                is_lasting=True,
            )
        )
    return stages
