"""Is a drive at rest: cool, idle and folded, as far as the runs on record tell."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime

from vastcellar.core.chain.chain import Chain
from vastcellar.core.chain.setup_parts import heat_path_of
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.class_behaviour import class_behaviour
from vastcellar.core.parts.parts import Drive
from vastcellar.core.parts.units import Unit, free_bytes_on
from vastcellar.core.writing.drive_in_use import cache_capacity_bytes
from vastcellar.core.writing.heat import HeatPath
from vastcellar.services.workplace.workplace import Shelf, require_unit
from vastcellar.store.run_record import RunRecord

_TIME_CONSTANTS = 3.0
_LEAST_REST_S, _MOST_REST_S = 600.0, 7200.0
USUAL_ROOM_C = 22.0
UNKNOWN_REST_S = 3600.0
"""For a drive of which nothing is known: what the slowest case needs to be cool again."""


@dataclass(frozen=True, slots=True)
class Rest:
    """How long a drive has rested before a test, and how long it needs."""

    since_last_run_s: float = math.inf
    needed_s: float = 0.0

    @property
    def is_enough(self) -> bool:
        """Whether it counts as from rest."""
        return self.since_last_run_s >= self.needed_s


COOL = Rest()
"""Nothing speaks against it: simulated rigs, and units that were never tested."""


def modelled(drive: Drive) -> Drive:
    """Return *drive* with its class's behaviour, where only its box is known."""
    return drive if drive.behaviour else replace(drive, behaviour=class_behaviour(drive))


def unit_heat_path(catalog: Catalog, unit: Unit, ambient_c: float) -> HeatPath:
    """Return the heat path of *unit* in its own case; a room that isn't known counts as usual."""
    room_c = ambient_c if math.isfinite(ambient_c) else USUAL_ROOM_C
    enclosure = catalog.enclosures.get(unit.enclosure_key)
    return heat_path_of(modelled(catalog.drive_of(unit)), enclosure, room_c)


def rest_needed_s(path: HeatPath, drive: Drive, free_bytes: float) -> float:
    """Return how long a drive must lie idle to count as at rest.

    Until it is cool, three slow time constants, and until a full cache is folded; within ten
    minutes and two hours.
    """
    slow = path.decay_per_s()[1]
    behaviour = modelled(drive).writes
    cache = cache_capacity_bytes(behaviour, free_bytes)
    folded_s = cache / behaviour.fold_bytes_per_s if behaviour.fold_bytes_per_s else 0.0
    return min(max(_TIME_CONSTANTS / slow, folded_s, _LEAST_REST_S), _MOST_REST_S)


def seconds_since_last_run(records: Sequence[RunRecord], unit_tag: str, now: datetime) -> float:
    """Return how long the unit has not been tested, infinite where it never really was."""
    ends = [
        each.measured_at
        for each in records
        if each.unit_tag == unit_tag and not each.is_simulated and each.measured_at <= now
    ]
    return (now - max(ends)).total_seconds() if ends else math.inf


def chain_rest_s(chain: Chain, ambient_c: float) -> float:
    """Return how long the drive of *chain* must lie idle to count as at rest."""
    drive = modelled(chain.parts.drive)
    path = heat_path_of(drive, chain.parts.enclosure, ambient_c)
    return rest_needed_s(path, drive, chain.free_bytes)


def rest_of(chain: Chain, ambient_c: float, records: Sequence[RunRecord]) -> Rest:
    """Return how long the chain's unit has rested, and how long it needs."""
    unit = chain.parts.unit
    if unit is None or chain.parts.drive.behaviour is None:
        return COOL
    since_s = seconds_since_last_run(records, unit.tag, datetime.now(UTC))
    return Rest(since_s, chain_rest_s(chain, ambient_c))


def rest_of_unit(shelf: Shelf, catalog: Catalog, unit_tag: str, ambient_c: float) -> Rest:
    """Return how long a unit has rested in its own case. Raises UnknownPartError."""
    unit = require_unit(shelf, unit_tag)
    since_s = seconds_since_last_run(shelf.records, unit_tag, datetime.now(UTC))
    drive = catalog.drive_of(unit)
    free = free_bytes_on(drive, unit)
    path = unit_heat_path(catalog, unit, ambient_c)
    return Rest(since_s, rest_needed_s(path, drive, free))
