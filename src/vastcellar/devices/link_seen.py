"""How a device hangs on this computer: the link as negotiated, the hubs up to the controller.

Source of the names: Linux ``Documentation/ABI`` for the USB and PCI buses, for the routers of
tunnelled links (``rx_speed``, ``rx_lanes``) and for sysfs-ata.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from vastcellar.core.links.seen import LinkKind
from vastcellar.devices.system import System, one_line, read_text, whole_number

_PCI_PLACE = re.compile(r"[0-9a-f]{4}:[0-9a-f]{2}:[0-9a-f]{2}\.[0-7]")
_GIGATRANSFERS = re.compile(r"([0-9]+(?:\.[0-9]+)?)\s*GT/s")
_GIGABITS = re.compile(r"([0-9]+(?:\.[0-9]+)?)\s*Gb(?:ps|/s)")
_UHS = re.compile(r"timing spec:\s*[0-9]+\s*\(([^)]*)\)")
_GENERATIONS = {2.5: 1, 5.0: 2, 8.0: 3, 16.0: 4, 32.0: 5}
_BULK_ONLY, _UAS = 0x50, 0x62
"""bInterfaceProtocol of the mass storage class."""
_SUPER_SPEED, _USB_2_1, _USB_3 = 5e9, 2.1, 3.0
_MOST_STEPS = 64


@dataclass(frozen=True, slots=True)
class HubSeen:
    """A hub between the device and its controller."""

    place: str
    name: str
    line_rate_bits_per_s: float
    """Of its own link upwards, which all that hang on it share."""
    storage_on_it: tuple[str, ...] = ()
    """Names of the other block devices on it."""


@dataclass(frozen=True, slots=True)
class LinkSeen:
    """A link as it was negotiated; 0 and "" where the system doesn't say."""

    kind: LinkKind
    line_rate_bits_per_s: float = 0.0
    lanes: int = 0
    pcie_generation: int = 0
    most_line_rate_bits_per_s: float = 0.0
    """Of what the device itself says that it can."""
    most_lanes: int = 0
    driver: str = ""
    """"uas" or "bulk-only" of a USB bridge, the card's timing of a slot."""
    bridge_id: str = ""
    place: str = ""
    """Where on its bus, as the kernel counts ports: "2-1.3"."""
    hubs: tuple[HubSeen, ...] = ()
    """From the device upwards."""
    port_line_rate_bits_per_s: float = 0.0
    """Of the controller that the USB port hangs on: what the port does at best."""
    controller: str = ""

    @property
    def is_below_its_best(self) -> bool:
        """Whether the device says itself that it could do more than was settled on."""
        return (
            0 < self.line_rate_bits_per_s < self.most_line_rate_bits_per_s
            or 0 < self.lanes < self.most_lanes
        )


def read_link(system: System, block: Path) -> LinkSeen:
    """Return how the disk whose sysfs folder is *block*, with all links followed, hangs."""
    above = list(_upwards(block, system.path("sys")))
    usb = [folder for folder in above if (folder / "busnum").exists()]
    if usb:
        return _usb_link(usb, above)
    if any(folder.name.startswith("mmc") for folder in above):
        return _card_link(system, above)
    if (ata := next((f for f in above if re.fullmatch(r"ata[0-9]+", f.name)), None)) is not None:
        return _sata_link(ata, above)
    pci = [folder for folder in above if _PCI_PLACE.fullmatch(folder.name)]
    if "virtual" in block.parts or any(folder.name.startswith("virtio") for folder in above):
        return LinkSeen(LinkKind.VIRTUAL)
    if pci:
        return _pcie_link(system, pci)
    return LinkSeen(LinkKind.UNKNOWN)


def _upwards(place: Path, top: Path) -> Iterator[Path]:
    end = top.resolve()
    for folder in (place, *list(place.parents)[:_MOST_STEPS]):
        if folder == end:
            return
        yield folder


# USB


def _usb_link(usb: list[Path], above: list[Path]) -> LinkSeen:
    device, hubs = usb[0], usb[1:]
    interface = next((f for f in above if (f / "bInterfaceClass").exists()), device)
    rate = _usb_rate(device)
    return LinkSeen(
        LinkKind.USB,
        line_rate_bits_per_s=rate,
        most_line_rate_bits_per_s=_least_that_usb_could(device, rate),
        lanes=whole_number(read_text(device / "rx_lanes")),
        driver=_usb_driver(interface),
        bridge_id=_bridge_id(device),
        place=device.name,
        # The last one is the controller's own, no box that somebody could leave out.
        hubs=tuple(_hub(hub) for hub in hubs[:-1]),
        port_line_rate_bits_per_s=_usb_rate(hubs[-1]) if hubs else 0.0,
        controller=_controller(above),
    )


def _usb_rate(device: Path) -> float:
    """The file ``speed`` counts megabits a second; low speed has 1.5 of them."""
    try:
        megabits = float(read_text(device / "speed"))
    except ValueError:
        return 0.0
    return megabits * 1e6 if 0 < megabits < 1e6 else 0.0


def _least_that_usb_could(device: Path, rate: float) -> float:
    """Return 5 Gb/s for a USB 3 device on a USB 2 wire, 0 where nothing speaks of more.

    At high speed a device of USB 3 calls itself 2.1 (USB 3.2 specification, 9.6.1); how far above
    5 Gb/s it could go is nowhere in sysfs.
    """
    try:
        version = float(read_text(device / "version"))
    except ValueError:
        return 0.0
    return _SUPER_SPEED if 0 < rate < _SUPER_SPEED and _USB_2_1 <= version < _USB_3 else 0.0


def _usb_driver(interface: Path) -> str:
    try:
        driver = (interface / "driver").readlink().name
    except OSError:
        driver = ""
    protocol = _hex(interface / "bInterfaceProtocol")
    if driver == "uas" or (not driver and protocol == _UAS):
        return "uas"
    # A bridge that could do UAS runs bulk-only where the kernel knows that it fails at it.
    if driver == "usb-storage" or (not driver and protocol == _BULK_ONLY):
        return "bulk-only"
    return one_line(driver)


def _bridge_id(device: Path) -> str:
    vendor, product = read_text(device / "idVendor"), read_text(device / "idProduct")
    is_whole = all(re.fullmatch(r"[0-9a-fA-F]{4}", part) for part in (vendor, product))
    return f"{vendor}:{product}".lower() if is_whole else ""


def _hub(hub: Path) -> HubSeen:
    maker, product = read_text(hub / "manufacturer"), read_text(hub / "product")
    name = one_line(f"{maker} {product}") or f"hub {_bridge_id(hub)}".strip()
    return HubSeen(hub.name, name, _usb_rate(hub))


def _hex(path: Path) -> int:
    try:
        return int(read_text(path)[:8], 16)
    except ValueError:
        return 0


def _controller(above: list[Path]) -> str:
    return next((f.name for f in above if _PCI_PLACE.fullmatch(f.name)), "")


# Card slots, SATA, PCIe


def _card_link(system: System, above: list[Path]) -> LinkSeen:
    """Only debugfs tells the timing that was settled on, and only root may read it."""
    host = next((f.name for f in above if re.fullmatch(r"mmc[0-9]+", f.name)), "")
    timing = _UHS.search(read_text(system.path(f"sys/kernel/debug/{host}/ios"))) if host else None
    return LinkSeen(
        LinkKind.CARD, driver=one_line(timing[1]) if timing else "", controller=_controller(above)
    )


def _sata_link(ata: Path, above: list[Path]) -> LinkSeen:
    link = next(iter(sorted(ata.glob("link*/ata_link/link*"))), ata)
    return LinkSeen(
        LinkKind.SATA,
        line_rate_bits_per_s=_gigabits(read_text(link / "sata_spd")),
        most_line_rate_bits_per_s=_gigabits(read_text(link / "hw_sata_spd_limit")),
        controller=_controller(above),
    )


def _gigabits(text: str) -> float:
    found = _GIGABITS.match(text)
    return float(found[1]) * 1e9 if found else 0.0


def _pcie_link(system: System, pci: list[Path]) -> LinkSeen:
    device = pci[0]
    tunnel = _tunnel_rate(system, pci)
    if tunnel is not None:
        rate, lanes = tunnel
        return LinkSeen(
            LinkKind.TUNNEL, line_rate_bits_per_s=rate, lanes=lanes, controller=pci[-1].name
        )
    now, most = (_gigatransfers(device / f"{which}_link_speed") for which in ("current", "max"))
    lanes, most_lanes = (
        whole_number(read_text(device / f"{which}_link_width")) for which in ("current", "max")
    )
    return LinkSeen(
        LinkKind.PCIE,
        line_rate_bits_per_s=now * 1e9 * lanes,
        lanes=lanes,
        pcie_generation=_GENERATIONS.get(now, 0),
        most_line_rate_bits_per_s=most * 1e9 * most_lanes,
        most_lanes=most_lanes,
        controller=pci[-1].name,
    )


def _gigatransfers(path: Path) -> float:
    found = _GIGATRANSFERS.match(read_text(path))
    return float(found[1]) if found else 0.0


def _tunnel_rate(system: System, pci: list[Path]) -> tuple[float, int] | None:
    """Return rate and lanes of the cable that carries the device's PCIe; None for none.

    What is tunnelled says 2.5 GT/s of itself whatever it carries; the router in the box tells the
    cable's rate. Which router it is isn't said anywhere: one plugged-in box is the one, of several
    none is named.
    """
    if not any(read_text(folder / "removable") == "removable" for folder in pci):
        return None
    routers = [
        folder
        for folder in sorted(system.path("sys/bus").glob("*/devices/*-*"))
        # On whatever bus they are: nothing else tells what it receives.
        if (folder / "rx_speed").exists()
        and not folder.name.endswith("-0")
        # Another computer on such a cable tells its speed too, and isn't authorized by anybody.
        and (folder / "authorized").exists()
    ]
    if len(routers) != 1:
        return 0.0, 0
    lanes = whole_number(read_text(routers[0] / "rx_lanes"))
    return _gigabits(read_text(routers[0] / "rx_speed")) * lanes, lanes
