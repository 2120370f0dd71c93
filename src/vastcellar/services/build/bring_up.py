"""From a built drive to a unit in service: commands to format it by hand, and what it then shows.

Nothing here formats or partitions. Commands are shown for somebody to compare and to run, and only
for a device that is told from all others, isn't in use, and whose unit's tag was typed.
"""

from __future__ import annotations

import re
import shlex
from collections.abc import Sequence
from dataclasses import dataclass

from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.file_systems import FileSystem
from vastcellar.core.units import NumberFormat
from vastcellar.devices.unplugging import can_let_go, let_go
from vastcellar.services.plugged.seen import LinkKind, SeenDevice

_PLAIN_PATH = re.compile(r"/dev/[A-Za-z0-9._/-]+")
_LABEL_BYTES = {
    "exfat": 11, "fat32": 11, "ntfs": 32, "ext4": 16, "xfs": 12, "btrfs": 255, "udf": 30,
}  # fmt: skip
_CLUSTER = {"exfat": "-c"}


@dataclass(frozen=True, slots=True)
class FormatPlan:
    """What to compare by eye, and what to type."""

    compare: tuple[tuple[str, str], ...]
    """What the device says of itself: name and text."""
    commands: tuple[str, ...]
    """One a line, to be run by an administrator; () where another system has to do it."""
    note: str


def volume_label(tag: str, fs: FileSystem) -> str:
    """Return *tag* as *fs* can have it for a name: plain signs, as long as it takes."""
    plain = re.sub(r"[^A-Za-z0-9_-]+", "_", tag).strip("_-") or "UNIT"
    cut = plain[: _LABEL_BYTES.get(fs.key, 11)]
    return cut.upper() if fs.key == "fat32" else cut


def format_plan(
    seen: SeenDevice,
    everything: Sequence[SeenDevice],
    fs: FileSystem,
    *,
    tag: str,
    typed_tag: str,
    allocation_bytes: int,
    fmt: NumberFormat,
) -> FormatPlan:
    """Return how *seen* is given the file system *fs* under the tag of its unit.

    Args:
        seen: the device.
        everything: all that is plugged in, to tell it from the others.
        fs: what it is to have.
        tag: of the unit that it becomes.
        typed_tag: the same, typed by whoever is going to run it.
        allocation_bytes: size of its clusters, 0 for the usual.
        fmt: how numbers are written here.

    Raises BadValueError for a device that is in use, read-only, the computer's own or not told
    from another, and while the tag isn't typed.
    """
    device = seen.device
    where = device.path
    _require_unused(seen, where)
    _require_told_apart(seen, everything, where)
    if typed_tag.strip() != tag:
        raise BadValueError(
            f"to see the commands, type the tag on its label: {tag}",
            where=where,
            mend="Whatever is on it will be lost",
        )
    compare = (
        ("model", f"{device.maker} {device.model}".strip() or "it doesn't say"),
        ("serial number", device.serial or "it doesn't say"),
        ("size", f"{fmt.size(device.size_bytes)} ({fmt.binary_size(device.size_bytes)})"),
        ("name here", device.path),
    )
    label = volume_label(tag, fs)
    if fs.key in ("apfs", "hfs-plus"):
        return FormatPlan(
            compare, (), f"{fs.name} is made on macOS, with the disk tool that comes with it: "
            f"name the volume {label}.",
        )  # fmt: skip
    target = device.volumes[0].path if device.volumes else _first_partition(device.path)
    commands = []
    if not device.volumes:
        commands.append(_line("parted", "-s", device.path, "mklabel", "gpt"))
        commands.append(_line("parted", "-s", device.path, "mkpart", "primary", "1MiB", "100%"))
    commands.append(_make(fs, target, label, allocation_bytes))
    return FormatPlan(
        compare,
        tuple(commands),
        "Compare model, serial number and size with the label on the drive before you run them.",
    )


def _require_unused(seen: SeenDevice, where: str) -> None:
    device = seen.device
    if device.is_system:
        what, mend = "this computer runs from it", "Choose the drive that was built"
    elif device.link.kind is LinkKind.NETWORK:
        what, mend = "it is on another computer", "Format it where it is plugged in"
    elif device.mounted:
        at = ", ".join(volume.mount_point for volume in device.mounted)
        what, mend = f"it is mounted at {at}", "Eject it first, and leave it plugged in"
    elif device.is_read_only:
        what, mend = "it is read-only", "Look for a lock on the card or its reader"
    elif len(device.volumes) > 1:
        names = ", ".join(volume.name for volume in device.volumes)
        what = f"it has {len(device.volumes)} partitions ({names}): which one is meant isn't clear"
        mend = "Look what is on them, and clear the drive yourself"
    elif not all(_PLAIN_PATH.fullmatch(path) for path in _paths(seen)):
        what, mend = "its name isn't one that can be typed safely", "Plug it in again"
    else:
        return
    raise BadValueError(what, where=where, mend=mend)


def _require_told_apart(seen: SeenDevice, everything: Sequence[SeenDevice], where: str) -> None:
    def looks(each: SeenDevice) -> tuple[str, str, int]:
        return each.device.model, each.device.serial, each.device.size_bytes

    twins = [each for each in everything if looks(each) == looks(seen)]
    if len(twins) > 1:
        names = ", ".join(each.device.path for each in twins)
        raise BadValueError(
            f"{names} say the same of themselves: by eye they can't be told apart",
            where=where,
            mend="Unplug the others",
        )


def _paths(seen: SeenDevice) -> list[str]:
    return [seen.device.path, *(volume.path for volume in seen.device.volumes)]


def _first_partition(path: str) -> str:
    return f"{path}p1" if path[-1].isdigit() else f"{path}1"


def _make(fs: FileSystem, target: str, label: str, allocation_bytes: int) -> str:
    options = {
        "exfat": ("mkfs.exfat", "-L", label),
        "fat32": ("mkfs.vfat", "-F", "32", "-n", label),
        "ntfs": ("mkfs.ntfs", "--fast", "-L", label),
        "ext4": ("mkfs.ext4", "-L", label),
        "xfs": ("mkfs.xfs", "-L", label),
        "btrfs": ("mkfs.btrfs", "-L", label),
        "udf": ("mkudffs", f"--label={label}"),
    }
    if fs.key not in options:
        raise BadValueError(
            f"how {fs.name} is made here isn't known", where=fs.name, mend="Take another one"
        )
    words = list(options[fs.key])
    if allocation_bytes and fs.key in _CLUSTER:
        words[1:1] = [_CLUSTER[fs.key], str(allocation_bytes)]
    return _line(*words, target)


def _line(*words: str) -> str:
    """Return a command as it is typed: nothing in it is ever run by pasting it."""
    return " ".join(shlex.quote(word) for word in words)


def shows_file_system(seen: SeenDevice, fs: FileSystem) -> bool:
    """Return whether the device shows *fs* now: the step is then done by itself."""
    return any(volume.file_system == fs.key for volume in seen.device.volumes)


def unplug_words(seen: SeenDevice) -> str:
    """Say whether it can be pulled now, or what has to be done before."""
    device = seen.device
    if device.is_system:
        return "Never: this computer runs from it."
    if device.mounted:
        at = ", ".join(volume.mount_point for volume in device.mounted)
        return f"Not yet: it is mounted at {at}, and writes may still be on their way. Eject it."
    return "Nothing of it is mounted: it can be unplugged once its light is still."


def can_be_let_go(seen: SeenDevice, *, is_made_up: bool) -> bool:
    """Return whether a click can unmount it: mounted, none of the computer's own, and real."""
    device = seen.device
    is_local = device.link.kind is not LinkKind.NETWORK
    return bool(
        device.mounted and is_local and not device.is_system and not is_made_up and can_let_go()
    )


def let_device_go(seen: SeenDevice) -> None:
    """Unmount *seen*, and power it off where it hangs on a plug. Raises DiskError."""
    device = seen.device
    if device.is_system:
        raise BadValueError(
            "this computer runs from it", where=device.path, mend="Leave it plugged in"
        )
    mounted = [volume.path for volume in device.mounted]
    let_go(device.path, mounted, powers_off=device.link.kind is LinkKind.USB)
