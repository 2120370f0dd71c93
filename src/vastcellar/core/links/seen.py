"""Links as a computer says that they were negotiated, held against what they could be."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from enum import StrEnum

from vastcellar.core.errors import BadValueError
from vastcellar.core.links.links import LinkMode, pcie_mode

_USB_2_LINE_RATE_BITS_PER_S = 480e6
_RATE_TOLERANCE = 0.01


class LinkKind(StrEnum):
    """What a device hangs on."""

    USB = "usb"
    PCIE = "pcie"
    TUNNEL = "tunnel"
    """PCIe carried by a 40G port (bolt mark)."""
    SATA = "sata"
    CARD = "card"
    """A card slot of the computer's own."""
    NETWORK = "network"
    VIRTUAL = "virtual"
    """A loop device, a virtual machine's disk or the like: no cable and no port."""
    UNKNOWN = ""


# How the keys of the catalog's modes begin, by kind; a tunnel of two lanes can't be told from one
# of four by its rate, nor long Ethernet frames from short ones: the plain mode stands for both.
_FAMILIES = {
    LinkKind.USB: "usb-",
    LinkKind.TUNNEL: "tunnel-",
    LinkKind.SATA: "sata-",
    LinkKind.NETWORK: "eth-",
}
_VARIANTS = ("-x2", "-jumbo")


def mode_seen(
    kind: LinkKind,
    line_rate_bits_per_s: float,
    modes: Mapping[str, LinkMode],
    *,
    pcie_generation: int = 0,
    lanes: int = 0,
) -> LinkMode | None:
    """Return the mode that a link settled on; None where the computer doesn't say enough.

    Args:
        kind: what the device hangs on.
        line_rate_bits_per_s: as negotiated; 0 where it isn't known.
        modes: every known mode by key.
        pcie_generation: of a PCIe link, else 0.
        lanes: of a PCIe link, else 0.
    """
    if kind is LinkKind.PCIE:
        try:
            return pcie_mode(pcie_generation, lanes)
        except BadValueError:
            return None
    family = _FAMILIES.get(kind)
    if family is None or line_rate_bits_per_s <= 0:
        return None
    alike = [
        mode
        for key, mode in modes.items()
        if key.startswith(family)
        and not key.endswith(_VARIANTS)
        and abs(mode.line_rate_bits_per_s / line_rate_bits_per_s - 1) <= _RATE_TOLERANCE
    ]
    return alike[0] if len(alike) == 1 else None


class Suspect(StrEnum):
    """What may have made a link fall back."""

    HUB = "hub"
    CABLE = "cable"
    PORT = "port"


@dataclass(frozen=True, slots=True)
class LinkFall:
    """A link below what its unit can do, and what may be the reason, likeliest first."""

    mode: LinkMode
    could: LinkMode
    suspects: tuple[Suspect, ...]


def link_fall(
    mode: LinkMode,
    could: LinkMode | None,
    *,
    port_line_rate_bits_per_s: float = 0.0,
    hub_line_rates_bits_per_s: Iterable[float] = (),
    most_line_rate_bits_per_s: float = 0.0,
    modes: Mapping[str, LinkMode],
) -> LinkFall | None:
    """Return how far *mode* is below what the unit could do here; None where it isn't.

    A hub whose own link is no faster explains it; so does a port. Where neither does, or neither
    says, the cable is left. On a USB 2 wire no hub and no port is asked: such a port has the other
    pairs too, and the cable or a plug that isn't in whole lacks them.

    Args:
        mode: as negotiated.
        could: the best that the unit's case or card has, or did before; None where it isn't known.
        port_line_rate_bits_per_s: of the port's controller, 0 where it isn't known.
        hub_line_rates_bits_per_s: of the hubs between, 0 where one isn't known.
        most_line_rate_bits_per_s: what the device itself says that it could at least, else 0.
        modes: every known mode by key.
    """
    best = could
    if most_line_rate_bits_per_s > mode.line_rate_bits_per_s:
        says = mode_seen(LinkKind.USB, most_line_rate_bits_per_s, modes)
        known = [each for each in (best, says) if each is not None]
        best = max(known, key=lambda each: each.ceiling_bytes_per_s, default=None)
    if best is None or best.ceiling_bytes_per_s <= mode.ceiling_bytes_per_s:
        return None
    rate = mode.line_rate_bits_per_s
    if abs(rate / _USB_2_LINE_RATE_BITS_PER_S - 1) <= _RATE_TOLERANCE:
        return LinkFall(mode, best, (Suspect.CABLE,))
    suspects = []
    if any(0 < hub <= rate * (1 + _RATE_TOLERANCE) for hub in hub_line_rates_bits_per_s):
        suspects.append(Suspect.HUB)
    if 0 < port_line_rate_bits_per_s <= rate * (1 + _RATE_TOLERANCE):
        suspects.append(Suspect.PORT)
    # A port that is known to be no faster explains it whole; a hub leaves the cable beside it.
    if Suspect.PORT not in suspects:
        suspects.append(Suspect.CABLE)
    if not port_line_rate_bits_per_s and Suspect.HUB not in suspects:
        suspects.append(Suspect.PORT)
    return LinkFall(mode, best, tuple(suspects))
