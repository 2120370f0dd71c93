"""Which drive hangs on which port of the computer that the cards are copied on."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import islice, permutations

from vastcellar.core.candidates.assemblies import as_its_box_says
from vastcellar.core.errors import BadValueError
from vastcellar.core.links.links import NETWORK_PLUG, LinkMode, Port, best_mode, has_larger_frames
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.parts import Host
from vastcellar.core.shoot.shoot import Setup
from vastcellar.services.match.placing import Placing, best_owned, placings
from vastcellar.services.workplace.workplace import Shelf

_MOST_WAYS = 20_000
"""Eight ports and five drives are 6,720 ways to plug them; beyond this not all are tried."""


@dataclass(frozen=True)
class Device:
    """A drive or a card that goes into one of the ports."""

    tag: str
    setup: Setup
    """Its parts; host, port and cable in it don't count."""
    day_bytes: float
    """Of a card, what its camera records on the day; 0 for a drive."""


@dataclass(frozen=True)
class Plugged:
    """Where everything goes."""

    drives: dict[str, Placing]
    """By tag."""
    cards: dict[str, dict[str, Placing]]
    """By tag and port, wherever a card connects on a port that is left."""
    seconds: float
    """What the day's copies take at the least, by lasting rates: what ways are compared by."""


@dataclass(frozen=True, slots=True)
class SharedPort:
    """A port with several drives behind it, and what it carries for all of them."""

    key: str
    tags: tuple[str, ...]
    bytes_per_s: float


class PortTable:
    """What each device comes to in each port; asked once, used for every way to plug them."""

    def __init__(self, host: Host, catalog: Catalog, shelf: Shelf, ambient_c: float,
                 owned: frozenset[str]) -> None:  # fmt: skip
        self.host = host
        self.ports = tuple(port for port in host.ports if port.plug != "internal")
        self._catalog, self._shelf, self.modes = catalog, shelf, catalog.modes
        self._ambient_c, self._owned = ambient_c, owned
        self._known: dict[tuple[Setup, str], Placing | None] = {}
        self._problems: dict[tuple[Setup, str], str] = {}

    def at(self, device: Device, port: Port) -> Placing | None:
        """Return *device* in *port* on the best cable or reader; None where nothing connects."""
        key = (device.setup, port.key)
        if key not in self._known:
            tried = placings(
                (port,),
                self.host,
                device.setup,
                self._catalog,
                self._shelf,
                self._ambient_c,
                with_readers=True,
            )
            connected = [each for each in tried if not each[1].problem]
            best = best_owned(connected, self._owned)[0] if connected else None
            self._known[key] = best
            self._problems[key] = "" if connected or not tried else tried[0][1].problem
        return self._known[key]

    def problem(self, device: Device, port: Port) -> str:
        """Return why *device* doesn't connect in *port*; "" where it does."""
        self.at(device, port)
        return self._problems[device.setup, port.key]


def plugged_ways(
    table: PortTable,
    drives: Sequence[Device],
    cards: Sequence[Device],
    fixed: Mapping[str, str],
) -> list[Plugged]:
    """Return the ways to plug *drives* so that *cards* still find a port, the quickest first.

    Args:
        table: of the computer's ports.
        drives: that each card is copied to, all at once.
        cards: of every camera.
        fixed: the port that somebody chose for a drive, by tag.

    Raises:
        BadValueError: where the computer has too few ports, or one that connects nothing.

    """
    found = []
    for ports in islice(_ports_for(table, len(drives)), _MOST_WAYS):
        pairs = list(zip(drives, ports, strict=True))
        if any(fixed.get(drive.tag, port.key) != port.key for drive, port in pairs):
            continue
        placed = {drive.tag: table.at(drive, port) for drive, port in pairs}
        known = {tag: each for tag, each in placed.items() if each is not None}
        if len(known) < len(drives):
            continue
        left = [port for port in table.ports if port not in ports]
        inserted = {card.tag: _in_ports(table, card, left) for card in cards}
        if all(inserted.values()):
            seconds = sum(_seconds(card, inserted[card.tag], known) for card in cards)
            found.append(Plugged(known, inserted, seconds))
    if not found:
        for drive in drives:
            for port in table.ports:
                why = table.problem(drive, port)
                if fixed.get(drive.tag) == port.key and why:
                    raise BadValueError(
                        f"{drive.tag} doesn't work in the {port.name} chosen for it: {why}",
                        where="station",
                        mend="Choose another port for it, or let it find its own",
                    )
        names = ", ".join(each.tag for each in drives)
        raise BadValueError(
            f"{table.host.name} has no ports that take {names} and then the cards: "
            f"{', '.join(port.name for port in table.ports)}",
            where="station",
            mend="Copy to fewer units at once, choose other ports, or another computer",
        )
    return sorted(found, key=lambda each: each.seconds)


def _ports_for(table: PortTable, count: int) -> Iterator[tuple[Port, ...]]:
    """Yield a port for each of so many drives: of its own, but for a network's, which all share."""
    shared = [port for port in table.ports if port.plug == NETWORK_PLUG]
    own = [port for port in table.ports if port.plug != NETWORK_PLUG]
    seen = set()
    for ports in permutations([*own, *shared * count], count):
        key = tuple(port.key for port in ports)
        if key not in seen:
            seen.add(key)
            yield ports


def shared_ports(drives: Mapping[str, Placing], modes: Mapping[str, LinkMode]) -> list[SharedPort]:
    """Return the ports that several of *drives* hang on at once, as a network's."""
    by_port: dict[str, list[str]] = {}
    for tag, (setup, _chain) in drives.items():
        by_port.setdefault(setup.port_key, []).append(tag)
    found = []
    for key, tags in by_port.items():
        chains = [drives[tag][1] for tag in tags]
        used = [chain.mode.key for chain in chains if chain.mode]
        larger = any(has_larger_frames(each) for each in used)
        port = chains[0].parts.port
        offered = [each for each in port.modes if has_larger_frames(each) == larger]
        best = best_mode(offered, modes)
        if len(tags) > 1 and best is not None:
            found.append(SharedPort(key, tuple(tags), best.typical_bytes_per_s))
    return found


def _in_ports(table: PortTable, card: Device, ports: Sequence[Port]) -> dict[str, Placing]:
    return {port.key: placed for port in ports if (placed := table.at(card, port)) is not None}


def _seconds(card: Device, inserted: Mapping[str, Placing], drives: Mapping[str, Placing]) -> float:
    """Return what the copies of a card's day take, drives cold and caches full."""
    read = max(chain.reading_bytes_per_s for _setup, chain in inserted.values())
    takes = [_taken_per_byte_s(placed) for placed in drives.values()]
    return card.day_bytes * max(1 / read, *takes) if takes else card.day_bytes / read


def _taken_per_byte_s(placed: Placing) -> float:
    """Return what a byte takes that is written and read back: the link carries both ways at once,
    the medium does one after the other."""
    chain = placed[1]
    writes = chain.parts.drive.behaviour or as_its_box_says(chain.parts.drive)
    medium = 1 / writes.direct_write_bytes_per_s + 1 / chain.parts.medium_read_bytes_per_s
    return max(medium, 1 / chain.link_cap_bytes_per_s, 1 / chain.reading_link_bytes_per_s)
