"""A build as it is laid out: does it fit, will it hold, what would mend it, what it costs."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from vastcellar.core.build.bill import Bill, BillLine
from vastcellar.core.build.checks import check, worst
from vastcellar.core.build.layout import Layout
from vastcellar.core.build.printed import printed_mount
from vastcellar.core.build.stack_path import StackPath, as_laid_out, stack_path
from vastcellar.core.build.steps import BuildKind, Step, kind_of, screws_of, steps_of
from vastcellar.core.build.temperatures import StackHeat, hottest_case_c, stack_heat
from vastcellar.core.chain.chain import Chain
from vastcellar.core.chain.setup_parts import draws_w
from vastcellar.core.errors import BadValueError, UnknownPartError
from vastcellar.core.evidence import Verdict
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.dimensions import Pad
from vastcellar.core.parts.fitting import Fit, FitKind
from vastcellar.core.parts.heights import pads_for
from vastcellar.core.parts.parts import Drive, DriveKind, Enclosure
from vastcellar.core.shoot.shoot import Camera, Setup, Shoot
from vastcellar.core.verdict.judgement import Judgement
from vastcellar.core.writing.heat import FAN_CASE_SHARE, FAN_DRIVE_SHARE
from vastcellar.services.match.judging import judge_camera
from vastcellar.services.workplace.workplace import Shelf

_STACK = (FitKind.GAP, FitKind.PRESSED)
_CLEARLY = 0.8
"""Less than this share of the resistance to the room is another kind of case."""


@dataclass(frozen=True)
class Chosen:
    """What somebody wants to put together, by keys and tags."""

    drive_key: str
    enclosure_key: str
    pad_key: str = ""
    cable_key: str = ""
    reused: tuple[tuple[str, str], ...] = ()
    """Keys of parts that are at hand, and the unit that each comes from."""
    wants_splash: bool = False


@dataclass(frozen=True)
class Build:
    """A layout with everything that follows from it."""

    chosen: Chosen
    layout: Layout
    checks: tuple[Fit, ...]
    verdict: Verdict
    """Of the fit alone."""
    path: StackPath | None
    judgement: Judgement | None
    """Of the camera's take on it as it is laid out; None without a camera."""
    bill: Bill
    steps: tuple[Step, ...]
    fitting_pads: tuple[Pad, ...]
    """Those that would be right in it."""
    heat: StackHeat | None = None
    """The layers at the hottest moment of the take; None without one, or without measures."""

    @property
    def chain(self) -> Chain | None:
        """What the way to it carries."""
        return self.judgement.chain if self.judgement else None

    def of(self, kind: FitKind) -> Fit | None:
        """Return the check of that kind, None where it wasn't asked."""
        return next((fit for fit in self.checks if fit.kind is kind), None)


def chosen_from(parts: Sequence[str], catalog: Catalog, shelf: Shelf) -> Chosen:
    """Return what *parts* name: keys of a bare drive, a case, a pad, a cable; or tags of units.

    A unit gives what of it isn't named otherwise: its case, or its module. Raises
    UnknownPartError for what nobody knows, BadValueError where drive or case is missing.
    """
    keys: dict[str, str] = {}
    reused: list[tuple[str, str]] = []
    units = []
    for part in parts:
        section = next(
            (name for name in ("drives", "enclosures", "pads", "cables")
             if part in getattr(catalog, name)), "",
        )  # fmt: skip
        unit = shelf.unit(part)
        if section:
            keys[section] = part
        elif unit is not None:
            units.append(unit)
        else:
            raise UnknownPartError(
                f"nothing is called {part!r}",
                where="parts",
                mend="Give keys of a drive, a case, a pad or a cable, or the tag of a unit",
            )
    for unit in units:
        for section, key in (("drives", unit.drive_key), ("enclosures", unit.enclosure_key)):
            if key and section not in keys:
                keys[section] = key
                reused.append((key, unit.tag))
    for section, name in (("drives", "a bare drive"), ("enclosures", "a case")):
        if section not in keys:
            raise BadValueError(f"{name} is missing", where="parts", mend=f"Name {name}, too")
    return Chosen(
        keys["drives"], keys["enclosures"], keys.get("pads", ""), keys.get("cables", ""),
        tuple(reused),
    )  # fmt: skip


def build(
    chosen: Chosen,
    catalog: Catalog,
    shelf: Shelf,
    shoot: Shoot | None = None,
    camera: Camera | None = None,
) -> Build:
    """Return the build of *chosen*, plugged where *camera* records, if one is given.

    Raises UnknownPartError for a part that the catalog doesn't have, BadValueError for a drive
    that is closed.
    """
    setup = _setup(chosen, camera, catalog)
    layout = _layout(chosen, setup, catalog)
    checks = check(layout, catalog.pads.values())
    judgement = None
    if shoot is not None and camera is not None and setup is not None:
        judgement = _judged(layout, setup, camera, shoot, catalog, shelf)
    path = stack_path(layout)
    run = judgement.run if judgement else None
    heat = stack_heat(path, run) if path is not None and run is not None else None
    is_magazine = kind_of(layout) is BuildKind.MAGAZINE  # only its mount asks for the case
    case_c = hottest_case_c(run) if run is not None and is_magazine else None
    return Build(
        chosen=chosen,
        layout=layout,
        checks=checks,
        verdict=worst(checks),
        path=path,
        heat=heat,
        judgement=judgement,
        bill=_bill(layout, chosen, judgement, case_c),
        steps=steps_of(layout, case_c),
        fitting_pads=_fitting_pads(layout, catalog),
    )


def mended(made: Build, catalog: Catalog) -> Chosen | None:
    """Return what is chosen with the pad that mends its stack; None where none would."""
    stack = [made.of(kind) for kind in _STACK]
    wrong = any(fit is not None and fit.verdict is not Verdict.HOLDS for fit in stack)
    if not wrong or not made.fitting_pads:
        return None
    return replace(made.chosen, pad_key=made.fitting_pads[0].key)


def _fitting_pads(layout: Layout, catalog: Catalog) -> tuple[Pad, ...]:
    room = layout.room_mm
    return pads_for(room, catalog.pads.values()) if room is not None and layout.is_module else ()


def _setup(chosen: Chosen, camera: Camera | None, catalog: Catalog) -> Setup | None:
    """Return the camera's own setup with this drive and case in it."""
    if camera is None or camera.setup is None:
        return None
    cable = chosen.cable_key or camera.setup.cable_key
    catalog.drive(chosen.drive_key)
    return replace(
        camera.setup,
        drive_key=chosen.drive_key,
        enclosure_key=chosen.enclosure_key,
        cable_key=cable,
        # A drive at hand is as full, as worn and as well known as its unit is.
        unit_tag=dict(chosen.reused).get(chosen.drive_key, ""),
    )


def _layout(chosen: Chosen, setup: Setup | None, catalog: Catalog) -> Layout:
    host = catalog.host(setup.host_key) if setup else None
    pad = catalog.pads.get(chosen.pad_key) if chosen.pad_key else None
    if chosen.pad_key and pad is None:
        raise UnknownPartError(
            f"the catalog has no pad {chosen.pad_key!r}",
            where="pad",
            mend=f"Choose one of {', '.join(catalog.pads)}",
        )
    cable_key = setup.cable_key if setup else chosen.cable_key
    hubs = tuple(catalog.hub(key) for key in setup.hub_keys) if setup else ()
    drive, enclosure = catalog.drive(chosen.drive_key), catalog.enclosure(chosen.enclosure_key)
    own_w = draws_w(drive, enclosure)
    return Layout(
        drive=drive,
        enclosure=enclosure,
        pad=pad,
        host=host,
        port=host.port(setup.port_key) if host and setup else None,
        cable=catalog.cable(cable_key) if cable_key else None,
        hubs=hubs,
        modes=catalog.modes,
        # What shares the hub is taken for as hungry as this one.
        beside_w=own_w * (setup.sharing - 1) if setup else 0.0,
        wants_splash=chosen.wants_splash,
        bad_pairs=tuple(catalog.bad_pairs.values()),
    )


def _judged(
    layout: Layout, setup: Setup, camera: Camera, shoot: Shoot, catalog: Catalog, shelf: Shelf
) -> Judgement:
    """Judge the take with the heat path of this very build."""
    case: Enclosure = as_laid_out(layout)
    laid_out = replace(catalog, enclosures={**catalog.enclosures, case.key: case})
    return judge_camera(shoot, replace(camera, setup=setup), laid_out, shelf)


def _bill(
    layout: Layout, chosen: Chosen, judgement: Judgement | None, case_c: float | None
) -> Bill:
    at_hand = dict(chosen.reused)
    drive, case = layout.drive, layout.enclosure
    lines = [
        BillLine(drive.name, drive.price, reused_from=at_hand.get(drive.key, "")),
        BillLine(case.name, case.price, reused_from=at_hand.get(case.key, "")),
    ]
    if layout.pad is not None:
        lines.append(BillLine(layout.pad.name, layout.pad.price, "consumable"))
    elif layout.pad_mm:
        lines.append(BillLine("its pad", 0.0, "consumable", reused_from="the case"))
    if screws := screws_of(layout):
        lines.append(BillLine(f"{screws} screws", 0.0, "consumable", reused_from="the case"))
    mount = printed_mount(case.size_mm, case_c) if kind_of(layout) is BuildKind.MAGAZINE else None
    if mount is not None:
        name = f"printed mount, {mount.mass_g:.0f} g of {mount.plastic.name}"
        lines.append(BillLine(name, mount.price, "print", at_hand.get(case.key, "")))
    if layout.cable is not None:
        from_shoot = "" if chosen.cable_key else "the shoot"
        lines.append(BillLine(layout.cable.name, layout.cable.price, reused_from=from_shoot))
    chain = judgement.chain if judgement else None
    lasting = chain.lasting_bytes_per_s if chain and not chain.problem else 0.0
    return Bill(tuple(lines), drive.capacity_bytes, lasting, drive.tbw_bytes)


@dataclass(frozen=True, slots=True)
class Instead:
    """What could be bought ready-made in its place."""

    drive: Drive
    price_per_tb: float


def instead_of(made: Build, catalog: Catalog, most: int = 3) -> tuple[Instead, ...]:
    """Return closed drives at least as large, the cheapest first: nothing to build."""
    kinds = (DriveKind.READY_MADE, DriveKind.INTERNAL)
    closed: Iterable[Drive] = (
        drive
        for drive in catalog.drives.values()
        if drive.kind in kinds
        and drive.price > 0
        and drive.capacity_bytes >= made.layout.drive.capacity_bytes
    )
    host = made.layout.host
    fits = (d for d in closed if not d.only_host or (host is not None and d.only_host == host.key))
    ordered = sorted(fits, key=lambda drive: (drive.price, drive.key))[:most]
    return tuple(Instead(each, each.price / (each.capacity_bytes / 1e12)) for each in ordered)


@dataclass(frozen=True, slots=True)
class KindChoice:
    """The case of a kind that suits the drive best."""

    kind: BuildKind
    enclosure_key: str
    verdict: Verdict
    """Of the fit, and of the take on it where there is a camera."""
    margin: float | None
    """Of the take; None without one, or where it doesn't go in."""


def kinds_for(
    chosen: Chosen,
    catalog: Catalog,
    shelf: Shelf,
    shoot: Shoot | None = None,
    camera: Camera | None = None,
) -> tuple[KindChoice, ...]:
    """Return every kind of build with its best case for the drive that is chosen.

    Best is what fits and holds, then what fits, the cheapest first.
    """
    found: dict[BuildKind, tuple[tuple[int, float, str], KindChoice]] = {}
    for case in catalog.enclosures.values():
        # Another case brings its own pad along.
        made = build(
            replace(chosen, enclosure_key=case.key, pad_key="", reused=()),
            catalog, shelf, shoot, camera,
        )  # fmt: skip
        choice = KindChoice(kind_of(made.layout), case.key, *_outcome(made))
        rank = _RANK[choice.verdict], case.price, case.key
        if choice.kind not in found or rank < found[choice.kind][0]:
            found[choice.kind] = rank, choice
    return tuple(found[kind][1] for kind in BuildKind if kind in found)


_RANK = {Verdict.HOLDS: 0, Verdict.TIGHT: 1, Verdict.NOT_KNOWN: 2, Verdict.FALLS_SHORT: 3}


def _outcome(made: Build) -> tuple[Verdict, float | None]:
    if made.verdict is Verdict.FALLS_SHORT or made.judgement is None:
        return made.verdict, None
    return worst_of(made.verdict, made.judgement.verdict), made.judgement.margin


def worst_of(fit: Verdict, take: Verdict) -> Verdict:
    """Return the worse of fit and take."""
    return max((fit, take), key=lambda verdict: _RANK[verdict])


def first_choice(camera: Camera | None, catalog: Catalog) -> Chosen:
    """Return what to begin with: what the camera records to, where that is a bare drive."""
    setup = camera.setup if camera else None
    drive = catalog.drives.get(setup.drive_key) if setup else None
    if setup is not None and drive is not None and drive.needs_enclosure and setup.enclosure_key:
        at_hand = ((setup.drive_key, setup.unit_tag), (setup.enclosure_key, setup.unit_tag))
        return Chosen(
            setup.drive_key, setup.enclosure_key, reused=at_hand if setup.unit_tag else ()
        )
    bare = next((each for each in catalog.drives.values() if each.needs_enclosure), None)
    if bare is None:
        raise BadValueError(
            "the catalog has no bare drive", where="build", mend="Add a drive of your own"
        )
    case = next(iter(catalog.enclosures_for(bare)), None) or next(iter(catalog.enclosures.values()))
    return Chosen(bare.key, case.key)


@dataclass(frozen=True, slots=True)
class Gain:
    """One change of the stack, and what the take then comes to."""

    what: str
    """"pad", "case" or "fan"."""
    part: str
    """Its name, "" for a fan."""
    chips_c: float | None
    judgement: Judgement


def gains_of(
    made: Build, catalog: Catalog, shelf: Shelf, shoot: Shoot, camera: Camera
) -> tuple[Gain, ...]:
    """Return what another pad, a better case and a fan would each come to, one at a time.

    Nothing where the take isn't judged, as where it doesn't go together at all.
    """
    if made.judgement is None or made.judgement.run is None:
        return ()
    found = []
    pads = [pad for pad in made.fitting_pads if made.layout.pad is None or pad != made.layout.pad]
    if pads:
        chosen = replace(made.chosen, pad_key=pads[0].key)
        found.append(_gain("pad", pads[0].name, build(chosen, catalog, shelf, shoot, camera)))
    if (case := _better_case(made, catalog)) is not None:
        chosen = replace(made.chosen, enclosure_key=case.key, pad_key="", reused=())
        found.append(_gain("case", case.name, build(chosen, catalog, shelf, shoot, camera)))
    fanned = as_laid_out(made.layout)
    fanned = replace(
        fanned,
        case=replace(
            fanned.case,
            case_to_room_k_per_w=fanned.case.case_to_room_k_per_w * FAN_CASE_SHARE,
            drive_to_case_k_per_w=fanned.case.drive_to_case_k_per_w * FAN_DRIVE_SHARE,
        ),
    )
    setup = _setup(made.chosen, camera, catalog)
    if setup is not None:
        laid_out = replace(catalog, enclosures={**catalog.enclosures, fanned.key: fanned})
        judged = judge_camera(shoot, replace(camera, setup=setup), laid_out, shelf)
        hottest = judged.run.hottest_c if judged.run is not None else None
        found.append(Gain("fan", "", hottest, judged))
    return tuple(gain for gain in found if gain is not None)


def _gain(what: str, part: str, made: Build) -> Gain | None:
    if made.judgement is None or made.judgement.run is None:
        return None
    return Gain(what, part, made.judgement.run.hottest_c, made.judgement)


def _better_case(made: Build, catalog: Catalog) -> Enclosure | None:
    """Return the cheapest case that gets rid of the heat clearly better, and takes the drive."""
    now = made.layout.enclosure
    better = [
        case
        for case in catalog.enclosures_for(made.layout.drive)
        if case.case.case_to_room_k_per_w < now.case.case_to_room_k_per_w * _CLEARLY
        and set(case.host_modes) & set(now.host_modes)
    ]
    return min(better, key=lambda case: (case.price, case.key), default=None)
