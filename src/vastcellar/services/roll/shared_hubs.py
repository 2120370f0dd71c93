"""Which hubs the card and the drives of a copy share, as they are plugged in."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

from vastcellar.core.errors import VastCellarError
from vastcellar.core.links.links import LinkMode
from vastcellar.core.links.seen import LinkKind, mode_seen
from vastcellar.core.roll.pace import SharedHub
from vastcellar.devices.block_device import find_block_device
from vastcellar.devices.link_seen import HubSeen, read_link
from vastcellar.devices.mounts import mount_of
from vastcellar.devices.system import System


def find_shared_hubs(
    source: Path, targets: Sequence[Path], modes: Mapping[str, LinkMode]
) -> tuple[SharedHub, ...]:
    """Return the hubs between this computer and the drives that the folders lie on.

    A folder that no drive was found for hangs on none.
    """
    return shared_hubs([_hubs_of(folder) for folder in (source, *targets)], modes)


def shared_hubs(
    ways: Sequence[Sequence[HubSeen]], modes: Mapping[str, LinkMode]
) -> tuple[SharedHub, ...]:
    """Return the hubs on the *ways* up from the card, and from each destination after it.

    One whose link the computer doesn't tell, or the catalog doesn't know, is left out.
    """
    found: dict[str, HubSeen] = {}
    on_it: dict[str, list[int]] = {}
    for number, hubs in enumerate(ways):
        for hub in hubs:
            found.setdefault(hub.place, hub)
            on_it.setdefault(hub.place, []).append(number)
    shared = []
    for place, hub in found.items():
        mode = mode_seen(LinkKind.USB, hub.line_rate_bits_per_s, modes)
        if mode is not None:
            legs = tuple(number - 1 for number in on_it[place] if number)
            shared.append(
                SharedHub(hub.name, mode.typical_low_bytes_per_s, legs, 0 in on_it[place])
            )
    return tuple(shared)


def _hubs_of(folder: Path) -> tuple[HubSeen, ...]:
    system = System()
    try:
        device = find_block_device(mount_of(folder).device_number)
        block = system.path(f"sys/class/block/{device.name}") if device else None
        return read_link(system, block.resolve()).hubs if block else ()
    except (OSError, VastCellarError):
        return ()
