"""The devices that are plugged in, each with its unit and how its link compares."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from vastcellar.core.errors import BadValueError, UnknownPartError
from vastcellar.core.links.links import LinkMode, best_mode
from vastcellar.core.links.seen import LinkFall, LinkKind, link_fall, mode_seen
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.units import Unit
from vastcellar.devices.changes import plug_mark
from vastcellar.devices.link_seen import LinkSeen
from vastcellar.devices.made_up import made_up_computers, write_made_up
from vastcellar.devices.plugged_in import PluggedIn, VolumeSeen, read_plugged_in
from vastcellar.devices.system import System
from vastcellar.services.workplace.folders import Folders
from vastcellar.services.workplace.workplace import Shelf

__all__ = [
    "DEMO_COMPUTER",
    "LinkKind",
    "PluggedIn",
    "SeenDevice",
    "System",
    "VolumeSeen",
    "beside_shelf",
    "device_named",
    "made_up_computers",
    "plug_mark",
    "plugged_in",
    "read_plugged_in",
    "system_at",
    "system_of",
]

DEMO_COMPUTER = "van-laptop"
"""The made-up computer that a demo shows in place of this one."""


@dataclass(frozen=True, slots=True)
class SeenDevice:
    """A device, the unit that it is, and its link beside what it could be."""

    device: PluggedIn
    unit: Unit | None
    """The unit that is bound to it; None where none is, or the device can't be told apart."""
    mode: LinkMode | None
    """As negotiated; None where the computer doesn't say."""
    could: LinkMode | None
    """The best that the unit's case has, or was measured on before; None without a unit."""
    fall: LinkFall | None
    """None where the link is as good as it can be, or that isn't known."""
    did_at: datetime | None = None
    """When the unit was last measured on the better link, None where it never was."""

    @property
    def title(self) -> str:
        """The unit's tag, or what the device calls itself."""
        device = self.device
        if self.unit is not None:
            return self.unit.tag
        named = f"{device.maker} {device.model}".strip()
        if device.link.kind is LinkKind.VIRTUAL and "/" in named:
            named = Path(named).name  # an image is called by its file
        return named or next((v.label for v in device.volumes if v.label), "") or device.name

    def holds(self, folder: Path) -> bool:
        """Whether *folder* lies on one of its volumes, as far as paths tell."""
        return any(folder.is_relative_to(v.mount_point) for v in self.device.mounted)

    def depth_of(self, folder: Path) -> int:
        """Return how deep the mount is that holds *folder*, 0 where none does."""
        mounts = (Path(v.mount_point) for v in self.device.mounted)
        return max((len(m.parts) for m in mounts if folder.is_relative_to(m)), default=0)

    @property
    def folder(self) -> Path | None:
        """Where files can be written, on its roomiest volume; None where nowhere."""
        writable = [v for v in self.device.mounted if not v.is_read_only]
        roomiest = max(writable, key=lambda v: v.free_bytes or 0, default=None)
        return Path(roomiest.mount_point) if roomiest else None


def system_of(folders: Folders, *, is_demo: bool) -> System:
    """Return this computer; in a demo the made-up one, written out where it is missing."""
    return system_at(DEMO_COMPUTER, folders) if is_demo else System()


def system_at(root: str, folders: Folders) -> System:
    """Return the computer below *root*: a folder, or the name of a made-up one that ships.

    Raises UnknownPartError for neither.
    """
    if root in made_up_computers():
        folder = folders.state / "computers" / root
        # A tree that was only half written has no table of mounts yet: that comes with the rest.
        return System(write_made_up(root, folder))
    folder = Path(root)
    if not folder.is_dir():
        raise UnknownPartError(
            f"{root!r} is no folder, and no made-up computer has that name",
            where="--root",
            mend=f"Give a folder with a sys and proc tree, or {', '.join(made_up_computers())}",
        )
    return System(folder.resolve())


def plugged_in(
    system: System, shelf: Shelf, catalog: Catalog, *, asks_smart: bool = True
) -> tuple[SeenDevice, ...]:
    """Return what is plugged into *system*; takes some milliseconds, with SMART up to seconds."""
    return beside_shelf(read_plugged_in(system, asks_smart=asks_smart), shelf, catalog)


def beside_shelf(
    devices: Iterable[PluggedIn], shelf: Shelf, catalog: Catalog
) -> tuple[SeenDevice, ...]:
    """Return *devices*, each with its unit and what that could do; asks no device."""
    return tuple(_seen(device, shelf, catalog) for device in devices)


def _seen(device: PluggedIn, shelf: Shelf, catalog: Catalog) -> SeenDevice:
    unit = unit_of(device, shelf)
    link = device.link
    mode = mode_seen(
        link.kind,
        link.line_rate_bits_per_s,
        catalog.modes,
        pcie_generation=link.pcie_generation,
        lanes=link.lanes,
    )
    did, did_at = _best_run(unit, shelf, catalog) if unit else (None, None)
    of_case = _mode_of_case(unit, catalog) if unit else None
    known = [each for each in (of_case, did) if each is not None]
    could = max(known, key=lambda each: each.ceiling_bytes_per_s, default=None)
    fall = _fall(mode, could, link, catalog) if mode is not None else None
    is_better = did is not None and mode is not None and _is_faster(did, mode)
    return SeenDevice(device, unit, mode, could, fall, did_at if is_better else None)


def _fall(
    mode: LinkMode, could: LinkMode | None, link: LinkSeen, catalog: Catalog
) -> LinkFall | None:
    if link.kind is not LinkKind.USB:
        return None
    return link_fall(
        mode,
        could,
        port_line_rate_bits_per_s=link.port_line_rate_bits_per_s,
        hub_line_rates_bits_per_s=[hub.line_rate_bits_per_s for hub in link.hubs],
        most_line_rate_bits_per_s=link.most_line_rate_bits_per_s,
        modes=catalog.modes,
    )


def unit_of(device: PluggedIn, shelf: Shelf) -> Unit | None:
    """Return the unit that is bound to *device* or to one of its volumes, None for none."""
    identities = [device.identity, *(volume.identity for volume in device.volumes)]
    return next(iter(shelf.units_on(*identities)), None)


def _mode_of_case(unit: Unit, catalog: Catalog) -> LinkMode | None:
    """Return the best mode of the unit's case, card or ready-made drive."""
    enclosure = catalog.enclosures.get(unit.enclosure_key)
    drive = catalog.drives.get(unit.drive_key)
    keys = enclosure.host_modes if enclosure else (drive.host_modes if drive else ())
    return best_mode([key for key in keys if key in catalog.modes], catalog.modes)


def _best_run(
    unit: Unit, shelf: Shelf, catalog: Catalog
) -> tuple[LinkMode | None, datetime | None]:
    """Return the fastest link that the unit was measured on, and when that was last."""
    best: tuple[LinkMode | None, datetime | None] = (None, None)
    for record in shelf.records:  # newest first
        if record.unit_tag != unit.tag:
            continue
        rate = record.conditions.get("usb_bits_per_s") or 0.0
        mode = mode_seen(LinkKind.USB, float(rate), catalog.modes)
        mode = mode or catalog.modes.get(str(record.conditions.get("mode_key", "")))
        if mode is not None and (best[0] is None or _is_faster(mode, best[0])):
            best = (mode, record.measured_at)
    return best


def _is_faster(one: LinkMode, other: LinkMode) -> bool:
    return one.ceiling_bytes_per_s > other.ceiling_bytes_per_s


def device_named(found: tuple[SeenDevice, ...], name: str) -> SeenDevice:
    """Return the device that somebody calls *name*: tag, kernel name, path, label or mount point.

    Raises UnknownPartError where none is called so, BadValueError where several are.
    """
    alike = [seen for seen in found if name in _names(seen)]
    if not alike:
        offered = ", ".join(seen.device.name for seen in found if not seen.device.is_system)
        raise UnknownPartError(
            f"no plugged-in device is called {name!r}",
            where="--device",
            mend=f"Give one of {offered}" if offered else "Plug it in, and mount it",
        )
    if len(alike) > 1:
        raise BadValueError(
            f"{len(alike)} devices are called {name!r}",
            where="--device",
            mend=f"Give one of {', '.join(seen.device.name for seen in alike)}",
        )
    return alike[0]


def _names(seen: SeenDevice) -> set[str]:
    device = seen.device
    names = {device.name, device.path}
    if seen.unit is not None:
        names.add(seen.unit.tag)
    for volume in device.volumes:
        names |= {volume.name, volume.path, volume.label, volume.mount_point}
    return names - {""}
