"""What is plugged in as JSON: every value that the computer tells, null where it doesn't."""

from __future__ import annotations

import math
from dataclasses import asdict
from typing import Any

from vastcellar.services.plugged.seen import SeenDevice, VolumeSeen
from vastcellar.services.plugged.wording import fall_words, link_words, why_no_target


def device_figures(seen: SeenDevice) -> dict[str, Any]:
    """Return a device with its link, its unit and its volumes by name."""
    device, link = seen.device, seen.device.link
    return {
        "name": device.name,
        "path": device.path,
        "maker": device.maker,
        "model": device.model,
        "serial": device.serial,
        "size_bytes": device.size_bytes,
        "is_rotational": device.is_rotational,
        "is_removable": device.is_removable,
        "is_read_only": device.is_read_only,
        "is_system": device.is_system,
        "can_trim": device.can_trim,
        "logical_sector_bytes": device.logical_sector_bytes or None,
        "physical_sector_bytes": device.physical_sector_bytes or None,
        "temperature_c": None if math.isnan(device.temperature_c) else device.temperature_c,
        "encryption": device.encryption,
        "link": {
            "kind": str(link.kind),
            "line_rate_bits_per_s": link.line_rate_bits_per_s or None,
            "lanes": link.lanes or None,
            "pcie_generation": link.pcie_generation or None,
            "driver": link.driver,
            "bridge_id": link.bridge_id,
            "place": link.place,
            "controller": link.controller,
            "hubs": [asdict(hub) for hub in link.hubs],
            "mode_key": seen.mode.key if seen.mode else None,
            "ceiling_bytes_per_s": seen.mode.ceiling_bytes_per_s if seen.mode else None,
            "says": link_words(seen),
        },
        "unit": seen.unit.tag if seen.unit else None,
        "could_mode_key": seen.could.key if seen.could else None,
        "suspects": [str(each) for each in seen.fall.suspects] if seen.fall else [],
        "fall": fall_words(seen),
        "smart": asdict(device.smart),
        "identity": asdict(device.identity),
        "volumes": [_volume_figures(volume) for volume in device.volumes],
        "folder": str(seen.folder) if seen.folder else None,
        "why_no_target": why_no_target(seen),
    }


def _volume_figures(volume: VolumeSeen) -> dict[str, Any]:
    return {**asdict(volume), "is_mounted": volume.is_mounted}
