"""Rules of what a stage carries, for one setup and for thousands as arrays alike."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.links.links import pcie_mode
from vastcellar.core.parts.file_systems import FileSystem
from vastcellar.core.parts.parts import Drive, Enclosure

Floats = float | NDArray[np.float64]

ENCRYPTED_WRITE_SHARE = 0.6
"""What software encryption leaves of a write: a third to nine tenths, typical; reads stay."""
_SATA_CEILING_BYTES_PER_S = 600e6
_SATA_TYPICAL_BYTES_PER_S = 540e6
# A drive or slot that says nothing is taken for what most are.
_USUAL_GENERATION, _USUAL_LANES = 3, 4


def device_write_bytes_per_s(
    mode_ceiling: Floats, mode_typical: Floats, best_ceiling: Floats, bridge_cap: Floats
) -> NDArray[np.float64]:
    """Return what a device's end of the link carries in use; all of one shape, or scalars.

    The bridge's own figure is of its best mode; in a slower one it only counts as a limit.

    Args:
        mode_ceiling: payload ceiling of the mode that was negotiated.
        mode_typical: what that mode carries in use.
        best_ceiling: payload ceiling of the device's best mode.
        bridge_cap: what the bridge is known to reach in its best mode, 0 where it isn't known.

    """
    cap = np.asarray(bridge_cap, dtype=np.float64)
    is_best = np.asarray(mode_ceiling) >= best_ceiling
    limit = np.where(is_best, mode_ceiling, mode_typical)
    return np.where(cap > 0, np.minimum(cap, limit), mode_typical)


@dataclass(frozen=True, slots=True)
class SlotRate:
    """What the slot inside an enclosure carries."""

    name: str
    ceiling_bytes_per_s: float
    typical_bytes_per_s: float
    why: str


def slot_rate(drive: Drive, enclosure: Enclosure) -> SlotRate:
    """Return what the slot of *enclosure* and the connector of *drive* have in common."""
    if drive.slot_protocol == "sata":
        return SlotRate(
            "SATA 6 Gb/s",
            _SATA_CEILING_BYTES_PER_S,
            _SATA_TYPICAL_BYTES_PER_S,
            "6 Gb/s x 8/10 / 8; in use 520-560 MB/s (typical)",
        )
    mode = pcie_mode(*slot_lanes(drive, enclosure))
    return SlotRate(
        mode.name,
        mode.ceiling_bytes_per_s,
        mode.typical_bytes_per_s,
        "the generation and lanes that module and slot have in common",
    )


def slot_lanes(drive: Drive, enclosure: Enclosure) -> tuple[int, int]:
    """Return the PCIe generation and the number of lanes that module and slot have in common."""
    generation = min(enclosure.pcie_generation, drive.pcie_generation or _USUAL_GENERATION)
    return generation, min(enclosure.pcie_lanes, drive.pcie_lanes or _USUAL_LANES)


def format_write_share(file_system: FileSystem | None, *, is_encrypted: bool) -> float:
    """Return what file system and encryption together leave of a write that reaches them."""
    share = file_system.write_share if file_system else 1.0
    return share * ENCRYPTED_WRITE_SHARE if is_encrypted else share
