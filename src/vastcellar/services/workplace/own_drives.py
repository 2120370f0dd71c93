"""Drives of one's own as somebody describes them: what it is, how large, of which class."""

from __future__ import annotations

from dataclasses import dataclass, replace

from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.class_behaviour import class_behaviour
from vastcellar.core.parts.parts import Drive, DriveKind
from vastcellar.core.parts.storage_classes import STORAGE_CLASSES, StorageClass
from vastcellar.services.workplace.own_catalog import own_key

UNKNOWN_CLASS = ""


@dataclass(frozen=True, slots=True)
class DescribedKind:
    """What a drive can be described as, with what follows from that."""

    key: str
    words: str
    kind: DriveKind
    host_modes: tuple[str, ...] = ()
    form: str = ""
    pcie_generation: int = 0


_USB_10G = ("usb-10g", "usb-5g", "usb-2")
DESCRIBED_KINDS = (
    DescribedKind("nvme", "NVMe module, 2280", DriveKind.NVME, form="2280", pcie_generation=4),
    DescribedKind("nvme-2230", "NVMe module, 2230", DriveKind.NVME, form="2230", pcie_generation=4),
    DescribedKind("sata", 'SATA SSD, 2.5"', DriveKind.SATA, form="2.5"),
    DescribedKind("hdd-25", 'hard disk, 2.5"', DriveKind.HARD_DISK, form="2.5"),
    DescribedKind("hdd-35", 'hard disk, 3.5"', DriveKind.HARD_DISK, form="3.5"),
    DescribedKind("ready-10g", "ready-made drive, 10G USB", DriveKind.READY_MADE, _USB_10G),
    DescribedKind("ready-20g", "ready-made drive, 20G USB", DriveKind.READY_MADE,
                  ("usb-20g", *_USB_10G)),
    DescribedKind("ready-40g", "ready-made drive, 40G USB", DriveKind.READY_MADE,
                  ("usb4-40g", "usb4-20g", *_USB_10G)),
    DescribedKind("sd-uhs-1", "SD card, UHS-I", DriveKind.CARD, ("sd-uhs-1",)),
    DescribedKind("sd-uhs-2", "SD card, UHS-II", DriveKind.CARD, ("sd-uhs-2", "sd-uhs-1")),
    DescribedKind("cfexpress-a", "CFexpress card, Type A", DriveKind.CARD, ("cfexpress-2-a",)),
    DescribedKind("cfexpress-b", "CFexpress card, Type B", DriveKind.CARD, ("cfexpress-2-b",)),
    DescribedKind("cfexpress-4-b", "CFexpress card, 4.0 Type B", DriveKind.CARD,
                  ("cfexpress-4-b", "cfexpress-2-b")),
)  # fmt: skip


def described_kind(drive: Drive) -> DescribedKind:
    """Return what *drive* was described as; of others the first that it may be."""
    alike = [
        each
        for each in DESCRIBED_KINDS
        if (each.kind, each.host_modes, each.form) == (drive.kind, drive.host_modes, drive.form)
    ]
    same_kind = [each for each in DESCRIBED_KINDS if each.kind is drive.kind]
    return (alike or same_kind or list(DESCRIBED_KINDS))[0]


def with_described_kind(drive: Drive, key: str) -> Drive:
    """Return *drive* as the kind *key*; its class isn't known any more."""
    kind = next(each for each in DESCRIBED_KINDS if each.key == key)
    return replace(
        drive,
        kind=kind.kind,
        host_modes=kind.host_modes,
        form=kind.form,
        pcie_generation=kind.pcie_generation,
        pcie_lanes=4 if kind.pcie_generation else 0,
        medium="not known",
        behaviour=None,
    )


def classes_of(drive: Drive) -> tuple[StorageClass, ...]:
    """Return the classes that *drive* may be of: of a closed one, all but a bare disk's."""
    if drive.kind is DriveKind.CARD:
        return ()
    if drive.needs_enclosure:
        return tuple(each for each in STORAGE_CLASSES if each.kind is drive.kind)
    return STORAGE_CLASSES


def of_class(drive: Drive, class_key: str) -> Drive:
    """Return *drive* as its class usually writes, by its own claim; "" says that nobody knows.

    All of it is typical and nothing measured: runs of its unit then calibrate it.
    """
    found = next((each for each in STORAGE_CLASSES if each.key == class_key), None)
    if found is None:
        return replace(drive, medium="not known", behaviour=None)
    bare = replace(drive, medium=found.medium, behaviour=None)
    usual = class_behaviour(replace(bare, kind=found.kind, host_modes=()))
    after = min(usual.direct_write_bytes_per_s, drive.claimed_write_bytes_per_s)
    return replace(bare, behaviour=replace(usual, direct_write_bytes_per_s=after))


def new_own_drive() -> Drive:
    """Return a drive to begin a description with."""
    drive = Drive(
        key=own_key("My drive"),
        name="My drive",
        kind=DriveKind.READY_MADE,
        medium="not known",
        capacity_bytes=10**12,
        claimed_read_bytes_per_s=1000e6,
        claimed_write_bytes_per_s=1000e6,
        host_modes=_USB_10G,
        source="described by its owner",
    )
    return with_described_kind(drive, "ready-10g")


def with_drive(catalog: Catalog, drive: Drive) -> Catalog:
    """Return *catalog* with *drive* in it, as it will be once that is kept."""
    return replace(catalog, drives={**catalog.drives, drive.key: drive})


def is_own(drive: Drive) -> bool:
    """Whether *drive* was described or entered by its owner."""
    return drive.key.startswith("own-")
