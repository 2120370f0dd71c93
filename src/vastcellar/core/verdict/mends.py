"""What would help: every single change of part, judged like the setup itself, cheapest first."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from enum import StrEnum

from vastcellar.core.chain.measured_stages import StageMeasurement, build_measured_chain
from vastcellar.core.chain.setup_parts import Parts, find_parts
from vastcellar.core.evidence import VERDICT_ORDER, Verdict
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.units import Unit
from vastcellar.core.shoot.needs import Need
from vastcellar.core.shoot.shoot import Camera, Setup
from vastcellar.core.verdict.judgement import Judgement, judge_take
from vastcellar.core.verdict.proof import RecorderProof


class Change(StrEnum):
    """Which part a mend changes."""

    UNIT = "unit"
    DRIVE = "drive"
    ENCLOSURE = "enclosure"
    CABLE = "cable"
    PORT = "port"


@dataclass(frozen=True, slots=True)
class Mend:
    """One change, what it costs and what it comes to."""

    change: Change
    setup: Setup
    parts: Parts
    judgement: Judgement
    price: float


@dataclass(frozen=True, slots=True)
class Mends:
    """The changes that hold, best first, and for each kind of part that can't help, its best."""

    helping: tuple[Mend, ...]
    useless: tuple[Mend, ...]


def find_mends(
    camera: Camera,
    need: Need,
    setup: Setup,
    catalog: Catalog,
    units: tuple[Unit, ...],
    ambient_c: float,
    proofs: tuple[RecorderProof, ...] = (),
    taken_tags: frozenset[str] = frozenset(),
    stages: tuple[StageMeasurement, ...] = (),
) -> Mends:
    """Return every single change of *setup* that holds, cheapest first.

    Args:
        camera: that the setup is for.
        need: of that camera.
        setup: as it is now.
        catalog: of parts that can be bought.
        units: on the shelf; those ready and not in *taken_tags* cost nothing.
        ambient_c: of the room.
        proofs: recorder tests on record.
        taken_tags: units that other cameras or copies hold.
        stages: measured on the hosts.

    """
    judged: list[Mend] = []
    unit_by_tag = {unit.tag: unit for unit in units}
    for change, changed, price in _changes(setup, catalog, units, taken_tags):
        parts = find_parts(changed, catalog, unit_by_tag.get(changed.unit_tag))
        chain = build_measured_chain(parts, catalog, ambient_c, stages)
        judgement = judge_take(camera, need, chain, ambient_c, proofs)
        judged.append(Mend(change, changed, parts, judgement, price))
    judged.sort(key=_order)
    helping = [m for m in judged if m.judgement.verdict in (Verdict.HOLDS, Verdict.TIGHT)]
    useless = []
    for change in (Change.CABLE, Change.PORT, Change.ENCLOSURE, Change.DRIVE):
        of_kind = [m for m in judged if m.change is change and m.judgement.run is not None]
        # One that isn't known to fall short might help: of that nothing is said.
        if of_kind and all(m.judgement.verdict is Verdict.FALLS_SHORT for m in of_kind):
            useless.append(max(of_kind, key=lambda m: m.judgement.margin or -1.0))
    return Mends(tuple(_one_per_unit(helping)), tuple(useless))


def _order(mend: Mend) -> tuple[int, float, float]:
    verdict = VERDICT_ORDER.index(mend.judgement.verdict)
    return verdict, mend.price, -(mend.judgement.margin or 0.0)


def _one_per_unit(mends: list[Mend]) -> Iterator[Mend]:
    """Keep a unit once, on the first port that suits it."""
    seen: set[str] = set()
    for mend in mends:
        if mend.change is not Change.UNIT:
            yield mend
        elif mend.setup.unit_tag not in seen:
            seen.add(mend.setup.unit_tag)
            yield mend


def _changes(
    setup: Setup, catalog: Catalog, units: tuple[Unit, ...], taken_tags: frozenset[str]
) -> Iterator[tuple[Change, Setup, float]]:
    """Yield (kind of change, changed setup, price of what must be bought)."""
    for unit in units:
        if unit.is_ready and unit.tag not in taken_tags and unit.tag != setup.unit_tag:
            yield from _on_every_port(Change.UNIT, _with_unit(setup, unit, catalog), catalog, 0.0)
    now = catalog.drive(setup.drive_key)
    for drive in catalog.drives.values():
        if drive.key == setup.drive_key:
            continue
        if drive.needs_enclosure and setup.enclosure_key:
            changed = replace(setup, drive_key=drive.key, unit_tag="")
            yield Change.DRIVE, changed, drive.price
        elif not drive.needs_enclosure:
            changed = replace(setup, drive_key=drive.key, unit_tag="", enclosure_key="")
            yield from _on_every_port(Change.DRIVE, changed, catalog, drive.price)
    for enclosure in catalog.enclosures.values():
        if now.needs_enclosure and enclosure.key != setup.enclosure_key:
            changed = replace(setup, enclosure_key=enclosure.key)
            yield Change.ENCLOSURE, changed, enclosure.price
    for cable in catalog.cables.values():
        if setup.cable_key and cable.key != setup.cable_key:
            yield Change.CABLE, replace(setup, cable_key=cable.key), cable.price
    for port in catalog.host(setup.host_key).ports:
        if port.key != setup.port_key and port.is_slot == (not setup.cable_key):
            yield Change.PORT, replace(setup, port_key=port.key), 0.0


def _with_unit(setup: Setup, unit: Unit, catalog: Catalog) -> Setup:
    """Return *setup* with *unit* in it; a bare one goes into the case that is there."""
    drive, case_key = catalog.drives.get(unit.drive_key), unit.enclosure_key
    if drive is not None and drive.needs_enclosure and not case_key:
        case_key = setup.enclosure_key
    return replace(setup, unit_tag=unit.tag, drive_key=unit.drive_key, enclosure_key=case_key)


def _on_every_port(
    change: Change, setup: Setup, catalog: Catalog, price: float
) -> Iterator[tuple[Change, Setup, float]]:
    """Yield *setup* on each port of its host, with the cable there is or else each that is sold."""
    for port in catalog.host(setup.host_key).ports:
        placed = replace(setup, port_key=port.key)
        if port.is_slot:
            yield change, replace(placed, cable_key="", hub_keys=(), sharing=1), price
        elif setup.cable_key:
            yield change, placed, price
        else:
            for cable in catalog.cables.values():
                yield change, replace(placed, cable_key=cable.key), price + cable.price
