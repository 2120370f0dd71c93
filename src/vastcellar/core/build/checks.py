"""All that an experienced hand looks at before the screws are out, and what would mend it."""

from __future__ import annotations

from collections.abc import Iterable

from vastcellar.core.build.kinds import BuildKind, kind_of
from vastcellar.core.build.layout import Layout
from vastcellar.core.chain.carried import slot_lanes
from vastcellar.core.chain.setup_parts import draws_w, is_over_budget
from vastcellar.core.evidence import Verdict
from vastcellar.core.links.hubs import route, shared_bytes_per_s
from vastcellar.core.links.links import LinkMode
from vastcellar.core.parts.dimensions import Pad
from vastcellar.core.parts.fitting import Fit, FitKind, goes_in
from vastcellar.core.parts.heights import pads_for, right_pad_mm
from vastcellar.core.said import in_words, said
from vastcellar.core.writing.lasting_rate import zone_write_bytes_per_s

HANGS_G, DANGLES_G = 60.0, 120.0
"""Hanging from its plug: lighter than the first lies well, heavier than the second pulls it out
of shape (typical of a Type-C socket; on a short cable it may lie)."""
_TIGHT_POWER = 0.10


def check(layout: Layout, pads: Iterable[Pad] = ()) -> tuple[Fit, ...]:
    """Return every check of *layout*, in the order of the work; *pads* are those to mend with."""
    found: list[Fit | None] = list(goes_in(layout.drive, layout.enclosure))
    found += [_lanes(layout), *_stack(layout, tuple(pads)), _power(layout), _link(layout)]
    found += [_weight(layout), _plug(layout), _splash(layout), *_pairs(layout)]
    found += [*_other_bays(layout), _mirror(layout), _network(layout)]
    found += [_slot(layout), _shared(layout), _sealed(layout)]
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


def _plug(layout: Layout) -> Fit | None:
    """A magazine stands in its mount: behind it there is no room for a straight plug."""
    if layout.cable is None or kind_of(layout) is not BuildKind.MAGAZINE:
        return None
    if layout.cable.is_angled:
        return Fit(FitKind.PLUG, Verdict.HOLDS, said("angled plug"))
    return Fit(FitKind.PLUG, Verdict.TIGHT, said("straight plug"), mend=said("angled cable"))


def _other_bays(layout: Layout) -> tuple[Fit, ...]:
    """Return what keeps another drive out of its bay."""
    others = {each.key: each for each in layout.beside if each.key != layout.drive.key}
    return tuple(
        fit
        for drive in others.values()
        for fit in goes_in(drive, layout.enclosure)
        if fit.verdict is not Verdict.HOLDS
    )


def _mirror(layout: Layout) -> Fit | None:
    if (mirrors := layout.mirrors) is None:
        return None
    told = said(
        "mirror wastes" if mirrors.wasted_bytes else "mirrored",
        disks=layout.bays,
        usable_bytes=mirrors.usable_bytes,
        wasted_bytes=mirrors.wasted_bytes,
    )
    if mirrors.wasted_bytes:
        return Fit(FitKind.MIRROR, Verdict.TIGHT, told, mend=said("same size in a pair"))
    return Fit(FitKind.MIRROR, Verdict.HOLDS, told)


def _network(layout: Layout) -> Fit | None:
    """What the port of a store carries against what a mirror writes: as one of its disks."""
    disk, network = mirror_bytes_per_s(layout), network_mode(layout)
    if network is None:
        return None
    if disk is None:
        return Fit(FitKind.NETWORK, Verdict.NOT_KNOWN, said("disk rate not known"))
    carried = network.typical_bytes_per_s
    told = said(
        "network is less" if carried < disk else "network carries it",
        mode=network.name,
        network_bytes_per_s=carried,
        disk_bytes_per_s=disk,
    )
    return Fit(FitKind.NETWORK, Verdict.TIGHT if carried < disk else Verdict.HOLDS, told)


def network_mode(layout: Layout) -> LinkMode | None:
    """Return the fastest port of a store; None for a case without a network port."""
    modes = layout.modes or {}
    keys = [key for key in layout.enclosure.host_modes if key in modes]
    if layout.enclosure.bays == 1 or not keys:
        return None
    return max((modes[key] for key in keys), key=lambda mode: mode.ceiling_bytes_per_s)


def mirror_bytes_per_s(layout: Layout) -> float | None:
    """Return what a mirrored pair of the slowest disks writes while they are empty.

    None where one of them isn't known. Both disks of a pair write the same, at the same time.
    """
    known = [each.behaviour for each in layout.drives]
    rates = [zone_write_bytes_per_s(each, 0.0) for each in known if each is not None]
    return min(rates) if len(rates) == len(known) else None


def _slot(layout: Layout) -> Fit | None:
    if (dock := layout.dock) is None:
        return None
    if layout.enclosure.kind in dock.takes:
        return Fit(FitKind.SLOT, Verdict.HOLDS, said("slides in", slots=dock.slots))
    return Fit(
        FitKind.SLOT,
        Verdict.FALLS_SHORT,
        said("doesn't slide in", takes=" or ".join(dock.takes)),
        mend=said("case that slides in", takes=" or ".join(dock.takes)),
    )


def _sealed(layout: Layout) -> Fit | None:
    """What closing a shell for good costs, and what leaving it open does."""
    inside = layout.enclosure.inside
    if kind_of(layout) is not BuildKind.CARD_SHELL or inside is None or inside.opens_again:
        return None
    lost = layout.drive.price + layout.enclosure.price
    return Fit(FitKind.SEALED, Verdict.HOLDS, said("sealed or open", lost_price=lost))


def _shared(layout: Layout) -> Fit | None:
    """What the uplink of a dock leaves each of its slots, when all are read at once."""
    dock, modes = layout.dock, layout.modes
    if dock is None or modes is None:
        return None
    uplink = max(
        (modes[key] for key in dock.uplink_modes), key=lambda mode: mode.ceiling_bytes_per_s
    )
    each = shared_bytes_per_s(uplink, dock.slots)
    told = said(
        "slots share",
        slots=dock.slots,
        mode=uplink.name,
        each_bytes_per_s=each,
        alone_bytes_per_s=uplink.typical_bytes_per_s,
    )
    return Fit(FitKind.SHARED, Verdict.TIGHT if dock.slots > 1 else Verdict.HOLDS, told)


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
