"""A build beside what can be bought, by capacity: what each is worth, and from where it pays."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace

from vastcellar.core.build.bill import TB, Worth
from vastcellar.core.build.stack_path import as_laid_out
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.crossing import crossing, pays_from
from vastcellar.core.parts.fitting import case_misfit
from vastcellar.core.parts.parts import Drive, DriveKind
from vastcellar.core.shoot.shoot import Camera, Setup, Shoot
from vastcellar.services.build.billing import is_for_host
from vastcellar.services.build.building import Build, setup_with, with_case
from vastcellar.services.match.judging import chain_of
from vastcellar.services.workplace.workplace import Shelf


@dataclass(frozen=True, slots=True)
class Offer:
    """One way to so many TB; cables are left out on both sides."""

    drive: Drive
    worth: Worth
    delivery_days: float | None


@dataclass(frozen=True, slots=True)
class Tier:
    """One capacity; None where a way doesn't lead to it."""

    capacity_bytes: float
    built: Offer | None
    ready_made: Offer | None
    factory: Offer | None


@dataclass(frozen=True, slots=True)
class Tiers:
    """Every capacity that there is, rising."""

    rows: tuple[Tier, ...]
    pays_from_bytes: float | None
    """From there on building is the cheaper one."""
    crossing: tuple[float, float] | None
    """Capacity and price where the two lines cross; None where they don't."""


def tiers_of(
    made: Build, catalog: Catalog, shelf: Shelf, shoot: Shoot | None, camera: Camera | None
) -> Tiers:
    """Return *made* in every capacity beside the cheapest closed drive and a factory upgrade.

    In another capacity it is the cheapest bare drive that goes into the same case with the same
    things round it. Nothing for several drives at once: no closed drive compares.
    """
    layout = made.layout
    if layout.bays > 1:
        return Tiers((), None, None)
    own = layout.drive
    bare = [
        each
        for each in catalog.drives.values()
        if each.needs_enclosure and each.price > 0 and not case_misfit(each, layout.enclosure)
    ]
    sold = [each for each in catalog.drives.values() if each.price > 0]
    ready = [each for each in sold if each.kind is DriveKind.READY_MADE]
    factory = [
        each for each in sold if each.kind is DriveKind.INTERNAL and is_for_host(each, layout)
    ]
    built_by = _cheapest([each for each in bare if each.capacity_bytes != own.capacity_bytes])
    built_by[own.capacity_bytes] = own
    ready_by, factory_by = _cheapest(ready), _cheapest(factory)
    round_it = [line for line in made.bill.lines if line.kind != "cable" and line.name != own.name]
    rest = sum(line.price for line in round_it)
    days = [line.delivery_days for line in round_it if line.to_pay > 0]
    worth = _Worths(made, catalog, shelf, shoot, camera)
    rows = tuple(
        Tier(
            capacity,
            worth.built(built_by.get(capacity), rest, days),
            worth.closed(ready_by.get(capacity)),
            worth.closed(factory_by.get(capacity)),
        )
        for capacity in sorted({*built_by, *ready_by, *factory_by})
    )
    steps = [(row.capacity_bytes / TB, _price(row.built), _price(row.ready_made)) for row in rows]
    found, crosses = pays_from(steps), crossing(steps)
    return Tiers(
        rows, found * TB if found else None, (crosses[0] * TB, crosses[1]) if crosses else None
    )


def _price(offer: Offer | None) -> float:
    return offer.worth.price if offer else math.inf


def _cheapest(drives: Iterable[Drive]) -> dict[float, Drive]:
    found: dict[float, Drive] = {}
    for drive in sorted(drives, key=lambda each: (each.price, each.key)):
        found.setdefault(drive.capacity_bytes, drive)
    return found


@dataclass(frozen=True, slots=True)
class _Worths:
    """What an offer lasts at, where there is a camera to ask it of."""

    made: Build
    catalog: Catalog
    shelf: Shelf
    shoot: Shoot | None
    camera: Camera | None

    def built(self, drive: Drive | None, rest: float, days: list[float | None]) -> Offer | None:
        if drive is None:
            return None
        own = drive.key == self.made.layout.drive.key
        # Its own figure is the bill's; of another module it is reckoned in the same way.
        lasting = self.made.bill.lasting_bytes_per_s if own else self._lasting(drive, is_bare=True)
        price = drive.price + rest
        is_at_hand = drive.key in dict(self.made.chosen.reused)
        own_days = [] if is_at_hand else [drive.delivery_days]
        return self._offer(drive, price, lasting, [*days, *own_days])

    def closed(self, drive: Drive | None) -> Offer | None:
        if drive is None:
            return None
        lasting = self._lasting(drive, is_bare=False)
        return self._offer(drive, drive.price, lasting, [drive.delivery_days])

    @staticmethod
    def _offer(drive: Drive, price: float, lasting: float, days: list[float | None]) -> Offer:
        known = [each for each in days if each is not None]
        longest = max(known, default=0.0) if len(known) == len(days) else None
        return Offer(drive, Worth(price, drive.capacity_bytes, lasting, drive.tbw_bytes), longest)

    def _lasting(self, drive: Drive, *, is_bare: bool) -> float:
        setup = setup_with(self.made.chosen, self.camera, self.catalog)
        if setup is None or self.shoot is None:
            return 0.0
        case_key = setup.enclosure_key if is_bare else ""
        asked: Setup = replace(setup, drive_key=drive.key, enclosure_key=case_key, unit_tag="")
        layout = replace(self.made.layout, drive=drive) if is_bare else self.made.layout
        laid_out = with_case(self.catalog, as_laid_out(layout))
        chain = chain_of(asked, laid_out, self.shelf, self.shoot.ambient_c)
        return 0.0 if chain.problem else chain.lasting_bytes_per_s
