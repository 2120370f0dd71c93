"""A device measured for itself becomes a unit: bound to what was measured, once, with its run."""

import math
from dataclasses import replace
from pathlib import Path

import pytest

from computers import shipped
from disks import loop_disk
from vastcellar.core.errors import BadFileError, BadValueError, CellarError
from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.core.parts.parts import DriveKind
from vastcellar.core.parts.storage_classes import STORAGE_CLASSES
from vastcellar.core.protocols.amounts import Amount
from vastcellar.core.units import PLAIN
from vastcellar.services.plugged.seen import plugged_in
from vastcellar.services.proving.binding import binding_question
from vastcellar.services.proving.new_unit import (
    class_choices,
    free_tag,
    keep_as_unit,
    measured_device_of,
)
from vastcellar.services.proving.planned_tests import make_proof, plan_test
from vastcellar.services.proving.tests_offered import TESTS, Wish
from vastcellar.services.workplace.catalogs import read_catalog

WRITE = next(test for test in TESTS if test.kind == "write")
CARRY = DeviceIdentity("Carry One", "SN-77120", 2_000_000_000_000, "aaaa-1111")


def measured_in(folder, workplace, size_bytes=12_000_000):
    """Return a finished flat-out write into *folder*, with no setup and no unit."""
    wish = Wish(test=WRITE, amount=Amount(size_bytes), loads=(), folder=folder)
    proof = make_proof(plan_test(wish, None, math.nan, workplace), workplace)
    proof.begin()
    for _ in proof.run.snapshots():
        pass
    return proof


@pytest.fixture
def proof(workplace, tmp_path, lies_on):
    """A write into a folder that lies on the device CARRY."""
    lies_on(CARRY)
    return measured_in(tmp_path, workplace)


def test_one_step_makes_drive_unit_binding_and_run(workplace, proof):
    """Tag, device and trace stand in the cellar, and the drive in the catalog of one's own."""
    measured = measured_device_of(proof, None, workplace.catalog, PLAIN)
    assert (measured.identity, measured.capacity_bytes) == (CARRY, CARRY.size_bytes)
    tag = free_tag(workplace.shelf())
    kept = keep_as_unit(workplace, measured, proof, f" {tag} ")
    shelf = workplace.shelf()
    unit = shelf.unit(tag)
    assert unit.device == CARRY
    assert "serial SN-77120" in unit.note
    drive = read_catalog(workplace.folders).drive(unit.drive_key)
    assert drive == kept.catalog.drive(unit.drive_key)
    assert (drive.kind, drive.behaviour) == (DriveKind.READY_MADE, None)
    assert drive.claimed_write_bytes_per_s == measured.first_bytes_per_s
    (run,) = [record for record in shelf.records if record.unit_tag == tag]
    assert run.run_id == kept.runs[0].run_id
    assert run.conditions["device_serial"] == "SN-77120"
    assert unit.written_bytes == run.figures["written_bytes"]


def test_a_device_is_one_unit_only(workplace, proof):
    """The second unit of one device is refused by name, and nothing of it is left."""
    measured = measured_device_of(proof, None, workplace.catalog, PLAIN)
    keep_as_unit(workplace, measured, proof, "D-01")
    units, runs = workplace.shelf().units, workplace.shelf().records
    with pytest.raises(BadValueError, match=r"SN-77120.* is D-01 already"):
        keep_as_unit(workplace, measured, proof, "D-02")
    assert (workplace.shelf().units, workplace.shelf().records) == (units, runs)


def test_a_tag_that_is_taken_leaves_neither_unit_nor_drive(workplace, proof):
    """M-03 stands on the demo's shelf: the sentence says so before anything is written."""
    measured = measured_device_of(proof, None, workplace.catalog, PLAIN)
    with pytest.raises(BadValueError, match="there is one of this tag already"):
        keep_as_unit(workplace, measured, proof, "M-03")
    with pytest.raises(BadValueError, match="tag"):
        keep_as_unit(workplace, measured, proof, "  ")
    assert "own-carry-one-m-03" not in read_catalog(workplace.folders).drives
    assert workplace.shelf().unit("M-03").device is None


def test_an_own_catalog_that_is_broken_is_said_and_makes_no_unit(workplace, proof):
    """A file of brackets where the own parts lie: one sentence, no unit, the file as it was."""
    measured = measured_device_of(proof, None, workplace.catalog, PLAIN)
    own = workplace.folders.catalog_folder / "own.json"
    own.parent.mkdir(parents=True, exist_ok=True)
    own.write_text("[" * 40_000)
    with pytest.raises(BadFileError):
        keep_as_unit(workplace, measured, proof, "D-01")
    assert workplace.shelf().unit("D-01") is None
    assert own.read_text() == "[" * 40_000


def test_a_run_that_cannot_be_kept_leaves_the_unit_and_says_where_the_run_is(
    workplace, proof, monkeypatch
):
    """The cellar is full just then: the unit stands, bound; the run waits in a file."""
    measured = measured_device_of(proof, None, workplace.catalog, PLAIN)

    def full(*_args, **_kwargs):
        raise CellarError("the disk is full", where="cellar", mend="Free some space")

    monkeypatch.setattr(type(workplace.cellar), "add_run", full)
    kept = keep_as_unit(workplace, measured, proof, "D-01")
    assert kept.runs == () and "the run itself is safe in" in str(kept.trouble)
    assert workplace.shelf().unit("D-01").device == CARRY
    assert kept.catalog.drive(kept.unit.drive_key)
    assert list(workplace.folders.rescued.iterdir())


def test_a_class_gives_what_is_typical_and_only_one_that_the_trace_fits(workplace, proof):
    """Known class: its usual behaviour at its own first level; a foreign class is refused."""
    measured = measured_device_of(proof, None, workplace.catalog, PLAIN)
    qlc = next(each for each in STORAGE_CLASSES if each.key == "sata-qlc")
    measured = replace(measured, first_bytes_per_s=500e6, classes=(qlc,))
    assert class_choices(measured) == (("", "don't know"), ("sata-qlc", "SATA SSD, QLC"))
    with pytest.raises(BadValueError, match="doesn't fit the class 'hdd-25'"):
        keep_as_unit(workplace, measured, proof, "D-01", "hdd-25")
    kept = keep_as_unit(workplace, measured, proof, "D-01", "sata-qlc")
    drive = kept.catalog.drive(kept.unit.drive_key)
    assert drive.medium == "QLC"
    assert drive.writes.cache_write_bytes_per_s == 500e6
    assert drive.writes.direct_write_bytes_per_s < 0.3 * 500e6


def test_what_can_be_no_unit_is_said(workplace, tmp_path, lies_on):
    """A device without any identity, and a folder in memory: a sentence each, with the mend."""
    lies_on(DeviceIdentity("Carry One", "", 10**12, ""))
    proof = measured_in(tmp_path, workplace)
    with pytest.raises(BadValueError, match="can't be told from others"):
        measured_device_of(proof, None, workplace.catalog, PLAIN)
    in_memory = Path("/dev/shm")
    if in_memory.is_dir():
        proof = measured_in(in_memory, workplace)
        with pytest.raises(BadValueError, match="in this one's memory"):
            measured_device_of(proof, None, workplace.catalog, PLAIN)


def first_seen(name, workplace, folder):
    """Return the first device of a shipped computer that it doesn't run from."""
    found = plugged_in(shipped(name, folder), workplace.shelf(), workplace.catalog)
    return next(each for each in found if not each.device.is_system)


def test_the_link_that_is_seen_says_what_it_can_be_plugged_with(workplace, tmp_path, lies_on):
    """A 10G case that fell to 5G may be plugged at 10G; what another device says is left out."""
    ssd = first_seen("ssd-behind-hub", workplace, tmp_path / "a")
    lies_on(ssd.device.identity)
    proof = measured_in(tmp_path, workplace)
    measured = measured_device_of(proof, ssd, workplace.catalog, PLAIN)
    assert measured.host_modes == ("usb-10g", "usb-5g", "usb-2")
    assert "links at 5G" in measured.said
    assert measured.written_bytes == float(ssd.device.smart.written_bytes or 0)
    module = first_seen("pcie-carrier", workplace, tmp_path / "b")
    other = measured_device_of(proof, module, workplace.catalog, PLAIN)
    assert "PCIe" not in other.said
    assert other.host_modes == measured_device_of(proof, None, workplace.catalog, PLAIN).host_modes


def test_a_module_on_a_carrier_is_plugged_inside(workplace, tmp_path, lies_on):
    """No USB mode is made up for what hangs on PCIe."""
    module = first_seen("pcie-carrier", workplace, tmp_path / "b")
    lies_on(module.device.identity)
    measured = measured_device_of(
        measured_in(tmp_path, workplace), module, workplace.catalog, PLAIN
    )
    assert measured.host_modes in (("internal",), (module.mode.key,))


@pytest.mark.real_disk
def test_a_second_real_disk_is_refused_for_the_unit_of_the_first(workplace, tmp_path):
    """Two loop disks: the unit made of one is not the other, by what the system says of both."""
    with loop_disk(tmp_path, "first") as first, loop_disk(tmp_path, "second") as second:
        proof = measured_in(first, workplace, 20_000_000)
        measured = measured_device_of(proof, None, workplace.catalog, PLAIN)
        kept = keep_as_unit(workplace, measured, proof, "D-01")
        assert kept.unit.tag == "D-01"
        assert binding_question(workplace.shelf(), "D-01", first) is None
        with pytest.raises(BadValueError, match="Choose a folder on that device"):
            binding_question(workplace.shelf(), "D-01", second)
        assert sorted(each.name for each in first.iterdir()) == ["lost+found"]
