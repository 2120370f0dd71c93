"""The block devices as ``lsblk`` lists them: disks, what is partitioned and layered on them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from vastcellar.devices.system import System, one_line, whole_number

_COLUMNS = (
    "NAME", "KNAME", "PATH", "MAJ:MIN", "TYPE", "SIZE", "RO", "RM", "ROTA", "TRAN", "VENDOR",
    "MODEL", "SERIAL", "FSTYPE", "LABEL", "UUID", "LOG-SEC", "PHY-SEC", "DISC-MAX", "HOTPLUG",
)  # fmt: skip
_MOST_NODES = 2000
_MOST_DEPTH = 12
_LARGEST_BYTES = 2**63


@dataclass(frozen=True, slots=True)
class BlockNode:
    """A disk, a partition, or a layer such as encryption; "" and 0 where nothing is said."""

    name: str
    path: str
    device_number: str
    type: str
    size_bytes: int
    is_read_only: bool
    is_removable: bool
    is_rotational: bool | None
    transport: str
    vendor: str
    model: str
    serial: str
    file_system: str
    label: str
    uuid: str
    logical_sector_bytes: int
    physical_sector_bytes: int
    can_trim: bool | None
    is_hotplug: bool
    children: tuple[BlockNode, ...] = ()

    def walk(self) -> Iterator[BlockNode]:
        """Yield it and everything on it."""
        yield self
        for child in self.children:
            yield from child.walk()


def read_block_tree(system: System) -> tuple[BlockNode, ...]:
    """Return the disks of *system*; none where nothing answers."""
    asked = ("--json", "--bytes", "--output", ",".join(_COLUMNS))
    answer = system.ask("lsblk", asked, made_up_as="lsblk")
    left = [_MOST_NODES]
    return _nodes(answer.get("blockdevices"), left, _MOST_DEPTH)


def _nodes(found: object, left: list[int], depth: int) -> tuple[BlockNode, ...]:
    """Return the entries of a list that are block devices, *left* in all."""
    if not isinstance(found, list) or not depth:
        return ()
    made = []
    for entry in found:
        if not left[0]:
            break
        if isinstance(entry, dict) and one_line(entry.get("kname") or entry.get("name")):
            left[0] -= 1
            made.append(_node(entry, left, depth))
    return tuple(made)


def _node(entry: dict[str, Any], left: list[int], depth: int) -> BlockNode:
    name = one_line(entry.get("kname")) or one_line(entry.get("name"))
    size = whole_number(entry.get("size"))
    return BlockNode(
        name=name,
        path=one_line(entry.get("path")) or f"/dev/{name}",
        device_number=one_line(entry.get("maj:min")),
        type=one_line(entry.get("type")),
        size_bytes=size if size < _LARGEST_BYTES else 0,
        is_read_only=_flag(entry.get("ro")) is True,
        is_removable=_flag(entry.get("rm")) is True,
        is_rotational=_flag(entry.get("rota")),
        transport=one_line(entry.get("tran")),
        vendor=one_line(entry.get("vendor")),
        model=one_line(entry.get("model")),
        serial=one_line(entry.get("serial")),
        file_system=one_line(entry.get("fstype")),
        label=one_line(entry.get("label")),
        uuid=one_line(entry.get("uuid")),
        logical_sector_bytes=whole_number(entry.get("log-sec")),
        physical_sector_bytes=whole_number(entry.get("phy-sec")),
        # lsblk says 0 where the device has no way to be told which blocks are free.
        can_trim=whole_number(entry["disc-max"]) > 0 if entry.get("disc-max") is not None else None,
        is_hotplug=_flag(entry.get("hotplug")) is True,
        children=_nodes(entry.get("children"), left, depth - 1),
    )


def _flag(found: object) -> bool | None:
    """lsblk gave "0" and "1" before it gave true and false."""
    if isinstance(found, bool):
        return found
    return {"0": False, "1": True}.get(str(found))
