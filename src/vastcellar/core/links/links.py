"""Link standards and negotiation: the best mode that port, cable and device all have."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from fractions import Fraction

from vastcellar.core.checks import require_above_zero, require_not_negative
from vastcellar.core.errors import BadValueError

# Passive cables rated for 40G hold it up to about this length, then fall back to 20G.
PASSIVE_40G_LENGTH_M = 0.8
# A Type-A plug has one pair of lanes each way at 10 Gb/s and no more.
TYPE_A_LINE_RATE_BITS_PER_S = 10e9
_40G_LINE_RATE_BITS_PER_S = 40e9
NETWORK_PLUG = "RJ45"
LARGER_FRAMES = "-jumbo"
"""What the key of a network link with larger frames ends in."""


@dataclass(frozen=True, slots=True)
class LinkMode:
    """One way a link can run. The typical range is what good bridges reach, an assumption."""

    key: str
    name: str
    short: str
    line_rate_bits_per_s: float
    efficiency: Fraction
    """Payload bits per line bit: the line code and, for USB 2.0 and Ethernet, the framing."""
    typical_low_bytes_per_s: float
    typical_high_bytes_per_s: float
    source: str

    def __post_init__(self) -> None:
        where = f"link mode {self.key!r}"
        require_above_zero(
            where,
            line_rate_bits_per_s=self.line_rate_bits_per_s,
            efficiency=float(self.efficiency),
            typical_low_bytes_per_s=self.typical_low_bytes_per_s,
        )
        if not (
            self.typical_low_bytes_per_s
            <= self.typical_high_bytes_per_s
            <= self.ceiling_bytes_per_s * 1.0001
        ):
            raise BadValueError(
                f"typical {self.typical_low_bytes_per_s / 1e6:g}-"
                f"{self.typical_high_bytes_per_s / 1e6:g} MB/s does not fit under the ceiling "
                f"of {self.ceiling_bytes_per_s / 1e6:.1f} MB/s",
                where=where,
                mend="Give low <= high <= ceiling",
            )

    @property
    def ceiling_bytes_per_s(self) -> float:
        """Payload ceiling = line rate x efficiency / 8."""
        return self.line_rate_bits_per_s * float(self.efficiency) / 8

    @property
    def typical_bytes_per_s(self) -> float:
        """The middle of the typical range."""
        return (self.typical_low_bytes_per_s + self.typical_high_bytes_per_s) / 2


# Transfer rate a lane in GT/s and line code, by PCI Express base specification generation.
_PCIE_LANES = {
    1: (2.5e9, Fraction(8, 10)),
    2: (5e9, Fraction(8, 10)),
    3: (8e9, Fraction(128, 130)),
    4: (16e9, Fraction(128, 130)),
    5: (32e9, Fraction(128, 130)),
}
_PCIE_TYPICAL = (0.87, 0.91)


def pcie_mode(generation: int, lanes: int) -> LinkMode:
    """Return the link mode of so many PCIe lanes.

    Raises BadValueError for a generation or width that does not exist.
    Source: PCI Express base specification; 0.87-0.91 of the ceiling in use is typical.
    """
    if generation not in _PCIE_LANES or lanes not in (1, 2, 4, 8, 16):
        raise BadValueError(
            f"PCIe {generation}.0 x{lanes} does not exist",
            where="PCIe lanes",
            mend="Use generation 1 to 5 with 1, 2, 4, 8 or 16 lanes",
        )
    per_lane, efficiency = _PCIE_LANES[generation]
    ceiling = per_lane * lanes * float(efficiency) / 8
    return LinkMode(
        key=f"pcie-{generation}-x{lanes}",
        name=f"PCIe {generation}.0 x{lanes}",
        short=f"PCIe {generation} x{lanes}",
        line_rate_bits_per_s=per_lane * lanes,
        efficiency=efficiency,
        typical_low_bytes_per_s=ceiling * _PCIE_TYPICAL[0],
        typical_high_bytes_per_s=ceiling * _PCIE_TYPICAL[1],
        source="PCI Express base specification; in use 0.87-0.91 of it (typical)",
    )


def has_larger_frames(key: str) -> bool:
    """Whether a network link runs with larger frames: only where both ends are set to them."""
    return key.endswith(LARGER_FRAMES)


@dataclass(frozen=True, slots=True)
class Port:
    """A port or card slot of a computer or camera, with the modes its controller has."""

    key: str
    name: str
    plug: str
    """"C", "A", "RJ45", or the kind of slot; a slot takes no cable."""
    modes: tuple[str, ...]
    power_w: float = 0.0
    """What it gives at most, 0 where it isn't known."""

    @property
    def is_slot(self) -> bool:
        """Whether a card goes straight in."""
        return self.plug not in ("C", "A", NETWORK_PLUG)


@dataclass(frozen=True, slots=True)
class Cable:
    """A cable with a rating of its own."""

    key: str
    name: str
    modes: tuple[str, ...]
    length_m: float
    plugs: tuple[str, str] = ("C", "C")
    is_active: bool = False
    price: float = 0.0
    is_angled: bool = False
    """Whether the device's plug turns off sideways, as in a mount with no room behind it."""
    delivery_days: float | None = None
    """Until it is there when it is ordered; None where nobody knows."""

    def __post_init__(self) -> None:
        require_above_zero(f"cable {self.key!r}", length_m=self.length_m)
        require_not_negative(f"cable {self.key!r}", delivery_days=self.delivery_days or 0.0)
        require_not_negative(f"cable {self.key!r}", price=self.price)

    def fits(self, port: Port) -> bool:
        """Return whether one end goes into *port* and the other into a device.

        A device has a Type-C plug; at the end of a network port there is another one.
        """
        device = NETWORK_PLUG if port.plug == NETWORK_PLUG else "C"
        return self.plugs in ((port.plug, device), (device, port.plug))


@dataclass(frozen=True, slots=True)
class Negotiated:
    """What a link settles on. ``mode`` is None where nothing is common: no connection."""

    mode: LinkMode | None
    why: str
    limited_by: str
    """"port", "cable", "device", or "" where all reach their best."""


def cable_modes(cable: Cable, modes: Mapping[str, LinkMode]) -> tuple[tuple[str, ...], str]:
    """Return the modes that *cable* really carries, and the rule that took some away, if any."""
    carried, rule = list(cable.modes), ""
    if "A" in cable.plugs:
        kept = [
            key for key in carried if modes[key].line_rate_bits_per_s <= TYPE_A_LINE_RATE_BITS_PER_S
        ]
        if len(kept) < len(carried):
            carried, rule = kept, "a Type-A plug never carries more than 10G"
    if not cable.is_active and cable.length_m > PASSIVE_40G_LENGTH_M:
        kept = [
            key for key in carried if modes[key].line_rate_bits_per_s < _40G_LINE_RATE_BITS_PER_S
        ]
        if len(kept) < len(carried):
            length = f"{cable.length_m:g} m"
            carried, rule = kept, f"a passive 40G cable of {length} drops to 20G"
    return tuple(carried), rule


def best_mode(keys: Iterable[str], modes: Mapping[str, LinkMode]) -> LinkMode | None:
    """Return the mode with the highest payload ceiling, or None of none."""
    return max((modes[key] for key in keys), key=lambda m: m.ceiling_bytes_per_s, default=None)


def negotiate(
    port: Port,
    cable: Cable | None,
    device_modes: tuple[str, ...],
    modes: Mapping[str, LinkMode],
) -> Negotiated:
    """Return the best mode that *port*, *cable* and the device all have, and why it is that one.

    Args:
        port: with its modes.
        cable: or None where the device goes straight into a slot.
        device_modes: keys of the modes of the bridge or card.
        modes: every known mode by key.
    """
    carried, rule = cable_modes(cable, modes) if cable else (tuple(modes), "")
    if cable and not cable.fits(port):
        ends = " to ".join(cable.plugs)
        why = f"the {cable.name} ({ends}) has no Type-{port.plug} plug for this port"
        if port.plug in cable.plugs:
            why = f"the {cable.name} ({ends}) would leave its {cable.plugs[0]} end to the device"
        return Negotiated(None, why, "cable")
    common = set(port.modes) & set(carried) & set(device_modes)
    mode = best_mode(common, modes)
    if mode is None:
        return Negotiated(None, _why_nothing(port, carried, device_modes, modes), "port")
    return Negotiated(mode, *_why(mode, port, carried, rule, device_modes, modes))


def _why_nothing(
    port: Port,
    carried: tuple[str, ...],
    device_modes: tuple[str, ...],
    modes: Mapping[str, LinkMode],
) -> str:
    if set(port.modes) & set(device_modes):
        return "the cable carries none of the modes that port and device share: no connection"
    wants = " or ".join(modes[key].short for key in device_modes)
    has = " or ".join(modes[key].short for key in port.modes)
    if all(key.startswith("tunnel") for key in device_modes):
        return f"a tunnel-only device on a plain USB port gives nothing at all (port: {has})"
    return f"the device speaks {wants}, the port {has}: no connection"


def _why(
    mode: LinkMode,
    port: Port,
    carried: tuple[str, ...],
    rule: str,
    device_modes: tuple[str, ...],
    modes: Mapping[str, LinkMode],
) -> tuple[str, str]:
    """Say in a sentence what keeps the link at *mode*, and which part that is."""
    without_cable = best_mode(set(port.modes) & set(device_modes), modes)
    if without_cable is not None and without_cable.key != mode.key:
        reason = rule or f"the cable carries {mode.short} at most"
        return f"{reason}; port and device could do {without_cable.short}", "cable"
    port_best = best_mode(port.modes, modes)
    device_best = best_mode(device_modes, modes)
    assert port_best is not None  # they share a mode, so each has one
    assert device_best is not None
    if mode.key not in (port_best.key, device_best.key):
        return (
            f"port ({port_best.short}) and device ({device_best.short}) share no faster mode, "
            f"so both fall back to {mode.short}",
            "port",
        )
    if device_best.key != mode.key:
        return f"the port has no {device_best.short}, so the device runs at {mode.short}", "port"
    if port_best.key != mode.key:
        return (
            f"the device does {mode.short} at most, the port could do {port_best.short}",
            "device",
        )
    return f"port, cable and device all reach {mode.short}" if rule == "" else rule, ""
