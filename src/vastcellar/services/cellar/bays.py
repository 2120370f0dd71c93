"""Units as bays of the shelf: what each drawing says, and the groups they stand in."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from vastcellar.core.cellar.findings import Finding, FindingKind, UnitFacts
from vastcellar.core.cellar.jobs import Booking
from vastcellar.core.cellar.trends import Figure
from vastcellar.core.evidence import Evidence
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.parts import Drive
from vastcellar.core.parts.units import Unit, filled_share, free_bytes_on, is_worn, worn_share
from vastcellar.core.units import NumberFormat
from vastcellar.core.verdict.reach.comparing import OLD_DAYS
from vastcellar.services.cellar.finding_wording import finding_words
from vastcellar.services.cellar.story_wording import age_words, whereabouts
from vastcellar.services.cellar.unit_memory import Remembered

_SPARK_POINTS = 12
NEVER = "not tested"


@dataclass(frozen=True)
class Bay:
    """One unit as it is drawn."""

    tag: str
    kind: str
    """What its body looks like: a DriveKind, or "" where nobody knows what it is."""
    terabytes: float
    filled: float
    worn: float | None
    is_worn: bool
    spark: tuple[float, ...]
    """Its newest like rates as shares of how it was accepted, oldest first."""
    is_off: bool
    """Whether they say that it isn't what it was."""
    evidence: Evidence
    age: str
    """How long ago it was last tested; "not tested" for never."""
    is_old: bool
    where: str
    is_away: bool
    number: int
    """Of its worst finding, by harm; 0 for none."""
    harm: int
    state: str
    tip: str


@dataclass(frozen=True)
class BayGroup:
    """Bays that stand together, in the order of their tags."""

    name: str
    note: str
    bays: tuple[Bay, ...]

    @property
    def found(self) -> int:
        """In how many of them something is found."""
        return sum(1 for bay in self.bays if bay.number)


def numbered(known: Remembered) -> dict[str, int]:
    """Return the number of each unit's worst finding, in the order in which they stand."""
    numbers: dict[str, int] = {}
    paired: dict[str, int] = {}
    for finding in known.findings:
        # Two labels that are swapped are one thing to look after.
        other = str(finding.values.get("with") or "")
        is_pair = finding.kind is FindingKind.SWAPPED and other in paired
        if finding.tag in numbers:
            continue
        number = paired[other] if is_pair else max(numbers.values(), default=0) + 1
        numbers[finding.tag] = number
        if finding.kind is FindingKind.SWAPPED:
            paired[finding.tag] = number
    return numbers


def bays_of(known: Remembered, catalog: Catalog, today: date, fmt: NumberFormat) -> tuple[Bay, ...]:
    """Return every unit of the shelf as a bay, by its tag."""
    numbers, found = numbered(known), known.by_tag
    return tuple(
        _bay(unit, known, catalog, today, fmt, numbers.get(unit.tag, 0), found.get(unit.tag, ()))
        for unit in known.shelf.units
    )


def _bay(
    unit: Unit, known: Remembered, catalog: Catalog, today: date, fmt: NumberFormat, number: int,
    found: Sequence[Finding],
) -> Bay:  # fmt: skip
    facts = known.facts.get(unit.tag)
    drive = catalog.drives.get(unit.drive_key)
    spark, is_off = _spark(facts)
    proof = known.shelf.standing_proofs.get(unit.tag)
    newest = facts.points[-1].at if facts and facts.points else None
    if proof is not None:
        newest = proof.measured_at
    days = (today - newest.astimezone().date()).days if newest else None
    where = whereabouts(facts.story, today) if facts else ""
    worn = worn_share(unit, drive) if drive else None
    return Bay(
        tag=unit.tag,
        kind=drive.kind.value if drive else "",
        terabytes=drive.capacity_bytes / 1e12 if drive else 0.0,
        filled=filled_share(drive, unit) if drive else 0.0,
        worn=worn,
        is_worn=is_worn(worn),
        spark=spark,
        is_off=is_off,
        evidence=Evidence.PROVED if newest else Evidence.COMPUTED,
        age=age_words(days) if days is not None else NEVER,
        is_old=days is not None and days > OLD_DAYS,
        where=where,
        is_away=unit.state in {"on loan", "retired"},
        number=number,
        harm=int(found[0].harm) if found else 0,
        state=unit.state,
        tip="\n".join(
            [
                *_tip(unit, drive, catalog, where, fmt),
                f"last tested {age_words(days)} ago" if days is not None else NEVER,
                *(finding_words(each, facts, catalog, fmt).line for each in found if facts),
            ]
        ),
    )


def _spark(facts: UnitFacts | None) -> tuple[tuple[float, ...], bool]:
    trend = facts.trends.of(Figure.RATE) if facts else None
    if trend is None or not trend.baseline:
        return (), False
    newest = trend.values[-_SPARK_POINTS:]
    return tuple(each / trend.baseline for each in newest), trend.change is not None


def _tip(
    unit: Unit, drive: Drive | None, catalog: Catalog, where: str, fmt: NumberFormat
) -> list[str]:
    """Return in words what the bay's drawing says."""
    case = catalog.cases.get(unit.enclosure_key)
    lines = [f"{unit.tag} · {drive.name if drive else unit.drive_key}"]
    if case:
        lines.append(f"in {case.name}")
    if drive:
        lines.append(f"{fmt.size(unit.used_bytes)} of {fmt.size(drive.capacity_bytes)} in use")
        if (worn := worn_share(unit, drive)) is not None:
            lines.append(f"{fmt.percent(worn)} of its endurance written")
    return lines + [each for each in (where, unit.note) if each]


# Groups


GROUPINGS = ("duty", "place", "job", "state", "model")
_DUTY_NAMES = {
    "recorder media": "Record", "working drive": "Copies and work", "edit storage": "Edit",
    "": "Not in service",
}  # fmt: skip


def grouped(
    bays: Iterable[Bay], known: Remembered, catalog: Catalog, by: str, bookings: Sequence[Booking],
    fmt: NumberFormat,
) -> tuple[BayGroup, ...]:  # fmt: skip
    """Return *bays* in groups *by* one of ``GROUPINGS``."""
    name_of = _NAMERS[by](known, catalog, bookings)
    found: dict[str, list[Bay]] = {}
    for bay in bays:
        found.setdefault(name_of(bay), []).append(bay)
    order = list(_DUTY_NAMES.values())

    def place(name: str) -> tuple[int, str]:
        return (order.index(name) if name in order else len(order), name)

    return tuple(
        BayGroup(name, _note(found[name], known, catalog, fmt), tuple(found[name]))
        for name in sorted(found, key=place)
    )


def _note(bays: Sequence[Bay], known: Remembered, catalog: Catalog, fmt: NumberFormat) -> str:
    units = [unit for bay in bays if (unit := known.shelf.unit(bay.tag)) is not None]
    free = sum(
        free_bytes_on(catalog.drives[unit.drive_key], unit)
        for unit in units
        if unit.is_ready and unit.drive_key in catalog.drives
    )
    count = "1 unit" if len(bays) == 1 else f"{fmt.number(len(bays), 0)} units"
    parts = [count, f"{fmt.size(free)} free"]
    if away := sum(bay.is_away for bay in bays):
        parts.append(f"{away} away")
    return " · ".join(parts)


_Namer = Callable[[Bay], str]


def _by_duty(known: Remembered, _catalog: Catalog, _bookings: Sequence[Booking]) -> _Namer:
    def name(bay: Bay) -> str:
        unit = known.shelf.unit(bay.tag)
        accepted = unit.acceptance if unit else None
        duty = accepted.duty if accepted and accepted.is_in_service else ""
        return _DUTY_NAMES[duty]

    return name


def _by_place(known: Remembered, _catalog: Catalog, _bookings: Sequence[Booking]) -> _Namer:
    def name(bay: Bay) -> str:
        story = known.facts[bay.tag].story if bay.tag in known.facts else None
        if story is not None and story.loan:
            return f"With {story.loan.to}"
        return (story.place if story else "") or "Nobody said where"

    return name


def _by_job(_known: Remembered, _catalog: Catalog, bookings: Sequence[Booking]) -> _Namer:
    jobs: dict[str, str] = {}
    for each in bookings:
        if each.in_at is None:
            jobs.setdefault(each.unit_tag, each.job_name)
    return lambda bay: jobs.get(bay.tag, "Not booked")


def _by_state(_known: Remembered, _catalog: Catalog, _bookings: Sequence[Booking]) -> _Namer:
    return lambda bay: bay.state.capitalize()


def _by_model(known: Remembered, catalog: Catalog, _bookings: Sequence[Booking]) -> _Namer:
    def name(bay: Bay) -> str:
        unit = known.shelf.unit(bay.tag)
        drive = catalog.drives.get(unit.drive_key) if unit else None
        return drive.name if drive else (unit.drive_key if unit else "")

    return name


_NAMERS: Mapping[str, Callable[[Remembered, Catalog, Sequence[Booking]], _Namer]] = {
    "duty": _by_duty,
    "place": _by_place,
    "job": _by_job,
    "state": _by_state,
    "model": _by_model,
}
