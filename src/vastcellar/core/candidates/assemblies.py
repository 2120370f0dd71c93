"""Everything that can be put together, as arrays: drives in enclosures, and ways to a host.

Link modes become bits in the order of their ceilings, so that the best mode two things have in
common is the highest bit of what both carry.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.errors import BadValueError
from vastcellar.core.links.hubs import Hub, route
from vastcellar.core.links.links import Cable, LinkMode, Port, cable_modes, pcie_mode
from vastcellar.core.parts.parts import Catalog, Drive, Enclosure, Host, Unit

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
BoolArray = NDArray[np.bool_]

_MOST_MODES = 62
_SATA_SLOT_BYTES_PER_S = 540e6


class ModeBits:
    """Link modes as bits of one number, the faster the higher."""

    def __init__(self, modes: Mapping[str, LinkMode]) -> None:
        if len(modes) > _MOST_MODES:
            raise BadValueError(
                f"the catalog has {len(modes)} link modes",
                where="link modes",
                mend=f"Keep at most {_MOST_MODES}",
            )
        # max() takes the first of equals, so among equal ceilings the earlier one ranks higher.
        position = {key: index for index, key in enumerate(modes)}
        self.ordered = sorted(
            modes.values(), key=lambda mode: (mode.ceiling_bytes_per_s, -position[mode.key])
        )
        self._bit = {mode.key: index for index, mode in enumerate(self.ordered)}
        self.typical = np.array([mode.typical_bytes_per_s for mode in self.ordered])
        self.ceiling = np.array([mode.ceiling_bytes_per_s for mode in self.ordered])

    def mask(self, keys: Iterable[str]) -> int:
        """Return the bits of *keys*."""
        mask = 0
        for key in keys:
            mask |= 1 << self._bit[key]
        return mask

    def number(self, key: str) -> int:
        """Return which bit a mode is, -1 for one that nobody knows."""
        return self._bit.get(key, -1)

    @staticmethod
    def best(masks: IntArray) -> IntArray:
        """Return the number of the highest bit of each mask, -1 of none."""
        _, exponent = np.frexp(masks.astype(np.float64))
        # A float can't hold 62 bits: a mask of many low bits may round up to the next power.
        best = exponent.astype(np.int64) - 1
        over = (best >= 0) & ((masks >> np.maximum(best, 0)) & 1 == 0)
        return np.where(masks > 0, best - over, -1)


@dataclass(frozen=True, slots=True)
class Way:
    """A port of a host with what lies between it and a device: a cable, a reader or hub."""

    host: Host
    port: Port
    cable: Cable | None
    hub: Hub | None
    mask: int
    cap_bytes_per_s: float
    """Of the hub's uplink; infinite without one."""
    price: float


def ways_to(
    hosts: Sequence[Host],
    catalog: Catalog,
    bits: ModeBits,
    owned: frozenset[str] = frozenset(),
    card_reader_slots: int = 1,
) -> tuple[Way, ...]:
    """Return every way to a port of *hosts*: of cables that carry the same only the cheapest.

    Parts whose keys are in *owned* cost nothing. Readers, hubs of one slot, open a port to cards.
    """
    everything = bits.mask(catalog.modes)
    readers = [hub for hub in catalog.hubs.values() if hub.slots <= card_reader_slots]
    found = []
    for host in hosts:
        for port in host.ports:
            mask = bits.mask(port.modes)
            if port.is_slot:
                found.append(Way(host, port, None, None, mask & everything, np.inf, 0.0))
                continue
            for cable, price in _cheapest_cables(port, catalog, bits, owned):
                carried = bits.mask(cable_modes(cable, catalog.modes)[0])
                if mask & carried:
                    found.append(Way(host, port, cable, None, mask & carried, np.inf, price))
            if not host.is_camera:  # nobody hangs a card reader on a camera
                found += _through_readers(host, port, readers, catalog, bits, owned)
    return tuple(found)


def _cheapest_cables(
    port: Port, catalog: Catalog, bits: ModeBits, owned: frozenset[str]
) -> list[tuple[Cable, float]]:
    cheapest: dict[int, tuple[Cable, float]] = {}
    for cable in catalog.cables.values():
        if not cable.fits(port):
            continue
        carried = bits.mask(cable_modes(cable, catalog.modes)[0]) & bits.mask(port.modes)
        price = 0.0 if cable.key in owned else cable.price
        if carried not in cheapest or price < cheapest[carried][1]:
            cheapest[carried] = (cable, price)
    return list(cheapest.values())


def _through_readers(
    host: Host,
    port: Port,
    readers: Sequence[Hub],
    catalog: Catalog,
    bits: ModeBits,
    owned: frozenset[str],
) -> list[Way]:
    """A reader on the cheapest cable that gives its uplink the best it can have."""
    found = []
    for reader in readers:
        best: Way | None = None
        for cable, price in _cheapest_cables(port, catalog, bits, owned):
            uplink = route(port, cable, (reader,), (), catalog.modes).uplinks[0].mode
            if uplink is None:
                continue
            reader_price = 0.0 if reader.key in owned else reader.price
            cap = uplink.typical_bytes_per_s
            mask = bits.mask(reader.downlink_modes)
            way = Way(host, port, cable, reader, mask, cap, price + reader_price)
            if best is None or (-cap, way.price) < (-best.cap_bytes_per_s, best.price):
                best = way
        found += [best] if best else []
    return found


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
    slot_cap: FloatArray
    draws_w: FloatArray
    """Most power of drive and bridge, 0 where it isn't known."""
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
    bare += [(drive, None) for drive in catalog.drives.values() if drive.needs_enclosure]
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
    for drive in catalog.drives.values():
        if not drive.needs_enclosure:
            drives.append(drive)
            enclosures.append(None)
            owners.append(None)
            price.append(drive.price)
    return _as_arrays(drives, enclosures, owners, price, bits, left_out)


def _fits(bare: Sequence[Drive], cases: Sequence[Enclosure]) -> BoolArray:
    """Return which bare drive goes into which enclosure, by the rules of ``parts.case_misfit``."""
    forms = sorted({d.form for d in bare if d.form} | {f for c in cases for f in c.forms})
    number = {form: index for index, form in enumerate(forms)}
    speaks = np.array([drive.slot_protocol == "nvme" for drive in bare], dtype=bool)
    takes_nvme = np.array(["nvme" in case.slot_protocols for case in cases], dtype=bool)
    takes_sata = np.array(["sata" in case.slot_protocols for case in cases], dtype=bool)
    fits = np.where(speaks[:, None], takes_nvme[None, :], takes_sata[None, :])
    shape = np.array([number.get(drive.form, -1) for drive in bare], dtype=np.int64)
    accepted = np.zeros((len(cases), len(forms) + 1), dtype=bool)
    for row, case in enumerate(cases):
        if not case.forms:
            accepted[row] = True
        for form in case.forms:
            accepted[row, number[form]] = True
    accepted[:, -1] = True  # an unknown form may fit
    fits &= accepted[:, shape].T
    double = np.array([drive.is_double_sided for drive in bare], dtype=bool)
    room = np.array([case.takes_double_sided for case in cases], dtype=bool)
    goes_in: BoolArray = fits & (~double[:, None] | room[None, :])
    return goes_in


def _as_arrays(
    drives: list[Drive],
    enclosures: list[Enclosure | None],
    owners: list[Unit | None],
    price: list[float],
    bits: ModeBits,
    left_out: int,
) -> Assemblies:
    masks: dict[tuple[str, ...], int] = {}
    slots: dict[tuple[int, int], float] = {}

    def mask_of(keys: tuple[str, ...]) -> int:
        if keys not in masks:
            masks[keys] = bits.mask(keys)
        return masks[keys]

    def slot_of(drive: Drive, enclosure: Enclosure | None) -> float:
        if enclosure is None:
            return np.inf
        if drive.slot_protocol == "sata":
            return _SATA_SLOT_BYTES_PER_S
        lanes = (
            min(enclosure.pcie_generation, drive.pcie_generation or 3),
            min(enclosure.pcie_lanes, drive.pcie_lanes or 4),
        )
        if lanes not in slots:
            slots[lanes] = pcie_mode(*lanes).typical_bytes_per_s
        return slots[lanes]

    pairs = list(zip(drives, enclosures, strict=True))
    device_mask = np.array(
        [mask_of(e.host_modes if e else d.host_modes) for d, e in pairs], dtype=np.int64
    )
    own_case_w = [(d.own_case.bridge_w if d.own_case else 0.0) for d in drives]
    return Assemblies(
        drives=tuple(drives),
        enclosures=tuple(enclosures),
        units=tuple(owners),
        price=np.array(price, dtype=np.float64),
        free_bytes=np.array(
            [
                max(d.capacity_bytes - (u.used_bytes if u else 0.0), 0.0)
                for d, u in zip(drives, owners, strict=True)
            ],
            dtype=np.float64,
        ),
        device_mask=device_mask,
        own_best=ModeBits.best(device_mask),
        bridge_cap=np.array([e.bridge_write_bytes_per_s if e else 0.0 for _, e in pairs]),
        slot_cap=np.array([slot_of(d, e) for d, e in pairs]),
        draws_w=np.array(
            [
                (d.peak_w + (e.case.bridge_w if e else own_w)) if d.peak_w else 0.0
                for (d, e), own_w in zip(pairs, own_case_w, strict=True)
            ]
        ),
        left_out=left_out,
    )
