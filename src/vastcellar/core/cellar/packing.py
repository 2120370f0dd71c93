"""Which units go on a job: the lightest, fewest, cheapest or safest set that holds every need.

A mixed-integer program (HiGHS, by SciPy) on pairs that were judged before: which unit holds which
need. What can't be met is left open and said, so that there is always an answer.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.checks import require_above_zero, require_between, require_not_negative
from vastcellar.core.errors import BadValueError
from vastcellar.core.evidence import TIGHT_BELOW_MARGIN

FloatArray = NDArray[np.float64]

TIGHT_DOUBT = 1.0
"""What a tight fit counts for beside others when a set is to be safe; a computed one less."""
SAFER_ROOM_SHARE = 0.10
"""The safest set keeps so much more room on every copy than is asked."""
_OPEN_WEIGHT = 1e4
"""A need left open outweighs all that can be saved: whole sets weigh less in units of the goal."""
_TIE = 1e-6
_FAIL_A_YEAR = {False: 0.01, True: 0.015}
"""Chance that a unit fails within a year: of solid state, of disks (typical of their classes)."""


class Goal(StrEnum):
    """What a set is chosen by."""

    LIGHTEST = "lightest"
    FEWEST = "fewest"
    CHEAPEST = "cheapest"
    SAFEST = "safest"


@dataclass(frozen=True, slots=True)
class PackUnit:
    """A unit that could go, or one that would be bought."""

    tag: str
    room_bytes: float
    mass_g: float = 0.0
    litres: float = 0.0
    price: float = 0.0
    """What it costs to have it: 0 for one's own."""
    is_disk: bool = False
    same_as: str = ""
    """What all of one kind to buy are called: which of them is taken makes no difference."""
    size_mm: tuple[float, float, float] = (0.0, 0.0, 0.0)

    def __post_init__(self) -> None:
        require_not_negative(
            f"unit {self.tag!r}", room_bytes=self.room_bytes, mass_g=self.mass_g,
            litres=self.litres, price=self.price,
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class PackNeed:
    """Something that units have to hold."""

    name: str
    bytes_needed: float
    spares: int = 0
    """Units that stand by, each of which could take the place of any: as large as that, or as all
    that is needed."""
    most_units: int = 5
    is_copy: bool = False

    def __post_init__(self) -> None:
        require_above_zero(f"need {self.name!r}", bytes_needed=self.bytes_needed)
        require_between(f"need {self.name!r}", 0, 10, spares=self.spares)
        require_between(f"need {self.name!r}", 1, 50, most_units=self.most_units)


@dataclass(frozen=True, slots=True)
class Accessory:
    """A cable or reader that has to come along."""

    key: str
    name: str
    mass_g: float
    litres: float = 0.0


@dataclass(frozen=True, slots=True)
class Fit:
    """A unit that holds a need, as it was judged."""

    tag: str
    need: str
    margin: float | None
    """Of its rate over what is asked; None where rate doesn't matter."""
    doubt: float = 0.0
    """0 for a proof that covers, more for what is computed only or tight: the safest set minds."""
    accessories: tuple[str, ...] = ()


@dataclass(frozen=True)
class PackingTask:
    """All that a set is chosen from."""

    units: tuple[PackUnit, ...]
    needs: tuple[PackNeed, ...]
    fits: tuple[Fit, ...]
    accessories: tuple[Accessory, ...] = ()
    spend_at_most: float = 0.0

    def __post_init__(self) -> None:
        tags, names = {each.tag for each in self.units}, {each.name for each in self.needs}
        keys = {each.key for each in self.accessories}
        if len(tags) < len(self.units) or len(names) < len(self.needs):
            raise BadValueError(
                "two units or two needs are called the same", where="packing",
                mend="Give each its own name",
            )  # fmt: skip
        for fit in self.fits:
            if fit.tag not in tags or fit.need not in names or not keys.issuperset(fit.accessories):
                raise BadValueError(
                    f"{fit.tag} for {fit.need} names something that isn't there", where="packing",
                    mend="Name units, needs and accessories that are there",
                )  # fmt: skip
        require_not_negative("packing", spend_at_most=self.spend_at_most)


@dataclass(frozen=True)
class NeedMet:
    """How a need is held by a set."""

    need: PackNeed
    tags: tuple[str, ...]
    spares: tuple[str, ...]
    room_bytes: float
    margin: float
    """The lesser of room and rate over what is asked."""
    is_by_rate: bool
    """Whether it is the rate that is the lesser."""

    @property
    def is_met(self) -> bool:
        """Whether room and spares are there."""
        return self.margin >= -1e-9 and len(self.spares) >= self.need.spares


@dataclass(frozen=True)
class Packing:
    """A set, and how each need is held by it."""

    goal: Goal
    needs: tuple[NeedMet, ...]
    tags: tuple[str, ...]
    accessories: tuple[str, ...]
    mass_g: float
    litres: float
    price: float
    is_optimal: bool
    """Whether it is proved that no better one exists; False where time ran out."""
    fits: Mapping[tuple[str, str], Fit] = field(default_factory=dict)

    @property
    def open_needs(self) -> tuple[NeedMet, ...]:
        """What this set doesn't hold."""
        return tuple(each for each in self.needs if not each.is_met)

    def of(self, tag: str) -> tuple[NeedMet, ...]:
        """Return the needs that the unit *tag* is in for, as its own or as a spare."""
        return tuple(each for each in self.needs if tag in each.tags or tag in each.spares)


def pack(task: PackingTask, goal: Goal, *, seconds: float = 20.0) -> Packing:
    """Return the best set for *goal*.

    Raises BadValueError where nothing is asked.
    """
    if not task.needs:
        raise BadValueError(
            "nothing is asked of it", where="packing", mend="Choose a shoot with cameras or copies"
        )
    from scipy.optimize import Bounds, LinearConstraint, milp

    program = _Program(task, goal)
    found = milp(
        program.costs, constraints=LinearConstraint(*program.constraints()),
        bounds=Bounds(0, program.upper), integrality=program.integrality,
        options={"time_limit": seconds, "mip_rel_gap": 0.0},
    )  # fmt: skip
    if found.x is None:
        raise BadValueError(
            "no set was found in time", where="packing", mend="Ask for fewer needs or units"
        )
    return program.read(np.round(found.x, 9), is_optimal=found.status == 0)


class _Program:
    """Columns: each fit as its own, each fit as a spare, units, accessories a need, what is open.

    Rows: room and spares of a need, one duty a unit, a spare is no duty, units and accessories
    that are used are packed, and what may be spent.
    """

    def __init__(self, task: PackingTask, goal: Goal) -> None:
        self.task, self.goal = task, goal
        self._unit = {each.tag: at for at, each in enumerate(task.units)}
        self._need = {each.name: at for at, each in enumerate(task.needs)}
        fits, units, needs = len(task.fits), len(task.units), len(task.needs)
        self._pairs = sorted({(fit.need, key) for fit in task.fits for key in fit.accessories})
        self._own, self._spare = 0, fits
        self._packed = 2 * fits
        self._along = self._packed + units
        self._open_room = self._along + len(self._pairs)
        self._open_spare = self._open_room + needs
        count = self._open_spare + needs
        self.integrality = np.ones(count)
        self.integrality[self._open_room : self._open_spare] = 0
        self.upper = np.ones(count)
        self.upper[self._open_spare :] = [each.spares for each in task.needs]
        for at, fit in enumerate(task.fits):
            if not task.needs[self._need[fit.need]].spares:
                self.upper[self._spare + at] = 0
        self.costs = self._costs(count)
        self._rows: list[tuple[dict[int, float], float, float]] = []

    def _costs(self, count: int) -> FloatArray:
        task, goal = self.task, self.goal
        costs = np.zeros(count)
        for at, unit in enumerate(task.units):
            # Of equal sets the one of the first tags: the same answer every time.
            costs[self._packed + at] = {
                Goal.LIGHTEST: unit.mass_g / 1000,
                Goal.FEWEST: 1.0 + unit.mass_g / 1e6,
                Goal.CHEAPEST: unit.price / 100 + unit.mass_g / 1e6,
                Goal.SAFEST: 100 * _FAIL_A_YEAR[unit.is_disk] + unit.mass_g / 1e6,
            }[goal] + _TIE * at / max(len(task.units), 1)
        masses = {each.key: each.mass_g for each in task.accessories}
        for at, (_need, key) in enumerate(self._pairs):
            mass_g = masses[key]
            costs[self._along + at] = mass_g / 1000 if goal is Goal.LIGHTEST else mass_g / 1e6
        if goal is Goal.SAFEST:
            for at, fit in enumerate(task.fits):
                costs[self._own + at] += fit.doubt
                asked = task.needs[self._need[fit.need]].bytes_needed
                if 0 <= self._room(fit.tag) / asked - 1 < TIGHT_BELOW_MARGIN:
                    costs[self._own + at] += TIGHT_DOUBT  # as of a rate: it holds, and just so
        costs[self._open_room :] = _OPEN_WEIGHT
        return costs

    def constraints(self) -> tuple[NDArray[np.float64], FloatArray, FloatArray]:
        """Return the rows as a matrix, their least and their most."""
        self._need_rows()
        self._unit_rows()
        rows = self._rows
        matrix = np.zeros((len(rows), self.costs.size))
        for at, (row, _least, _most) in enumerate(rows):
            matrix[at, list(row)] = list(row.values())
        return matrix, np.array([r[1] for r in rows]), np.array([r[2] for r in rows])

    def _need_rows(self) -> None:
        task, rows = self.task, self._rows
        more = 1 + SAFER_ROOM_SHARE if self.goal is Goal.SAFEST else 1.0
        for number, need in enumerate(task.needs):
            asked = need.bytes_needed * (more if need.is_copy else 1.0)
            mine = [at for at, fit in enumerate(task.fits) if fit.need == need.name]
            room = {self._own + at: min(self._room(task.fits[at].tag) / asked, 1.0) for at in mine}
            rows.append(({**room, self._open_room + number: 1.0}, 1.0, np.inf))
            rows.append(({self._own + at: 1.0 for at in mine}, 0.0, float(need.most_units)))
            if need.spares:
                spare = {self._spare + at: 1.0 for at in mine}
                spare[self._open_spare + number] = 1.0
                rows.append((spare, float(need.spares), np.inf))
                self._spare_is_large_enough(need, mine)

    def _spare_is_large_enough(self, need: PackNeed, mine: Sequence[int]) -> None:
        """No spare beside a larger unit: it couldn't take its place."""
        rooms = {at: self._room(self.task.fits[at].tag) for at in mine}
        for at in mine:
            larger = [
                other for other in mine if min(rooms[other], need.bytes_needed) > rooms[at]
            ]  # fmt: skip
            if larger:
                most = float(min(len(larger), need.most_units))
                row = {self._own + other: 1.0 for other in larger}
                self._rows.append(({**row, self._spare + at: most}, -np.inf, most))

    def _unit_rows(self) -> None:
        task, rows = self.task, self._rows
        for tag, at_unit in self._unit.items():
            mine = [at for at, fit in enumerate(task.fits) if fit.tag == tag]
            own = {self._own + at: 1.0 for at in mine}
            rows.append(({**own, self._packed + at_unit: -1.0}, -np.inf, 0.0))
            for at in mine:
                if self.upper[self._spare + at]:
                    # Packed, with no duty of its own: one row for both leaves the search less room.
                    spare = {self._spare + at: 1.0, self._packed + at_unit: -1.0}
                    rows.append(({**own, **spare}, -np.inf, 0.0))
        for number, (need_name, key) in enumerate(self._pairs):
            for at, fit in enumerate(task.fits):
                if fit.need == need_name and key in fit.accessories:
                    for column in (self._own + at, self._spare + at):
                        rows.append(({column: 1.0, self._along + number: -1.0}, -np.inf, 0.0))
        for at in range(1, len(task.units)):
            kind = task.units[at].same_as
            if kind and kind == task.units[at - 1].same_as:
                # The second only after the first: else each set is found once for every order.
                pair = {self._packed + at: 1.0, self._packed + at - 1: -1.0}
                rows.append((pair, -np.inf, 0.0))
        prices = {self._packed + at: unit.price for at, unit in enumerate(task.units) if unit.price}
        if prices:
            rows.append((prices, 0.0, task.spend_at_most))

    def _room(self, tag: str) -> float:
        return self.task.units[self._unit[tag]].room_bytes

    def read(self, x: FloatArray, *, is_optimal: bool) -> Packing:
        """Return the set that the columns *x* stand for."""
        task = self.task
        own = [fit for at, fit in enumerate(task.fits) if x[self._own + at] > 0.5]
        spare = [fit for at, fit in enumerate(task.fits) if x[self._spare + at] > 0.5]
        by_pair = {(fit.tag, fit.need): fit for fit in task.fits}
        met = tuple(
            need_met(need, [f.tag for f in own if f.need == need.name],
                     [f.tag for f in spare if f.need == need.name], task.units, by_pair)
            for need in task.needs
        )  # fmt: skip
        tags = tuple(
            unit.tag for at, unit in enumerate(task.units)
            if any(unit.tag in (*each.tags, *each.spares) for each in met)
        )  # fmt: skip
        packed = [unit for unit in task.units if unit.tag in tags]
        along = tuple(
            key for at, (_need, key) in enumerate(self._pairs) if x[self._along + at] > 0.5
        )
        pieces = {each.key: each for each in task.accessories}
        return Packing(
            self.goal, met, tags, along,
            sum(u.mass_g for u in packed) + sum(pieces[key].mass_g for key in along),
            sum(u.litres for u in packed) + sum(pieces[key].litres for key in along),
            sum(u.price for u in packed), is_optimal, by_pair,
        )  # fmt: skip


def need_met(
    need: PackNeed, tags: Sequence[str], spares: Sequence[str], units: Sequence[PackUnit],
    fits: Mapping[tuple[str, str], Fit],
) -> NeedMet:  # fmt: skip
    """Return how *tags* hold *need*, with *spares* standing by."""
    rooms = {unit.tag: unit.room_bytes for unit in units}
    room = sum(rooms[tag] for tag in tags)
    by_room = room / need.bytes_needed - 1
    rates = [margin for tag in tags if (margin := fits[tag, need.name].margin) is not None]
    by_rate = min(rates, default=np.inf)
    return NeedMet(need, tuple(tags), tuple(spares), room, min(by_room, by_rate), by_rate < by_room)


@dataclass(frozen=True, slots=True)
class Without:
    """What becomes of a need when one unit isn't there."""

    need: str
    margin: float
    """Over what is asked; below 0 it isn't held."""
    steps_in: str
    """The spare that takes its place; "" for none."""


def without(packing: Packing, task: PackingTask, tag: str) -> tuple[Without, ...]:
    """Return what would break without the unit *tag*, for each need that it is in for."""
    rooms = {unit.tag: unit.room_bytes for unit in task.units}
    found = []
    for met in packing.of(tag):
        if tag in met.spares:
            found.append(Without(met.need.name, met.margin, ""))
            continue
        rest = met.room_bytes - rooms[tag]
        steps_in = next((spare for spare in met.spares if spare != tag), "")
        room = rest + (rooms[steps_in] if steps_in else 0.0)
        found.append(Without(met.need.name, room / met.need.bytes_needed - 1, steps_in))
    return tuple(found)


def copy_lost_chance(packing: Packing, task: PackingTask, days: float) -> float:
    """Return the chance that a unit of any copy fails within *days*, as a share of 1.

    References:
        1 - product of (1 - yearly failures x days / 365) over the units of the copies; typical
        failures of the class, none of these units was asked.

    """
    disks = {unit.tag: unit.is_disk for unit in task.units}
    alive = 1.0
    for met in packing.needs:
        for tag in met.tags if met.need.is_copy else ():
            alive *= 1 - _FAIL_A_YEAR[disks[tag]] * days / 365
    return 1 - alive


@dataclass(frozen=True, slots=True)
class Placed:
    """A piece as it lies in a tray, seen from above; millimetres."""

    name: str
    tray: int
    x_mm: float
    y_mm: float
    width_mm: float
    depth_mm: float


def lay_in_trays(
    pieces: Sequence[tuple[str, float, float]], tray_mm: tuple[float, float], gap_mm: float = 6.0
) -> tuple[Placed, ...]:
    """Return *pieces* (name, width, depth) laid in trays in rows, the deepest first.

    It is one way that they go in, and not the tightest. A piece that is larger than a tray has one
    of its own, and stands over its edge.
    """
    width, depth = tray_mm
    turned = [
        (name, max(a, b), min(a, b)) if max(a, b) <= width else (name, a, b)
        for name, a, b in pieces
    ]
    placed: list[Placed] = []
    tray, x, y, row_depth = 0, 0.0, 0.0, 0.0
    for name, wide, deep in sorted(turned, key=lambda each: (-each[2], -each[1], each[0])):
        if x > 0 and x + wide > width:
            x, y, row_depth = 0.0, y + row_depth + gap_mm, 0.0
        if y > 0 and y + deep > depth:
            tray, x, y, row_depth = tray + 1, 0.0, 0.0, 0.0
        placed.append(Placed(name, tray, x, y, wide, deep))
        x += wide + gap_mm
        row_depth = max(row_depth, deep)
    return tuple(placed)


@dataclass(frozen=True)
class Layer:
    """One layer of a case, from above."""

    high_mm: float
    placed: tuple[Placed, ...]


def layers_of(
    pieces: Sequence[PackUnit], tray_mm: tuple[float, float], flat_mm: float
) -> tuple[Layer, ...]:
    """Return *pieces* in layers, the high ones below: flat pieces up to *flat_mm* above them.

    A layer of high pieces is as high as the highest of them.
    """
    flat = [each for each in pieces if each.size_mm[2] <= flat_mm]
    high = [each for each in pieces if each.size_mm[2] > flat_mm]
    found: list[Layer] = []
    for some, least in ((flat, flat_mm), (high, 0.0)):
        placed = lay_in_trays([(e.tag, e.size_mm[0], e.size_mm[1]) for e in some], tray_mm)
        heights = {each.tag: each.size_mm[2] for each in some}
        for number in sorted({each.tray for each in placed}):
            here = tuple(each for each in placed if each.tray == number)
            found.append(Layer(max(least, *(heights[each.name] for each in here)), here))
    return tuple(found)
