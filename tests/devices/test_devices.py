"""Devices read from a made-up tree; mounts from this machine."""

import math

import pytest

from vastcellar.core.errors import DiskError
from vastcellar.devices.block_device import find_block_device, read_temperature_c
from vastcellar.devices.mounts import mount_of


@pytest.fixture
def root(tmp_path):
    """A USB disk sdb with a partition, behind a port that settled on 5 Gb/s."""
    usb = tmp_path / "sys/devices/pci0/usb2/2-1"
    disk = usb / "host6/target6/block/sdb"
    (disk / "sdb1").mkdir(parents=True)
    (disk / "sdb1/partition").write_text("1\n")
    (disk / "device/hwmon/hwmon4").mkdir(parents=True)
    (disk / "device/model").write_text("Made-up Disk  \n")
    (disk / "device/hwmon/hwmon4/temp1_input").write_text("41850\n")
    (usb / "busnum").write_text("2\n")
    (usb / "speed").write_text("5000\n")
    numbers = tmp_path / "sys/dev/block"
    numbers.mkdir(parents=True)
    (numbers / "8:17").symlink_to(disk / "sdb1")
    return tmp_path


def test_a_usb_disk_tells_its_model_link_and_temperature(root):
    """A disk's model, link and sensor are read from the system's own tree."""
    found = find_block_device("8:17", root)
    assert (found.name, found.model) == ("sdb", "Made-up Disk")
    assert found.usb_bits_per_s == 5e9
    assert read_temperature_c(found.temperature_path) == pytest.approx(41.85)


def test_what_the_system_doesnt_say_is_not_made_up(root):
    """Missing or odd entries stay unknown."""
    assert find_block_device("8:99", root) is None
    disk = root / "sys/devices/pci0/usb2/2-1/host6/target6/block/sdb"
    (disk / "device/hwmon/hwmon4/temp1_input").write_text("hot\n")
    found = find_block_device("8:17", root)
    assert math.isnan(read_temperature_c(found.temperature_path))
    (root / "sys/devices/pci0/usb2/2-1/speed").write_text("unknown\n")
    assert find_block_device("8:17", root).usb_bits_per_s == 0


def test_a_folder_knows_its_file_system(tmp_path):
    """A folder tells its mount, file system and free room."""
    found = mount_of(tmp_path)
    assert found.file_system
    assert 0 < found.free_bytes <= found.capacity_bytes
    assert tmp_path.is_relative_to(found.mount_point)
    with pytest.raises(DiskError, match="can't be reached"):
        mount_of(tmp_path / "nowhere")
