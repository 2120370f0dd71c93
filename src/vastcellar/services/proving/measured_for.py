"""For what a test in a folder counts: the subject's setup, a unit, or the device for itself."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from vastcellar.core.chain.chain import Chain
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.protocols.amounts import Amount
from vastcellar.services.plugged.seen import SeenDevice
from vastcellar.services.proving.places import reserve_bytes


@dataclass(frozen=True)
class MeasuredFor:
    """What a test is made of and kept under."""

    chain: Chain | None
    """The subject's, where the test runs through it; None of a device measured for itself."""
    unit_tag: str
    """Under which its run is kept, "" for none."""
    name: str
    """What is measured, as it is called."""
    tbw_bytes: float = 0.0
    link_bytes_per_s: float = 0.0
    device: SeenDevice | None = None

    @property
    def free_bytes(self) -> int | None:
        """What is free on the device, None where that isn't known."""
        volumes = self.device.device.mounted if self.device else ()
        return max((v.free_bytes for v in volumes if v.free_bytes is not None), default=None)


def measured_for(
    chain: Chain | None, device: SeenDevice | None, folder: Path | None, catalog: Catalog
) -> MeasuredFor:
    """Return what a test counts for.

    A plugged-in *device* that was chosen is measured for itself; the subject's *chain* is gone
    through only where that leads to this very unit, or where no device was chosen. A *folder*
    alone, with neither, is measured for itself too.
    """
    unit = chain.parts.unit if chain else None
    if chain is not None and (
        device is None
        or (unit is not None and device.unit is not None and device.unit.tag == unit.tag)
    ):
        return MeasuredFor(chain, unit.tag if unit else "", chain.parts.name, device=device)
    if device is None:
        return MeasuredFor(None, "", str(folder) if folder else "")
    drive = catalog.drives.get(device.unit.drive_key) if device.unit else None
    return MeasuredFor(
        None,
        device.unit.tag if device.unit else "",
        device.title,
        tbw_bytes=drive.tbw_bytes if drive else 0.0,
        link_bytes_per_s=device.mode.typical_bytes_per_s if device.mode else 0.0,
        device=device,
    )


_USUAL_BYTES = 300_000_000_000
"""Past the fast cache of nearly every drive (typical: up to a quarter of 1 TB that is free)."""
_LEAVES_SHARE = 0.05
_GB, _MB = 1_000_000_000, 1_000_000


def usual_amount(free_bytes: int | None) -> Amount:
    """Return how much to write to find out what lasts: past the cache, within what is free."""
    if free_bytes is None:
        return Amount(_USUAL_BYTES)
    room = round(free_bytes - reserve_bytes(free_bytes) - free_bytes * _LEAVES_SHARE)
    step = _GB if room >= 10 * _GB else _MB
    return Amount(max(min(_USUAL_BYTES, room // step * step), _MB))
