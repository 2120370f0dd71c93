"""What would help: every single change of part, judged like the setup itself, cheapest first."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from vastcellar.core.candidates.candidates import find_candidates
from vastcellar.core.chain.measured_stages import StageMeasurement, build_measured_chain
from vastcellar.core.chain.setup_parts import Parts, find_parts
from vastcellar.core.evidence import VERDICT_ORDER, Verdict
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.units import Unit
from vastcellar.core.shoot.needs import Need
from vastcellar.core.shoot.shoot import Camera, Setup
from vastcellar.core.verdict.judgement import Judgement, judge_take
from vastcellar.core.verdict.proof import RecorderProof

_WORTH_SHARE = 0.01
"""Of the need, to spare: a change of less is none, whatever it costs."""
_MANY_UNITS = 60
"""More than anybody reads through: beyond it only the best of a shelf are worked out singly."""


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
    more: int = 0
    """Further units of a large shelf that hold, which were not worked out one by one."""


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
    free = [u for u in units if u.is_ready and u.tag not in taken_tags and u.tag != setup.unit_tag]
    more = 0
    if len(free) > _MANY_UNITS:
        tags = frozenset(proof.unit_tag for proof in proofs)
        free, more = _first_of_many(free, tags, camera, need, setup, catalog, ambient_c, stages)
    for change, changed, price in _changes(setup, catalog, free):
        parts = find_parts(changed, catalog, unit_by_tag.get(changed.unit_tag))
        chain = build_measured_chain(parts, catalog, ambient_c, stages)
        judgement = judge_take(camera, need, chain, ambient_c, proofs)
        judged.append(Mend(change, changed, parts, judgement, price))
    judged.sort(key=_order)
    now = judge_take(
        camera, need,
        build_measured_chain(
            find_parts(setup, catalog, unit_by_tag.get(setup.unit_tag)), catalog, ambient_c, stages
        ),
        ambient_c, proofs,
    )  # fmt: skip
    helping = [m for m in judged if _helps(m.judgement, now)]
    useless = []
    for change in (Change.CABLE, Change.PORT, Change.ENCLOSURE, Change.DRIVE):
        of_kind = [m for m in judged if m.change is change and m.judgement.run is not None]
        # One that isn't known to fall short might help: of that nothing is said.
        if of_kind and all(m.judgement.verdict is Verdict.FALLS_SHORT for m in of_kind):
            useless.append(max(of_kind, key=lambda m: m.judgement.margin or -1.0))
    return Mends(tuple(_one_per_unit(helping)), tuple(useless), more)


def _helps(judgement: Judgement, now: Judgement) -> bool:
    """Whether a change holds, and has more to spare than what is there already."""
    if judgement.verdict not in (Verdict.HOLDS, Verdict.TIGHT):
        return False
    if now.verdict not in (Verdict.HOLDS, Verdict.TIGHT):
        return True
    return (judgement.margin or 0.0) > (now.margin or 0.0) + _WORTH_SHARE


def _first_of_many(
    units: list[Unit],
    proved_tags: frozenset[str],
    camera: Camera,
    need: Need,
    setup: Setup,
    catalog: Catalog,
    ambient_c: float,
    stages: tuple[StageMeasurement, ...],
) -> tuple[list[Unit], int]:
    """Return the units of a large shelf that are worth working out, and how many more hold.

    All are judged at once as columns, in the way that is there now: the present cable and hubs,
    the present case for a bare one. Those with most to spare come first, and every unit that
    holds and has a run of its own, since a run may say otherwise than the model.
    """
    owned = frozenset({setup.cable_key})
    table = find_candidates(
        camera, need, [catalog.host(setup.host_key)], catalog, units, ambient_c, owned, stages,
        setup, with_catalog=False,
    )  # fmt: skip
    best: dict[str, float] = {}
    margins = np.nan_to_num(table.margin, nan=-1.0)
    for row in np.flatnonzero(margins >= 0).tolist():
        way, unit, case = table.way_of(row), table.unit(row), table.enclosure(row)
        is_kept = way.port.is_slot or (
            (not setup.cable_key or way.cable is None or way.cable.key == setup.cable_key)
            and tuple(hub.key for hub in way.hubs) == setup.hub_keys
        )
        if unit is None or not is_kept:
            continue
        if not unit.enclosure_key and case is not None and case.key != setup.enclosure_key:
            continue
        best[unit.tag] = max(best.get(unit.tag, -1.0), float(margins[row]))
    order = sorted(best, key=lambda tag: -best[tag])
    first = set(order[:_MANY_UNITS]) | (set(order) & proved_tags)
    return [unit for unit in units if unit.tag in first], len(order) - len(first)


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
    setup: Setup, catalog: Catalog, free_units: Sequence[Unit]
) -> Iterator[tuple[Change, Setup, float]]:
    """Yield (kind of change, changed setup, price of what must be bought)."""
    for unit in free_units:
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
