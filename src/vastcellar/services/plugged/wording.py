"""What is plugged in, in words: how it links, what may be wrong, what it says of itself."""

from __future__ import annotations

import math

from vastcellar.core.links.seen import LinkFall, LinkKind, Suspect
from vastcellar.core.units import NumberFormat
from vastcellar.services.plugged.seen import SeenDevice, VolumeSeen

_KINDS = {
    LinkKind.USB: "USB",
    LinkKind.PCIE: "PCIe",
    LinkKind.TUNNEL: "a 40G port (bolt mark)",
    LinkKind.SATA: "SATA",
    LinkKind.CARD: "a card slot",
    LinkKind.NETWORK: "the network",
    LinkKind.VIRTUAL: "nothing that is plugged: an image or a virtual disk",
    LinkKind.UNKNOWN: "something that this computer doesn't tell",
}
_SUSPECTS = {Suspect.HUB: "hub", Suspect.CABLE: "cable", Suspect.PORT: "port"}


def link_words(seen: SeenDevice) -> str:
    """Return how it links, in a few words: "links at 5G, bulk-only"."""
    link = seen.device.link
    if seen.mode is None:
        how = f"on {_KINDS[link.kind]}"
        if link.kind is LinkKind.NETWORK:
            return "over the network; which port, and at what rate, isn't clear"
        return how if link.kind is not LinkKind.USB else f"{how}; its rate isn't told"
    text = f"links at {seen.mode.short}"
    if link.kind is LinkKind.NETWORK:
        text = f"over {seen.mode.short}"
    if link.driver == "bulk-only":
        text += ", bulk-only"
    return text


def fall_words(seen: SeenDevice) -> str:
    """Say what the link could be and what is suspected; "" where nothing is."""
    fall = seen.fall
    if fall is None:
        return ""
    suspects = " or ".join(_SUSPECTS[each] for each in fall.suspects)
    if seen.did_at is not None:
        day = seen.did_at.astimezone()
        did = f"did {fall.could.short} on {day.day} {day:%B %Y}"
    else:
        did = f"could do {fall.could.short}" if seen.unit else f"does {fall.could.short} at least"
    who = "this unit" if seen.unit else "it"
    return f"{who} {did}: {suspects}?"


def advice(fall: LinkFall) -> str:
    """Return what to try first."""
    return {
        Suspect.HUB: "Plug it straight into the computer",
        Suspect.CABLE: "Try another cable, pushed in whole",
        Suspect.PORT: "Try a faster port",
    }[fall.suspects[0]]


def device_sentence(seen: SeenDevice, fmt: NumberFormat) -> str:
    """Say in a line what it is, how it links, and what is wrong about that."""
    device = seen.device
    what = f"{device.maker} {device.model}".strip() or device.name
    parts = [f"{what}, {fmt.size(device.size_bytes)}", link_words(seen)]
    if hubs := hub_words(seen):
        parts.append(hubs)
    if not math.isnan(device.temperature_c):
        parts.append(fmt.temperature(device.temperature_c))
    text = ", ".join(parts)
    fall = fall_words(seen)
    return f"{text}; {fall}" if fall else f"{text}."


def hub_words(seen: SeenDevice) -> str:
    """Say behind which hub it hangs and with what it shares that; "" for none."""
    hubs = seen.device.link.hubs
    if not hubs:
        return ""
    others = sorted({name for hub in hubs for name in hub.storage_on_it})
    shared = f", shared with {', '.join(others)}" if others else ""
    rate = hubs[0].line_rate_bits_per_s / 1e9
    at = f" (itself at {rate:g}G)" if rate >= 1 else ""
    return f"behind {hubs[0].name}{at}{shared}"


def volume_words(volume: VolumeSeen, fmt: NumberFormat) -> str:
    """Say where it is mounted and how full it is."""
    kind = volume.file_system or "no file system that is known"
    if volume.encryption == "locked":
        return f"{volume.name}: encrypted and locked"
    layer = f", {volume.encryption}" if volume.encryption else ""
    if not volume.is_mounted:
        return f"{volume.name}: {kind}{layer}, not mounted"
    free = f", {fmt.size(volume.free_bytes)} free" if volume.free_bytes is not None else ""
    only = ", read-only" if volume.is_read_only else ""
    return f"{volume.mount_point}: {kind}{layer}{free}{only}"


def wear_words(seen: SeenDevice, fmt: NumberFormat) -> str:
    """Say what the drive counts of itself, or why that isn't known."""
    smart = seen.device.smart
    parts = []
    if smart.written_bytes is not None:
        parts.append(f"{fmt.size(smart.written_bytes)} written")
    if smart.worn_share is not None:
        parts.append(f"{fmt.percent(smart.worn_share)} of its endurance used, by its own account")
    if smart.power_on_hours is not None:
        parts.append(f"on for {fmt.number(smart.power_on_hours, 0)} h")
    return ", ".join(parts) or f"wear not known: {smart.why_not}"


def why_no_target(seen: SeenDevice) -> str:
    """Say why nothing can be measured on it as it is; "" where it can."""
    device = seen.device
    if device.is_system:
        return "this computer runs from it"
    if seen.folder is not None:
        return ""
    if not device.mounted:
        return "none of its volumes is mounted" if device.volumes else "it has no file system yet"
    return "it is read-only"


def short_line(seen: SeenDevice, fmt: NumberFormat) -> str:
    """Return the one thing to know of it: what is suspected, why it is no target, or how full."""
    if fall := fall_words(seen):
        return fall
    if reason := why_no_target(seen):
        return reason
    volume = max(seen.device.mounted, key=lambda v: v.free_bytes or 0)
    layer = f", {volume.encryption}" if volume.encryption else ""
    free = f", {fmt.size(volume.free_bytes)} free" if volume.free_bytes is not None else ""
    return f"{volume.file_system}{layer}{free}"


def whole_words(seen: SeenDevice, fmt: NumberFormat) -> str:
    """Return all that is known of it, a line each."""
    lines = [device_sentence(seen, fmt)]
    if seen.fall is not None:
        lines.append(f"{advice(seen.fall)}.")
    lines += [volume_words(volume, fmt) for volume in seen.device.volumes]
    lines.append(wear_words(seen, fmt))
    if reason := why_no_target(seen):
        lines.append(f"No place to measure: {reason}.")
    return "\n".join(lines)
