"""Everything that can be put together, as arrays: drives in enclosures."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.candidates.ways import ModeBits
from vastcellar.core.chain.carried import slot_lanes, slot_rate
from vastcellar.core.chain.setup_parts import draws_w, read_bytes_per_s
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.fitting import case_misfit
from vastcellar.core.parts.parts import Drive, DriveKind, Enclosure, WriteBehaviour
from vastcellar.core.parts.units import Unit, filled_share, free_bytes_on
from vastcellar.core.writing.lasting_rate import write_at_first_bytes_per_s

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
BoolArray = NDArray[np.bool_]


@dataclass(frozen=True)
class Assemblies:
    """Drives, bare ones in enclosures, with what each costs; arrays have shape (n,)."""

    drives: tuple[Drive, ...]
    enclosures: tuple[Enclosure | None, ...]
    units: tuple[Unit | None, ...]
    price: FloatArray
    free_bytes: FloatArray
    device_mask: IntArray
    own_best: IntArray
    """The best mode that the device has, as a number of ``ModeBits``."""
    bridge_cap: FloatArray
    """What the bridge reaches in its best mode, 0 where only typical values are known."""
    slot_ceiling: FloatArray
    slot_cap: FloatArray
    draws_w: FloatArray
    """Most power of drive and bridge, 0 where it isn't known."""
    at_first: FloatArray
    """What the medium itself takes at first."""
    reads: FloatArray
    """What the medium itself reads, where it is filled to."""
    left_out: int
    """Pairs that were not looked at, because there were too many."""

    def __len__(self) -> int:
        return len(self.drives)


def assemblies(
    catalog: Catalog,
    units: Sequence[Unit],
    bits: ModeBits,
    *,
    most: int = 60_000,
    with_catalog: bool = True,
) -> Assemblies:
    """Return all that can be put together from catalog and shelf.

    The shelf's *units* are taken as they are; of a bare one only the case must be bought.
    Beyond *most* pairs each bare drive keeps its cheapest enclosures.
    """
    drives: list[Drive] = []
    enclosures: list[Enclosure | None] = []
    owners: list[Unit | None] = []
    price: list[float] = []
    bare: list[tuple[Drive, Unit | None]] = []
    for unit in units:
        if unit.drive_key not in catalog.drives:
            continue
        drive = catalog.drive_of(unit)
        enclosure = catalog.enclosures.get(unit.enclosure_key)
        if drive.needs_enclosure and enclosure is None:
            bare.append((drive, unit))
            continue
        drives.append(drive)
        enclosures.append(enclosure if drive.needs_enclosure else None)
        owners.append(unit)
        price.append(0.0)
    cases = sorted(catalog.enclosures.values(), key=lambda enclosure: enclosure.price)
    # A store is put together in Edit, and never bought as one thing.
    sold = [each for each in catalog.drives.values() if each.kind is not DriveKind.STORE]
    bought = tuple(sold) if with_catalog else ()
    bare += [(drive, None) for drive in bought if drive.needs_enclosure]
    each = max(most // max(len(bare), 1), 1)
    fits = _fits([drive for drive, _ in bare], cases)
    left_out = 0
    for row, (drive, owner) in enumerate(bare):
        fitting = np.flatnonzero(fits[row])
        left_out += max(fitting.size - each, 0)
        for column in fitting[:each]:
            drives.append(drive)
            enclosures.append(cases[column])
            owners.append(owner)
            price.append(cases[column].price + (drive.price if owner is None else 0.0))
    for drive in bought:
        if not drive.needs_enclosure:
            drives.append(drive)
            enclosures.append(None)
            owners.append(None)
            price.append(drive.price)
    return _as_arrays(drives, enclosures, owners, price, bits, left_out)


def _fits(bare: Sequence[Drive], cases: Sequence[Enclosure]) -> BoolArray:
    """Return which bare drive goes into which enclosure; shape (drives, cases).

    Few kinds of drive and few kinds of case are behind thousands: each pair of kinds is asked
    once, of the first of either kind.
    """
    drive_kinds, of_drive = _kinds(
        [(d.slot_protocol, d.form, d.is_double_sided, d.size) for d in bare]
    )
    case_kinds, of_case = _kinds(
        [(c.slot_protocols, c.forms, c.takes_double_sided, c.inside) for c in cases]
    )
    goes_in = np.array(
        [[not case_misfit(bare[d], cases[c]) for c in case_kinds] for d in drive_kinds], dtype=bool
    ).reshape(len(drive_kinds), len(case_kinds))
    fits: BoolArray = goes_in[np.ix_(of_drive, of_case)]
    return fits


def _kinds(keys: Sequence[object]) -> tuple[list[int], IntArray]:
    """Return the first place of each distinct key, and for each place which of them it is."""
    numbers: dict[object, int] = {}
    firsts: list[int] = []
    which = np.empty(len(keys), dtype=np.int64)
    for place, key in enumerate(keys):
        number = numbers.setdefault(key, len(firsts))
        if number == len(firsts):
            firsts.append(place)
        which[place] = number
    return firsts, which


def as_its_box_says(drive: Drive) -> WriteBehaviour:
    """Return the behaviour of a drive that does what its box promises: it can only do less."""
    return WriteBehaviour(drive.claimed_write_bytes_per_s, drive.claimed_write_bytes_per_s)


def _as_arrays(
    drives: list[Drive],
    enclosures: list[Enclosure | None],
    owners: list[Unit | None],
    price: list[float],
    bits: ModeBits,
    left_out: int,
) -> Assemblies:
    masks: dict[tuple[str, ...], int] = {}
    slots: dict[tuple[str, tuple[int, int]], tuple[float, float]] = {}

    def mask_of(keys: tuple[str, ...]) -> int:
        if keys not in masks:
            masks[keys] = bits.mask(keys)
        return masks[keys]

    def slot_of(drive: Drive, enclosure: Enclosure | None) -> tuple[float, float]:
        if enclosure is None:
            return np.inf, np.inf
        kind = drive.slot_protocol, slot_lanes(drive, enclosure)
        if kind not in slots:
            rate = slot_rate(drive, enclosure)
            slots[kind] = rate.ceiling_bytes_per_s, rate.typical_bytes_per_s
        return slots[kind]

    pairs = list(zip(drives, enclosures, strict=True))
    device_mask = np.array(
        [mask_of(e.host_modes if e else d.host_modes) for d, e in pairs], dtype=np.int64
    )
    slot = np.array([slot_of(d, e) for d, e in pairs], dtype=np.float64).reshape(-1, 2)
    free = np.array([free_bytes_on(d, u) for d, u in zip(drives, owners, strict=True)])
    filled = [filled_share(d, u) for d, u in zip(drives, owners, strict=True)]
    at_first = [
        write_at_first_bytes_per_s(d.behaviour or as_its_box_says(d), share)
        for d, share in zip(drives, filled, strict=True)
    ]
    return Assemblies(
        drives=tuple(drives),
        enclosures=tuple(enclosures),
        units=tuple(owners),
        price=np.array(price, dtype=np.float64),
        free_bytes=free.astype(np.float64),
        device_mask=device_mask,
        own_best=ModeBits.best(device_mask),
        bridge_cap=np.array([e.bridge_write_bytes_per_s if e else 0.0 for _, e in pairs]),
        slot_ceiling=slot[:, 0],
        slot_cap=slot[:, 1],
        draws_w=np.array([draws_w(d, e) for d, e in pairs], dtype=np.float64),
        at_first=np.array(at_first, dtype=np.float64),
        reads=np.array(
            [read_bytes_per_s(d, share) for d, share in zip(drives, filled, strict=True)],
            dtype=np.float64,
        ),
        left_out=left_out,
    )
