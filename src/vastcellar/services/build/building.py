"""A build as it is laid out: does it fit, will it hold, what would mend it, what it costs."""

from __future__ import annotations

from dataclasses import dataclass, replace

from vastcellar.core.build.bill import Bill
from vastcellar.core.build.checks import check, worst
from vastcellar.core.build.cooling import USUAL_ROOM_C
from vastcellar.core.build.layout import Layout
from vastcellar.core.build.stack_path import StackPath, as_laid_out, stack_path
from vastcellar.core.build.steps import Step, steps_of
from vastcellar.core.build.temperatures import StackHeat, hottest_case_c, stack_heat
from vastcellar.core.chain.chain import Chain
from vastcellar.core.chain.setup_parts import draws_w
from vastcellar.core.errors import UnknownPartError
from vastcellar.core.evidence import Verdict
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.dimensions import Pad
from vastcellar.core.parts.fitting import Fit, FitKind
from vastcellar.core.parts.heights import pads_for
from vastcellar.core.parts.parts import Enclosure
from vastcellar.core.shoot.shoot import Camera, Setup, Shoot
from vastcellar.core.verdict.judgement import Judgement
from vastcellar.services.build.billing import angled_cable, bill_of
from vastcellar.services.build.chosen import Chosen
from vastcellar.services.match.judging import judge_camera
from vastcellar.services.workplace.workplace import Shelf

_STACK = (FitKind.GAP, FitKind.PRESSED)


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
    setup = setup_with(chosen, camera, catalog)
    layout = _layout(chosen, setup, catalog)
    checks = check(layout, catalog.pads.values())
    judgement = None
    if shoot is not None and camera is not None and setup is not None:
        judgement = _judged(layout, setup, camera, shoot, catalog, shelf)
    path = stack_path(layout)
    run = judgement.run if judgement else None
    heat = stack_heat(path, run) if path is not None and run is not None else None
    case_c = hottest_case_c(run) if run is not None else None
    room_c = shoot.ambient_c if shoot is not None else USUAL_ROOM_C
    return Build(
        chosen=chosen,
        layout=layout,
        checks=checks,
        verdict=worst(checks),
        path=path,
        heat=heat,
        judgement=judgement,
        bill=bill_of(layout, chosen, catalog, judgement.chain if judgement else None, case_c),
        steps=steps_of(layout, case_c, room_c),
        fitting_pads=_fitting_pads(layout, catalog),
    )


def mended(made: Build, catalog: Catalog) -> Chosen | None:
    """Return what is chosen with the pad or the cable that mends it; None where none would."""
    changes: dict[str, str] = {}
    if _is_wrong(made, *_STACK) and made.fitting_pads:
        changes["pad_key"] = made.fitting_pads[0].key
    if _is_wrong(made, FitKind.PLUG):
        cable = angled_cable(made.layout.enclosure.host_modes, catalog)
        if cable is not None:
            changes["cable_key"] = cable.key
    return replace(made.chosen, **changes) if changes else None  # type: ignore[arg-type]


def _is_wrong(made: Build, *kinds: FitKind) -> bool:
    return any(fit.kind in kinds and fit.verdict is not Verdict.HOLDS for fit in made.checks)


def _fitting_pads(layout: Layout, catalog: Catalog) -> tuple[Pad, ...]:
    room = layout.room_mm
    return pads_for(room, catalog.pads.values()) if room is not None and layout.is_module else ()


def setup_with(chosen: Chosen, camera: Camera | None, catalog: Catalog) -> Setup | None:
    """Return the camera's own setup with this drive and case in it.

    None without one, and for a store: no camera records over a network.
    """
    if camera is None or camera.setup is None or chosen.enclosure_key in catalog.stores:
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
        beside=tuple(catalog.drive(key) for key in chosen.beside_keys),
        dock=catalog.hub(chosen.dock_key) if chosen.dock_key else None,
    )


def _judged(
    layout: Layout, setup: Setup, camera: Camera, shoot: Shoot, catalog: Catalog, shelf: Shelf
) -> Judgement:
    """Judge the take with the heat path of this very build."""
    laid_out = with_case(catalog, as_laid_out(layout))
    return judge_camera(shoot, replace(camera, setup=setup), laid_out, shelf)


def with_case(catalog: Catalog, case: Enclosure) -> Catalog:
    """Return *catalog* with *case* as it is laid out, in place of what is listed."""
    return replace(catalog, enclosures={**catalog.enclosures, case.key: case})
