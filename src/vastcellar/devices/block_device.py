"""A block device as sysfs tells it: model, link speed as negotiated, temperature sensor."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.devices.system import read_text

_BUSES = ((r"usb\d+", "usb"), (r"nvme\d+", "nvme"), (r"ata\d+", "ata"), (r"mmc\d+", "mmc"),
          (r"virtio\d+", "virtio"))  # fmt: skip
_SECTOR_BYTES = 512  # sysfs counts so, whatever the device's own sectors are


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
    identity: DeviceIdentity = field(default_factory=DeviceIdentity)
    """Which device it is, with the UUID of the file system that was asked about."""


def find_block_device(device_number: str, root: Path = Path("/")) -> BlockDevice | None:
    """Return the device of "major:minor" below *root*, or None where sysfs has none."""
    link = root / "sys/dev/block" / device_number
    try:
        place = link.resolve(strict=True)
    except OSError:
        return None
    encryption = _encryption(place)
    uuid = _file_system_uuid(place.name, device_number, root)
    if (place / "partition").exists():
        place = place.parent
    drive = _under_mapper(place)
    return BlockDevice(
        name=drive.name,
        model=_model(drive),
        usb_bits_per_s=_usb_bits_per_s(drive, root),
        temperature_path=_temperature_path(drive),
        encryption=encryption,
        identity=DeviceIdentity(
            _model(drive), _serial(drive), _size_bytes(drive), uuid, _bus(drive)
        ),
    )


def read_temperature_c(path: Path) -> float:
    """Return the sensor's temperature (it counts millidegrees), nan where it doesn't answer."""
    try:
        return int(read_text(path)) / 1000
    except ValueError:
        return math.nan


def _encryption(place: Path) -> str:
    """A device mapper's name for its use begins with CRYPT where it encrypts."""
    uuid = read_text(place / "dm/uuid")
    return "dm-crypt" if uuid.startswith("CRYPT-") else ""


def _under_mapper(place: Path) -> Path:
    """Return the drive under an encryption layer or the like, where there is exactly one."""
    for _ in range(8):  # layers can be stacked; a made-up tree could lead in circles
        below = sorted((place / "slaves").glob("*")) if (place / "dm").is_dir() else []
        if len(below) != 1:
            break
        place = below[0].resolve()
        if (place / "partition").exists():
            place = place.parent
    return place


def _model(place: Path) -> str:
    # A loop device is as good as the image behind it: its path is all that it says of itself.
    return read_text(place / "device/model") or read_text(place / "loop/backing_file")


def _serial(place: Path) -> str:
    """Return the serial number that the drive, or the USB device that it hangs on, gives.

    Of a card in a reader none: the number is the reader's, and every card in it would have it.
    """
    if read_text(place / "removable") == "1":
        return read_text(place / "device/cid")
    for name in ("device/serial", "serial", "device/cid"):
        if found := read_text(place / name):
            return found
    page = read_text(place / "device/vpd_pg80")
    if found := "".join(c for c in page if c.isprintable()).strip():
        return found
    for folder in place.parents:
        if (folder / "busnum").exists():
            return read_text(folder / "serial")
    return ""


def _bus(place: Path) -> str:
    """Return what the drive hangs on, as its place in sysfs has it; the nearest counts.

    Of a card in a reader nothing: it may be in another one tomorrow.
    """
    if read_text(place / "removable") == "1":
        return ""
    for part in reversed(place.parts):
        for sign, bus in _BUSES:
            if re.fullmatch(sign, part):
                return bus
    return ""


def _size_bytes(place: Path) -> int:
    try:
        return int(read_text(place / "size")) * _SECTOR_BYTES
    except ValueError:
        return 0


def _file_system_uuid(name: str, device_number: str, root: Path) -> str:
    """Return the UUID as udev knows it, "" where it doesn't."""
    for line in read_text(root / "run/udev/data" / f"b{device_number}").splitlines():
        if line.startswith("E:ID_FS_UUID="):
            return line.partition("=")[2].strip()
    try:
        links = sorted((root / "dev/disk/by-uuid").iterdir())
    except OSError:
        return ""
    for link in links:
        try:
            if link.is_symlink() and Path(link.readlink()).name == name:
                return link.name
        except OSError:
            continue
    return ""


def _usb_bits_per_s(place: Path, root: Path) -> float:
    """The speed file of the nearest USB device above: megabits a second."""
    for folder in _upwards(place, root):
        if (folder / "busnum").exists():
            try:
                return float(read_text(folder / "speed")) * 1e6
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
