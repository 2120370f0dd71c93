"""The conditions a run is made under, put together from chain, place and load."""

from __future__ import annotations

import math
import platform
from dataclasses import asdict, replace
from pathlib import Path

from vastcellar import __version__
from vastcellar.bench.disturbances import Disturbances
from vastcellar.bench.running_tests import count_running_tests
from vastcellar.core.chain.chain import Chain
from vastcellar.devices.load import OtherLoad, read_other_load
from vastcellar.services.proving.places import Place
from vastcellar.services.workplace.run_records import Conditions


def chain_conditions(
    chain: Chain | None, ambient_c: float, target: str, write_mode: str
) -> Conditions:
    """Return what is known of a run wherever it is made; empty keys without a *chain*."""
    parts = chain.parts if chain else None
    return Conditions(
        host_key=parts.host.key if parts else "",
        port_key=parts.port.key if parts else "",
        mode_key=chain.mode.key if chain and chain.mode else "",
        enclosure_key=parts.enclosure.key if parts and parts.enclosure else "",
        cable_key=parts.cable.key if parts and parts.cable else "",
        drive_key=parts.drive.key if parts else "",
        ambient_c=ambient_c,
        write_mode=write_mode,
        program_version=__version__,
        target=target,
        kernel=platform.release(),
        hub_keys=tuple(hub.key for hub in parts.hubs) if parts else (),
        sharing=parts.sharing if parts else 1,
        link_ceiling_bytes_per_s=chain.mode.ceiling_bytes_per_s if chain and chain.mode else 0.0,
        is_encrypted=parts.is_encrypted if parts else False,
        file_system_key=parts.file_system.key if parts and parts.file_system else "",
        capacity_bytes=int(parts.drive.capacity_bytes) if parts else 0,
        unit_written_bytes=parts.unit.written_bytes if parts and parts.unit else None,
    )


def disturbed(base: Conditions, found: Disturbances) -> Conditions:
    """Return *base* with what disturbed the run."""
    return replace(base, **asdict(found))


def on_disk(base: Conditions, place: Place, load: OtherLoad, *, is_direct: bool) -> Conditions:
    """Return *base* with what is read of a real folder: file system, device, other load."""
    mount, device, identity = place.mount, place.device, place.identity
    return replace(
        base,
        file_system=mount.file_system,
        mount_options=mount.options,
        capacity_bytes=mount.capacity_bytes,
        free_bytes=mount.free_bytes,
        device_model=identity.model,
        device_serial=identity.serial,
        device_size_bytes=identity.size_bytes,
        file_system_uuid=identity.file_system_uuid,
        device_bus=identity.bus,
        file_system_key=mount.file_system_key,
        # What lies under a mount is read; what a setup states of it isn't true here.
        is_encrypted=bool(device.encryption) if device else False,
        is_in_memory=mount.is_in_memory,
        is_over_network=mount.is_over_network,
        is_direct=is_direct,
        usb_bits_per_s=device.usb_bits_per_s if device else 0.0,
        encryption=device.encryption if device else "",
        load_average=load.load_average,
        other_cpu_share=load.cpu_share,
        warnings=(load.warning,) if load.warning else (),
    )


class LoadBefore:
    """How busy the computer was right before a run in a *place*."""

    def __init__(self, place: Place) -> None:
        self._place = place
        self.load = OtherLoad(0.0, 0.0)

    def begin(self) -> tuple[str, ...]:
        """Look, for a moment, and return what there is to warn of. Not in the interface thread."""
        self.load = read_other_load()
        others = count_running_tests(self._place.disk_name)
        running = "another test runs on this disk: they will measure each other" if others else ""
        return tuple(word for word in (self.load.warning, self._place.caution, running) if word)

    def conditions(
        self,
        folder: Path,
        read_mode: str,
        write_mode: str,
        chain: Chain | None = None,
        ambient_c: float = math.nan,
    ) -> Conditions:
        """Return the conditions of a run with files in *folder*, which lies in this place."""
        base = chain_conditions(chain, ambient_c, str(folder), write_mode)
        is_direct = read_mode.startswith("direct")
        made = on_disk(base, self._place, self.load, is_direct=is_direct)
        return replace(made, read_mode=read_mode)
