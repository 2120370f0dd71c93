"""Hubs and docks on the way: what their uplinks settle on, and what is left for each device."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from vastcellar.core.checks import require_between, require_not_negative
from vastcellar.core.errors import BadValueError
from vastcellar.core.links.links import Cable, LinkMode, Negotiated, Port, negotiate


@dataclass(frozen=True, slots=True)
class Hub:
    """A hub or dock: one uplink, shared by all that hangs behind it."""

    key: str
    name: str
    uplink_modes: tuple[str, ...]
    downlink_modes: tuple[str, ...]
    slots: int
    price: float = 0.0
    note: str = ""
    takes: tuple[str, ...] = ()
    """Kinds of cases that slide into it, for a dock; () for a hub with sockets."""
    delivery_days: float | None = None
    """Until it is there when it is ordered; None where nobody knows."""

    def __post_init__(self) -> None:
        where = f"hub {self.key!r}"
        require_between(where, 1, 64, slots=self.slots)
        require_not_negative(where, price=self.price, delivery_days=self.delivery_days or 0.0)
        if not self.uplink_modes or not self.downlink_modes:
            raise BadValueError(
                "it has no link mode on one side",
                where=where,
                mend="List uplink_modes and downlink_modes",
            )


@dataclass(frozen=True, slots=True)
class Route:
    """The way from a port to a device: an uplink for each hub, then the device's own link."""

    device: Negotiated
    uplinks: tuple[Negotiated, ...] = ()

    @property
    def broken_at(self) -> Negotiated | None:
        """Return the first link that settles on nothing, or None."""
        return next((link for link in (*self.uplinks, self.device) if link.mode is None), None)


def is_dock(hub: Hub) -> bool:
    """Return whether cases slide into *hub*, and hang on no cable of their own."""
    return bool(hub.takes)


def ring_of(hubs: tuple[Hub, ...]) -> str:
    """Return the name of a hub that stands twice on the way, or ""."""
    seen: set[str] = set()
    for hub in hubs:
        if hub.key in seen:
            return hub.name
        seen.add(hub.key)
    return ""


def route(
    port: Port,
    cable: Cable | None,
    hubs: tuple[Hub, ...],
    device_modes: tuple[str, ...],
    modes: Mapping[str, LinkMode],
) -> Route:
    """Return what every link on the way settles on.

    The cable lies between port and first hub; behind a hub devices are plugged in directly, as in
    a dock. A hub passes a tunnel on only where its own uplink is one.
    """
    outlet, uplinks = outlet_behind(port, cable, hubs, modes)
    found = negotiate(outlet, None if hubs else cable, device_modes, modes)
    if hubs and found.mode is not None:
        found = replace(found, why=f"behind {hubs[-1].name}: {found.why}")
    return Route(found, uplinks)


def outlet_behind(
    port: Port, cable: Cable | None, hubs: tuple[Hub, ...], modes: Mapping[str, LinkMode]
) -> tuple[Port, tuple[Negotiated, ...]]:
    """Return where a device is plugged in, and what each uplink on the way there settles on.

    Args:
        port: of the host.
        cable: between it and the first hub, or the device where there is none.
        hubs: on the way; without one the outlet is *port* itself.
        modes: every known mode by key.

    """
    uplinks = []
    outlet = port
    for hub in hubs:
        uplink = negotiate(outlet, cable, hub.uplink_modes, modes)
        uplinks.append(uplink)
        cable = None
        passed_on = hub.downlink_modes
        if uplink.mode is None or not _is_tunnel(uplink.mode.key):
            passed_on = tuple(key for key in passed_on if not _is_tunnel(key))
        outlet = Port(hub.key, hub.name, "slot", passed_on)
    return outlet, tuple(uplinks)


def uplink_bytes_per_s(uplink: Negotiated, sharing: int) -> float:
    """Return what an uplink leaves each of so many devices that are busy at once, in use."""
    return shared_bytes_per_s(uplink.mode, sharing) if uplink.mode else 0.0


def shared_bytes_per_s(mode: LinkMode, sharing: int) -> float:
    """Return what a link leaves each of so many devices that are busy at once, in use."""
    return mode.typical_bytes_per_s / sharing


def _is_tunnel(key: str) -> bool:
    return key.startswith(("tunnel", "usb4"))
