"""The same drive in every kind of case, and one change at a time of what is laid out."""

from __future__ import annotations

from dataclasses import dataclass, replace

from vastcellar.core.build.kinds import BuildKind, kind_of
from vastcellar.core.build.stack_path import as_laid_out
from vastcellar.core.evidence import Verdict
from vastcellar.core.links.hubs import Hub
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.parts import Enclosure
from vastcellar.core.shoot.shoot import Camera, Shoot
from vastcellar.core.verdict.judgement import Judgement
from vastcellar.core.writing.heat import FAN_CASE_SHARE, FAN_DRIVE_SHARE
from vastcellar.services.build.building import Build, build, setup_with, with_case
from vastcellar.services.build.chosen import Chosen
from vastcellar.services.match.judging import judge_camera
from vastcellar.services.workplace.workplace import Shelf

_CLEARLY = 0.8
"""Less than this share of the resistance to the room is another kind of case."""


@dataclass(frozen=True, slots=True)
class KindChoice:
    """The case of a kind that suits the drive best."""

    kind: BuildKind
    enclosure_key: str
    verdict: Verdict
    """Of the fit, and of the take on it where there is a camera."""
    margin: float | None
    """Of the take; None without one, or where it doesn't go in."""
    dock_key: str = ""
    """What several of it slide into, for a dock."""


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
    docks = [(case, hub) for hub in catalog.hubs.values() for case in catalog.enclosures.values()
             if case.kind in hub.takes]  # fmt: skip
    alone: list[tuple[Enclosure, Hub | None]] = [(case, None) for case in catalog.cases.values()]
    for case, dock in alone + docks:
        # Another case brings its own pad along, and leads to other drives beside it.
        made = build(
            replace(chosen, enclosure_key=case.key, pad_key="", reused=(), beside_keys=(),
                    dock_key=dock.key if dock else ""),
            catalog, shelf, shoot, camera,
        )  # fmt: skip
        kind, key = kind_of(made.layout), dock.key if dock else ""
        choice = KindChoice(kind, case.key, *_outcome(made), key)
        rank = _RANK[choice.verdict], case.price, case.key
        if kind not in found or rank < found[kind][0]:
            found[kind] = rank, choice
    return tuple(found[kind][1] for kind in BuildKind if kind in found)


_RANK = {Verdict.HOLDS: 0, Verdict.TIGHT: 1, Verdict.NOT_KNOWN: 2, Verdict.FALLS_SHORT: 3}


def _outcome(made: Build) -> tuple[Verdict, float | None]:
    if made.verdict is Verdict.FALLS_SHORT or made.judgement is None:
        return made.verdict, None
    return worst_of(made.verdict, made.judgement.verdict), made.judgement.margin


def worst_of(fit: Verdict, take: Verdict) -> Verdict:
    """Return the worse of fit and take."""
    return max((fit, take), key=lambda verdict: _RANK[verdict])


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
        chosen = replace(made.chosen, enclosure_key=case.key, pad_key="", reused=(), dock_key="")
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
    setup = setup_with(made.chosen, camera, catalog)
    if setup is not None:
        laid_out = with_case(catalog, fanned)
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
