"""Drives as their owners describe them: every kind can be kept, read back, and matched."""

from dataclasses import replace

import pytest

from vastcellar.core.parts.parts import DriveKind
from vastcellar.services.workplace.catalogs import read_catalog
from vastcellar.services.workplace.own_catalog import save_own
from vastcellar.services.workplace.own_drives import (
    DESCRIBED_KINDS,
    classes_of,
    described_kind,
    new_own_drive,
    of_class,
    with_described_kind,
)


@pytest.mark.parametrize("kind", DESCRIBED_KINDS, ids=lambda kind: kind.key)
def test_every_kind_is_kept_and_read_back_as_it_is(kind, places, catalog):
    """Of every class that goes with it, and of none: the file gives the same drive again."""
    drive = with_described_kind(new_own_drive(), kind.key)
    assert described_kind(drive) == kind
    assert all(mode in catalog.modes for mode in drive.host_modes)
    for key in ("", *(each.key for each in classes_of(drive))):
        made = of_class(drive, key)
        save_own([made], places)
        assert read_catalog(places).drive(made.key) == made


def test_a_bare_drive_of_every_kind_fits_a_case_of_the_catalog(catalog):
    """A form that no case takes would be a unit that can be recorded to nowhere."""
    for kind in DESCRIBED_KINDS:
        drive = with_described_kind(new_own_drive(), kind.key)
        assert bool(tuple(catalog.enclosures_for(drive))) == drive.needs_enclosure


def test_a_class_never_writes_faster_than_the_claim_and_another_kind_forgets_it():
    """A hard disk's class on a claim of 90 MB/s; as a card nobody knows how it writes."""
    slow = replace(new_own_drive(), claimed_write_bytes_per_s=90e6)
    for each in classes_of(slow):
        writes = of_class(slow, each.key).writes
        assert writes.direct_write_bytes_per_s <= 90e6
    disk = of_class(with_described_kind(slow, "hdd-25"), "hdd-25")
    assert disk.kind is DriveKind.HARD_DISK and disk.behaviour is not None
    assert with_described_kind(disk, "sd-uhs-2").behaviour is None
    assert classes_of(with_described_kind(disk, "sd-uhs-2")) == ()
