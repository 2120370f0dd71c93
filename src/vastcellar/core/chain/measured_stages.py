"""Stages whose rate on a host is known: they count there in place of typical values, and nowhere
else. Measured by a run of ours, or stated by somebody: that is said of each.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime

from vastcellar.core.chain.chain import Chain, KnownRate, build_chain
from vastcellar.core.chain.setup_parts import Parts
from vastcellar.core.checks import require_above_zero
from vastcellar.core.parts.catalog import Catalog

MEASURABLE = ("bridge", "interface", "hub", "slot")
"""Stages that a measurement can stand for; ports and cables show themselves only through them."""


MEASURED_OVER = 1.001
"""So far above a ceiling a measurement may lie by rounding; more can't be of that stage."""


@dataclass(frozen=True, slots=True)
class StageMeasurement:
    """What one stage carried, on which port of which host, in which link mode."""

    host_key: str
    port_key: str
    stage_key: str
    part_key: str
    """Of the enclosure, drive or hub that the stage is."""
    mode_key: str
    bytes_per_s: float
    measured_at: datetime
    is_stated: bool = False
    """Typed in by somebody; else found by one of our own runs."""

    def __post_init__(self) -> None:
        require_above_zero("stage measurement", bytes_per_s=self.bytes_per_s)


def device_stage(parts: Parts) -> str:
    """Return the stage that decides what a device's link carries in use: its bridge, or itself."""
    return "bridge" if parts.enclosure is not None else "interface"


def part_key_of(stage_key: str, parts: Parts) -> str:
    """Return the key of the part that a stage of *parts* is, "" for none that is measured."""
    if stage_key in ("bridge", "slot"):
        return parts.enclosure.key if parts.enclosure else ""
    if stage_key == "interface":
        return parts.drive.key
    if stage_key == "hub":
        return parts.hubs[-1].key if parts.hubs else ""
    return ""


def measured_in(chain: Chain, measurements: Iterable[StageMeasurement]) -> dict[str, KnownRate]:
    """Return what was measured of the stages of *chain*: the newest of the same host, port, part
    and link mode, by the key of the stage.
    """
    parts = chain.parts
    if chain.mode is None:
        return {}
    found: dict[str, StageMeasurement] = {}
    stages = {stage.key: stage for stage in chain.stages}
    for each in measurements:
        stage = stages.get(each.stage_key)
        if (
            stage is None
            or each.stage_key not in MEASURABLE
            or (each.host_key, each.port_key) != (parts.host.key, parts.port.key)
            or each.mode_key != chain.mode.key
            or each.part_key != part_key_of(each.stage_key, parts)
            or each.bytes_per_s
            > min(stage.ceiling_bytes_per_s, chain.mode.ceiling_bytes_per_s) * MEASURED_OVER
        ):
            continue
        before = found.get(each.stage_key)
        if before is None or each.measured_at > before.measured_at:
            found[each.stage_key] = each
    return {key: KnownRate(each.bytes_per_s, each.is_stated) for key, each in found.items()}


def build_measured_chain(
    parts: Parts,
    catalog: Catalog,
    ambient_c: float,
    measurements: Iterable[StageMeasurement] = (),
) -> Chain:
    """Return the chain of *parts*, stages measured on this host in place of typical ones."""
    chain = build_chain(parts, catalog, ambient_c)
    found = measured_in(chain, measurements)
    return build_chain(parts, catalog, ambient_c, found) if found else chain
