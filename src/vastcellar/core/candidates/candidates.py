"""Every candidate for a need, judged at once: what it delivers over the take, what it costs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.candidates.assemblies import Assemblies, as_its_box_says, assemblies
from vastcellar.core.candidates.ways import ModeBits, Way, ways_to
from vastcellar.core.chain.carried import device_write_bytes_per_s, format_write_share
from vastcellar.core.chain.measured_stages import MEASURED_OVER, StageMeasurement
from vastcellar.core.chain.setup_parts import case_of, heat_path_of, is_of_another, is_over_budget
from vastcellar.core.evidence import Verdict, verdict_for_margin
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.fitting import case_misfit
from vastcellar.core.parts.parts import Drive, Enclosure, Host
from vastcellar.core.parts.units import Unit
from vastcellar.core.shoot.needs import Need
from vastcellar.core.shoot.shoot import Camera, Setup, on_another_way
from vastcellar.core.verdict.bottlenecks import (
    BOTTLENECKS,
    Bottleneck,
    lowest_of,
    margins_held_by_room,
    number_of,
    rate_bottlenecks,
)
from vastcellar.core.writing.profile_batch import (
    CaseColumns,
    DriveColumns,
    Lane,
    LaneResults,
    case_columns,
    drive_columns,
    run_columns,
)
from vastcellar.core.writing.write_profile import Phase, write_profile

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
    at_first_write: FloatArray
    reading: FloatArray
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
    kept: Setup | None = None
    """The setup that is changed: a candidate keeps of it what it doesn't choose anew."""
    misfits: tuple[str, ...] = field(default=())
    """Some of the pairs that were left out, with the reason."""

    def __len__(self) -> int:
        return int(self.price.size)

    def verdict(self, row: int) -> Verdict:
        """Return the verdict on a candidate."""
        margin = float(self.margin[row])
        return Verdict.NOT_KNOWN if np.isnan(margin) else verdict_for_margin(margin)

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
        chosen = Setup(
            drive_key=self.drive(row).key,
            host_key=way.host.key,
            port_key=way.port.key,
            unit_tag=unit.tag if unit else "",
            enclosure_key=enclosure.key if enclosure else "",
            cable_key=way.cable.key if way.cable else "",
            hub_keys=tuple(hub.key for hub in way.hubs),
            sharing=way.sharing,
        )
        return on_another_way(self.kept, chosen) if self.kept else chosen

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
    kept: Setup | None = None,
    *,
    with_catalog: bool = True,
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
        kept: the setup that is changed: its file system, encryption and hubs stay.
        with_catalog: whether what can be bought counts, too.

    """
    bits = ModeBits(catalog.modes)
    made = assemblies(catalog, units, bits, with_catalog=with_catalog)
    ways = ways_to(hosts, catalog, bits, owned, kept)
    rows, columns, link = _connect(made, ways, bits, stages)
    at_first = made.at_first[rows]
    share = _format_share(kept, catalog)
    # File system and encryption take their share of whatever reaches them, as in a chain.
    cap = link if share == 1 else np.minimum(link, at_first) * share
    lowest, caused = _judge(made, rows, cap, need.average_bytes_per_s, camera, ambient_c)
    needed, take = need.needed_write_bytes_per_s, need.longest_take_bytes
    drives = made.drives
    free = made.free_bytes[rows]
    margin, caused = margins_held_by_room(lowest / needed - 1, caused, free, take)
    # Of what only its box is known it can be said that it falls short, never that it holds.
    is_box = np.array([drive.behaviour is None for drive in drives], dtype=bool)[rows]
    promises = is_box & (margin >= 0)
    margin = np.where(promises, np.nan, margin)
    caused[promises] = number_of(Bottleneck.NOT_MEASURED)
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
        at_first_write=np.minimum(cap, at_first),
        reading=np.minimum(link, made.reads[rows]),
        sustained_write=lowest,
        margin=margin,
        bottlenecks=caused,
        free_bytes=free,
        capacity_bytes=np.array([float(drive.capacity_bytes) for drive in drives])[rows],
        wasted_share=1 - np.minimum(cap, at_first) / at_first,
        mass_g=mass[rows],
        tbw_bytes=np.array([drive.tbw_bytes for drive in drives])[rows],
        parts=made,
        ways=ways,
        take_bytes=take,
        kept=kept,
        misfits=_some_misfits(catalog),
    )


def _format_share(kept: Setup | None, catalog: Catalog) -> float:
    if kept is None:
        return 1.0
    known = catalog.file_system(kept.file_system_key) if kept.file_system_key else None
    return format_write_share(known, is_encrypted=kept.is_encrypted)


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
        connects &= ~is_over_budget(made.draws_w, way.port)
        mode = np.maximum(mode, 0)
        ceiling, typical = bits.ceiling[mode], bits.typical[mode]
        device = device_write_bytes_per_s(ceiling, typical, best_ceiling, made.bridge_cap)
        rates = {
            "device": device,
            "slot": made.slot_cap,
            "hub": np.full(device.size, way.cap_bytes_per_s),
        }
        for each in reversed(_measured_on(way, stages)):  # the newest comes last, and counts
            stage = "device" if each.stage_key in ("bridge", "interface") else each.stage_key
            parts = _stage_parts(made, way, each)
            same = np.array([part == each.part_key for part in parts], dtype=bool)
            same &= mode == bits.number(each.mode_key)
            same &= each.bytes_per_s <= _limit(made, way, stage, ceiling) * MEASURED_OVER
            if stage in rates:
                rates[stage] = np.where(same, each.bytes_per_s, rates[stage])
        rates["upstream"] = np.full(device.size, way.upstream_bytes_per_s)
        cap = np.min(list(rates.values()), axis=0)
        for row in tied:
            connects[row] &= not is_of_another(made.drives[row], way.host)
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


def _limit(made: Assemblies, way: Way, stage: str, ceiling: FloatArray) -> FloatArray:
    """Return what a stage can carry at most: a measurement above it can't be of it."""
    if stage == "slot":
        return np.minimum(ceiling, made.slot_ceiling)
    return np.minimum(ceiling, way.uplink_ceiling_bytes_per_s) if stage == "hub" else ceiling


def _stage_parts(made: Assemblies, way: Way, measured: StageMeasurement) -> list[str]:
    """Return for each assembly the key of the part that the stage of *measured* is."""
    if measured.stage_key == "hub":
        return [way.hubs[-1].key if way.hubs else ""] * len(made)
    if measured.stage_key == "interface":
        pairs = zip(made.drives, made.enclosures, strict=True)
        return ["" if case else drive.key for drive, case in pairs]
    return [case.key if case else "" for case in made.enclosures]


def _judge(
    made: Assemblies,
    rows: IntArray,
    cap: FloatArray,
    offered: float,
    camera: Camera,
    ambient_c: float,
) -> tuple[FloatArray, IntArray]:
    """Return the lowest ability over the take, and its bottleneck; the same physics only once."""
    boxes = {id(d): as_its_box_says(d) for d in made.drives if d.behaviour is None}
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
    bottleneck = np.full(first.size, number_of(Bottleneck.DRIVE))
    bottleneck[free <= 0] = number_of(Bottleneck.SPACE)
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

    def run(self, offered: float, duration_s: float | FloatArray) -> LaneResults:
        return run_columns(
            self.drive, self.case, self.ambient_c, self.reaching, self.free, offered, duration_s
        )

    def take(self, rows: IntArray) -> _Columns:
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
    throttle_cap, past_cache = found.lowest_throttle_cap, found.lowest_is_past_cache
    # A drive that fills up is a question of space; its rate is what it took before that.
    filled = np.flatnonzero(np.isfinite(found.drive_full_at_s) & (found.drive_full_at_s > 0))
    if filled.size:
        before = columns.take(filled).run(offered, found.drive_full_at_s[filled] * (1 - 1e-9))
        lowest[filled] = before.lowest_ability_bytes_per_s
        throttle_cap[filled] = before.lowest_throttle_cap
        past_cache[filled] = before.lowest_is_past_cache
    return lowest, rate_bottlenecks(lowest, throttle_cap, columns.reaching, past_cache)


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
    lowest, bottleneck = lowest_of(run, lane.behaviour, lane.link_cap_bytes_per_s)
    return lowest, number_of(bottleneck)


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
