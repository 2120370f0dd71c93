"""A folder as a place to test in: its file system, its device, and what may be filled of it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

from vastcellar.bench.folder_target import FolderTarget
from vastcellar.core.errors import BadValueError, DiskError
from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.core.units import PLAIN
from vastcellar.devices.behind import IN_MEMORY
from vastcellar.devices.block_device import (
    BlockDevice,
    find_block_device,
    read_temperature_c,
)
from vastcellar.devices.file_system_id import file_system_uuid
from vastcellar.devices.mounts import Mount, mount_of

_LEAST_RESERVE_BYTES = 64 * 2**20
_RESERVE_SHARE = 0.01


@dataclass(frozen=True, slots=True)
class Place:
    """Where a test will write."""

    folder_name: str
    mount: Mount
    device: BlockDevice | None

    @property
    def caution(self) -> str:
        """What makes a measurement here none of a drive; "" where nothing does."""
        if self.mount.is_in_memory:
            on = "" if self.mount.file_system in IN_MEMORY else ", as an image or a disk made of it"
            return (
                f"the folder lies in the computer's memory ({self.mount.file_system}{on}): what is "
                "measured there is no drive"
            )
        if self.mount.is_over_network:
            return (
                f"the folder lies on another computer ({self.mount.file_system}): what is "
                "measured there is the network, too, and proves nothing of a drive"
            )
        return ""

    @property
    def identity(self) -> DeviceIdentity:
        """Which device it is, as far as it says; may ask the system, for some milliseconds."""
        found = self.device.identity if self.device else DeviceIdentity()
        if found.file_system_uuid:
            return found
        mount = self.mount
        uuid = file_system_uuid(mount.block_path, mount.mount_point, mount.file_system)
        return replace(found, file_system_uuid=uuid)

    @property
    def disk_name(self) -> str:
        """What tests on the same disk know each other by: the whole disk, not its partition."""
        return self.device.name if self.device else self.mount.device_number

    @property
    def reserve_bytes(self) -> int:
        """What a test leaves free."""
        return reserve_bytes(self.mount.capacity_bytes)

    @property
    def room_bytes(self) -> int:
        """What a test may fill."""
        return max(self.mount.free_bytes - self.reserve_bytes, 0)


def reserve_bytes(capacity_bytes: int) -> int:
    """Return what a test leaves free: a hundredth of the disk, at least 64 MiB."""
    return max(_LEAST_RESERVE_BYTES, round(capacity_bytes * _RESERVE_SHARE))


def find_place(folder: Path) -> Place:
    """Return *folder* as a place. Raises DiskError where it can't be used."""
    mount = mount_of(folder)
    if not folder.is_dir():
        raise DiskError("it is not a folder", where=str(folder), mend="Choose a folder")
    return Place(str(folder), mount, find_block_device(mount.device_number))


def drive_key(folder: Path) -> str:
    """Return what drives *folder* lies on, as one text. Raises DiskError."""
    return mount_of(folder).behind.key


def folder_target(folder: Path, place: Place, notes_folder: Path) -> FolderTarget:
    """Return *folder* as a target, with the sensor of its drive where there is one."""
    sensor = place.device.temperature_path if place.device else None
    return FolderTarget(
        folder,
        notes_folder,
        file_system=place.mount.file_system,
        disk_name=place.disk_name,
        read_temperature_c=(lambda: read_temperature_c(sensor)) if sensor else None,
    )


def require_room_for(bytes_to_write: int, place: Place) -> None:
    """Raise BadValueError where a test would not leave the reserve free."""
    require_room(
        bytes_to_write, place.room_bytes, place.folder_name, reserve_bytes=place.reserve_bytes
    )


def require_room(
    bytes_to_write: int,
    room_bytes: int,
    where: str,
    *,
    reserve_bytes: int = 0,
    mend: str = "Free some space, or test less",
) -> None:
    """Raise BadValueError where a test would write more than *room_bytes*.

    *reserve_bytes* are what stays free beside it, and are named where there are any.
    """
    if bytes_to_write > room_bytes:
        stays = f" ({PLAIN.size(reserve_bytes)} stay free)" if reserve_bytes else ""
        raise BadValueError(
            f"the test writes {PLAIN.size(bytes_to_write)} and only "
            f"{PLAIN.size(max(room_bytes, 0))} may be filled{stays}",
            where=where,
            mend=mend,
        )
