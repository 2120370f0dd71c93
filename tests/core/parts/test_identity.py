"""Which device it is: when two identities are one device, and when that can't be told."""

import pytest

from vastcellar.core.parts.identity import DeviceIdentity, is_same_file_system, kernel_id


@pytest.mark.parametrize(
    "serial",
    ["", "000000000000", "000000000001", "0123456789ABCDEF", "1111", "ab", "12-34-56-78-90"],
)
def test_what_bridges_make_up_is_no_serial_of_its_own(serial):
    """Numbers seen on many devices alike tell none from the other."""
    assert not DeviceIdentity("Flat", serial, 10**12).has_own_serial


def test_serials_decide_before_file_systems():
    """One drive formatted anew stays itself; two drives with one image are two."""
    one = DeviceIdentity("Fin", "DF10-00417", 2 * 10**12, "AAAA-0001")
    formatted = DeviceIdentity("Fin", "DF10-00417", 2 * 10**12, "BBBB-0002")
    cloned = DeviceIdentity("Fin", "DF10-00555", 2 * 10**12, "AAAA-0001")
    assert one.is_same_as(formatted) is True
    assert one.is_same_as(cloned) is False


def test_without_serials_the_file_system_decides_and_its_size():
    """Two cards in one reader are told apart by what is on them; an image is no card."""
    card = DeviceIdentity("Slip SD", "", 256 * 10**9, "6E01-2B77")
    assert card.is_same_as(DeviceIdentity("Slip SD", "", 256 * 10**9, "6E01-2B77")) is True
    assert card.is_same_as(DeviceIdentity("Slip SD", "", 256 * 10**9, "9999-0000")) is False
    assert card.is_same_as(DeviceIdentity("Slip SD", "", 128 * 10**9, "6E01-2B77")) is False


def test_what_says_nothing_is_neither_the_same_nor_another():
    """None is no answer, and nothing may be proved or refused by it."""
    silent = DeviceIdentity("Flat", "0123456789ABCDEF", 10**12)
    assert silent.is_same_as(silent) is None
    assert not silent.is_telling


def test_a_file_system_is_the_same_by_its_uuid_and_by_what_the_kernel_makes_of_it():
    """As read off a real ext4: else one busy moment would make another device of it."""
    uuid, made = "12d8d1e8-7401-4fd5-a4d4-117454de071a", "fsid-cf48df209cc00cb6"
    assert kernel_id(uuid) == made
    one = DeviceIdentity("Disk", "", 10**9, uuid)
    other = DeviceIdentity("Disk", "", 10**9, made)
    assert one.is_same_as(other) is other.is_same_as(one) is True
    foreign = DeviceIdentity("Disk", "", 10**9, "12d8d1e8-7401-4fd5-a4d4-117454de071b")
    assert foreign.is_same_as(other) is False
    assert not is_same_file_system("", "5E1A-9C44") and kernel_id("5E1A-9C44") == ""
    assert DeviceIdentity("Disk", "", 10**9, "5E1A-9C44").is_same_as(other) is False
