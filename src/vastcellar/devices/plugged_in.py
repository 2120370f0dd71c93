"""Everything that is plugged into a computer and holds files, and how it hangs on it."""

from __future__ import annotations

import math
import os
from dataclasses import dataclass, replace
from pathlib import Path

from vastcellar.core.links.seen import LinkKind
from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.devices.behind import behind_device
from vastcellar.devices.block_device import find_block_device, read_temperature_c
from vastcellar.devices.block_tree import BlockNode, read_block_tree
from vastcellar.devices.file_system_id import file_system_uuid
from vastcellar.devices.link_seen import HubSeen, LinkSeen, read_link
from vastcellar.devices.mount_table import MountLine, read_mount_table
from vastcellar.devices.mounts import OVER_NETWORK, catalog_name
from vastcellar.devices.network_link import read_network_rate
from vastcellar.devices.patience import within
from vastcellar.devices.smart import SmartSeen, read_smart
from vastcellar.devices.system import System, one_line, read_text, whole_number

SYSTEM_MOUNTS = ("/", "/boot", "/boot/efi", "/efi", "/usr", "/var", "/home")
"""A disk with one of them is what the computer runs from."""
# What the kernel makes up by itself: no drive, and nothing that somebody plugged in.
_NO_DRIVES = ("zram", "ram", "nbd", "dm-", "md")
_LAYER_TYPES = ("crypt",)
_ROOM_S = 2.0


@dataclass(frozen=True, slots=True)
class VolumeSeen:
    """A file system on a device, mounted or not."""

    name: str
    path: str
    device_number: str
    size_bytes: int
    file_system: str
    """As the catalog names it, "" where there is none or none is known."""
    label: str
    uuid: str
    mount_point: str
    """"" where it isn't mounted."""
    options: str
    free_bytes: int | None
    used_bytes: int | None
    encryption: str
    is_read_only: bool
    identity: DeviceIdentity

    @property
    def is_mounted(self) -> bool:
        """Whether files can be reached."""
        return bool(self.mount_point)


@dataclass(frozen=True, slots=True)
class PluggedIn:
    """One device with its link, what it says of itself, and the volumes on it."""

    name: str
    """As the kernel calls it, or the source of a network mount."""
    path: str
    maker: str
    model: str
    serial: str
    size_bytes: int
    is_rotational: bool | None
    is_removable: bool
    is_read_only: bool
    can_trim: bool | None
    logical_sector_bytes: int
    physical_sector_bytes: int
    link: LinkSeen
    identity: DeviceIdentity
    temperature_c: float
    temperature_path: Path | None
    smart: SmartSeen
    volumes: tuple[VolumeSeen, ...]
    is_system: bool
    """Whether the computer itself runs from it."""

    @property
    def mounted(self) -> tuple[VolumeSeen, ...]:
        """The volumes whose files can be reached."""
        return tuple(volume for volume in self.volumes if volume.is_mounted)

    @property
    def encryption(self) -> str:
        """The layer that encrypts one of its volumes, "" for none."""
        return next((volume.encryption for volume in self.volumes if volume.encryption), "")


def read_plugged_in(system: System, *, asks_smart: bool = True) -> tuple[PluggedIn, ...]:
    """Return what is plugged into *system*, the system's own disk too; network mounts at the end.

    *asks_smart* also asks each drive what it counts, which takes a while for each.
    """
    mounts = read_mount_table(system)
    disks = [
        node
        for node in read_block_tree(system)
        if _is_drive(node)
        and not node.name.startswith(_NO_DRIVES)
        and not behind_device(node.device_number, system).is_in_memory
    ]
    found = [_disk(system, node, mounts, asks_smart=asks_smart) for node in disks]
    return (*_with_neighbours(found), *_network(system, mounts))


def _is_drive(node: BlockNode) -> bool:
    """A loop device counts while there is an image behind it; optical drives don't."""
    return node.type in ("disk", "loop") and node.size_bytes > 0


def _disk(
    system: System, node: BlockNode, mounts: tuple[MountLine, ...], *, asks_smart: bool
) -> PluggedIn:
    block = _sysfs_folder(system, node)
    device = find_block_device(node.device_number, system.root)
    identity = device.identity if device else DeviceIdentity()
    volumes = _volumes(system, node, mounts, identity)
    sensor = device.temperature_path if device else None
    smart = read_smart(system, node.name) if asks_smart else SmartSeen(why_not="not asked")
    celsius = read_temperature_c(sensor) if sensor else math.nan
    if math.isnan(celsius) and smart.temperature_c is not None:
        celsius = smart.temperature_c
    return PluggedIn(
        name=node.name,
        path=node.path,
        maker=node.vendor,
        model=node.model or identity.model,
        serial=node.serial or identity.serial,
        size_bytes=node.size_bytes,
        is_rotational=node.is_rotational,
        is_removable=node.is_removable or node.is_hotplug,
        is_read_only=node.is_read_only,
        can_trim=node.can_trim,
        logical_sector_bytes=node.logical_sector_bytes,
        physical_sector_bytes=node.physical_sector_bytes,
        link=read_link(system, block) if block else LinkSeen(LinkKind.UNKNOWN),
        identity=identity,
        temperature_c=celsius,
        temperature_path=sensor,
        smart=smart,
        volumes=volumes,
        is_system=_runs_from(system, node, mounts),
    )


def _runs_from(system: System, node: BlockNode, mounts: tuple[MountLine, ...]) -> bool:
    points = {m.mount_point for each in node.walk() for m in _mounts_of(each, mounts)}
    return bool(points & set(SYSTEM_MOUNTS)) or _swaps(system, node)


def _mounts_of(node: BlockNode, mounts: tuple[MountLine, ...]) -> list[MountLine]:
    """Btrfs gives a number that is no device's, and its source is the kernel's own word."""
    return [
        mount
        for mount in mounts
        if mount.device_number == node.device_number
        or (mount.file_system == "btrfs" and mount.source == node.path)
    ]


def _sysfs_folder(system: System, node: BlockNode) -> Path | None:
    link = system.path("sys/dev/block") / node.device_number
    try:
        place = link.resolve(strict=True)
    except (OSError, ValueError, RuntimeError):  # RuntimeError: links in a circle
        return None
    # A link may lead anywhere; a made-up tree's must not lead out of it.
    return place if place.is_relative_to(system.path("sys").resolve()) else None


def _swaps(system: System, node: BlockNode) -> bool:
    used = {row.split()[0] for row in read_text(system.path("proc/swaps")).splitlines()[1:] if row}
    return any(each.path in used for each in node.walk())


def _volumes(
    system: System,
    node: BlockNode,
    mounts: tuple[MountLine, ...],
    identity: DeviceIdentity,
    encryption: str = "",
) -> tuple[VolumeSeen, ...]:
    """Return the file systems on *node* and on what it carries, the outer layers left out."""
    inside: list[VolumeSeen] = []
    for child in node.children:
        layer = "dm-crypt" if child.type in _LAYER_TYPES else encryption
        inside += _volumes(system, child, mounts, identity, layer)
    is_volume = _may_hold_files(node) or _mounts_of(node, mounts)
    if inside or not is_volume:
        return tuple(inside)
    return (_volume(system, node, mounts, identity, encryption),)


def _may_hold_files(node: BlockNode) -> bool:
    """A bare disk without a file system is no volume; a locked container is one."""
    return bool(node.file_system) or node.type in ("part", "crypt")


def _volume(
    system: System,
    node: BlockNode,
    mounts: tuple[MountLine, ...],
    identity: DeviceIdentity,
    encryption: str,
) -> VolumeSeen:
    mount = next(iter(_mounts_of(node, mounts)), None)
    free, used = _room(system, mount)
    is_locked = node.file_system in ("crypto_LUKS", "BitLocker")
    return VolumeSeen(
        name=node.name,
        path=node.path,
        device_number=node.device_number,
        size_bytes=node.size_bytes,
        file_system=catalog_name(mount.file_system if mount else node.file_system),
        label=node.label,
        uuid=node.uuid,
        mount_point=mount.mount_point if mount else "",
        options=mount.options if mount else "",
        free_bytes=free,
        used_bytes=used,
        encryption=encryption or ("locked" if is_locked else ""),
        is_read_only=node.is_read_only or (mount is not None and mount.is_read_only),
        identity=replace(identity, file_system_uuid=_uuid(system, node, mount, identity)),
    )


def _uuid(
    system: System, node: BlockNode, mount: MountLine | None, identity: DeviceIdentity
) -> str:
    """By lsblk; where no udev runs, by the mounted file system, as a test's own folder is told."""
    known = node.uuid or identity.file_system_uuid
    if known or mount is None or system.is_made_up:
        return known
    return file_system_uuid(node.path, mount.mount_point, mount.file_system)


def _room(system: System, mount: MountLine | None) -> tuple[int | None, int | None]:
    """Return free and used bytes of what is mounted; None where it can't be asked."""
    if mount is None:
        return None, None
    if system.is_made_up:
        told = system.ask("", (), made_up_as="statvfs").get(mount.mount_point)
        if not isinstance(told, dict):
            return None, None
        return whole_number(told.get("free_bytes")), whole_number(told.get("used_bytes"))
    # A share whose server is gone doesn't answer, ever.
    status = within(_ROOM_S, mount.mount_point, lambda: os.statvfs(mount.mount_point))
    if status is None:
        return None, None
    size = status.f_frsize
    return status.f_bavail * size, (status.f_blocks - status.f_bfree) * size


def _with_neighbours(found: list[PluggedIn]) -> list[PluggedIn]:
    """Say of each hub which other storage hangs on it."""
    on_hub: dict[str, list[str]] = {}
    for device in found:
        for hub in device.link.hubs:
            on_hub.setdefault(hub.place, []).append(device.name)

    def named(hub: HubSeen, name: str) -> HubSeen:
        others = tuple(other for other in on_hub[hub.place] if other != name)
        return replace(hub, storage_on_it=others)

    return [
        replace(
            device,
            link=replace(
                device.link, hubs=tuple(named(hub, device.name) for hub in device.link.hubs)
            ),
        )
        for device in found
    ]


def _network(system: System, mounts: tuple[MountLine, ...]) -> list[PluggedIn]:
    """Return what lies on other computers, each share once."""
    shares = {m.source: m for m in reversed(mounts) if m.file_system in OVER_NETWORK}
    return [_share(system, mount) for mount in reversed(shares.values())]


def _share(system: System, mount: MountLine) -> PluggedIn:
    free, used = _room(system, mount)
    size = (free or 0) + (used or 0)
    volume = VolumeSeen(
        name=one_line(mount.source),
        path=mount.source,
        device_number=mount.device_number,
        size_bytes=size,
        file_system=mount.file_system,
        label="",
        uuid="",
        mount_point=mount.mount_point,
        options=mount.options,
        free_bytes=free,
        used_bytes=used,
        encryption="",
        is_read_only=mount.is_read_only,
        identity=DeviceIdentity(),
    )
    return PluggedIn(
        name=one_line(mount.source),
        path=mount.source,
        maker="",
        model="",
        serial="",
        size_bytes=size,
        is_rotational=None,
        is_removable=False,
        is_read_only=mount.is_read_only,
        can_trim=None,
        logical_sector_bytes=0,
        physical_sector_bytes=0,
        link=LinkSeen(LinkKind.NETWORK, line_rate_bits_per_s=read_network_rate(system)),
        identity=DeviceIdentity(),
        temperature_c=math.nan,
        temperature_path=None,
        smart=SmartSeen(why_not="it is on another computer"),
        volumes=(volume,),
        is_system=False,
    )
