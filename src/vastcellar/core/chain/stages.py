"""The stages of a chain, one after the other: what each carries by its standard and in use."""

from __future__ import annotations

from dataclasses import dataclass

from vastcellar.core.chain.carried import (
    ENCRYPTED_WRITE_SHARE,
    device_write_bytes_per_s,
    slot_rate,
)
from vastcellar.core.chain.setup_parts import Parts, heat_path
from vastcellar.core.evidence import Evidence
from vastcellar.core.links.hubs import Hub, Route, uplink_bytes_per_s
from vastcellar.core.links.links import Negotiated, best_mode, cable_modes
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.parts import Drive, Enclosure, WriteBehaviour
from vastcellar.core.said import Said, in_words, said
from vastcellar.core.writing.lasting_rate import (
    write_when_warm_bytes_per_s,
    zone_write_bytes_per_s,
)


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
    why: Said
    evidence: Evidence
    is_lasting: bool = False
    """Whether it only counts once the fast cache is full or the case is warm."""


LINK_STAGES = ("port", "cable", "bridge", "interface")
CAPPING_STAGES = (*LINK_STAGES, "hub", "slot", "file_system", "encryption")
"""Stages that cap what reaches the drive, whatever the drive itself could take."""


def format_stages(parts: Parts, stages: list[Stage]) -> list[Stage]:
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
                said("share of what reaches it", left_share=file_system.write_share),
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
                said("encryption leaves", left_share=ENCRYPTED_WRITE_SHARE),
                Evidence.COMPUTED,
            )
        )
    return made


def link_stages(parts: Parts, catalog: Catalog, way: Route) -> list[Stage]:
    """Return the stages from the port to the connector of the drive."""
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
                said("port at its ceiling", mode=port_best.name),
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
                    in_words(rule) if rule else said("at its ceiling", mode=cable_best.name),
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
    typical = uplink_bytes_per_s(uplink, sharing)
    why = in_words(uplink.why)
    if mode and sharing > 1:
        why = said("devices share an uplink", devices=sharing, mode=mode.short)
    elif mode:
        why = said("one uplink for all", mode=mode.short)
    return Stage("hub", "Hub", hub.name, ceiling, typical, why, Evidence.COMPUTED)


def _device_stage(parts: Parts, catalog: Catalog, negotiated: Negotiated) -> Stage:
    """The bridge of an enclosure, or the interface of a card or ready-made drive."""
    own_best = best_mode(parts.device_modes, catalog.modes)
    ceiling = own_best.ceiling_bytes_per_s if own_best else 0.0
    mode = negotiated.mode
    typical = mode.typical_bytes_per_s if mode else 0.0
    why = in_words(mode.source if mode else negotiated.why)
    enclosure = parts.enclosure
    bridge_cap = enclosure.bridge_write_bytes_per_s if enclosure else 0.0
    if mode and bridge_cap:
        reached = device_write_bytes_per_s(
            mode.ceiling_bytes_per_s, mode.typical_bytes_per_s, ceiling, bridge_cap
        )
        typical = float(reached)
        if mode.ceiling_bytes_per_s >= ceiling:
            why = said("bridge in its best mode", mode=mode.short)
        elif typical < mode.typical_bytes_per_s:
            why = said("own limit of the bridge")
    if enclosure is None:
        return Stage(
            "interface", "Interface", parts.drive.name, ceiling, typical, why, Evidence.COMPUTED
        )
    return Stage("bridge", "Bridge", enclosure.name, ceiling, typical, why, Evidence.COMPUTED)


def _slot_stage(parts: Parts, enclosure: Enclosure) -> Stage:
    slot = slot_rate(parts.drive, enclosure)
    return Stage(
        "slot",
        "Slot",
        slot.name,
        slot.ceiling_bytes_per_s,
        slot.typical_bytes_per_s,
        in_words(slot.why),
        Evidence.COMPUTED,
    )


def _basis(drive: Drive) -> str:
    return "fitted to its runs" if drive.is_calibrated else "typical"


def drive_stages(parts: Parts, ambient_c: float) -> list[Stage]:
    """Return what the drive itself takes: at first, once its cache is full, and when it is warm."""
    drive, behaviour = parts.drive, parts.drive.behaviour
    if behaviour is None:
        return [
            Stage(
                "box",
                "Drive, box",
                drive.name,
                drive.claimed_write_bytes_per_s,
                drive.claimed_write_bytes_per_s,
                said("only its box"),
                Evidence.CLAIMED,
            )
        ]
    stages = []
    if behaviour.has_cache:
        stages.append(
            Stage(
                "cache",
                "Drive, cache",
                drive.name,
                drive.claimed_write_bytes_per_s,
                behaviour.cache_write_bytes_per_s,
                said("cache has room", basis=_basis(drive)),
                Evidence.COMPUTED if drive.is_calibrated else Evidence.CLAIMED,
            )
        )
    stages += _uncached_stages(parts, behaviour)
    if behaviour.throttle:
        stages.append(_warm_stage(parts, behaviour, ambient_c))
    return stages


def _uncached_stages(parts: Parts, behaviour: WriteBehaviour) -> list[Stage]:
    """What it writes past its cache; a disk with zones where it is filled to, and at its end."""
    drive, has_zones = parts.drive, behaviour.inner_share < 1
    now = zone_write_bytes_per_s(behaviour, parts.filled_share)
    why = said("no cache")
    if behaviour.has_cache:
        why = said("cache full", medium=drive.medium, basis=_basis(drive))
    elif has_zones:
        why = said("in its zone", filled_share=parts.filled_share)
    name = "Drive, after" if behaviour.has_cache else "Drive"
    stages = [
        Stage(
            "direct",
            name,
            drive.name,
            drive.claimed_write_bytes_per_s,
            now,
            why,
            Evidence.COMPUTED,
            is_lasting=behaviour.has_cache,
        )
    ]
    if has_zones:
        stages.append(
            Stage(
                "inner",
                "Drive, inside",
                drive.name,
                drive.claimed_write_bytes_per_s,
                zone_write_bytes_per_s(behaviour, 1.0),
                said("innermost zone"),
                Evidence.COMPUTED,
                is_lasting=True,
            )
        )
    return stages


def _warm_stage(parts: Parts, behaviour: WriteBehaviour, ambient_c: float) -> Stage:
    rate = write_when_warm_bytes_per_s(heat_path(parts, ambient_c), behaviour)
    held = next((each for each in behaviour.throttle if each.cap_bytes_per_s == rate), None)
    # Between two caps it is the rate that keeps it just below one of the stages.
    stage = held or next(
        (each for each in behaviour.throttle if each.cap_bytes_per_s < rate),
        behaviour.throttle[-1],
    )
    return Stage(
        "case",
        "Case, warm",
        parts.enclosure.name if parts.enclosure else parts.drive.name,
        rate,
        rate,
        said("capped when hot", on_c=stage.on_c)
        if held
        else said("never gets hot", on_c=stage.on_c, room_c=ambient_c),
        Evidence.COMPUTED,
        is_lasting=True,
    )
