"""Which candidate to take: the front of price against rate, picks by preset, where buying pays."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.candidates.candidates import CandidateTable
from vastcellar.core.evidence import VERDICT_ORDER, Verdict
from vastcellar.core.parts.crossing import pays_from
from vastcellar.core.parts.parts import DriveKind
from vastcellar.core.verdict.bottlenecks import verdict_ranks

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
BoolArray = NDArray[np.bool_]

_PLAIN_USB = ("usb-10g", "usb-5g", "usb-2")


def pareto_front(price: FloatArray, rate: FloatArray) -> IntArray:
    """Return the rows that nothing beats in both: cheaper and at least as fast. Cheapest first.

    Both have shape (n,); of equal candidates the first counts.
    """
    order = np.lexsort((-rate, price))
    best = np.maximum.accumulate(rate[order])
    is_front = np.ones(order.size, dtype=bool)
    is_front[1:] = rate[order][1:] > best[:-1]
    front: IntArray = order[is_front]
    return front


class Pick(StrEnum):
    """What a candidate is the best at, among those that hold."""

    NOTHING_TO_BUY = "nothing to buy"
    CHEAPEST = "cheapest that holds"
    FASTEST_OFFLOAD = "fastest offload"
    LIGHTEST = "lightest"
    WORKS_ANYWHERE = "works anywhere"
    BEST_KEPT = "best kept for later"


def pick_all(table: CandidateTable, allowed: BoolArray | None = None) -> dict[Pick, int]:
    """Return the row of each pick that there is one for.

    Only candidates that hold with some margin count, or tight ones where none does. Ties go to
    the cheaper, then to the larger margin. *allowed* narrows the choice; shape (n,).
    """
    keep = np.ones(len(table), dtype=bool) if allowed is None else allowed
    good = keep & (verdict_ranks(table.margin) == VERDICT_ORDER.index(Verdict.HOLDS))
    if not good.any():
        good = keep & table.holds
    found: dict[Pick, int] = {}

    def put(pick: Pick, rows: BoolArray, *keys: FloatArray) -> None:
        """Put the row that is least by *keys*, the first key counting most."""
        chosen = np.flatnonzero(rows)
        if chosen.size:
            order = np.lexsort(tuple(key[chosen] for key in reversed(keys)))
            found[pick] = int(chosen[order[0]])

    is_new = np.array([unit is None for unit in table.parts.units])
    is_bought = (is_new | (table.parts.price > 0))[table.assembly]  # a case for a bare unit too
    price, margin = table.price, -table.margin
    put(Pick.NOTHING_TO_BUY, good & ~is_bought & (price == 0), margin)
    put(Pick.CHEAPEST, good & is_bought, price, margin)
    put(Pick.FASTEST_OFFLOAD, good & ~own_disks(table), -table.reading, price, margin)
    weighed = table.mass_g > 0
    put(Pick.LIGHTEST, good & weighed, table.mass_g, price, margin)
    put(Pick.WORKS_ANYWHERE, good & works_anywhere(table), price, margin)
    put(Pick.BEST_KEPT, good & is_bought, -kept_value(table), price, margin)
    return found


def own_disks(table: CandidateTable) -> BoolArray:
    """Return which candidates are a computer's own disk; shape (n,).

    Nothing is offloaded from there: it is where the files would go.
    """
    is_own = [drive.kind is DriveKind.INTERNAL for drive in table.parts.drives]
    return np.array(is_own, dtype=bool)[table.assembly]


def works_anywhere(table: CandidateTable) -> BoolArray:
    """Return which candidates speak plain USB, down to the oldest; shape (n,)."""
    speaks = []
    for drive, enclosure in zip(table.parts.drives, table.parts.enclosures, strict=True):
        modes = enclosure.host_modes if enclosure else drive.host_modes
        speaks.append(all(mode in modes for mode in _PLAIN_USB))
    return np.array(speaks, dtype=bool)[table.assembly]


def kept_value(table: CandidateTable) -> FloatArray:
    """Return what a candidate is worth later, when no bridge caps it: rate after the cache times
    rated endurance, per price; shape (n,).
    """
    direct = np.array(
        [d.behaviour.direct_write_bytes_per_s if d.behaviour else 0.0 for d in table.parts.drives]
    )
    price = np.maximum(table.price, 1.0)
    value: FloatArray = direct[table.assembly] / 1e9 * table.tbw_bytes / 1e12 / price
    return value


class RankingPreset(StrEnum):
    """How people choose; each narrows the candidates or ranks them its own way."""

    BY_NEED = "by the need"
    WORKS_ANYWHERE = "works anywhere"
    FASTEST_OFFLOAD = "fastest offload"
    BUILD_ONLY = "self-built only"
    READY_MADE_ONLY = "ready-made only"
    SEALED = "sealed"
    LEAST_A_TB = "least a TB"
    NEVER_CAPPED = "nothing wasted behind a bridge"


def in_preset(table: CandidateTable, preset: RankingPreset) -> BoolArray:
    """Return which candidates *preset* would look at; shape (n,)."""
    drives, cases = table.parts.drives, table.parts.enclosures

    def by(test: Callable[[int], bool]) -> BoolArray:
        return np.array([test(i) for i in range(len(drives))], dtype=bool)[table.assembly]

    if preset is RankingPreset.WORKS_ANYWHERE:
        return works_anywhere(table)
    if preset is RankingPreset.BUILD_ONLY:
        return by(lambda i: drives[i].needs_enclosure)
    if preset is RankingPreset.READY_MADE_ONLY:
        return by(lambda i: drives[i].kind is DriveKind.READY_MADE)
    if preset is RankingPreset.SEALED:
        return by(lambda i: (case := cases[i]) is not None and case.is_sealed)
    if preset is RankingPreset.FASTEST_OFFLOAD:
        return ~own_disks(table)
    if preset is RankingPreset.NEVER_CAPPED:
        return table.wasted_share < 0.25
    return np.ones(len(table), dtype=bool)


def rank(table: CandidateTable, preset: RankingPreset = RankingPreset.BY_NEED) -> IntArray:
    """Return the rows in the order of *preset*: those that hold first, then by what it values."""
    rows = np.flatnonzero(in_preset(table, preset))
    grade = verdict_ranks(table.margin)
    first: FloatArray
    if preset is RankingPreset.FASTEST_OFFLOAD:
        first = -table.reading
    elif preset is RankingPreset.LEAST_A_TB:
        first = price_per_tb(table)
    else:
        first = table.price
    order = np.lexsort((-table.margin[rows], table.price[rows], first[rows], grade[rows]))
    return rows[order]


def price_per_tb(table: CandidateTable) -> FloatArray:
    """Return the price of what must be bought, per TB; shape (n,)."""
    return table.price / (table.capacity_bytes / 1e12)


def price_per_delivered(table: CandidateTable) -> FloatArray:
    """Return the price per MB/s that is sustained over the take, infinite for none; shape (n,)."""
    with np.errstate(divide="ignore", invalid="ignore"):
        per: FloatArray = table.price / (table.sustained_write / 1e6)
    return np.where(table.sustained_write > 0, per, np.inf)


def price_per_endurance(table: CandidateTable) -> FloatArray:
    """Return the price per TB of rated endurance, infinite where none is rated; shape (n,)."""
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(table.tbw_bytes > 0, table.price / (table.tbw_bytes / 1e12), np.inf)


@dataclass(frozen=True, slots=True)
class CapacityStep:
    """The cheapest of each kind that holds, of one capacity; None where there is none."""

    capacity_bytes: float
    built_row: int | None
    ready_made_row: int | None
    built_price: float
    ready_made_price: float


def crossover(table: CandidateTable) -> tuple[tuple[CapacityStep, ...], float | None]:
    """Return the cheapest self-built and ready-made by capacity, and from where building pays.

    The crossover is the smallest capacity from which on self-built is the cheaper at every step
    that has both; None where there is no such capacity.
    """
    is_bought = np.array([unit is None for unit in table.parts.units])[table.assembly]
    built = in_preset(table, RankingPreset.BUILD_ONLY) & is_bought & table.holds
    ready = in_preset(table, RankingPreset.READY_MADE_ONLY) & is_bought & table.holds
    steps = []
    for capacity in np.unique(table.capacity_bytes[built | ready]):
        same = table.capacity_bytes == capacity
        rows = [_cheapest(table, same & kind) for kind in (built, ready)]
        prices = [float(table.price[row]) if row is not None else np.inf for row in rows]
        steps.append(CapacityStep(float(capacity), rows[0], rows[1], prices[0], prices[1]))
    prices_by = [(s.capacity_bytes, s.built_price, s.ready_made_price) for s in steps]
    return tuple(steps), pays_from(prices_by)


def _cheapest(table: CandidateTable, rows: BoolArray) -> int | None:
    chosen = np.flatnonzero(rows)
    if not chosen.size:
        return None
    return int(chosen[np.argmin(table.price[chosen])])
