"""The bill of a build, and what could be bought ready-made in its place."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from vastcellar.core.build.bill import Bill, BillLine
from vastcellar.core.build.checks import mirror_bytes_per_s, network_mode
from vastcellar.core.build.kinds import BuildKind, kind_of
from vastcellar.core.build.layout import Layout
from vastcellar.core.build.printed import MOUNT_PARTS, printed_mount
from vastcellar.core.build.steps import screws_of
from vastcellar.core.chain.chain import Chain
from vastcellar.core.links.links import Cable
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.parts import Drive, DriveKind
from vastcellar.services.build.chosen import Chosen

THE_SHOOT, THE_CASE = "the shoot", "the case"
_MIRRORED_SHARE = 0.5
"""Every byte is written to both disks of a pair."""


def bill_of(
    layout: Layout, chosen: Chosen, catalog: Catalog, chain: Chain | None, case_c: float | None
) -> Bill:
    """Return all that goes in; *case_c* is how hot the case gets, None where that isn't known."""
    at_hand = dict(chosen.reused)
    case, dock = layout.enclosure, layout.dock
    cases = layout.bays if dock is not None else 1
    lines = _drives(layout, at_hand)
    lines += _some(case.name, case.price, cases, at_hand.get(case.key, ""), case.delivery_days)
    if layout.pad is not None:
        pad = layout.pad
        lines += _some(pad.name, pad.price, cases, "", pad.delivery_days, "consumable")
    elif layout.pad_mm:
        lines.append(BillLine("its pad", 0.0, "consumable", reused_from=THE_CASE))
    if screws := screws_of(layout):
        lines.append(BillLine(f"{screws} screws", 0.0, "consumable", reused_from=THE_CASE))
    if kind_of(layout) is BuildKind.MAGAZINE:
        lines += _mount(layout, at_hand.get(case.key, ""), case_c)
    if dock is not None:
        lines.append(BillLine(dock.name, dock.price, delivery_days=dock.delivery_days))
    lines += _cable(layout, chosen, catalog)
    lasting = chain.lasting_bytes_per_s if chain and not chain.problem else 0.0
    tbw = sum(each.tbw_bytes for each in layout.drives)
    if layout.mirrors is not None:
        network, disk = network_mode(layout), mirror_bytes_per_s(layout)
        lasting = min(network.typical_bytes_per_s, disk) if network and disk else 0.0
        tbw *= _MIRRORED_SHARE
    return Bill(tuple(lines), layout.capacity_bytes, lasting, tbw)


def _some(
    name: str, price: float, count: int, reused_from: str, days: float | None, kind: str = "part"
) -> list[BillLine]:
    """Return *count* of a thing; of several one is at hand, the rest is bought."""
    if not reused_from or count == 1:
        whole = f"{count} × {name}" if count > 1 else name
        return [BillLine(whole, price * count, kind, reused_from, days, count)]
    return [
        BillLine(name, price, kind, reused_from, days),
        *_some(name, price, count - 1, "", days, kind),
    ]


def _drives(layout: Layout, at_hand: dict[str, str]) -> list[BillLine]:
    counts: dict[str, int] = {}
    for each in layout.drives:
        counts[each.key] = counts.get(each.key, 0) + 1
    drives = {each.key: each for each in layout.drives}
    return [
        line
        for key, count in counts.items()
        for line in _some(drives[key].name, drives[key].price, count, at_hand.get(key, ""),
                          drives[key].delivery_days)
    ]  # fmt: skip


def _mount(layout: Layout, reused_from: str, case_c: float | None) -> list[BillLine]:
    mount = printed_mount(layout.enclosure.size_mm, case_c)
    if mount is None:
        return []
    name = f"printed mount, {mount.mass_g:.0f} g of {mount.plastic.name}"
    parts = [
        BillLine(f"{part.count} × {part.name}" if part.count > 1 else part.name, part.price,
                 "consumable", reused_from, 0.0, part.count)
        for part in MOUNT_PARTS
    ]  # fmt: skip
    return [BillLine(name, mount.price, "print", reused_from, 0.0), *parts]


def _cable(layout: Layout, chosen: Chosen, catalog: Catalog) -> list[BillLine]:
    cable, whence = layout.cable, "" if chosen.cable_key else THE_SHOOT
    if cable is None and kind_of(layout) is BuildKind.MAGAZINE:
        cable, whence = angled_cable(layout.enclosure.host_modes, catalog), ""
    if cable is None:
        return []
    return [BillLine(cable.name, cable.price, "cable", whence, cable.delivery_days)]


def angled_cable(device_modes: tuple[str, ...], catalog: Catalog) -> Cable | None:
    """Return the cheapest angled cable that carries the best mode of the device."""
    best = max(device_modes, key=lambda key: catalog.modes[key].ceiling_bytes_per_s)
    fitting = (each for each in catalog.cables.values() if each.is_angled and best in each.modes)
    return min(fitting, key=lambda cable: (cable.price, cable.key), default=None)


@dataclass(frozen=True, slots=True)
class Instead:
    """What could be bought ready-made in its place."""

    drive: Drive
    price_per_tb: float


def instead_of(layout: Layout, catalog: Catalog, most: int = 3) -> tuple[Instead, ...]:
    """Return closed drives at least as large, the cheapest first: nothing to build.

    None for several drives at once: one closed drive is neither mirrored nor read four at a time.
    """
    if layout.bays > 1:
        return ()
    kinds = (DriveKind.READY_MADE, DriveKind.INTERNAL)
    closed: Iterable[Drive] = (
        drive
        for drive in catalog.drives.values()
        if drive.kind in kinds
        and drive.price > 0
        and drive.capacity_bytes >= layout.drive.capacity_bytes
    )
    fits = (drive for drive in closed if is_for_host(drive, layout))
    ordered = sorted(fits, key=lambda drive: (drive.price, drive.key))[:most]
    return tuple(Instead(each, each.price / (each.capacity_bytes / 1e12)) for each in ordered)


def is_for_host(drive: Drive, layout: Layout) -> bool:
    """Return whether *drive* is no other computer's own disk."""
    host = layout.host
    return not drive.only_host or (host is not None and drive.only_host == host.key)
