"""A drive in the ports of a computer: every cable that fits, and which one to take."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from vastcellar.core.chain.chain import Chain
from vastcellar.core.links.links import Port
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.parts import DriveKind, Host
from vastcellar.core.shoot.shoot import Setup
from vastcellar.services.match.judging import chain_of
from vastcellar.services.workplace.workplace import Shelf

Placing = tuple[Setup, Chain]
"""A setup in one of the ports, and what its chain comes to there."""


def placings(
    ports: Sequence[Port],
    host: Host,
    setup: Setup,
    catalog: Catalog,
    shelf: Shelf,
    ambient_c: float,
    *,
    with_readers: bool = False,
) -> list[Placing]:
    """Return *setup* in each of *ports* of *host*, on every cable that fits; all else stays.

    With readers a card also goes into each of the catalog's card readers on those ports, and a
    store into each network adapter.
    """
    found = [
        placed for port in ports for placed in _in_port(port, host, setup, catalog, with_readers)
    ]
    return [(placed, chain_of(placed, catalog, shelf, ambient_c)) for placed in found]


def _in_port(
    port: Port, host: Host, setup: Setup, catalog: Catalog, with_readers: bool
) -> list[Setup]:
    there = replace(setup, host_key=host.key, port_key=port.key)
    if port.is_slot:  # nothing lies between a slot and what goes into it
        return [replace(there, cable_key="", hub_keys=(), sharing=1)]
    cables = [cable for cable in catalog.cables.values() if cable.fits(port)]
    behind: list[tuple[str, ...]] = [there.hub_keys]
    drive = catalog.drive(setup.drive_key)
    if with_readers and drive.kind in (DriveKind.CARD, DriveKind.STORE):
        readers = [hub for hub in catalog.hubs.values() if hub.slots == 1]
        # Nothing but a card is ever without a plug of its own.
        behind = [] if drive.kind is DriveKind.CARD else behind
        behind += [(h.key,) for h in readers if set(h.downlink_modes) & set(drive.host_modes)]
    return [
        replace(there, cable_key=cable.key, hub_keys=hubs) for hubs in behind for cable in cables
    ]


def best_owned(tried: Sequence[Placing], owned: frozenset[str]) -> tuple[Placing, bool]:
    """Return the best of *tried* on a cable that one has, and whether there is one.

    Where none of one's own connects, the best of all stands for it.
    """
    mine = [each for each in tried if each[0].cable_key in owned | {""}]
    connected = [each for each in mine if not each[1].problem]
    return max(connected or tried, key=carries), bool(connected)


def carries(placed: Placing) -> tuple[float, float]:
    """Order by what reaches the drive; of equals the cheaper cable comes first."""
    cable = placed[1].parts.cable
    return placed[1].link_cap_bytes_per_s, -(cable.price if cable else 0.0)
