"""All that an experienced hand looks at before the screws are out, and what would mend it."""

from __future__ import annotations

from collections.abc import Iterable

from vastcellar.core.build.layout import Layout
from vastcellar.core.chain.carried import slot_lanes
from vastcellar.core.chain.setup_parts import draws_w, is_over_budget
from vastcellar.core.evidence import Verdict
from vastcellar.core.links.hubs import route
from vastcellar.core.parts.dimensions import Pad
from vastcellar.core.parts.fitting import Fit, FitKind, goes_in
from vastcellar.core.parts.heights import pads_for, right_pad_mm
from vastcellar.core.said import in_words, said

HANGS_G, DANGLES_G = 60.0, 120.0
"""Hanging from its plug: lighter than the first lies well, heavier than the second pulls it out
of shape (typical of a Type-C socket; on a short cable it may lie)."""
_TIGHT_POWER = 0.10


def check(layout: Layout, pads: Iterable[Pad] = ()) -> tuple[Fit, ...]:
    """Return every check of *layout*, in the order of the work; *pads* are those to mend with."""
    found: list[Fit | None] = list(goes_in(layout.drive, layout.enclosure))
    found += [_lanes(layout), *_stack(layout, tuple(pads)), _power(layout), _link(layout)]
    found += [_weight(layout), _splash(layout), *_pairs(layout)]
    return tuple(each for each in found if each is not None)


def worst(checks: Iterable[Fit]) -> Verdict:
    """Return what they come to: the worst of them; what isn't known is worse than what is tight."""
    order = (Verdict.FALLS_SHORT, Verdict.NOT_KNOWN, Verdict.TIGHT, Verdict.HOLDS)
    found = {each.verdict for each in checks}
    return next((verdict for verdict in order if verdict in found), Verdict.NOT_KNOWN)


def _lanes(layout: Layout) -> Fit | None:
    drive, enclosure = layout.drive, layout.enclosure
    if drive.slot_protocol != "nvme" or drive.slot_protocol not in enclosure.slot_protocols:
        return None
    if not drive.pcie_generation or not drive.pcie_lanes:
        return Fit(FitKind.LANES, Verdict.NOT_KNOWN, said("lanes not known"))
    generation, lanes = slot_lanes(drive, enclosure)
    is_less = (generation, lanes) != (drive.pcie_generation, drive.pcie_lanes)
    told = said(
        "fewer lanes" if is_less else "lanes",
        generation=generation,
        lanes=lanes,
        own_generation=drive.pcie_generation,
        own_lanes=drive.pcie_lanes,
    )
    return Fit(FitKind.LANES, Verdict.HOLDS, told)


def _stack(layout: Layout, pads: tuple[Pad, ...]) -> tuple[Fit, ...]:
    if not layout.is_module:
        return ()
    fit, room = layout.pad_fit, layout.room_mm
    if fit is None or room is None:
        return (Fit(FitKind.GAP, Verdict.NOT_KNOWN, said("stack not known")),)
    thin, thick = right_pad_mm(room)
    right = next(iter(pads_for(room, pads)), None)
    mend = (
        said("take pad", pad=right.name, price=right.price)
        if right
        else said("take pad of", thin_mm=thin, thick_mm=thick)
    )
    if room < 0:
        told = said("chips meet lid", over_mm=-room)
        return (Fit(FitKind.PRESSED, Verdict.FALLS_SHORT, told, room, said("lower module")),)
    if not fit.touches:
        told = said("no pad" if fit.pad_mm == 0 else "gap", gap_mm=fit.gap_mm, pad_mm=fit.pad_mm)
        return (Fit(FitKind.GAP, Verdict.FALLS_SHORT, told, -fit.gap_mm, mend),)
    told = said(
        "pressed too far" if fit.bends else ("hardly touches" if fit.is_loose else "touches"),
        pad_mm=fit.pad_mm,
        room_mm=room,
        pressed_share=fit.pressed_share,
    )
    if fit.bends:
        return (Fit(FitKind.PRESSED, Verdict.FALLS_SHORT, told, thick - fit.pad_mm, mend),)
    if fit.is_loose:
        return (Fit(FitKind.GAP, Verdict.TIGHT, told, 0.0, mend),)
    return (Fit(FitKind.GAP, Verdict.HOLDS, told, fit.pad_mm - room),)


def _power(layout: Layout) -> Fit | None:
    port = layout.port
    if port is None:
        return None
    needed = draws_w(layout.drive, layout.enclosure)
    if not needed or not port.power_w:
        return Fit(FitKind.POWER, Verdict.NOT_KNOWN, said("power not known"))
    total = needed + layout.beside_w
    is_over = bool(is_over_budget(total, port))
    told = said(
        "too much power" if is_over else "power",
        needed_w=total,
        port_w=port.power_w,
        beside_w=layout.beside_w,
    )
    if is_over:
        mend = said("unplug others") if needed <= port.power_w else said("powered hub")
        return Fit(FitKind.POWER, Verdict.FALLS_SHORT, told, mend=mend)
    is_tight = port.power_w < total * (1 + _TIGHT_POWER)
    return Fit(FitKind.POWER, Verdict.TIGHT if is_tight else Verdict.HOLDS, told)


def _link(layout: Layout) -> Fit | None:
    port = layout.port
    if port is None or layout.modes is None:
        return None
    way = route(port, layout.cable, layout.hubs, layout.enclosure.host_modes, layout.modes)
    broken = way.broken_at
    if broken is not None:
        return Fit(FitKind.LINK, Verdict.FALLS_SHORT, in_words(broken.why))
    return Fit(FitKind.LINK, Verdict.HOLDS, in_words(way.device.why))


def _weight(layout: Layout) -> Fit | None:
    if layout.port is None or layout.port.is_slot:
        return None
    parts = layout.enclosure.mass_g, layout.drive.mass_g
    if not all(parts):
        return Fit(FitKind.WEIGHT, Verdict.NOT_KNOWN, said("weight not known"))
    mass = sum(parts)
    if layout.cable is not None and mass > HANGS_G:
        return Fit(FitKind.WEIGHT, Verdict.HOLDS, said("lies on its cable", mass_g=mass))
    if mass > DANGLES_G:
        return Fit(FitKind.WEIGHT, Verdict.TIGHT, said("dangles", mass_g=mass), mend=said("lay it"))
    return Fit(FitKind.WEIGHT, Verdict.HOLDS, said("light", mass_g=mass))


def _splash(layout: Layout) -> Fit | None:
    if not layout.wants_splash:
        return None
    inside = layout.enclosure.inside
    if inside is not None and inside.splash:
        return Fit(FitKind.SPLASH, Verdict.HOLDS, said("splash rated", rating=inside.splash))
    if layout.enclosure.is_sealed:
        return Fit(FitKind.SPLASH, Verdict.TIGHT, said("sealed without rating"))
    if inside is None:
        return Fit(FitKind.SPLASH, Verdict.NOT_KNOWN, said("splash not known"))
    return Fit(FitKind.SPLASH, Verdict.FALLS_SHORT, said("open to wet"), mend=said("sealed case"))


def _pairs(layout: Layout) -> tuple[Fit, ...]:
    """Return the pairs among the parts that are known to be bad."""
    keys = {layout.drive.key, layout.enclosure.key}
    keys |= {layout.host.key} if layout.host else set()
    keys |= {layout.cable.key} if layout.cable else set()
    return tuple(
        Fit(FitKind.PAIR, Verdict.FALLS_SHORT,
            said("bad pair", what=pair.what, source=pair.source))
        for pair in layout.bad_pairs
        if pair.one in keys and pair.other in keys
    )  # fmt: skip
