"""Which file system lies on a device, asked of a real one."""

import subprocess
from uuid import uuid4

import pytest

from disks import quietly
from vastcellar.devices.file_system_id import file_system_uuid


def test_the_next_file_system_under_a_device_name_is_another(tmp_path):
    """A card goes, the next one comes under its name: never is it told by the card before."""
    uuids = [str(uuid4()) for _ in range(3)]
    images = [tmp_path / f"card-{number}.img" for number in range(3)]
    for uuid, image in zip(uuids, images, strict=True):
        with image.open("wb") as handle:
            handle.truncate(16 * 2**20)
        quietly("mkfs.ext4", "-q", "-F", "-U", uuid, str(image))
    found = subprocess.run(["losetup", "--find"], capture_output=True, text=True, check=False)
    device = found.stdout.strip()
    told = []
    for image in images:
        if subprocess.run(["losetup", device, str(image)], check=False).returncode:
            pytest.skip("no loop devices here")
        told.append(file_system_uuid(device, str(tmp_path), ""))
        subprocess.run(["losetup", "--detach", device], check=True)
    assert told == uuids
