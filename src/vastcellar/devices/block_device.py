"""A block device as sysfs tells it: model, link speed as negotiated, temperature sensor."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True, slots=True)
class BlockDevice:
    """What hangs behind a device number; empty or 0 where the system doesn't say."""

    name: str
    model: str
    usb_bits_per_s: float
    """Speed the USB port settled on, 0 where it isn't USB."""
    temperature_path: Path | None
    encryption: str = ""
    """How what is written is encrypted by this host, as far as the device tells."""


def find_block_device(device_number: str, root: Path = Path("/")) -> BlockDevice | None:
    """Return the device of "major:minor" below *root*, or None where sysfs has none."""
    link = root / "sys/dev/block" / device_number
    try:
        place = link.resolve(strict=True)
    except OSError:
        return None
    encryption = _encryption(place)
    if (place / "partition").exists():
        place = place.parent
    return BlockDevice(
        name=place.name,
        model=_read(place / "device/model"),
        usb_bits_per_s=_usb_bits_per_s(place, root),
        temperature_path=_temperature_path(place),
        encryption=encryption,
    )


def read_temperature_c(path: Path) -> float:
    """Return the sensor's temperature (it counts millidegrees), nan where it doesn't answer."""
    try:
        return int(_read(path)) / 1000
    except ValueError:
        return math.nan


def _encryption(place: Path) -> str:
    """A device mapper's name for its use begins with CRYPT where it encrypts."""
    uuid = _read(place / "dm/uuid")
    return "dm-crypt" if uuid.startswith("CRYPT-") else ""


def _usb_bits_per_s(place: Path, root: Path) -> float:
    """The speed file of the nearest USB device above: megabits a second."""
    for folder in _upwards(place, root):
        if (folder / "busnum").exists():
            try:
                return float(_read(folder / "speed")) * 1e6
            except ValueError:
                return 0.0
    return 0.0


def _temperature_path(place: Path) -> Path | None:
    """hwmon of an NVMe controller or, with drivetemp, of the SATA device."""
    for folder in (place / "device", place / "device" / "device"):
        for pattern in ("hwmon*/temp1_input", "hwmon/hwmon*/temp1_input"):
            for path in sorted(folder.glob(pattern)):
                return path
    return None


def _upwards(place: Path, root: Path) -> Iterator[Path]:
    top = root.resolve()
    for folder in (place, *place.parents):
        if folder == top:
            return
        yield folder


def _read(path: Path) -> str:
    try:
        return path.read_text(encoding="utf-8", errors="replace").strip()
    except OSError:
        return ""
