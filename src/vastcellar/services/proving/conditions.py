"""The conditions a run is made under, put together from chain, place and load."""

from __future__ import annotations

import platform
from dataclasses import replace

from vastcellar import __version__
from vastcellar.bench.running_tests import count_running_tests
from vastcellar.core.chain import Chain
from vastcellar.devices.load import OtherLoad, read_other_load
from vastcellar.services.proving.places import Place
from vastcellar.services.run_records import Conditions


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
    )


def on_disk(base: Conditions, place: Place, load: OtherLoad) -> Conditions:
    """Return *base* with what a real folder adds: file system, device, other load."""
    mount, device = place.mount, place.device
    return replace(
        base,
        file_system=mount.file_system,
        mount_options=mount.options,
        capacity_bytes=mount.capacity_bytes,
        free_bytes=mount.free_bytes,
        device_model=device.model if device else "",
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
