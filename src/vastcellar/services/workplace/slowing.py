"""Units that became slower by their own runs: known wherever their drive is, in every verdict."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from statistics import median

from vastcellar.core.cellar.trends import Figure, unit_trends
from vastcellar.core.parts.units import Slowed, Unit
from vastcellar.core.verdict.proof import RecorderProof
from vastcellar.services.workplace.run_points import history_points, is_of_unit
from vastcellar.services.workplace.run_records import FLAT_KINDS, TRACE
from vastcellar.store.run_record import RunRecord

_WRITES_NOTHING = ("read", TRACE)
"""What says nothing of how it writes here: reading, and what another program measured."""
_FEWEST = 4
_WORTH_A_LOOK = 0.97
"""Of a unit whose newest runs are no slower than that, nothing is worked out: it takes 2 ms."""


class SlowedUnits:
    """Remembers what was worked out of each unit, until it has other runs."""

    def __init__(self) -> None:
        self._known: dict[str, tuple[object, Slowed | None]] = {}

    def mark(
        self, units: Sequence[Unit], runs: Mapping[str, Sequence[RunRecord]], *, is_demo: bool
    ) -> tuple[Unit, ...]:
        """Return *units*, those that became slower with what they write now."""
        found = []
        for unit in units:
            mine = runs.get(unit.tag, ())
            mark = (len(mine), mine[0].run_id if mine else 0, unit.drive_key, unit.device,
                    unit.acceptance, unit.fitted_at)  # fmt: skip
            kept = self._known.get(unit.tag)
            if kept is None or kept[0] != mark:
                kept = mark, slowed(unit, mine, is_demo=is_demo)
                self._known[unit.tag] = kept
            found.append(replace(unit, slowed=kept[1]) if kept[1] else unit)
        return tuple(found)


def slowed(unit: Unit, runs: Sequence[RunRecord], *, is_demo: bool) -> Slowed | None:
    """Return what *unit* writes since it became slower; None where its runs are what they were.

    By the same rule as the Cellar says it: like runs only, and a change that is sure.
    """
    mine = [each for each in runs if is_of_unit(unit, each) and each.kind not in _WRITES_NOTHING]
    if _is_plainly_steady(mine, is_demo=is_demo):
        return None
    points = history_points(mine, is_demo=is_demo)
    rates = [each.bytes_per_s for each in points if each.bytes_per_s]
    if _no_slower(rates[::-1]):
        return None
    accepted = unit.acceptance.baseline_run_ids if unit.acceptance else ()
    trend = unit_trends(points, accepted).of(Figure.RATE)
    if trend is None or trend.change is None or trend.share >= 0:
        return None
    since = trend.points[trend.change.index].at
    if unit.fitted_at is not None and unit.fitted_at >= since:
        return None  # its own model was made of what it writes now
    return Slowed(trend.now, trend.baseline, since, trend.points[-1].setting.is_simulated)


def since_slowed(
    proofs: Sequence[RecorderProof], units: Sequence[Unit]
) -> tuple[RecorderProof, ...]:
    """Return *proofs* without those of units that became slower since: they held as they were."""
    since = {unit.tag: unit.slowed.since for unit in units if unit.slowed is not None}
    if not since:
        return tuple(proofs)
    return tuple(
        proof
        for proof in proofs
        if proof.unit_tag not in since or proof.measured_at >= since[proof.unit_tag]
    )


def _is_plainly_steady(newest_first: Sequence[RunRecord], *, is_demo: bool) -> bool:
    """Whether a look at the rates alone says no, without working out what each run is.

    Only where all are flat-out writes: of others the rate isn't the figure that compares.
    """
    if len(newest_first) < _FEWEST:
        return True
    rates = []
    for each in newest_first:
        write = each.figures.get("write")
        if each.kind not in FLAT_KINDS or not isinstance(write, dict):
            return False
        rate = write.get("bytes_per_s")
        if (
            each.is_complete
            and (is_demo or not each.is_simulated)
            and isinstance(rate, (int, float))
        ):
            rates.append(rate)
    return _no_slower(rates)


def _no_slower(newest_first: Sequence[float]) -> bool:
    """Whether too little is known, or the newest are about as good as any."""
    if len(newest_first) < _FEWEST:
        return True
    return median(newest_first[:3]) > max(newest_first) * _WORTH_A_LOOK
