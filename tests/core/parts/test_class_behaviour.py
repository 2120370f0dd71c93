"""How drives of a class usually write: every one of them is a drive that could exist."""

import math
from dataclasses import replace

import pytest

from vastcellar.core.parts.class_behaviour import class_behaviour
from vastcellar.core.parts.parts import DriveKind
from vastcellar.core.writing.drive_in_use import EventKind, cache_capacity_bytes
from vastcellar.core.writing.heat import HeatPath
from vastcellar.core.writing.write_profile import Phase, write_profile


def drives_by_class(catalog):
    return {(drive.kind, drive.medium.upper()): drive for drive in catalog.drives.values()}


def test_every_drive_of_the_catalog_has_a_class_that_it_could_belong_to(catalog):
    """No drive of the catalog is outside the behaviours typical of its class."""
    assert len(drives_by_class(catalog)) >= 5
    for drive in catalog.drives.values():
        usual = class_behaviour(drive)
        assert 0 < usual.direct_write_bytes_per_s <= usual.cache_write_bytes_per_s
        assert usual.cache_write_bytes_per_s == drive.claimed_write_bytes_per_s
        assert 0 <= usual.cache_share_of_free <= 1 / 3
        assert usual.direct_j_per_gb >= usual.cache_j_per_gb or drive.kind is DriveKind.CARD
        for stage in usual.throttle:
            assert stage.off_c < stage.on_c
            assert stage.cap_bytes_per_s < usual.cache_write_bytes_per_s


def test_four_bits_a_cell_are_slower_past_a_cache_that_is_no_larger(catalog):
    """Four bits a cell write slower past the cache and heat more than three."""
    nvme = next(d for d in catalog.drives.values() if d.kind is DriveKind.NVME)
    tlc, qlc = (class_behaviour(replace(nvme, medium=medium)) for medium in ("TLC", "QLC"))
    assert qlc.direct_write_bytes_per_s < tlc.direct_write_bytes_per_s / 3
    assert qlc.fold_bytes_per_s < tlc.fold_bytes_per_s
    assert qlc.direct_j_per_gb > tlc.direct_j_per_gb


def test_a_hard_disk_has_no_cliff_but_slows_inwards(catalog):
    """A hard disk's class has no cache and half the rate at the inner edge."""
    disk = next(d for d in catalog.drives.values() if d.kind is DriveKind.HARD_DISK)
    usual = class_behaviour(disk)
    assert cache_capacity_bytes(usual, 4e12) == 0
    assert usual.inner_share == pytest.approx(0.5)
    path, flat_out = HeatPath(400, 600, 1.0, 2.0, 0.5, 22.0), (Phase(math.inf, 3600.0),)
    run = write_profile(usual, path, 1e9, flat_out, free_bytes=4e12, capacity_bytes=4e12)
    assert run.first(EventKind.CACHE_FULL) is None
    assert run.first(EventKind.THROTTLE) is None
