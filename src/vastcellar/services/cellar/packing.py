"""Pack for a shoot: its needs held against the shelf, and who stays at home and why."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date

from vastcellar.core.cellar.evening import Evening, ToProve, plan_evening
from vastcellar.core.cellar.findings import FindingKind
from vastcellar.core.cellar.jobs import Job
from vastcellar.core.cellar.packing import (
    TIGHT_DOUBT,
    Accessory,
    Fit,
    Goal,
    Packing,
    PackingTask,
    PackNeed,
    PackUnit,
    pack,
)
from vastcellar.core.errors import VastCellarError
from vastcellar.core.evidence import Evidence, Verdict
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.fitting import case_misfit
from vastcellar.core.parts.parts import Drive, DriveKind, Enclosure
from vastcellar.core.parts.units import LONGEST_TAG, Unit, free_bytes_on
from vastcellar.core.shoot.needs import camera_need
from vastcellar.core.shoot.shoot import Camera, Copy, Setup, Shoot
from vastcellar.core.shoot.shoot_plan import CopyPlan
from vastcellar.core.verdict.judgement import Judgement
from vastcellar.services.cellar.bookings import Planned
from vastcellar.services.cellar.unit_memory import Remembered
from vastcellar.services.match.judging import judge_camera
from vastcellar.services.match.matching import setups_for_units
from vastcellar.services.shoot.planning import planned
from vastcellar.services.workplace.workplace import Shelf

_NOT_AT_ALL = {
    FindingKind.FALSE_CAPACITY: "false capacity",
    FindingKind.WRONG_BYTES: "gave back wrong bytes",
    FindingKind.SWAPPED: "which label it wears isn't sure",
}
_COMPUTED_DOUBT = 0.4
"""What the safest set minds: a need held by under 10 %, and one that nobody measured."""
_CABLE_G_PER_M, _PLUGS_G, _CABLE_LITRES = 28.0, 14.0, 0.09
_READER_G, _READER_LITRES = 60.0, 0.07
_KINDS_TO_BUY, _OF_EACH = 2, 6
_CARD_MM, _CARD_LITRES = (39.0, 30.0, 4.0), 0.005
_DENSITY_G_PER_L = 900.0
"""Of a case full of drive, where nothing but its mass is known (typical)."""
_FLAT = 0.30
"""Height of such a case over its width."""


@dataclass(frozen=True, slots=True)
class StaysHome:
    """A unit that doesn't go, and why."""

    tag: str
    why: str


@dataclass(frozen=True)
class PackedShoot:
    """A shoot, its needs, and the best set for each goal that was asked."""

    shoot: Shoot
    task: PackingTask
    sets: dict[Goal, Packing]
    stays: tuple[StaysHome, ...]
    judged: dict[tuple[str, str], Judgement]
    """By tag and camera."""
    setups: dict[tuple[str, str], Setup]


def pack_shoot(
    shoot: Shoot, known: Remembered, catalog: Catalog, jobs: Planned, today: date,
    goals: Sequence[Goal] = tuple(Goal), *, job: Job | None = None, spend_at_most: float = 0.0,
) -> PackedShoot:  # fmt: skip
    """Return the best set of units for *shoot* by each of *goals*.

    Units that are booked for another job on its days stay at home, as do those that are away, in
    doubt, or of which something is found that no job can do with. With *spend_at_most*, in the
    catalog's currency, drives for copies may be bought besides.
    Raises BadValueError for a shoot that asks for nothing.
    """
    stays: dict[str, str] = {}
    to_buy = units_to_buy(catalog, known.shelf) if spend_at_most > 0 else ()
    fit_units = [
        unit for unit in known.shelf.units
        if not _stays(unit, known, catalog, jobs, job, today, stays)
    ]  # fmt: skip
    stores = [unit for unit in fit_units if _stands_fast(unit, catalog)]
    fit_units = [unit for unit in fit_units if unit not in stores]
    plan = planned(shoot, catalog, known.shelf).plan
    needs: list[PackNeed] = []
    fits: list[Fit] = []
    pieces: dict[str, Accessory] = {}
    judged: dict[tuple[str, str], Judgement] = {}
    setups: dict[tuple[str, str], Setup] = {}
    for each in plan.cameras:
        size = float(each.recorded_bytes.max(initial=0.0))
        if size <= 0:
            continue
        camera = each.camera
        name = _camera_name(camera)
        needs.append(PackNeed(name, size, spares=1))
        able = [unit for unit in fit_units if not _not_on_camera(unit, known)]
        ways = setups_for_units(shoot, camera, able, catalog, known.shelf)
        for tag, setup in ways.items():
            verdict = _judge(shoot, camera, setup, catalog, known)
            if verdict is None or verdict.verdict not in (Verdict.HOLDS, Verdict.TIGHT):
                continue
            margin = verdict.margin if verdict.margin is not None else 0.0
            judged[tag, name], setups[tag, name] = verdict, setup
            along = _along(setup, catalog, pieces)
            fits.append(Fit(tag, name, margin, _doubt(verdict), along))
    for copy_plan in plan.copies:
        if copy_plan.needed_bytes <= 0:
            continue
        copy = copy_plan.copy
        if _taken_by(copy_plan, stores, catalog, stays):
            continue
        needs.append(PackNeed(copy.name, copy_plan.needed_bytes, is_copy=True))
        fits += _copy_fits(copy, (*fit_units, *to_buy), catalog, pieces)
    task = PackingTask(
        (*(_pack_unit(unit, catalog) for unit in fit_units),
         *(_bought(unit, catalog) for unit in to_buy)),
        tuple(needs), tuple(fits), tuple(pieces.values()), spend_at_most,
    )  # fmt: skip
    sets = {goal: pack(task, goal) for goal in goals}
    holds = {fit.tag for fit in fits}
    for unit in fit_units:
        if unit.tag not in holds:
            stays[unit.tag] = "holds none of the needs"
    for unit in stores:
        stays.setdefault(unit.tag, "it stands where it is, and no copy is made to it")
    told = tuple(StaysHome(tag, why) for tag, why in sorted(stays.items()))
    return PackedShoot(shoot, task, sets, told, judged, setups)


def units_to_buy(catalog: Catalog, shelf: Shelf) -> tuple[Unit, ...]:
    """Return what could be bought for copies, several of each, as units without a label.

    Of each kind of drive the sizes that cost least a terabyte, in the plainest case that takes it.
    """
    found: list[Unit] = []
    for kind in (DriveKind.READY_MADE, DriveKind.SATA, DriveKind.HARD_DISK):
        drives = [each for each in catalog.drives.values() if each.kind is kind and each.price > 0]
        whole = [(drive, case) for drive in drives if (case := _plain_case(drive, catalog))]
        whole.sort(key=lambda pair: _price(*pair) / pair[0].capacity_bytes)
        for drive, case in whole[:_KINDS_TO_BUY]:
            # Without its maker: the label has to be short, and the bill says the rest.
            name = drive.name.split(" (")[0].split(" ", 1)[-1]
            found += [
                Unit(tag, drive.key, case.key if isinstance(case, Enclosure) else "")
                for number in range(1, _OF_EACH + 1)
                if shelf.unit(tag := f"new {name} {number}"[:LONGEST_TAG]) is None
            ]
    return tuple(found)


def _plain_case(drive: Drive, catalog: Catalog) -> Enclosure | str:
    """Return the cheapest case that *drive* goes into; "closed" for one that needs none."""
    if not drive.needs_enclosure:
        return "closed"
    able = [
        case for case in catalog.enclosures.values()
        if not case_misfit(drive, case) and case.price > 0
    ]  # fmt: skip
    return min(able, key=lambda each: (each.price, each.key), default="")


def _price(drive: Drive, case: Enclosure | str) -> float:
    return drive.price + (case.price if isinstance(case, Enclosure) else 0.0)


def _bought(unit: Unit, catalog: Catalog) -> PackUnit:
    drive, case = catalog.drives[unit.drive_key], catalog.cases.get(unit.enclosure_key)
    return replace(_pack_unit(unit, catalog), price=_price(drive, case or ""), same_as=drive.key)


def _camera_name(camera: Camera) -> str:
    return f"{camera.key} {camera.name}".strip()


def _judge(
    shoot: Shoot, camera: Camera, setup: Setup, catalog: Catalog, known: Remembered
) -> Judgement | None:
    try:
        return judge_camera(shoot, replace(camera, setup=setup), catalog, known.shelf)
    except VastCellarError:
        return None


def _doubt(verdict: Judgement) -> float:
    tight = TIGHT_DOUBT if verdict.verdict is Verdict.TIGHT else 0.0
    return tight + (0.0 if verdict.evidence is Evidence.PROVED else _COMPUTED_DOUBT)


def _stays(
    unit: Unit, known: Remembered, catalog: Catalog, jobs: Planned, job: Job | None, today: date,
    stays: dict[str, str],
) -> bool:  # fmt: skip
    """Return whether a unit can't go on any need, and note why."""
    facts = known.facts.get(unit.tag)
    found = {each.kind for each in known.all_of(unit.tag)}
    bad = next((words for kind, words in _NOT_AT_ALL.items() if kind in found), "")
    if facts is None or unit.drive_key not in catalog.drives:
        stays[unit.tag] = "nobody knows what it is"
    elif bad:
        stays[unit.tag] = bad
    elif not unit.is_ready:
        stays[unit.tag] = unit.state
    elif facts.wear is not None and FindingKind.WORN in found:
        stays[unit.tag] = "nearly worn"
    elif other := _booked_elsewhere(unit.tag, jobs, job, today):
        stays[unit.tag] = f"booked for {other}"
    elif free_bytes_on(catalog.drives[unit.drive_key], unit) <= 0:
        stays[unit.tag] = "full"
    return unit.tag in stays


def _booked_elsewhere(tag: str, jobs: Planned, job: Job | None, today: date) -> str:
    for booking in jobs.bookings:
        other = jobs.job(booking.job_name)
        if booking.unit_tag != tag or other is None or booking.in_at is not None:
            continue
        if job is None:
            if booking.is_out and other.last_day >= today:
                return other.name
        elif other.name != job.name and other.overlaps(job):
            return other.name
    return ""


def _not_on_camera(unit: Unit, known: Remembered) -> bool:
    # For copies a long test after a fall is enough; a camera's take is proved again, or it stays.
    if unit.doubted_at is not None and unit.tag not in known.shelf.standing_proofs:
        return True
    return any(each.kind is FindingKind.STALLS for each in known.all_of(unit.tag))


def _copy_fits(
    copy: Copy, units: Sequence[Unit], catalog: Catalog, pieces: dict[str, Accessory]
) -> list[Fit]:
    """Return what of *units* a copy can be made to; its room is the packing's own matter."""
    fits = []
    for unit in units:
        drive = catalog.drives[unit.drive_key]
        if drive.kind in (DriveKind.CARD, DriveKind.INTERNAL):
            continue
        if drive.needs_enclosure and not unit.enclosure_key:
            continue  # nothing to plug it in with
        along = _copy_cable(unit, drive, catalog, pieces)
        # Of sets as safe as each other the one that the shoot names already.
        doubt = 0.0 if unit.tag in copy.unit_tags else _COMPUTED_DOUBT / 4
        fits.append(Fit(unit.tag, copy.name, None, doubt, along))
    return fits


def _stands_fast(unit: Unit, catalog: Catalog) -> bool:
    """Whether it is an array or a network store: those aren't carried to a shoot in a case."""
    return catalog.drives[unit.drive_key].kind is DriveKind.STORE


def _taken_by(
    planned_copy: CopyPlan, stores: Sequence[Unit], catalog: Catalog, stays: dict[str, str]
) -> bool:
    """Return whether a store that the copy names takes all of it, where it stands."""
    for unit in stores:
        room = free_bytes_on(catalog.drives[unit.drive_key], unit)
        if unit.tag in planned_copy.copy.unit_tags and room >= planned_copy.needed_bytes:
            stays[unit.tag] = f"it takes the {planned_copy.copy.name} where it stands"
            return True
    return False


def _along(setup: Setup, catalog: Catalog, pieces: dict[str, Accessory]) -> tuple[str, ...]:
    """Return what comes along so that a camera can record to it, and it can be emptied."""
    if setup.cable_key:
        return (_cable(setup.cable_key, catalog, pieces),)
    drive = catalog.drives[setup.drive_key]
    if drive.kind is not DriveKind.CARD:
        return ()
    kind = drive.host_modes[0].rsplit("-", 1)[0] if drive.host_modes else "card"
    family = "SD" if kind.startswith("sd") else "CFexpress"
    key = f"reader {family}"
    pieces.setdefault(key, Accessory(key, f"Reader for {family}", _READER_G, _READER_LITRES))
    return (key,)


def _copy_cable(
    unit: Unit, drive: Drive, catalog: Catalog, pieces: dict[str, Accessory]
) -> tuple[str, ...]:
    """Return the plainest cable that carries what the unit's case can."""
    case = catalog.cases.get(unit.enclosure_key)
    modes = case.host_modes if case else drive.host_modes
    able = [
        cable for cable in catalog.cables.values()
        if modes and modes[0] in cable.modes and cable.plugs == ("C", "C")
    ]  # fmt: skip
    best = min(able, key=lambda each: (each.price, each.key), default=None)
    return (_cable(best.key, catalog, pieces),) if best else ()


def _cable(key: str, catalog: Catalog, pieces: dict[str, Accessory]) -> str:
    cable = catalog.cables[key]
    mass_g = _PLUGS_G + _CABLE_G_PER_M * cable.length_m
    pieces.setdefault(key, Accessory(key, cable.name, mass_g, _CABLE_LITRES * cable.length_m))
    return key


def _pack_unit(unit: Unit, catalog: Catalog) -> PackUnit:
    drive = catalog.drives[unit.drive_key]
    case = catalog.cases.get(unit.enclosure_key)
    mass_g = drive.mass_g + (case.mass_g if case else 0.0)
    size = _size_mm(drive, case, mass_g)
    litres = size[0] * size[1] * size[2] / 1e6
    return PackUnit(
        unit.tag, free_bytes_on(drive, unit), mass_g, litres,
        is_disk=drive.kind is DriveKind.HARD_DISK, size_mm=size,
    )  # fmt: skip


def _size_mm(drive: Drive, case: Enclosure | None, mass_g: float) -> tuple[float, float, float]:
    """Return length, width and height: of the case, or by its mass where nobody knows them."""
    if drive.kind is DriveKind.CARD:
        return _CARD_MM
    if case is not None and all(case.size_mm):
        return case.size_mm
    litres = max(mass_g, 20.0) / _DENSITY_G_PER_L
    width = (litres * 1e6 / (1.6 * _FLAT)) ** (1 / 3)
    return (1.6 * width, width, _FLAT * width)


def evening_before(packed: PackedShoot, packing: Packing, ports: int) -> Evening:
    """Return what of *packing* must still be proved before the day, on so many *ports*.

    A whole longest take of each camera on each of its units that isn't proved for it.
    """
    cameras = {_camera_name(each): each for each in packed.shoot.cameras}
    tests = []
    for met in packing.needs:
        camera = cameras.get(met.need.name)
        if camera is None:
            continue
        for tag in met.tags:
            if packed.judged[tag, met.need.name].evidence is Evidence.PROVED:
                continue
            need = camera_need(camera)
            tests.append(
                ToProve(tag, met.need.name, camera.longest_take_s, need.longest_take_bytes)
            )
    return plan_evening(tests, ports)
