"""Every candidate for a need, judged at once: what it delivers over the take, what it costs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.candidates.assemblies import Assemblies, ModeBits, Way, assemblies, ways_to
from vastcellar.core.chain.chain import case_of, heat_path_of
from vastcellar.core.chain.measured_stages import StageMeasurement
from vastcellar.core.evidence import TIGHT_BELOW_MARGIN, Verdict
from vastcellar.core.parts.parts import (
    Catalog,
    Drive,
    Enclosure,
    Host,
    Unit,
    WriteBehaviour,
    case_misfit,
)
from vastcellar.core.shoot.needs import Need
from vastcellar.core.shoot.shoot import Camera, Setup
from vastcellar.core.verdict.judgement import Bottleneck
from vastcellar.core.writing.profile_batch import (
    CaseColumns,
    DriveColumns,
    Lane,
    LaneResults,
    case_columns,
    drive_columns,
    run_columns,
)
from vastcellar.core.writing.write_profile import EventKind, Phase, write_profile

T = TypeVar("T")
FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]


@dataclass(frozen=True)
class CandidateTable:
    """All candidates; arrays have shape (n,), rates in bytes per second."""

    assembly: IntArray
    way: IntArray
    price: FloatArray
    """Only of what must be bought."""
    link_cap: FloatArray
    burst_write: FloatArray
    burst_read: FloatArray
    sustained_write: FloatArray
    """The least that it could take at any moment of the take, space left aside."""
    margin: FloatArray
    bottlenecks: IntArray
    """Numbers of ``BOTTLENECKS``."""
    free_bytes: FloatArray
    capacity_bytes: FloatArray
    wasted_share: FloatArray
    """Of the drive's own write rate, what can't pass."""
    mass_g: FloatArray
    tbw_bytes: FloatArray
    parts: Assemblies
    ways: tuple[Way, ...]
    take_bytes: float
    misfits: tuple[str, ...] = field(default=())
    """Some of the pairs that were left out, with the reason."""

    def __len__(self) -> int:
        return int(self.price.size)

    def verdict(self, row: int) -> Verdict:
        """Return the verdict on a candidate."""
        margin = self.margin[row]
        if np.isnan(margin):
            return Verdict.NOT_KNOWN
        if margin < 0:
            return Verdict.FALLS_SHORT
        return Verdict.TIGHT if margin < TIGHT_BELOW_MARGIN else Verdict.HOLDS

    @property
    def holds(self) -> NDArray[np.bool_]:
        """Which of them hold, be it tightly; shape (n,)."""
        return self.margin >= 0

    def bottleneck(self, row: int) -> Bottleneck:
        """Return what sets a candidate's lowest rate."""
        return BOTTLENECKS[int(self.bottlenecks[row])]

    def drive(self, row: int) -> Drive:
        """Return the drive of a candidate."""
        return self.parts.drives[int(self.assembly[row])]

    def enclosure(self, row: int) -> Enclosure | None:
        """Return its enclosure, None for a closed drive."""
        return self.parts.enclosures[int(self.assembly[row])]

    def unit(self, row: int) -> Unit | None:
        """Return the unit of the shelf that it is, None for parts to buy."""
        return self.parts.units[int(self.assembly[row])]

    def way_of(self, row: int) -> Way:
        """Return the way to its host."""
        return self.ways[int(self.way[row])]

    def setup(self, row: int) -> Setup:
        """Return it as a setup that a camera can record to."""
        way, enclosure, unit = self.way_of(row), self.enclosure(row), self.unit(row)
        return Setup(
            drive_key=self.drive(row).key,
            host_key=way.host.key,
            port_key=way.port.key,
            unit_tag=unit.tag if unit else "",
            enclosure_key=enclosure.key if enclosure else "",
            cable_key=way.cable.key if way.cable else "",
            hub_keys=(way.hub.key,) if way.hub else (),
        )

    def name(self, row: int) -> str:
        """Say what it is in a line."""
        drive, enclosure, unit = self.drive(row), self.enclosure(row), self.unit(row)
        if unit is not None and (enclosure is None or unit.enclosure_key):
            return f"{unit.tag}: {drive.name}"
        if unit is not None and enclosure is not None:
            return f"{unit.tag}: {drive.name} in {enclosure.name}"
        return f"{drive.name} in {enclosure.name}" if enclosure else drive.name


def find_candidates(
    camera: Camera,
    need: Need,
    hosts: Sequence[Host],
    catalog: Catalog,
    units: Sequence[Unit],
    ambient_c: float,
    owned: frozenset[str] = frozenset(),
    stages: Sequence[StageMeasurement] = (),
) -> CandidateTable:
    """Return everything that can be put together for *camera* on *hosts*, judged by its take.

    Args:
        camera: with its longest take.
        need: of that camera.
        hosts: computers or cameras whose ports count.
        catalog: of parts that can be bought.
        units: of the shelf that are free to be used; they cost nothing.
        ambient_c: of the room.
        owned: keys of cables and readers that are there already.
        stages: measured on the hosts, in place of typical values.

    """
    bits = ModeBits(catalog.modes)
    made = assemblies(catalog, units, bits)
    ways = ways_to(hosts, catalog, bits, owned)
    rows, columns, cap = _connect(made, ways, bits, stages)
    lowest, caused = _judge(made, rows, cap, need.average_bytes_per_s, camera, ambient_c)
    needed, take = need.needed_write_bytes_per_s, need.longest_take_bytes
    drives = made.drives
    in_cache = _in_cache_rates(drives)[rows]
    read = np.array([drive.claimed_read_bytes_per_s for drive in drives])[rows]
    burst = np.minimum(cap, in_cache)
    free = made.free_bytes[rows]
    margin = lowest / needed - 1
    is_small = free < take
    room_margin = free / take - 1
    too_small = is_small & (margin >= 0)  # else it is too slow before it is too small
    margin = np.where(is_small, np.minimum(margin, room_margin), margin)
    caused[too_small] = _SPACE
    # Of what only its box is known it can be said that it falls short, never that it holds.
    is_box = np.array([drive.behaviour is None for drive in drives], dtype=bool)[rows]
    margin = np.where(is_box & (margin >= 0), np.nan, margin)
    price = made.price[rows] + np.array([way.price for way in ways])[columns]
    mass = np.array(
        [
            drive.mass_g + (enclosure.mass_g if enclosure else 0.0)
            for drive, enclosure in zip(drives, made.enclosures, strict=True)
        ]
    )
    return CandidateTable(
        assembly=rows,
        way=columns,
        price=price,
        link_cap=cap,
        burst_write=burst,
        burst_read=np.minimum(cap, read),
        sustained_write=lowest,
        margin=margin,
        bottlenecks=caused,
        free_bytes=free,
        capacity_bytes=np.array([float(drive.capacity_bytes) for drive in drives])[rows],
        wasted_share=1 - burst / in_cache,
        mass_g=mass[rows],
        tbw_bytes=np.array([drive.tbw_bytes for drive in drives])[rows],
        parts=made,
        ways=ways,
        take_bytes=take,
        misfits=_some_misfits(catalog),
    )


def _in_cache_rates(drives: Sequence[Drive]) -> FloatArray:
    """The fastest that each drive writes: in its cache, or straight where it has none."""
    return np.array(
        [
            b.cache_write_bytes_per_s
            if b.cache_static_bytes or b.cache_share_of_free
            else min(b.cache_write_bytes_per_s, b.direct_write_bytes_per_s)
            for b in (drive.behaviour or _as_its_box_says(drive) for drive in drives)
        ]
    )


def _as_its_box_says(drive: Drive) -> WriteBehaviour:
    return WriteBehaviour(drive.claimed_write_bytes_per_s, drive.claimed_write_bytes_per_s)


def _connect(
    made: Assemblies, ways: Sequence[Way], bits: ModeBits, stages: Sequence[StageMeasurement]
) -> tuple[IntArray, IntArray, FloatArray]:
    """Return (assembly, way, what reaches the drive) of every pair that connects."""
    rows, columns, caps = [], [], []
    best_ceiling = bits.ceiling[np.maximum(made.own_best, 0)]
    tied = [row for row, drive in enumerate(made.drives) if drive.only_host]
    for column, way in enumerate(ways):
        mode = ModeBits.best(made.device_mask & way.mask)
        connects = mode >= 0
        if way.port.power_w:
            connects &= ~(made.draws_w > way.port.power_w)
        mode = np.maximum(mode, 0)
        ceiling, typical = bits.ceiling[mode], bits.typical[mode]
        # The bridge's own figure is of its best mode; in a slower one it only counts as a limit.
        is_best = (made.bridge_cap > 0) & (ceiling >= best_ceiling)
        bridge = np.where(is_best, np.minimum(made.bridge_cap, ceiling), typical)
        limits = (made.bridge_cap > 0) & ~is_best & (made.bridge_cap < typical)
        bridge = np.where(limits, made.bridge_cap, bridge)
        slot, hub_cap = made.slot_cap, way.cap_bytes_per_s
        for each in reversed(_measured_on(way, stages)):  # the newest comes last, and counts
            same = np.array([part == each.part_key for part in _stage_parts(made, each.stage_key)])
            same &= (mode == bits.number(each.mode_key)) & (each.bytes_per_s <= ceiling * 1.001)
            if each.stage_key in ("bridge", "interface"):
                bridge = np.where(same, each.bytes_per_s, bridge)
            elif each.stage_key == "slot":
                slot = np.where(same, each.bytes_per_s, slot)
        cap = np.minimum(np.minimum(bridge, slot), hub_cap)
        for row in tied:
            connects[row] &= made.drives[row].only_host == way.host.key
        chosen = np.flatnonzero(connects)
        rows.append(chosen)
        columns.append(np.full(chosen.size, column))
        caps.append(cap[chosen])
    if not rows:
        return np.empty(0, np.int64), np.empty(0, np.int64), np.empty(0)
    return np.concatenate(rows), np.concatenate(columns), np.concatenate(caps)


def _measured_on(way: Way, stages: Sequence[StageMeasurement]) -> list[StageMeasurement]:
    """Return what was measured on this port, newest first."""
    here = [s for s in stages if (s.host_key, s.port_key) == (way.host.key, way.port.key)]
    return sorted(here, key=lambda stage: stage.measured_at, reverse=True)


def _stage_parts(made: Assemblies, stage_key: str) -> list[str]:
    """Return for each assembly the key of the part that a stage of it is."""
    if stage_key == "interface":
        pairs = zip(made.drives, made.enclosures, strict=True)
        return ["" if case else drive.key for drive, case in pairs]
    return [case.key if case else "" for case in made.enclosures]


BOTTLENECKS = (
    Bottleneck.DRIVE,
    Bottleneck.LINK,
    Bottleneck.CACHE,
    Bottleneck.HEAT,
    Bottleneck.SPACE,
)
_DRIVE, _LINK, _CACHE, _HEAT, _SPACE = range(5)


def _judge(
    made: Assemblies,
    rows: IntArray,
    cap: FloatArray,
    offered: float,
    camera: Camera,
    ambient_c: float,
) -> tuple[FloatArray, IntArray]:
    """Return the lowest ability over the take, and its bottleneck; the same physics only once."""
    boxes = {id(d): _as_its_box_says(d) for d in made.drives if d.behaviour is None}
    behaviours, which_behaviour = _distinct([d.behaviour or boxes[id(d)] for d in made.drives])
    cases, which_case = _distinct(
        [
            case_of(drive, enclosure)
            for drive, enclosure in zip(made.drives, made.enclosures, strict=True)
        ]
    )
    _, which_room = np.unique(made.free_bytes, return_inverse=True)
    rounded, which_cap = np.unique(np.round(cap), return_inverse=True)
    physics = (which_behaviour * len(cases) + which_case) * (which_room.max(initial=0) + 1)
    physics += which_room
    key = physics[rows] * len(rounded) + which_cap
    _, first, inverse = np.unique(key, return_index=True, return_inverse=True)
    assembly, reaching = rows[first], rounded[which_cap[first]]
    free = made.free_bytes[assembly]
    lowest = np.zeros(first.size)
    bottleneck = np.full(first.size, _DRIVE)
    bottleneck[free <= 0] = _SPACE
    has_zones = np.array([b.inner_share < 1 for b in behaviours], dtype=bool)
    is_disk = has_zones[which_behaviour[assembly]]
    known: dict[tuple[object, ...], tuple[float, int]] = {}
    for row in np.flatnonzero(is_disk & (free > 0)):
        index = int(assembly[row])
        drive = made.drives[index]
        path = heat_path_of(drive, made.enclosures[index], ambient_c)
        lane = Lane(drive.writes, path, float(reaching[row]), float(free[row]))
        # Without a throttle stage its case decides nothing.
        case = which_case[index] if drive.writes.throttle else -1
        same = (id(drive.behaviour), drive.capacity_bytes, case, reaching[row], free[row])
        if same not in known:
            known[same] = _hard_disk(lane, drive, offered, camera.longest_take_s)
        lowest[row], bottleneck[row] = known[same]
    lanes = np.flatnonzero(~is_disk & (free > 0))
    flash = np.flatnonzero(~has_zones)
    position = np.full(has_zones.size, -1)
    position[flash] = np.arange(flash.size)
    columns = _Columns(
        drive_columns([behaviours[i] for i in flash]).take(
            position[which_behaviour[assembly[lanes]]]
        ),
        case_columns(cases).take(which_case[assembly[lanes]]),
        np.full(lanes.size, ambient_c),
        reaching[lanes],
        free[lanes],
    )
    lowest[lanes], bottleneck[lanes] = _judge_lanes(columns, offered, camera.longest_take_s)
    inverse = inverse.reshape(-1)
    return lowest[inverse], bottleneck[inverse]


def _distinct(values: Sequence[T]) -> tuple[list[T], IntArray]:
    """Return the distinct objects among *values*, and for each value which of them it is."""
    numbers: dict[int, int] = {}
    found: list[T] = []
    which = np.empty(len(values), dtype=np.int64)
    for index, value in enumerate(values):
        number = numbers.setdefault(id(value), len(found))
        if number == len(found):
            found.append(value)
        which[index] = number
    return found, which


@dataclass(frozen=True)
class _Columns:
    """Lanes as columns, all of shape (n,)."""

    drive: DriveColumns
    case: CaseColumns
    ambient_c: FloatArray
    reaching: FloatArray
    free: FloatArray

    def run(self, offered: float, duration_s: float) -> LaneResults:
        return run_columns(
            self.drive, self.case, self.ambient_c, self.reaching, self.free, offered, duration_s
        )

    def one(self, row: int) -> _Columns:
        rows = np.array([row])
        return _Columns(
            self.drive.take(rows),
            self.case.take(rows),
            self.ambient_c[rows],
            self.reaching[rows],
            self.free[rows],
        )


def _judge_lanes(columns: _Columns, offered: float, take_s: float) -> tuple[FloatArray, IntArray]:
    found = columns.run(offered, take_s)
    lowest = found.lowest_ability_bytes_per_s.copy()
    # A drive that fills up is a question of space; its rate is what it took before that.
    for row in np.flatnonzero(np.isfinite(found.drive_full_at_s)):
        duration_s = float(found.drive_full_at_s[row]) * (1 - 1e-9)
        if duration_s > 0:
            alone = columns.one(int(row)).run(offered, duration_s)
            lowest[row] = alone.lowest_ability_bytes_per_s[0]
    is_throttled = np.isfinite(found.throttled_at_s)
    with np.errstate(invalid="ignore"):
        at_cap = np.abs(lowest[:, None] / columns.drive.throttle[:, :, 2] - 1) < 1e-3
    bottleneck = np.full(lowest.size, _DRIVE)
    bottleneck[np.isfinite(found.cache_full_at_s)] = _CACHE
    bottleneck[is_throttled & at_cap.any(axis=1)] = _HEAT
    bottleneck[lowest >= columns.reaching * 0.999] = _LINK
    return lowest, bottleneck


def _hard_disk(lane: Lane, drive: Drive, offered: float, take_s: float) -> tuple[float, int]:
    """A hard disk's zones follow its bytes: it runs by itself."""
    run = write_profile(
        lane.behaviour,
        lane.path,
        lane.link_cap_bytes_per_s,
        (Phase(offered, take_s),),
        free_bytes=lane.free_bytes,
        capacity_bytes=drive.capacity_bytes,
    )
    abilities = [i.ability_bytes_per_s for i in run.intervals if i.ability_bytes_per_s > 0]
    lowest = min(abilities, default=0.0)
    if lowest >= lane.link_cap_bytes_per_s * 0.999:
        return lowest, _LINK
    return lowest, _HEAT if run.first(EventKind.THROTTLE) else _DRIVE


def _some_misfits(catalog: Catalog, most: int = 200) -> tuple[str, ...]:
    """Return reasons why pairs of the catalog don't go together, the first of them."""
    found: list[str] = []
    for drive in catalog.drives.values():
        if not drive.needs_enclosure:
            continue
        for enclosure in catalog.enclosures.values():
            if drive.slot_protocol not in enclosure.slot_protocols:
                continue  # another kind of drive altogether: nobody asks why
            if reason := case_misfit(drive, enclosure):
                found.append(reason)
                if len(found) >= most:
                    return tuple(found)
    return tuple(found)
