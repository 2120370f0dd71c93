"""The ways to a host: its ports, with the cables, readers and hubs that lie between.

Link modes become bits in the order of their ceilings, so that the best mode two things have in
common is the highest bit of what both carry.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.errors import BadValueError
from vastcellar.core.links.hubs import Hub, outlet_behind, uplink_bytes_per_s
from vastcellar.core.links.links import Cable, LinkMode, Port, cable_modes
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.parts import Host
from vastcellar.core.shoot.shoot import Setup

IntArray = NDArray[np.int64]

_MOST_MODES = 62


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
    """A port of a host with what lies between it and a device: a cable, readers or hubs."""

    host: Host
    port: Port
    cable: Cable | None
    hubs: tuple[Hub, ...]
    sharing: int
    """How many devices are busy behind the hubs at once."""
    mask: int
    cap_bytes_per_s: float
    """What the last hub's uplink leaves; infinite without a hub."""
    upstream_bytes_per_s: float
    """What the uplinks of the hubs before it leave; infinite without any."""
    uplink_ceiling_bytes_per_s: float
    """Of the last hub's uplink; infinite without a hub."""
    price: float


def ways_to(
    hosts: Sequence[Host],
    catalog: Catalog,
    bits: ModeBits,
    owned: frozenset[str] = frozenset(),
    kept: Setup | None = None,
    card_reader_slots: int = 1,
) -> tuple[Way, ...]:
    """Return every way to a port of *hosts*: of cables that carry the same only the cheapest.

    Args:
        hosts: with their ports.
        catalog: of cables and hubs.
        bits: of its link modes.
        owned: keys of parts that cost nothing.
        kept: a setup whose hubs, with all that share them, are a way, too.
        card_reader_slots: hubs of so few slots open a port to cards.

    """
    readers = [(hub,) for hub in catalog.hubs.values() if hub.slots <= card_reader_slots]
    behind: list[tuple[tuple[Hub, ...], int]] = [(hubs, 1) for hubs in readers]
    if kept is not None and kept.hub_keys:
        hubs = tuple(catalog.hub(key) for key in kept.hub_keys)
        if (hubs, kept.sharing) not in behind and kept.sharing <= hubs[-1].slots:
            behind.append((hubs, kept.sharing))
    found = []
    for host in hosts:
        for port in host.ports:
            mask = bits.mask(port.modes)
            if port.is_slot:
                found.append(Way(host, port, None, (), 1, mask, np.inf, np.inf, np.inf, 0.0))
                continue
            for cable, price in _cheapest_cables(port, catalog, bits, owned):
                carried = bits.mask(cable_modes(cable, catalog.modes)[0])
                if mask & carried:
                    both = mask & carried
                    way = Way(host, port, cable, (), 1, both, np.inf, np.inf, np.inf, price)
                    found.append(way)
            if not host.is_camera:  # nobody hangs a card reader on a camera
                for hubs, sharing in behind:
                    best = _behind_hubs(host, port, hubs, sharing, catalog, bits, owned)
                    found += [best] if best else []
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


def _behind_hubs(
    host: Host,
    port: Port,
    hubs: tuple[Hub, ...],
    sharing: int,
    catalog: Catalog,
    bits: ModeBits,
    owned: frozenset[str],
) -> Way | None:
    """Return the way through *hubs* on the cheapest cable that gives them the best uplink."""
    best: Way | None = None
    best_order = (0.0, 0.0)
    hub_price = sum(0.0 if hub.key in owned else hub.price for hub in hubs)
    for cable, price in _cheapest_cables(port, catalog, bits, owned):
        outlet, uplinks = outlet_behind(port, cable, hubs, catalog.modes)
        last = uplinks[-1].mode
        if last is None or any(uplink.mode is None for uplink in uplinks):
            continue
        *before, cap = [uplink_bytes_per_s(uplink, sharing) for uplink in uplinks]
        upstream = min(before, default=np.inf)
        mask = bits.mask(outlet.modes)
        way = Way(
            host,
            port,
            cable,
            hubs,
            sharing,
            mask,
            cap,
            upstream,
            last.ceiling_bytes_per_s,
            price + hub_price,
        )
        order = -min(cap, upstream), way.price
        if best is None or order < best_order:
            best, best_order = way, order
    return best
