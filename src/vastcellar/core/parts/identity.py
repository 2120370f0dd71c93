"""Which device it is: what a unit is bound to, so that no other drive can prove anything of it."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID

_LEAST_SERIAL = 4
_OTHER_SIZE_SHARE = 0.1
"""A drive holds what its box says to within a few percent, in whatever units that is: one that
differs more is another, or a false one."""
_SIZE_TOLERANCE = 0.01
# What bridges put in place of the drive's own serial number, seen on many devices alike.
_HIDING = ("0123456789abcdef", "123456789abcdef", "1234567890", "fedcba9876543210")


KERNEL_ID = "fsid-"
"""Begins what the kernel hands out for a mounted file system, where its UUID can't be asked."""


def kernel_id(file_system_uuid: str) -> str:
    """Return what the kernel makes of an ext4 file system's UUID, "" of what is none.

    Source: ext4's statfs: both halves of the UUID, little-endian, xored.
    """
    try:
        raw = UUID(file_system_uuid).bytes
    except ValueError:
        return ""
    number = int.from_bytes(raw[:8], "little") ^ int.from_bytes(raw[8:], "little")
    return f"{KERNEL_ID}{number:016x}"


def is_same_file_system(one: str, other: str) -> bool:
    """Return whether two identifiers are of one file system, however each was found out.

    A busy computer may answer with the kernel's today and with the UUID tomorrow.
    """
    if not one or not other:
        return False
    return one == other or kernel_id(one) == other or one == kernel_id(other)


def is_as_large(one_bytes: float, other_bytes: float) -> bool:
    """Return whether a device of one size can be one whose record gives the other."""
    sizes = one_bytes, other_bytes
    return min(sizes) >= (1 - _OTHER_SIZE_SHARE) * max(sizes)


@dataclass(frozen=True, slots=True)
class DeviceIdentity:
    """What a device says of itself; empty or 0 where it says nothing."""

    model: str = ""
    serial: str = ""
    size_bytes: int = 0
    file_system_uuid: str = ""
    """Tells cards, images and drives apart whose bridge hides the serial number."""
    bus: str = ""
    """That it hangs on: "usb", "nvme", "ata", "mmc", "virtio"; "" for a card in a reader."""

    @property
    def has_own_serial(self) -> bool:
        """Whether the serial number is the device's own, as far as can be seen."""
        bare = self.serial.strip().lower().replace("-", "").replace(" ", "")
        if len(bare.lstrip("0")) < _LEAST_SERIAL or len(set(bare)) == 1:
            return False
        return not any(bare in known or known in bare for known in _HIDING)

    @property
    def is_telling(self) -> bool:
        """Whether it can be told from other devices at all."""
        return self.has_own_serial or bool(self.file_system_uuid)

    def is_same_as(self, other: DeviceIdentity) -> bool | None:
        """Return whether both are one device; None where neither serial nor UUID tells.

        The serial number counts where both have one of their own, else the file system's UUID: a
        drive that was formatted anew behind a bridge without serial is another one until it is
        bound again.
        """
        if self.has_own_serial and other.has_own_serial:
            return (self.serial, self.model) == (other.serial, other.model)
        if self.file_system_uuid and other.file_system_uuid:
            ids = self.file_system_uuid, other.file_system_uuid
            return is_same_file_system(*ids) and self._is_built_as(other)
        return None

    def _is_built_as(self, other: DeviceIdentity) -> bool:
        """Whether size, model and bus agree: a copy of a whole disk has its file system's UUID.

        Of a card model and bus are its reader's, and it goes into many: it has no bus, and its
        size has to do, as for devices that were bound before buses were noted.
        """
        if not self._as_large_as(other):
            return False
        if not (self.bus and other.bus):
            return True
        models = self.model, other.model
        return self.bus == other.bus and (not all(models) or models[0] == models[1])

    def is_as_large_as(self, capacity_bytes: float) -> bool:
        """Whether a drive sold as *capacity_bytes* can be this device; True if it says none."""
        sizes = float(self.size_bytes), float(capacity_bytes)
        return not all(sizes) or is_as_large(*sizes)

    def _as_large_as(self, other: DeviceIdentity) -> bool:
        # An image of a drive has its UUID, and seldom its size.
        sizes = self.size_bytes, other.size_bytes
        return not all(sizes) or min(sizes) >= (1 - _SIZE_TOLERANCE) * max(sizes)
