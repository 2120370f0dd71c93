"""What a device lies on in the end, in trees that are made up: drives, layers, and what is none."""

import pytest

from vastcellar.devices.behind import Behind, behind_device
from vastcellar.devices.system import System

PCI = "sys/devices/pci0000:00/0000:00:14.0"


@pytest.fixture
def tree(tmp_path):
    """Return a function that adds a block device to a made-up computer."""
    system = System(tmp_path)

    def add(number, place, *, on=(), device=True, partition=False, **files):
        folder = tmp_path / place
        folder.mkdir(parents=True, exist_ok=True)
        (folder / "dev").write_text(number)
        if device and not partition:
            (folder / "device").mkdir(exist_ok=True)
        if partition:
            (folder / "partition").write_text("1")
        for name, content in files.items():
            (folder / name).write_text(content)
        for below in on:
            (folder / "slaves").mkdir(exist_ok=True)
            link = folder / "slaves" / below.rpartition("/")[2]
            link.symlink_to(tmp_path / below)
        numbers = tmp_path / "sys/dev/block"
        numbers.mkdir(parents=True, exist_ok=True)
        (numbers / number).symlink_to(folder)
        return system

    return add


SDA, SDB = f"{PCI}/usb1/1-1/host0/block/sda", f"{PCI}/usb1/1-2/host1/block/sdb"
VIRTUAL = "sys/devices/virtual/block"


def test_partitions_encryption_and_arrays_are_followed_to_their_drives(tree):
    """Two partitions are one drive; an encrypted array lies on both of its disks."""
    tree("8:0", SDA)
    tree("8:1", f"{SDA}/sda1", partition=True)
    tree("8:16", SDB)
    tree("8:17", f"{SDB}/sdb1", partition=True)
    tree("9:0", f"{VIRTUAL}/md0", on=(f"{SDA}/sda1", f"{SDB}/sdb1"), device=False)
    system = tree("252:0", f"{VIRTUAL}/dm-0", on=(f"{VIRTUAL}/md0",), device=False)
    assert behind_device("8:1", system).drives == {"sda"} == behind_device("8:0", system).drives
    array = behind_device("252:0", system)
    assert array.drives == {"sda", "sdb"} and array.is_known
    assert array.shares_drive(behind_device("8:17", system))


@pytest.mark.parametrize(
    ("place", "why"),
    [
        (f"{VIRTUAL}/nbd0", "leads to another computer"),
        (f"{VIRTUAL}/dm-7", "hangs on no bus"),
        ("sys/devices/platform/host4/session1/target4:0:0/block/sdc", "hangs on no bus"),
        ("sys/devices/platform/vhci_hcd.0/usb3/3-1/host5/block/sdd", "hangs on no bus"),
        ("sys/devices/tcm_loop_0/tcm_loop_adapter_0/host6/block/sde", "hangs on no bus"),
        ("sys/devices/virtual/nvme-fabrics/ctl/nvme1/nvme1n1", "hangs on no bus"),
        (f"{VIRTUAL}/loop3", "an image, and where that lies isn't told"),
    ],
)
def test_what_hangs_on_no_bus_of_this_computer_is_no_drive(tree, place, why):
    """Disks over a network, and such as a module makes up, count for nothing and say so."""
    found = behind_device("99:0", tree("99:0", place))
    assert why in found.unknown_because and not found.is_known and not found.drives


@pytest.mark.parametrize("name", ["zram1", "ram0"])
def test_disks_of_memory_are_memory_under_any_layer(tree, name):
    """Encrypted memory is memory."""
    tree("1:0", f"{VIRTUAL}/{name}", device=False)
    system = tree("252:0", f"{VIRTUAL}/dm-0", on=(f"{VIRTUAL}/{name}",), device=False)
    assert behind_device("252:0", system).is_in_memory
    assert behind_device("8:0", tree("8:0", "sys/devices/pseudo_0/host2/block/sdf")).is_in_memory


def test_a_disk_that_several_ways_lead_to_is_one_where_all_are_inside(tree, tmp_path):
    """NVMe with several ways: counted where each is PCIe, not where one is a network."""
    folder = "sys/devices/virtual/nvme-subsystem/nvme-subsys0"
    system = tree("259:0", f"{folder}/nvme0n1", device=False)
    way = tmp_path / folder / "nvme0"
    way.mkdir()
    (way / "transport").write_text("pcie")
    assert behind_device("259:0", system).drives == {"nvme0n1"}
    other = tmp_path / folder / "nvme1"
    other.mkdir()
    (other / "transport").write_text("tcp")
    assert not behind_device("259:0", system).is_known


def test_a_part_that_isn_t_known_makes_the_whole_unknown_and_circles_end(tree):
    """An array with a remote disk; layers that lead in a circle."""
    tree("8:0", SDA)
    tree("43:0", f"{VIRTUAL}/nbd0")
    system = tree("9:0", f"{VIRTUAL}/md0", on=(SDA, f"{VIRTUAL}/nbd0"), device=False)
    found = behind_device("9:0", system)
    assert not found.is_known and found.drives == {"sda"}
    tree("252:1", f"{VIRTUAL}/dm-1", on=(f"{VIRTUAL}/dm-2",), device=False)
    system = tree("252:2", f"{VIRTUAL}/dm-2", on=(f"{VIRTUAL}/dm-1",), device=False)
    assert behind_device("252:1", system) == Behind(
        unknown_because="too many layers lie on each other"
    )
    assert behind_device("77:7", system).unknown_because == "no device has the number 77:7"
