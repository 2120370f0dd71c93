"""All that is known of each unit, worked out once and again only for units that changed."""

from __future__ import annotations

import math
import threading
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime
from functools import cached_property

from vastcellar.core.cellar.findings import Finding, UnitFacts, findings_of, in_order, is_quiet
from vastcellar.core.cellar.samples import OutOfLine, out_of_line
from vastcellar.core.cellar.story import EventKind, Story
from vastcellar.core.cellar.trends import unit_trends
from vastcellar.core.cellar.wear_ahead import WrittenAt, wear_ahead
from vastcellar.core.errors import VastCellarError
from vastcellar.core.links.links import best_mode
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.identity import is_as_large
from vastcellar.core.parts.units import Unit
from vastcellar.core.shoot.shoot import Shoot
from vastcellar.core.verdict.proof import RecorderProof
from vastcellar.core.verdict.reach.comparing import OLD_DAYS
from vastcellar.services.proving.binding import twins
from vastcellar.services.workplace.run_points import history_points, is_of_unit
from vastcellar.services.workplace.workplace import Shelf
from vastcellar.store.run_record import RunRecord

_LOST_SHARE = 0.9
_FROM_A_DESK = frozenset({EventKind.LOOKED_AFTER, EventKind.STATE, EventKind.TAG})
"""What can be noted of a unit that nobody has at hand."""
_NO_RUNS: tuple[RunRecord, ...] = ()


@dataclass(frozen=True)
class Remembered:
    """The shelf with all that is known and found, as of one moment."""

    shelf: Shelf
    facts: Mapping[str, UnitFacts]
    """By tag; a unit whose drive the catalog doesn't have is missing."""
    findings: tuple[Finding, ...]
    """That nobody looked after, worst first."""
    quiet: tuple[Finding, ...]
    """That somebody did."""

    def of(self, tag: str) -> tuple[Finding, ...]:
        """Return what is found in one unit and nobody looked after, worst first."""
        return self.by_tag.get(tag, ())

    def all_of(self, tag: str) -> tuple[Finding, ...]:
        """Return what is found in one unit, whether somebody looked after it or not.

        To be quiet is for the eye: a card doesn't hold more because somebody knows that.
        """
        return (*self.of(tag), *(each for each in self.quiet if each.tag == tag))

    @cached_property
    def by_tag(self) -> Mapping[str, tuple[Finding, ...]]:
        """The findings of each unit that has any."""
        found: dict[str, tuple[Finding, ...]] = {}
        for each in self.findings:
            found[each.tag] = (*found.get(each.tag, ()), each)
        return found


class UnitMemory:
    """Works out what is known of the units; for any thread, one after the other."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._facts: dict[str, tuple[object, UnitFacts]] = {}
        self._samples: dict[str, tuple[object, dict[str, OutOfLine]]] = {}

    def remember(
        self, shelf: Shelf, catalog: Catalog, today: date, *, is_demo: bool,
        shoot: Shoot | None = None,
    ) -> Remembered:  # fmt: skip
        """Return all that is known on *today*; *shoot* is the next job, which needs proofs."""
        with self._lock:
            return self._remember(shelf, catalog, today, is_demo=is_demo, shoot=shoot)

    def _remember(
        self, shelf: Shelf, catalog: Catalog, today: date, *, is_demo: bool, shoot: Shoot | None
    ) -> Remembered:
        needed = _needed(shoot)
        swapped, misfits = label_doubts(shelf, catalog)
        facts: dict[str, UnitFacts] = {}
        for unit in shelf.units:
            known = self._known(unit, shelf, catalog, today, is_demo=is_demo)
            if known is not None:
                proof, camera = shelf.standing_proofs.get(unit.tag), needed.get(unit.tag, "")
                known = replace(
                    known, swapped_with=swapped.get(unit.tag, ""),
                    device_bytes=misfits.get(unit.tag),
                )  # fmt: skip
                facts[unit.tag] = _with_proof(known, proof, camera, today)
        samples = self._out_of_line(facts)
        self._facts = {tag: kept for tag, kept in self._facts.items() if tag in facts}
        found = in_order([
            each
            for tag, known in facts.items()
            for each in findings_of(known, samples.get(tag), today)
        ])  # fmt: skip
        quiet = tuple(each for each in found if is_quiet(each, facts[each.tag].story))
        hushed = {each.key for each in quiet}
        loud = tuple(each for each in found if each.key not in hushed)
        return Remembered(shelf, facts, loud, quiet)

    def _known(
        self, unit: Unit, shelf: Shelf, catalog: Catalog, today: date, *, is_demo: bool
    ) -> UnitFacts | None:
        runs, story = shelf.runs_by_tag.get(unit.tag, _NO_RUNS), shelf.story(unit.tag)
        mark = (unit, len(runs), runs[0].run_id if runs else 0, story.events, today, is_demo,
                catalog.drives.get(unit.drive_key),
                catalog.cases.get(unit.enclosure_key))  # fmt: skip
        kept = self._facts.get(unit.tag)
        if kept is not None and kept[0] == mark:
            return kept[1]
        try:
            known = _facts(unit, runs, story, catalog, today, is_demo=is_demo)
        except VastCellarError:
            return None  # its drive isn't in the catalog any more: the shelf says that
        self._facts[unit.tag] = mark, known
        return known

    def _out_of_line(self, facts: Mapping[str, UnitFacts]) -> dict[str, OutOfLine]:
        models: dict[str, list[UnitFacts]] = {}
        for known in facts.values():
            if known.points and known.unit.state != "retired":
                models.setdefault(known.drive.key, []).append(known)
        found: dict[str, OutOfLine] = {}
        for key, samples in models.items():
            if len(samples) < 2:
                continue
            mark = tuple((each.unit.tag, each.points) for each in samples)
            kept = self._samples.get(key)
            if kept is None or kept[0] != mark:
                points = {each.unit.tag: each.points for each in samples}
                kept = mark, {each.tag: each for each in out_of_line(points)}
                self._samples[key] = kept
            found.update(kept[1])
        return found


def label_doubts(shelf: Shelf, catalog: Catalog) -> tuple[dict[str, str], dict[str, float]]:
    """Return which units may wear each other's label, and what devices hold that misfit theirs.

    Two units of one device, or two whose devices fit each other's record and not their own.
    """
    swapped = dict(pair for one, two in twins(shelf) for pair in ((one, two), (two, one)))
    sizes = {
        unit.tag: (float(unit.device.size_bytes), float(drive.capacity_bytes))
        for unit in shelf.units
        if unit.device is not None and unit.device.size_bytes
        and (drive := catalog.drives.get(unit.drive_key)) is not None
    }  # fmt: skip
    misfits = {
        tag: holds
        for tag, (holds, record) in sizes.items()
        if tag not in swapped and not is_as_large(holds, record)
    }
    for one in misfits:
        for two in misfits:
            crossed = is_as_large(sizes[one][0], sizes[two][1])
            if one != two and crossed and is_as_large(sizes[two][0], sizes[one][1]):
                swapped.setdefault(one, two)
    return swapped, misfits


def _needed(shoot: Shoot | None) -> dict[str, str]:
    """Return which cameras' units a proof is needed of, by tag."""
    if shoot is None:
        return {}
    return {
        camera.setup.unit_tag: camera.key
        for camera in shoot.cameras
        if camera.setup is not None and camera.setup.unit_tag
    }


def _with_proof(
    known: UnitFacts, proof: RecorderProof | None, needed_by: str, today: date
) -> UnitFacts:
    if proof is None:
        return known
    days = (today - proof.measured_at.astimezone().date()).days
    is_old = bool(needed_by) and days > OLD_DAYS
    return replace(
        known, proof_at=proof.measured_at, proof_days=float(days) if is_old else None,
        needed_by=needed_by if is_old else "",
    )  # fmt: skip


def _facts(
    unit: Unit, runs: tuple[RunRecord, ...], story: Story, catalog: Catalog, today: date, *,
    is_demo: bool,
) -> UnitFacts:  # fmt: skip
    drive = catalog.drive_of(unit)
    mine = [each for each in runs if is_of_unit(unit, each)]
    others = [each for each in runs if not is_of_unit(unit, each)]
    points = history_points(mine, is_demo=is_demo)
    baseline = unit.acceptance.baseline_run_ids if unit.acceptance else ()
    counted = [each for each in mine if is_demo or not each.is_simulated]
    used = story.used_share
    return UnitFacts(
        unit=unit,
        drive=drive,
        trends=unit_trends(points, baseline),
        points=points,
        of_others=history_points(others, is_demo=is_demo),
        story=story,
        wear=wear_ahead(
            unit, drive, written_on(counted, story), today, by_drive=used[0] if used else None
        ),
        seen_on=seen_on(counted, story),
        false_capacity=_false_capacity(counted),
        wrong_bytes=_wrong_bytes(counted),
        case_bytes_per_s=_case_bytes_per_s(unit, catalog),
    )


def written_on(runs: list[RunRecord], story: Story) -> list[WrittenAt]:
    """Return what had been written to a unit on the days that are known."""
    found = [
        WrittenAt(each.measured_at.astimezone().date(), float(before))
        for each in runs
        if isinstance(before := each.conditions.get("unit_written_bytes"), (int, float))
    ]
    bought = story.bought
    if bought is not None and not bought.data.get("is_used"):
        found.append(WrittenAt(bought.day, 0.0))
    return found


def seen_on(runs: list[RunRecord], story: Story) -> date | None:
    """Return the last day on which the unit was certainly at hand."""
    moments: list[datetime] = [each.measured_at for each in runs]
    moments += [each.at for each in story.events if each.kind not in _FROM_A_DESK]
    return max(moments).astimezone().date() if moments else None


def _false_capacity(runs: list[RunRecord]) -> tuple[int, float] | None:
    """Return the newest capacity proof and what the unit holds by it, where it is a false one.

    Only where nearly all beyond a place was lost: a test of a half-full drive ends at its free
    room, and a bad cable spoils a block here and there.
    """
    newest = next((r for r in runs if r.kind == "capacity" and r.is_complete), None)
    read = newest.figures.get("read") if newest else None
    if newest is None or not isinstance(read, dict) or read.get("first_wrong_at") is None:
        return None
    first, moved = float(read["first_wrong_at"]), float(read["moved_bytes"])
    wrong = read["wrong_blocks"] * float(newest.figures["block_bytes"])
    if wrong < _LOST_SHARE * (moved - first):
        return None
    kept = newest.conditions
    before = (kept.get("capacity_bytes") or 0) - (kept.get("free_bytes") or 0)
    return newest.run_id, first + (before if kept.get("capacity_bytes") else 0)


def _wrong_bytes(runs: list[RunRecord]) -> tuple[int, datetime] | None:
    for run in runs:
        read = run.figures.get("read")
        wrong = read.get("wrong_blocks") if isinstance(read, dict) else 0
        if wrong or run.figures.get("different"):
            return run.run_id, run.measured_at.astimezone(UTC)
    return None


def link_ceiling_bytes_per_s(unit: Unit, catalog: Catalog) -> float | None:
    """Return what no link of a unit's case can pass; None without a case, or if it isn't known."""
    case = catalog.cases.get(unit.enclosure_key)
    mode = best_mode(case.host_modes, catalog.modes) if case else None
    return mode.ceiling_bytes_per_s if mode else None


def _case_bytes_per_s(unit: Unit, catalog: Catalog) -> float | None:
    case = catalog.cases.get(unit.enclosure_key)
    mode = best_mode(case.host_modes, catalog.modes) if case else None
    if case is None or mode is None:
        return None
    return min(mode.typical_bytes_per_s, case.bridge_write_bytes_per_s or math.inf)
