"""Each condition of a run held against the one that is asked about."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from vastcellar.core.chain.chain import Chain
from vastcellar.core.chain.setup_parts import heat_path
from vastcellar.core.evidence import Known
from vastcellar.core.parts.units import Unit
from vastcellar.core.shoot.needs import Need
from vastcellar.core.shoot.shoot import Camera
from vastcellar.core.verdict.backing import IMPOSSIBLE_RATE
from vastcellar.core.verdict.disturbed import BUSY_SHARE, STILL_S
from vastcellar.core.verdict.proof import RecorderProof
from vastcellar.core.verdict.reach.rules import Condition, Relation
from vastcellar.core.writing.workloads import paced
from vastcellar.core.writing.write_profile import write_profile

PACE_TOLERANCE = 0.005
"""A test paced this much below the need's average still counts as that average."""
_CREST_TOLERANCE = 0.02
COOLER_ROOM_K = 3.0
"""A run in a room this much cooler says little about a hotter one."""
LIKE_FILLED_SHARE = 0.02
_AS_FAST = 0.98
_BOX_FULLER = 0.8
"""Of a drive known by its box alone, so much of the free space must be left."""
_FASTER_LINK = 1.02
OLD_DAYS = 365.0
_WORN_FILLS = 20.0
"""A drive that was filled so often since is no longer quite the one that was proved."""


@dataclass(frozen=True, slots=True)
class Difference:
    """One condition in which a run and the question differ."""

    condition: Condition
    relation: Relation
    run: Any
    """What the run had: a name, a number in the unit of the condition, or None."""
    asked: Any
    known: Known = Known.STATED
    """How the run's own value is known."""


@dataclass(frozen=True, slots=True)
class Asked:
    """What is asked: would this camera's take hold on this chain, in this room, now?"""

    camera: Camera
    need: Need
    chain: Chain
    ambient_c: float
    now: datetime | None = None
    """For the age of proofs; where it isn't given they don't age."""


_Found = Difference | None


def differences(proof: RecorderProof, asked: Asked) -> tuple[Difference, ...]:
    """Return every condition in which *proof* and *asked* differ, in a fixed order."""
    if asked.chain.parts.unit is None or proof.unit_tag != asked.chain.parts.unit.tag:
        tag = asked.chain.parts.unit.tag if asked.chain.parts.unit else None
        return (Difference(Condition.UNIT, Relation.OTHER, proof.unit_tag, tag),)
    found = (compare(proof, asked) for compare in _COMPARISONS)
    return tuple(each for each in found if each is not None)


def standing(proof: RecorderProof, unit: Unit) -> tuple[Difference, ...]:
    """Return what speaks against *proof* as one of *unit*, whatever is asked of it."""
    nothing_asked = (_rehearsal, _place, _date, _source, _load, _other_test, _sleep, _standstill,
                     _clock, _complete)  # fmt: skip
    made = proof.conditions
    found = [compare(proof, None) for compare in nothing_asked]
    found += [
        _device_of(proof, unit),
        _size_of(proof, unit),
        _incident_of(proof, unit),
        _named(Condition.MODULE, made.drive_key, unit.drive_key),
        # A bare unit may stand in any case.
        _named(Condition.ENCLOSURE, made.enclosure_key, unit.enclosure_key)
        if unit.enclosure_key
        else None,
    ]
    return tuple(each for each in found if each is not None)


def _named(condition: Condition, run: str, asked: str) -> _Found:
    return Difference(condition, Relation.OTHER, run, asked) if run != asked else None


def _rehearsal(proof: RecorderProof, _asked: Asked | None) -> _Found:
    if not proof.is_rehearsal:
        return None
    return Difference(Condition.REHEARSAL, Relation.OTHER, None, None, Known.READ)


def _place(proof: RecorderProof, _asked: Asked | None) -> _Found:
    made = proof.conditions
    if proof.is_simulated or not (made.is_in_memory or made.is_over_network):
        return None
    where = "memory" if made.is_in_memory else "network"
    return Difference(Condition.PLACE, Relation.OTHER, where, None, Known.READ)


def _date(proof: RecorderProof, _asked: Asked | None) -> _Found:
    if not proof.conditions.is_ahead:
        return None
    return Difference(Condition.DATE, Relation.OTHER, proof.measured_at, None, Known.READ)


def _source(proof: RecorderProof, _asked: Asked | None) -> _Found:
    made = proof.conditions
    if not made.stated_by:
        return None
    relation = Relation.UNKNOWN if made.stated_doubt else Relation.OTHER
    return Difference(Condition.SOURCE, relation, made.stated_by, made.stated_doubt)


def _size(proof: RecorderProof, asked: Asked) -> _Found:
    return _size_of(proof, asked.chain.parts.unit)


def _size_of(proof: RecorderProof, unit: Unit | None) -> _Found:
    """Hold the bound device against the drive that the record of the run says it is."""
    device, record_bytes = unit.device if unit else None, proof.conditions.drive_capacity_bytes
    if proof.is_simulated or device is None or device.is_as_large_as(record_bytes):
        return None
    return Difference(Condition.SIZE, Relation.OTHER, device.size_bytes, record_bytes, Known.READ)


def _device(proof: RecorderProof, asked: Asked) -> _Found:
    return _device_of(proof, asked.chain.parts.unit)


def _incident(proof: RecorderProof, asked: Asked) -> _Found:
    return _incident_of(proof, asked.chain.parts.unit)


def _incident_of(proof: RecorderProof, unit: Unit | None) -> _Found:
    """Held against what happened to the unit since, as its story tells."""
    if unit is None or unit.doubted_at is None or proof.measured_at > unit.doubted_at:
        return None
    return Difference(
        Condition.INCIDENT, Relation.EASIER, proof.measured_at, unit.doubted_at, Known.STATED
    )


def _device_of(proof: RecorderProof, unit: Unit | None) -> _Found:
    if proof.is_simulated:
        return None
    made = proof.conditions.device
    bound = unit.device if unit else None
    same = made.is_same_as(bound) if made is not None and bound is not None else None
    if same:
        return None
    relation = Relation.UNKNOWN if same is None else Relation.OTHER
    return Difference(Condition.DEVICE, relation, made, bound, Known.READ)


def _module(proof: RecorderProof, asked: Asked) -> _Found:
    return _named(Condition.MODULE, proof.conditions.drive_key, asked.chain.parts.drive.key)


def _enclosure(proof: RecorderProof, asked: Asked) -> _Found:
    case = asked.chain.parts.enclosure
    return _named(Condition.ENCLOSURE, proof.conditions.enclosure_key, case.key if case else "")


def _host(proof: RecorderProof, asked: Asked) -> _Found:
    return _named(Condition.HOST, proof.conditions.host_key, asked.chain.parts.host.key)


def _port(proof: RecorderProof, asked: Asked) -> _Found:
    made, parts = proof.conditions, asked.chain.parts
    if made.host_key != parts.host.key:  # said already, and ports of two hosts have no common name
        return None
    return _named(Condition.PORT, made.port_key, parts.port.key)


def _cable(proof: RecorderProof, asked: Asked) -> _Found:
    cable = asked.chain.parts.cable
    return _named(Condition.CABLE, proof.conditions.cable_key, cable.key if cable else "")


def link_relation(run: float, other: float) -> Relation | None:
    """Return how a run on a link of *run* compares to *other*, both in one unit."""
    if run > other * _FASTER_LINK:
        return Relation.EASIER
    return Relation.HARDER if run * _FASTER_LINK < other else None


def _link(proof: RecorderProof, asked: Asked) -> _Found:
    made, mode = proof.conditions, asked.chain.mode
    if mode is None or not made.mode_key:
        return Difference(Condition.LINK, Relation.UNKNOWN, None, mode.key if mode else None)
    if made.link_bits_per_s:
        run, now, known = made.link_bits_per_s, mode.line_rate_bits_per_s, Known.READ
    elif made.mode_key == mode.key:
        return None
    else:
        run, now, known = (
            made.link_ceiling_bytes_per_s * 8,
            mode.ceiling_bytes_per_s * 8,
            (Known.STATED),
        )
    if not run:
        return Difference(Condition.LINK, Relation.UNKNOWN, None, now, known)
    relation = link_relation(run, now)
    if relation is not None:
        return Difference(Condition.LINK, relation, run, now, known)
    if known is Known.STATED:  # as fast, and another kind of link all the same
        return Difference(Condition.LINK, Relation.OTHER, run, now, known)
    return None


def _rate(proof: RecorderProof, _asked: Asked) -> _Found:
    ceiling = proof.conditions.link_ceiling_bytes_per_s
    took = proof.slowest_second_ability_bytes_per_s
    if not ceiling or took <= ceiling * IMPOSSIBLE_RATE:
        return None
    return Difference(Condition.RATE, Relation.OTHER, took, ceiling, Known.READ)


def _hub(proof: RecorderProof, asked: Asked) -> _Found:
    run = " + ".join(proof.conditions.hub_keys)
    return _named(Condition.HUB, run, " + ".join(hub.key for hub in asked.chain.parts.hubs))


def _more_is_harder(
    condition: Condition, run: float, asked: float, known: Known = Known.STATED
) -> _Found:
    if run == asked:
        return None
    relation = Relation.HARDER if run > asked else Relation.EASIER
    return Difference(condition, relation, run, asked, known)


def _sharing(proof: RecorderProof, asked: Asked) -> _Found:
    return _more_is_harder(Condition.SHARING, proof.conditions.sharing, asked.chain.parts.sharing)


def _file_system(proof: RecorderProof, asked: Asked) -> _Found:
    made, now = proof.conditions, asked.chain.parts.file_system
    if now is None or not made.file_system or made.file_system == now.key:
        return None
    known = Known.STATED if proof.is_simulated else Known.READ
    share, relation = made.file_system_write_share, Relation.OTHER
    if share is None or share > now.write_share:
        # One that nobody knows may be any amount faster.
        relation = Relation.EASIER
    return Difference(Condition.FILE_SYSTEM, relation, made.file_system, now.key, known)


def _encryption(proof: RecorderProof, asked: Asked) -> _Found:
    known = Known.STATED if proof.is_simulated else Known.READ
    return _more_is_harder(
        Condition.ENCRYPTION,
        proof.conditions.is_encrypted,
        asked.chain.parts.is_encrypted,
        known,
    )


def _fill(proof: RecorderProof, asked: Asked) -> _Found:
    """Compare how full the drive was; of a fuller one the model tells whether that matters."""
    share = proof.conditions.free_share
    chain = asked.chain
    capacity = chain.parts.drive.capacity_bytes
    now = chain.free_bytes / capacity
    if share is None:
        return None  # noted by every run on a real folder
    known = Known.STATED if proof.is_simulated else Known.READ
    if abs(share - now) <= LIKE_FILLED_SHARE:
        return None
    if share < now:
        return Difference(Condition.FILL, Relation.HARDER, share, now, known)
    if chain.parts.drive.behaviour is None:
        is_as_fast = now >= _BOX_FULLER * share
    else:
        then_lowest, now_lowest = (_lowest_of_take(asked, free * capacity) for free in (share, now))
        is_as_fast = now_lowest >= _AS_FAST * min(then_lowest, asked.need.peak_bytes_per_s)
    relation = Relation.OTHER if is_as_fast else Relation.EASIER
    return Difference(Condition.FILL, relation, share, now, known)


def _lowest_of_take(asked: Asked, free: float) -> float:
    chain, need = asked.chain, asked.need
    if free <= 0:
        return 0.0
    run = write_profile(
        chain.parts.drive.writes,
        heat_path(chain.parts, asked.ambient_c),
        chain.link_cap_bytes_per_s,
        paced(need.average_bytes_per_s, asked.camera.longest_take_s),
        free_bytes=free,
        capacity_bytes=chain.parts.drive.capacity_bytes,
    )
    return min(each.ability_bytes_per_s for each in run.intervals)


def _room(proof: RecorderProof, asked: Asked) -> _Found:
    run, now = proof.conditions.ambient_c, asked.ambient_c
    if math.isnan(run):
        return Difference(Condition.ROOM, Relation.UNKNOWN, None, now, Known.UNKNOWN)
    relation = room_relation(run, now)
    return Difference(Condition.ROOM, relation, run, now) if relation else None


def room_relation(run_c: float, other_c: float) -> Relation | None:
    """Return how a run in a room of *run_c* compares to one of *other_c*."""
    if abs(run_c - other_c) <= COOLER_ROOM_K:
        return None
    return Relation.HARDER if run_c > other_c else Relation.EASIER


def _cooling(proof: RecorderProof, _asked: Asked) -> _Found:
    if not proof.conditions.cooling:
        return None
    return Difference(Condition.COOLING, Relation.EASIER, proof.conditions.cooling, None)


def _host_memory(proof: RecorderProof, _asked: Asked) -> _Found:
    if proof.is_simulated or proof.conditions.is_direct:
        return None
    return Difference(Condition.HOST_MEMORY, Relation.OTHER, None, None, Known.READ)


def _above(condition: Condition, run: float, limit: float, relation: Relation) -> _Found:
    return Difference(condition, relation, run, limit, Known.READ) if run > limit else None


def _load(proof: RecorderProof, _asked: Asked | None) -> _Found:
    return _above(Condition.LOAD, proof.conditions.other_cpu_share, BUSY_SHARE, Relation.OTHER)


def _other_test(proof: RecorderProof, _asked: Asked | None) -> _Found:
    return _above(Condition.OTHER_TEST, proof.conditions.other_tests, 0, Relation.OTHER)


def _sleep(proof: RecorderProof, _asked: Asked | None) -> _Found:
    return _above(Condition.SLEEP, proof.conditions.slept_s, 0, Relation.EASIER)


def _standstill(proof: RecorderProof, _asked: Asked | None) -> _Found:
    still_s = proof.conditions.stood_still_s
    return _above(Condition.STANDSTILL, still_s, STILL_S, Relation.EASIER)


def _clock(proof: RecorderProof, _asked: Asked | None) -> _Found:
    return _above(Condition.CLOCK, abs(proof.conditions.clock_set_s), 0, Relation.OTHER)


def _complete(proof: RecorderProof, _asked: Asked | None) -> _Found:
    if proof.is_complete:
        return None
    return Difference(Condition.COMPLETE, Relation.EASIER, None, None, Known.READ)


def _pace(proof: RecorderProof, asked: Asked) -> _Found:
    run, now = proof.load_bytes_per_s, asked.need.average_bytes_per_s
    if is_pace_of(run, now):
        return None
    return _more_is_harder(Condition.PACE, run, now)


def is_pace_of(run_bytes_per_s: float, other_bytes_per_s: float) -> bool:
    """Whether two paces are one."""
    return abs(run_bytes_per_s - other_bytes_per_s) <= PACE_TOLERANCE * other_bytes_per_s


def is_peak_of(run_bytes_per_s: float, other_bytes_per_s: float) -> bool:
    """Whether the worst seconds of two takes are as hard."""
    return abs(run_bytes_per_s - other_bytes_per_s) <= _CREST_TOLERANCE * other_bytes_per_s


def _crest(proof: RecorderProof, asked: Asked) -> _Found:
    """Compare the worst second sent, in bytes: a faster pace may have sent it without a crest."""
    peak = asked.need.peak_bytes_per_s
    if math.isinf(proof.crest):
        return Difference(Condition.CREST, Relation.UNKNOWN, None, peak, Known.UNKNOWN)
    run = proof.load_bytes_per_s * proof.crest
    if is_peak_of(run, peak):
        return None
    return _more_is_harder(Condition.CREST, run, peak)


def _length(proof: RecorderProof, asked: Asked) -> _Found:
    return _more_is_harder(Condition.LENGTH, proof.duration_s, asked.camera.longest_take_s)


def _buffer(proof: RecorderProof, asked: Asked) -> _Found:
    run, now = proof.buffer_bytes, asked.camera.buffer_bytes
    if run == now:
        return None
    relation = Relation.EASIER if run > now else Relation.HARDER
    return Difference(Condition.BUFFER, relation, run, now)


def _age(proof: RecorderProof, asked: Asked) -> _Found:
    if asked.now is None:
        return None
    days = (asked.now - proof.measured_at).total_seconds() / 86400
    return _above(Condition.AGE, days, OLD_DAYS, Relation.OTHER)


def _written_since(proof: RecorderProof, asked: Asked) -> _Found:
    unit, then = asked.chain.parts.unit, proof.conditions.unit_written_bytes
    if unit is None or then is None:
        return None
    fills = (unit.written_bytes - then) / asked.chain.parts.drive.capacity_bytes
    return _above(Condition.WRITTEN_SINCE, fills, _WORN_FILLS, Relation.OTHER)


def _calibration(proof: RecorderProof, asked: Asked) -> _Found:
    """A unit that was since calibrated slower than its proof is no longer what was proved."""
    unit, chain = asked.chain.parts.unit, asked.chain
    if unit is None or unit.fitted_at is None or unit.fitted_at <= proof.measured_at:
        return None
    if not proof.is_passed or chain.free_bytes < asked.need.longest_take_bytes:
        return None
    lowest = _lowest_of_take(asked, chain.free_bytes)
    if lowest >= asked.need.average_bytes_per_s:
        return None
    took = proof.slowest_second_ability_bytes_per_s
    return Difference(Condition.CALIBRATION, Relation.OTHER, took, lowest, Known.READ)


_COMPARISONS: tuple[Callable[[RecorderProof, Asked], _Found], ...] = (
    _rehearsal,
    _place,
    _date,
    _source,
    _device,
    _size,
    _incident,
    _module,
    _enclosure,
    _link,
    _rate,
    _hub,
    _sharing,
    _file_system,
    _encryption,
    _fill,
    _room,
    _cooling,
    _load,
    _other_test,
    _sleep,
    _standstill,
    _clock,
    _complete,
    _pace,
    _crest,
    _length,
    _buffer,
    _host,
    _port,
    _cable,
    _host_memory,
    _age,
    _written_since,
    _calibration,
)
