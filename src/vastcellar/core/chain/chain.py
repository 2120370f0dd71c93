"""The chain from port to memory: what a setup delivers, and which stage is the narrowest."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from vastcellar.core.chain.setup_parts import Parts, misfit
from vastcellar.core.chain.stages import (
    CAPPING_STAGES,
    LINK_STAGES,
    Stage,
    drive_stages,
    format_stages,
    link_stages,
)
from vastcellar.core.errors import BadValueError
from vastcellar.core.evidence import Evidence
from vastcellar.core.links.hubs import route
from vastcellar.core.links.links import LinkMode, Negotiated
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.said import said


@dataclass(frozen=True, slots=True)
class KnownRate:
    """What a stage carries on this host in place of its typical rate, and who says so."""

    bytes_per_s: float
    is_stated: bool = True


_READ_STAGES = (*LINK_STAGES, "hub", "slot")


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
    def free_bytes(self) -> float:
        """The room on the drive."""
        return self.parts.free_bytes

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
    def at_first_bytes_per_s(self) -> float:
        """What it takes at first: the least of all stages, the medium's own included.

        While the fast cache has room, of a disk with zones where it is filled to; 0 unconnected.
        """
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
    def lasting_bytes_per_s(self) -> float:
        """What lasts: the least of all stages, cache full, case warm, disk full; 0 unconnected."""
        narrowest = self._narrowest(lasting=True)
        return narrowest.typical_bytes_per_s if narrowest else 0.0

    @property
    def reading_bytes_per_s(self) -> float:
        """What comes back from it: the least of link and medium; 0 unconnected.

        File system and encryption take their share of writes only; a disk with zones reads as
        much slower further in as it writes.
        """
        return min(self.reading_link_bytes_per_s, self.parts.medium_read_bytes_per_s)

    @property
    def reading_link_bytes_per_s(self) -> float:
        """What link, hub and slot let through on the way back; 0 unconnected."""
        if self.problem:
            return 0.0
        return min(s.typical_bytes_per_s for s in self.stages if s.key in _READ_STAGES)

    @property
    def capping_stage(self) -> Stage | None:
        """The narrowest of link, hub, slot, file system and encryption; None unconnected."""
        capping = [stage for stage in self.stages if stage.key in CAPPING_STAGES]
        return min(capping, key=lambda s: s.typical_bytes_per_s) if not self.problem else None

    @property
    def link_cap_bytes_per_s(self) -> float:
        """What reaches the drive at most: the least of link, bridge and slot; 0 unconnected."""
        narrowest = self.capping_stage
        return narrowest.typical_bytes_per_s if narrowest else 0.0


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
    stages = [*link_stages(parts, catalog, way), *drive_stages(parts, ambient_c)]
    if not problem:
        stages += format_stages(parts, stages)
    measured = dict(known_rates or {})
    # From the drive on: of several hubs the one that the device hangs on was measured.
    stages = [_measured(stage, measured.pop(stage.key, None)) for stage in reversed(stages)]
    stages.reverse()
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
    why = said(
        "stated rate" if known.is_stated else "measured rate",
        typical_bytes_per_s=stage.typical_bytes_per_s,
    )
    evidence = Evidence.STATED if known.is_stated else Evidence.PROVED
    return replace(stage, typical_bytes_per_s=bytes_per_s, why=why, evidence=evidence)
