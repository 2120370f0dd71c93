"""What is known of a part, and where each value comes from."""

from __future__ import annotations

from vastcellar.core.links.links import Cable, LinkMode, best_mode, cable_modes
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.parts import Drive, DriveKind, Enclosure
from vastcellar.core.units import NumberFormat


def drive_details(drive: Drive, fmt: NumberFormat) -> str:
    """Return the figures of a drive, a line each with its source."""
    is_store = drive.kind is DriveKind.STORE
    whose = "of all disks" if is_store else "box"
    lines = [
        drive.name,
        f"{fmt.size(drive.capacity_bytes)}, {drive.medium}: {whose}",
        f"reads {fmt.rate(drive.claimed_read_bytes_per_s)}, writes "
        f"{fmt.rate(drive.claimed_write_bytes_per_s)}: "
        f"{'its disks together' if is_store else 'claimed on its box'}",
    ]
    behaviour = drive.behaviour
    if behaviour is None:
        lines.append("after its cache: not known")
    else:
        after = fmt.rate(behaviour.direct_write_bytes_per_s)
        lines.append(f"after its cache {after}: {drive.source}")
        if behaviour.has_cache:
            share = fmt.percent(behaviour.cache_share_of_free)
            size = fmt.size(behaviour.cache_static_bytes)
            lines.append(f"fast cache {size} + {share} of what is free: {drive.source}")
        if behaviour.throttle:
            first = behaviour.throttle[0]
            cap = fmt.rate(first.cap_bytes_per_s)
            lines.append(f"at {fmt.temperature(first.on_c)} capped to {cap}: {drive.source}")
    if drive.tbw_bytes:
        lines.append(f"rated for {fmt.size(drive.tbw_bytes)} written: box")
    if drive.warranty_years:
        lines.append(f"{fmt.number(drive.warranty_years)} years of warranty: box")
    return "\n".join([*lines, *([drive.note] if drive.note else [])])


def enclosure_details(enclosure: Enclosure, catalog: Catalog, fmt: NumberFormat) -> str:
    """Return the figures of an enclosure, a line each with its source."""
    best = best_mode(enclosure.host_modes, catalog.modes)
    lines = [enclosure.name]
    if best is not None:
        lines.append(f"{best.name}: {fmt.rate(best.ceiling_bytes_per_s)} at most, {best.source}")
    if enclosure.bridge_write_bytes_per_s:
        bridge = fmt.rate(enclosure.bridge_write_bytes_per_s)
        lines.append(f"its bridge reaches {bridge}: {enclosure.source}")
    to_room = fmt.number(enclosure.case.case_to_room_k_per_w)
    lines.append(f"{to_room} K/W from case to room: {enclosure.source}")
    if enclosure.forms:
        sides = "" if enclosure.takes_double_sided else ", chips on one side only"
        lines.append(f"takes {', '.join(enclosure.forms)}{sides}")
    kinds = [
        word
        for word, is_so in (
            ("tool-less", enclosure.is_tool_less),
            ("sealed", enclosure.is_sealed),
            (enclosure.material, bool(enclosure.material)),
        )
        if is_so
    ]
    if kinds:
        lines.append(", ".join(kinds))
    return "\n".join([*lines, *([enclosure.note] if enclosure.note else [])])


def cable_details(cable: Cable, modes: dict[str, LinkMode], fmt: NumberFormat) -> str:
    """Return what a cable carries, and the rule that takes some of it away."""
    carried, rule = cable_modes(cable, modes)
    best = best_mode(carried, modes)
    lines = [cable.name, f"{fmt.number(cable.length_m)} m, {' to '.join(cable.plugs)}"]
    if best is not None:
        lines.append(f"{best.name}: {fmt.rate(best.ceiling_bytes_per_s)} at most")
    return "\n".join([*lines, *([rule] if rule else [])])
