"""What a folder's bytes lie on in the end: the physical drives under mounts, images and layers.

Only what the kernel says of itself counts: device numbers, the trees of sysfs, what its own calls
answer. The source that a mount names is a text that whoever mounts may choose, so it is never
taken for a device. What can't be followed to its end is not known, with its reason.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import struct
import uuid
from collections.abc import Iterable
from dataclasses import dataclass, replace
from pathlib import Path

import psutil

from vastcellar.core.errors import DiskError
from vastcellar.devices.mount_table import MountLine, read_mount_table
from vastcellar.devices.system import System, read_text

IN_MEMORY = frozenset({"tmpfs", "ramfs", "devtmpfs", "rootfs"})
_WITH_ADDRESS = frozenset({"nfs", "nfs4", "cifs", "smb3"})
"""Whose mounts carry the other computer's address as the kernel resolved it."""
_MEMORY_DISKS = ("zram", "ram")
_REMOTE_DISKS = ("nbd", "rbd", "drbd", "dnbd")
_NO_BUS = ("session", "tcm_loop", "vhci_hcd", "dummy_hcd", "nvme-fabrics", "pseudo_")
"""Parts of a device's place in sysfs that no cable of this computer leads to: disks over a network
(iSCSI, USB/IP, NVMe over fabrics), and such as a module makes up (the last in memory)."""
_MOST_LAYERS = 16
"""Images in images, arrays of encrypted disks: a made-up tree could lead in circles."""
# linux/loop.h: LOOP_GET_STATUS64 and the head of struct loop_info64 (device, inode, rdevice).
_LOOP_STATUS, _LOOP_INFO_BYTES = 0x4C05, 232
# linux/btrfs.h: BTRFS_IOC_FS_INFO; its answer names the file system at byte 16.
_BTRFS_INFO, _BTRFS_INFO_BYTES, _BTRFS_ID_AT = 0x8400941F, 1024, 16
MEMORY, NETWORK = "memory", "network"


@dataclass(frozen=True, slots=True)
class Behind:
    """What lies behind a folder, down to the last physical thing."""

    file_system: str = ""
    """As the kernel calls it."""
    drives: frozenset[str] = frozenset()
    """The kernel's names of the drives that the bytes lie on, or NETWORK for another computer's."""
    is_in_memory: bool = False
    """Whether some of it is gone when the computer is switched off."""
    is_by_program: bool = False
    """Whether a program, or another computer, reads and writes it for us."""
    device_number: str = ""
    """"major:minor" of the block device that the file system lies on; of several, the first."""
    unknown_because: str = ""
    """Why it couldn't be followed to its end; "" where it could."""

    @property
    def is_known(self) -> bool:
        """Whether all that it lies on was found."""
        return not self.unknown_because and (bool(self.drives) or self.is_in_memory)

    @property
    def key(self) -> str:
        """One text for all of it, the same for all partitions of one drive."""
        if self.is_in_memory:
            return MEMORY
        return "+".join(sorted(self.drives)) or f"unknown: {self.unknown_because}"

    def shares_drive(self, other: Behind) -> bool:
        """Whether one drive that fails could take both."""
        return bool(self.drives & other.drives)


def behind_folder(folder: Path, system: System | None = None) -> Behind:
    """Return what *folder* lies on. Raises DiskError where it can't be reached."""
    try:
        handle = os.open(folder, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
        try:
            return behind_handle(handle, system)
        finally:
            os.close(handle)
    except (OSError, ValueError) as error:
        raise cant_be_reached(folder, error) from error


def cant_be_reached(folder: Path, error: Exception) -> DiskError:
    """Return the sentence for a folder that *error* keeps from being looked at."""
    return DiskError(
        f"the folder can't be reached ({getattr(error, 'strerror', None) or error})",
        where=str(folder),
        mend="Choose a folder that exists on a connected disk",
    )


def behind_handle(handle: int, system: System | None = None) -> Behind:
    """Return what the open file or folder *handle* lies on. Raises OSError."""
    system = system or System()
    line = mount_of_handle(handle, system)
    if line is None:
        return Behind(unknown_because="its mount isn't in the kernel's table")
    return _Follower(system).mounted(line, handle)


def behind_device(device_number: str, system: System) -> Behind:
    """Return what the block device "major:minor" lies on."""
    return _Follower(system).devices([device_number])


def mount_of_handle(handle: int, system: System) -> MountLine | None:
    """Return the very mount that *handle* was opened through, None where it isn't listed.

    Source: proc_pid_fdinfo(5), mnt_id; proc_pid_mountinfo(5), its first field.
    """
    said = dict(
        row.split(":", 1)
        for row in read_text(system.path(f"proc/self/fdinfo/{handle}")).splitlines()
        if ":" in row
    )
    number = said.get("mnt_id", "").strip()
    return next((line for line in read_mount_table(system) if line.mount_id == number), None)


class _Follower:
    """Goes down layer by layer; what it has been through counts once."""

    def __init__(self, system: System) -> None:
        self._system = system
        self._left = _MOST_LAYERS

    def mounted(self, line: MountLine, handle: int) -> Behind:
        """Return what the file system of *line*, held open by *handle*, lies on."""
        kind = line.file_system
        by_program = kind.startswith("fuse")
        if kind in IN_MEMORY:
            return Behind(kind, is_in_memory=True)
        if kind in _WITH_ADDRESS:
            return _over_network(line)
        numbers = [line.device_number]
        if kind == "btrfs":
            numbers = self._btrfs_devices(handle)
        elif line.device_number.startswith("0:"):
            why = "a program stands for its file system" if by_program else f"it is a {kind}"
            return Behind(kind, is_by_program=by_program, unknown_because=why)
        found = self.devices(numbers)
        return replace(
            found, file_system=kind, is_by_program=by_program,
            device_number=next(iter(numbers), ""),
        )  # fmt: skip

    def _btrfs_devices(self, handle: int) -> list[str]:
        """A file system over several disks has a number that is no disk's: it names them itself."""
        answer = bytearray(_BTRFS_INFO_BYTES)
        with contextlib.suppress(OSError):
            fcntl.ioctl(handle, _BTRFS_INFO, answer)
            name = str(uuid.UUID(bytes=bytes(answer[_BTRFS_ID_AT : _BTRFS_ID_AT + 16])))
            folder = self._system.path(f"sys/fs/btrfs/{name}/devices")
            return [read_text(each / "dev") for each in sorted(folder.iterdir())]
        return []

    def devices(self, numbers: Iterable[str]) -> Behind:
        """Return what all the block devices "major:minor" lie on together."""
        found = Behind(unknown_because="nothing that it lies on is told")
        for count, number in enumerate(numbers):
            one = self._device(number)
            found = one if count == 0 else _together(found, one)
        return found

    def _device(self, number: str) -> Behind:
        self._left -= 1
        if self._left < 0:
            return Behind(unknown_because="too many layers lie on each other")
        try:
            place = (self._system.path("sys/dev/block") / number).resolve(strict=True)
        except (OSError, ValueError, RuntimeError):
            return Behind(unknown_because=f"no device has the number {number}")
        if (place / "partition").exists():
            place = place.parent
        name = place.name
        if name.startswith(_MEMORY_DISKS):
            return Behind(is_in_memory=True)
        if name.startswith(_REMOTE_DISKS):
            return Behind(unknown_because=f"{name} leads to another computer, or back to this one")
        if name.startswith("loop"):
            return self._loop(place, number)
        below = sorted((place / "slaves").glob("*"))
        if below:
            return self.devices(read_text(each / "dev") for each in below)
        return self._disk(place)

    def _disk(self, place: Path) -> Behind:
        """Return *place* as a drive, if it hangs on a bus of this computer."""
        parts = place.parts
        if any(part.startswith("pseudo_") for part in parts):
            return Behind(is_in_memory=True)  # a SCSI disk that a module keeps in memory
        on_no_bus = any(part.startswith(_NO_BUS) for part in parts)
        if "nvme-subsystem" in parts:  # several ways lead to such a disk: each says which
            ways = {read_text(each / "transport") for each in place.parent.glob("nvme*")} - {""}
            on_no_bus = ways != {"pcie"}
        elif "virtual" in parts or not (place / "device").exists():
            on_no_bus = True
        if on_no_bus:
            return Behind(unknown_because=f"{place.name} hangs on no bus of this computer")
        return Behind(drives=frozenset({place.name}))

    def _loop(self, place: Path, number: str) -> Behind:
        """Return what the image behind a loop device lies on.

        The kernel is asked which file it is: the path that it tells may lead elsewhere by now.
        """
        unseen = Behind(unknown_because="it is an image, and where that lies isn't told")
        if self._system.is_made_up:
            return unseen
        status = _loop_status(place.name, number)
        if status is None:
            return unseen
        device, inode, is_block, rdevice = status
        if is_block:
            return self._device(f"{os.major(rdevice)}:{os.minor(rdevice)}")
        if os.major(device):
            return self._device(f"{os.major(device)}:{os.minor(device)}")
        # Such numbers are no disk's: which file system it is, only the file itself tells.
        path = read_text(place / "loop/backing_file")
        try:
            handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
        except (OSError, ValueError):
            return unseen
        try:
            now = os.fstat(handle)
            line = mount_of_handle(handle, self._system)
            if (now.st_dev, now.st_ino) != (device, inode) or line is None:
                return unseen
            return self.mounted(line, handle)
        finally:
            os.close(handle)


def _loop_status(name: str, number: str) -> tuple[int, int, bool, int] | None:
    """Return device and inode of the image, whether it is a block device, and that one's number.

    Source: loop(4), LOOP_GET_STATUS64. None where the system doesn't let it be asked.
    """
    try:
        handle = os.open(f"/dev/{name}", os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    except OSError:
        return None
    try:
        found = os.fstat(handle).st_rdev
        if f"{os.major(found)}:{os.minor(found)}" != number:
            return None
        answer = bytearray(_LOOP_INFO_BYTES)
        fcntl.ioctl(handle, _LOOP_STATUS, answer)
    except OSError:
        return None
    finally:
        os.close(handle)
    device, inode, rdevice = struct.unpack_from("=QQQ", answer)
    return device, inode, rdevice != 0, rdevice


def _over_network(line: MountLine) -> Behind:
    """Return another computer's store: all of them are one, as two names may lead to one box."""
    options = dict(
        each.split("=", 1) for each in line.options.split(",") if each.count("=")
    )  # fmt: skip
    address = options.get("addr", "").partition("%")[0]
    own = {
        each.address.partition("%")[0] for rows in psutil.net_if_addrs().values() for each in rows
    }
    found = Behind(line.file_system, is_by_program=True)
    if not address:
        return replace(found, unknown_because="which computer it lies on isn't told")
    if address in own or address.startswith("127.") or address == "::1":
        return replace(found, unknown_because="it is a share of this very computer")
    return replace(found, drives=frozenset({NETWORK}))


def _together(one: Behind, other: Behind) -> Behind:
    return Behind(
        drives=one.drives | other.drives,
        is_in_memory=one.is_in_memory or other.is_in_memory,
        unknown_because=one.unknown_because or other.unknown_because,
    )
