"""What is plugged in, on each computer that ships, and on trees that are damaged or hostile."""

import math
import random

import pytest

from computers import answer_lsblk, lsblk_of, plugged, shipped
from vastcellar.core.links.seen import LinkKind
from vastcellar.devices.made_up import made_up_computers, write_made_up
from vastcellar.devices.plugged_in import read_plugged_in
from vastcellar.devices.system import System


def test_an_ssd_behind_a_hub_tells_link_hub_and_identity(tmp_path):
    """The 10G SSD behind a 5G hub: 5 Gb/s, the hub by name, room, file system, serial."""
    found = plugged(shipped("ssd-behind-hub", tmp_path))
    (ssd,) = found.values()
    assert (ssd.link.kind, ssd.link.line_rate_bits_per_s) == (LinkKind.USB, 5e9)
    assert ssd.link.port_line_rate_bits_per_s == 20e9
    (hub,) = ssd.link.hubs
    assert (hub.name, hub.line_rate_bits_per_s, hub.storage_on_it) == ("Drumlin Spur", 5e9, ())
    assert (ssd.link.driver, ssd.link.bridge_id) == ("uas", "0a1b:1010")
    assert (ssd.identity.model, ssd.identity.serial) == ("Fin", "DF10-00417")
    (volume,) = ssd.mounted
    assert (volume.mount_point, volume.file_system) == ("/media/K-07", "exfat")
    assert volume.identity.file_system_uuid == "4C1F-88A2"
    assert volume.free_bytes + volume.used_bytes == volume.size_bytes
    assert ssd.smart.why_not == "SMART may be read by root only"


def test_a_card_in_a_reader_has_a_mount_point_with_a_blank(tmp_path):
    """The kernel writes blanks as \\040: the folder is named as it is."""
    (card,) = plugged(shipped("card-reader", tmp_path)).values()
    assert card.mounted[0].mount_point == "/media/CARD C"
    assert card.link.driver == "bulk-only"
    assert card.can_trim is False
    # The serial number is the reader's: with it every card in it would be the same unit.
    assert card.identity.serial == ""
    assert card.mounted[0].identity.file_system_uuid == "6E01-2B77"


def test_a_carrier_on_a_40g_port_is_told_by_the_cable_not_by_the_tunnel(tmp_path):
    """Tunnelled PCIe calls itself 2.5 GT/s; the router in the box says 2 x 20 Gb/s."""
    (module,) = plugged(shipped("pcie-carrier", tmp_path)).values()
    assert (module.link.kind, module.link.line_rate_bits_per_s) == (LinkKind.TUNNEL, 40e9)
    assert module.temperature_c == pytest.approx(51.85)
    assert module.smart.written_bytes == 254_000_000 * 512_000
    assert module.smart.worn_share == pytest.approx(0.05)


def test_of_two_boxes_none_is_taken_for_the_one_that_carries_it(tmp_path):
    """Which router carries a module isn't said: with two of them the rate stays unknown."""
    system = shipped("pcie-carrier", tmp_path)
    second = system.path("sys/bus/tunnel/devices/1-1")
    second.mkdir()
    (second / "rx_speed").write_text("10.0 Gb/s\n")
    (second / "rx_lanes").write_text("1\n")
    (module,) = plugged(system).values()
    assert module.link.line_rate_bits_per_s == 40e9, "another computer on a cable is no box"
    (second / "authorized").write_text("1\n")
    (module,) = plugged(system).values()
    assert (module.link.kind, module.link.line_rate_bits_per_s) == (LinkKind.TUNNEL, 0)


def test_a_share_comes_over_the_one_port_that_is_up(tmp_path):
    """A NAS share: its source, gigabit, no identity of a drive; with two ports no rate."""
    system = shipped("nas-mount", tmp_path)
    (share,) = plugged(system).values()
    assert (share.link.kind, share.link.line_rate_bits_per_s) == (LinkKind.NETWORK, 1e9)
    assert share.mounted[0].mount_point == "/mnt/boathouse"
    assert not share.identity.is_telling
    second = system.path("sys/class/net/wlan0")
    (second / "device").mkdir(parents=True)
    (second / "operstate").write_text("up\n")
    (share,) = plugged(system).values()
    assert share.link.line_rate_bits_per_s == 0


def test_an_encrypted_volume_is_found_under_its_layer(tmp_path):
    """The file system inside counts, with the layer named; the container is no volume beside."""
    (ssd,) = plugged(shipped("encrypted", tmp_path)).values()
    (volume,) = ssd.volumes
    assert (volume.encryption, volume.mount_point) == ("dm-crypt", "/media/vault")
    assert ssd.link.line_rate_bits_per_s == 10e9


def test_a_locked_container_says_that_it_is_locked(tmp_path):
    """Without its layer open there is nothing to mount, and that is what is said."""
    system = shipped("encrypted", tmp_path)
    answer = lsblk_of(system)
    part = answer["blockdevices"][1]["children"][0]
    del part["children"]
    answer_lsblk(system, answer)
    (ssd,) = plugged(system).values()
    assert [(v.encryption, v.is_mounted) for v in ssd.volumes] == [("locked", False)]


def test_a_usb_3_bridge_on_a_usb_2_wire_says_that_it_could_do_more(tmp_path):
    """At high speed a device of USB 3 calls itself 2.1: it could do 5 Gb/s at least."""
    (disk,) = plugged(shipped("bulk-only", tmp_path)).values()
    assert (disk.link.line_rate_bits_per_s, disk.link.most_line_rate_bits_per_s) == (480e6, 5e9)
    assert disk.link.is_below_its_best
    assert (disk.link.driver, disk.is_rotational) == ("bulk-only", True)
    assert disk.mounted[0].file_system == "ntfs"


def test_with_nothing_plugged_in_only_the_systems_own_disk_is_there(tmp_path):
    """The disk with / is the system's, whatever else is on it."""
    (disk,) = read_plugged_in(shipped("nothing", tmp_path))
    assert disk.is_system
    assert {v.mount_point for v in disk.volumes} == {"/boot/efi", "/"}
    assert (disk.link.kind, disk.link.pcie_generation, disk.link.lanes) == (LinkKind.PCIE, 4, 4)


def test_devices_on_one_hub_know_of_each_other(tmp_path):
    """Who shares a hub's one link is said on both sides."""
    found = plugged(shipped("van-laptop", tmp_path))
    assert found["sda"].link.hubs[0].storage_on_it == ("sdb",)
    assert found["sdb"].link.hubs[0].storage_on_it == ("sda",)


def test_swap_alone_makes_a_disk_the_systems(tmp_path):
    """A disk that the computer swaps to is none to fill."""
    system = shipped("card-reader", tmp_path)
    rows = "Filename Type Size Used Priority\n/dev/sdb1 partition 1 0 -2\n"
    system.path("proc/swaps").write_text(rows)
    assert not plugged(system)


@pytest.mark.parametrize("kind", ["overlay", "fuse.exfat", "tmpfs"])
def test_a_mount_is_not_of_a_device_that_its_source_only_names(tmp_path, kind):
    """The source is a text that whoever mounts may choose: the kernel's number counts."""
    system = shipped("ssd-behind-hub", tmp_path)
    table = system.path("proc/self/mountinfo")
    table.write_text(table.read_text().replace(" 8:1 ", " 0:71 ").replace("exfat", kind))
    (ssd,) = plugged(system).values()
    assert not ssd.mounted


@pytest.mark.parametrize("name", sorted(made_up_computers()))
def test_every_shipped_computer_is_read_whole(name, tmp_path):
    """Each has the disk that it runs from, and no device without a link that is known."""
    found = read_plugged_in(shipped(name, tmp_path))
    assert sum(each.is_system for each in found) == 1
    assert all(each.link.kind is not LinkKind.UNKNOWN for each in found)
    assert all(math.isnan(e.temperature_c) or 0 < e.temperature_c < 100 for e in found)


def test_writing_a_computer_twice_changes_nothing(tmp_path):
    """A start after the first finds the tree as it is, links included."""
    once = read_plugged_in(shipped("van-laptop", tmp_path))
    assert read_plugged_in(shipped("van-laptop", tmp_path)) == once


# Damaged and hostile trees


def test_an_empty_folder_has_nothing_plugged_in(tmp_path):
    """No trees, no tools: an empty list and no error."""
    assert read_plugged_in(System(tmp_path)) == ()


@pytest.mark.parametrize(
    "answer",
    [
        [],
        "nonsense",
        {"blockdevices": "many"},
        {"blockdevices": [None, 3, {"kname": 7}, {"name": ""}]},
        {"blockdevices": [{"name": "sdz", "type": "disk", "size": "1e9"}]},
        {"blockdevices": [{"name": "sdz", "type": "disk", "size": -5}]},
        {"blockdevices": [{"name": "sdz", "type": "disk", "size": 2**70}]},
    ],
)
def test_an_lsblk_that_answers_nonsense_lists_nothing(answer, tmp_path):
    """What is no list of devices with a name and a size is left out."""
    answer_lsblk(System(tmp_path), answer)
    assert read_plugged_in(System(tmp_path)) == ()


def test_a_device_may_call_itself_anything(tmp_path):
    """Line feeds, codes and lone surrogates in a name become one line that can be printed."""
    name = "Evil\n\x1b[2J\u202eeman\ud800  drive"
    answer_lsblk(
        System(tmp_path),
        {"blockdevices": [{"name": "sdz", "type": "disk", "size": 10**9, "model": name}]},
    )
    (device,) = read_plugged_in(System(tmp_path))
    assert device.model.startswith("Evil")
    assert "\n" not in device.model
    assert "\x1b" not in device.model
    assert device.model.encode()  # can be written anywhere


def test_two_hundred_devices_are_all_listed(tmp_path):
    """A rack of readers is no reason to leave one out; what nests without end is cut."""
    disks = [{"name": f"sd{n}", "type": "disk", "size": 10**9 + n} for n in range(200)]
    nested: dict = {"name": "deep", "type": "disk", "size": 5}
    inner = nested
    for _ in range(100):
        inner["children"] = [{"name": "p", "type": "part", "size": 5, "fstype": "ext4"}]
        inner = inner["children"][0]
    answer_lsblk(System(tmp_path), {"blockdevices": [*disks, nested]})
    found = read_plugged_in(System(tmp_path))
    assert len(found) == 201
    assert len(found[-1].volumes) == 1


@pytest.mark.parametrize("seed", range(12))
def test_garbage_in_any_file_ends_in_no_error(seed, tmp_path):
    """Every file of the tree damaged in turn: what is left is read, nothing is raised."""
    rng = random.Random(seed)
    system = shipped("van-laptop", tmp_path)
    files = sorted(path for path in system.root.rglob("*") if path.is_file())
    for path in rng.sample(files, 40):
        path.write_bytes(rng.choice((b"", b"\xff\xfe\x00" * 50, b"9" * 5000, b"[" * 4000, b"-1\n")))
    for each in read_plugged_in(system):
        assert isinstance(each.name, str)
        assert each.size_bytes >= 0


def test_a_link_out_of_the_tree_is_not_followed(tmp_path):
    """A made-up tree tells nothing of this computer, wherever its links lead."""
    system = shipped("ssd-behind-hub", tmp_path)
    link = system.path("sys/dev/block/8:0")
    link.unlink()
    outside = tmp_path / "outside"
    outside.mkdir()
    link.symlink_to(outside)
    (ssd,) = plugged(system).values()
    assert ssd.link.kind is LinkKind.UNKNOWN


def test_a_pipe_in_the_tree_holds_nobody_up(tmp_path):
    """A named pipe in the place of an attribute is read as nothing."""
    import os

    system = shipped("ssd-behind-hub", tmp_path)
    speed = next(system.root.rglob("2-1.3/speed"))
    speed.unlink()
    os.mkfifo(speed)
    (ssd,) = plugged(system).values()
    assert ssd.link.line_rate_bits_per_s == 0


def test_an_unknown_computer_is_refused_by_name(tmp_path):
    """The sentence lists those that ship."""
    from vastcellar.core.errors import UnknownPartError

    with pytest.raises(UnknownPartError, match="ssd-behind-hub"):
        write_made_up("../elsewhere", tmp_path)
