"""A store as a unit of the shelf: computed from its disks, chosen by copies and offloads."""

import json
from dataclasses import replace
from datetime import date

import pytest

from vastcellar.core.cellar.packing import Goal
from vastcellar.core.edit.arrays import Level
from vastcellar.core.errors import BadValueError, UnknownPartError
from vastcellar.core.parts.acceptance import DUTIES, Acceptance
from vastcellar.core.parts.parts import DriveKind
from vastcellar.core.parts.units import Unit, free_bytes_on
from vastcellar.core.shoot.edit_plan import StoreSetup
from vastcellar.core.shoot.shoot import Copy, Setup
from vastcellar.services.cellar.bookings import Planned
from vastcellar.services.cellar.packing import pack_shoot
from vastcellar.services.cellar.unit_memory import UnitMemory
from vastcellar.services.edit.edit_planning import plan_edit
from vastcellar.services.edit.shelved_stores import (
    is_another_by_now,
    shelve,
    shelved,
    store_drive,
    store_named,
)
from vastcellar.services.edit.stores import build_store
from vastcellar.services.match.judging import chain_of
from vastcellar.services.match.matching import find_for
from vastcellar.services.match.placing import placings
from vastcellar.services.roll.day_planning import plan_day
from vastcellar.services.workplace.catalogs import read_catalog
from vastcellar.services.workplace.own_drives import with_drive
from vastcellar.services.workplace.workplace import Shelf, open_workplace

DISK = "kelmarsh-dray-8"
N_01 = StoreSetup("N-01", "raid-5", (DISK,) * 4, "sedgeway-loft-4", port_mode="eth-10g",
                  used_share=0.4)  # fmt: skip
SHELVES = Shelf()


def on_the_shelf(setup, catalog, tag="N-07"):
    """Return catalog and shelf with *setup* as the unit *tag*."""
    made = shelved(setup, tag, catalog, SHELVES)
    return with_drive(catalog, made.drive), Shelf((made.unit,)), made


def test_its_chain_carries_what_edit_says_of_its_link(catalog):
    """On the desk's 10 GbE port by a network cable: the least of network and disks, as Edit has
    it."""
    known, shelf, made = on_the_shelf(N_01, catalog)
    setup = Setup(made.drive.key, "boathouse-desk", "net", unit_tag="N-07", cable_key="wr-net-5")
    chain = chain_of(setup, known, shelf, 24.0)
    store = build_store(N_01, catalog)
    assert not chain.problem and chain.mode.key == "eth-10g"
    assert chain.link_cap_bytes_per_s == store.narrowest.bytes_per_s
    disks = store.array.write_bytes_per_s(0.4)
    assert chain.at_first_bytes_per_s == pytest.approx(min(disks, store.narrowest.bytes_per_s))
    assert chain.free_bytes == pytest.approx(24e12 * 0.6)


def test_its_own_link_and_the_ports_speed_settle_what_it_runs_at(catalog):
    """The store set on gigabit runs no faster on a 10G port, and an old tower's port slows one on
    10G; larger frames only where the store has them set."""
    _, _, made = on_the_shelf(replace(N_01, port_mode="eth-1g"), catalog)
    assert made.drive.host_modes == ("eth-1g",)
    known, shelf, made = on_the_shelf(N_01, catalog)
    tower = Setup(made.drive.key, "old-tower", "net", unit_tag="N-07", cable_key="wr-net-5")
    assert chain_of(tower, known, shelf, 24.0).mode.key == "eth-1g"
    assert "eth-10g-jumbo" not in made.drive.host_modes
    _, _, large = on_the_shelf(replace(N_01, port_mode="eth-10g-jumbo"), catalog)
    assert "eth-10g-jumbo" in large.drive.host_modes


def test_a_laptop_without_a_network_port_takes_it_by_an_adapter(catalog):
    """Behind the adapter's 2.5 GbE, and nowhere else; a USB cable alone connects nothing."""
    known, shelf, made = on_the_shelf(N_01, catalog)
    host = known.host("van-laptop")
    setup = Setup(made.drive.key, "", "", unit_tag="N-07")
    tried = placings(host.ports, host, setup, known, shelf, 24.0, with_readers=True)
    works = [each for each in tried if not each[1].problem]
    assert works and {each[0].hub_keys for each in works} == {("drumlin-strand",)}
    assert max(each[1].link_cap_bytes_per_s for each in works) < 300e6


def test_encryption_and_a_short_window_are_what_it_writes_at(catalog):
    """300 MB/s of encryption in the store, then 64 KB in 0.5 ms: the least of them is its rate."""
    coded = replace(N_01, encrypted_by="store", encryption_bytes_per_s=300e6)
    assert store_drive(coded, catalog).claimed_write_bytes_per_s == 300e6
    short = replace(coded, window_bytes=65536.0, round_trip_s=0.5e-3)
    assert store_drive(short, catalog).claimed_write_bytes_per_s == pytest.approx(131.072e6)
    by_desk = replace(N_01, encrypted_by="desk", encryption_bytes_per_s=300e6)
    assert store_drive(by_desk, catalog).claimed_write_bytes_per_s == pytest.approx(750e6)


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"level": "each by itself", "box_key": "", "port_mode": "usb-10g"}, "a volume each"),
        ({"level": "single", "disk_keys": (DISK,), "box_key": "", "port_mode": "usb-5g"},
         "a single drive at the desk"),
        ({"port_mode": ""}, "no link"),
        ({"level": "raid-5", "disk_keys": (DISK,) * 2}, "needs 3"),
    ],
)  # fmt: skip
def test_what_is_no_drive_of_several_disks_is_refused_with_a_mend(catalog, changes, says):
    """Volumes of their own, a single drive, nothing to copy over, too few disks."""
    with pytest.raises(BadValueError, match=says):
        store_drive(replace(N_01, **changes), catalog)
    with pytest.raises(UnknownPartError):
        store_drive(replace(N_01, disk_keys=("gone",) * 4), catalog)


def test_two_stores_of_one_name_are_two_drives_and_a_stick_is_none(catalog):
    """Each unit has a drive of its own; a stick is never made a store by an update."""
    known, shelf, one = on_the_shelf(N_01, catalog, "N-07")
    two = shelved(N_01, "N 07", known, shelf)
    assert two.drive.key != one.drive.key
    stick = Shelf((Unit("K-01", "torvane-t2-2"),))
    with pytest.raises(BadValueError, match="no store of several disks"):
        shelved(N_01, "K-01", catalog, stick, updates=True)
    with pytest.raises(BadValueError, match="no store of several disks"):
        shelved(N_01, "N-99", catalog, stick, updates=True)


def test_it_says_that_it_was_changed_since(catalog):
    """Other disks, level, link: another by now. Another fill or price of a disk isn't."""
    known, shelf, _ = on_the_shelf(N_01, catalog)
    unit = shelf.units[0]
    assert not is_another_by_now(N_01, unit, known)
    assert not is_another_by_now(replace(N_01, used_share=0.9), unit, known)
    for changes in ({"level": Level.DOUBLE_PARITY.value}, {"port_mode": "eth-1g"},
                    {"disk_keys": ("kelmarsh-dray-4",) * 4}):  # fmt: skip
        assert is_another_by_now(replace(N_01, **changes), unit, known)


def test_shelved_for_good_it_is_there_after_a_restart_and_brought_up_to_date(places, tmp_path):
    """Catalog and shelf keep it; brought up to date it is larger, another drive, and accepted no
    more."""
    path = tmp_path / "plan.edit.json"
    content = {"format": "vast-cellar/edit", "version": 1, "chosen": "N-01",
               "stores": [{"name": "N-01", "level": "raid-5", "disk_keys": [DISK] * 4,
                           "box_key": "sedgeway-loft-4", "port_mode": "eth-1g"}],
               "stream": {"bytes_per_s": 92.17e6}}  # fmt: skip
    path.write_text(json.dumps(content), encoding="utf-8")
    workplace = open_workplace(places=places)
    shelve(workplace, path, "", "N-01")
    workplace.close()
    content["stores"][0]["level"] = "raid-0"
    path.write_text(json.dumps(content), encoding="utf-8")
    again = open_workplace(places=places)
    assert again.catalog.drive_of(again.shelf().unit("N-01")).capacity_bytes == 24e12
    with pytest.raises(BadValueError, match="one of this tag already"):
        shelve(again, path, "N-01", "N-01")
    assert again.catalog.drives == read_catalog(places).drives  # its drive is as it was
    before = again.shelf().unit("N-01")
    decided = Acceptance(date(2026, 11, 1), DUTIES[-1], True, (1,))
    again.cellar.change_unit(before, replace(before, acceptance=decided))
    workplace = shelve(again, path, "N-01", "N-01", updates=True)
    unit = workplace.shelf().unit("N-01")
    assert unit.drive_key != before.drive_key and unit.acceptance is None
    assert workplace.catalog.drive_of(unit).capacity_bytes == 32e12
    with pytest.raises(BadValueError, match="It has: N-01"):
        shelve(workplace, path, "N-02", "N-02")
    assert len(workplace.shelf().units) == 1
    workplace.close()


def test_the_demos_plan_and_shelf_speak_of_the_same_store(slipway, catalog, shelf):
    """N-01 in Edit is the unit N-01, as full, as large, and not changed since."""
    unit = shelf.unit("N-01")
    setup = store_named(slipway.edit, "N-01")
    assert setup.unit_tag == "N-01" and not is_another_by_now(setup, unit, catalog)
    drive = catalog.drive_of(unit)
    assert drive.kind is DriveKind.STORE
    planned = plan_edit(slipway.edit, catalog, slipway)
    store = next(each.store for each in planned.stores if each.setup.name == "N-01")
    assert free_bytes_on(drive, unit) == pytest.approx(
        store.array.usable_bytes * (1 - store.filled_share)
    )


def test_a_days_cards_are_copied_to_it_over_its_network(slipway, catalog, shelf):
    """At the desk beside a disk: it hangs on the network port, and takes what gigabit carries;
    with it on 10G the last copy is verified earlier."""
    copies = (Copy("Working copy", unit_tags=("N-01",)), Copy("Safety copy", unit_tags=("H-02",)))
    offload = replace(slipway.offload, host_key="boathouse-desk", ports=())
    shoot = replace(slipway, copies=copies, offload=offload)
    slow = plan_day(shoot, 1, catalog, shelf)
    drive = next(each for each in slow.day.drives if each.tag == "N-01")
    assert drive.link_cap_bytes_per_s == catalog.modes["eth-1g"].typical_bytes_per_s
    assert drive.free_bytes < 14.4e12 + 1
    faster = shelved(N_01, "N-01", catalog, shelf)
    units = tuple(faster.unit if each.tag == "N-01" else each for each in shelf.units)
    quick = plan_day(shoot, 1, with_drive(catalog, faster.drive), replace(shelf, units=units))
    assert quick.run.last_verified_s < slow.run.last_verified_s


def test_two_stores_on_one_network_share_the_computers_port(slipway, catalog, shelf):
    """Both hang on the one network port; on 10G, which carries both together, neither is quicker
    than half of it while both are written, and the day is longer than with one of them."""
    two = [shelved(replace(N_01, name=tag), tag, catalog, SHELVES) for tag in ("N-08", "N-09")]
    known = with_drive(with_drive(catalog, two[0].drive), two[1].drive)
    held = replace(shelf, units=(*shelf.units, *(each.unit for each in two)))
    offload = replace(slipway.offload, host_key="boathouse-desk", ports=())

    def day(*tags):
        copies = tuple(Copy(f"Copy {tag}", unit_tags=(tag,)) for tag in tags)
        return plan_day(replace(slipway, copies=copies, offload=offload), 1, known, held)

    both = day("N-08", "N-09")
    assert [(d.tag, d.uplink) for d in both.day.drives] == [("N-08", "net"), ("N-09", "net")]
    (uplink,) = both.day.uplinks
    assert uplink.bytes_per_s == catalog.modes["eth-10g"].typical_bytes_per_s
    apart = day("N-08", "H-02")
    assert apart.day.uplinks == () and {d.uplink for d in apart.day.drives} == {""}


def test_it_stays_where_it_is_when_a_case_is_packed(slipway, catalog, shelf):
    """A copy that names it, and that it has room for, needs nothing carried; where none does, it
    stays and says why. Too full for it, others are carried."""
    day = date(2026, 11, 1)

    def remembered(used_bytes):
        units = tuple(
            replace(each, used_bytes=used_bytes) if each.tag == "N-01" else each
            for each in shelf.units
        )
        held = replace(shelf, units=units)
        return UnitMemory().remember(held, catalog, day, is_demo=True, shoot=slipway)

    known = remembered(1e12)
    packed = pack_shoot(slipway, known, catalog, Planned(), day, (Goal.FEWEST,))
    assert "N-01" not in {unit.tag for unit in packed.task.units}
    why = {each.tag: each.why for each in packed.stays}
    assert "stands where it is" in why["N-01"]
    copies = (Copy("Working copy", unit_tags=("N-01",)), *slipway.copies[1:])
    named = replace(slipway, copies=copies)
    packed = pack_shoot(named, remembered(9.6e12), catalog, Planned(), day, (Goal.FEWEST,))
    assert "Working copy" in {need.name for need in packed.task.needs}
    packed = pack_shoot(named, known, catalog, Planned(), day, (Goal.FEWEST,))
    assert "Working copy" not in {need.name for need in packed.task.needs}
    why = {each.tag: each.why for each in packed.stays}
    assert why["N-01"] == "it takes the Working copy where it stands"


def test_it_is_offered_to_a_camera_only_where_a_network_reaches_it(slipway, catalog, shelf):
    """No camera of the shoot has a network port: none is offered it, and Match doesn't list it
    among what can be bought."""
    camera = slipway.camera("B")
    found = find_for(slipway, camera, [catalog.host("maro-4")], catalog, shelf).table
    assert "N-01" not in {found.unit(row).tag for row in range(len(found)) if found.unit(row)}
    at_desk = find_for(slipway, camera, [catalog.host("boathouse-desk")], catalog, shelf).table
    stores = [row for row in range(len(at_desk)) if at_desk.drive(row).kind is DriveKind.STORE]
    assert stores and all(at_desk.unit(row).tag == "N-01" for row in stores)
