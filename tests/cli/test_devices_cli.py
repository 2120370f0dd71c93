"""What is plugged in, in the terminal: on computers that ship, and on a real loop disk."""

from __future__ import annotations

import json

import pytest
from click.testing import CliRunner

from disks import loop_disk, quietly
from vastcellar.cli.main import cli
from vastcellar.core.errors import VastCellarError


@pytest.fixture(autouse=True)
def home(tmp_path, monkeypatch):
    """Data, state and settings of their own."""
    for name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME"):
        monkeypatch.setenv(name, str(tmp_path / "home" / name))


def typed(*words, code=0):
    """Return what the command prints."""
    done = CliRunner().invoke(cli, [str(word) for word in words])
    assert done.exit_code == code, done.output + done.stderr
    return done


def refused(*words):
    """Return the sentence that the command ends with."""
    done = CliRunner().invoke(cli, [str(word) for word in words])
    assert isinstance(done.exception, VastCellarError), done.output
    return str(done.exception)


@pytest.mark.parametrize(
    ("name", "kind", "mode", "hubs", "file_system"),
    [
        ("ssd-behind-hub", "usb", "usb-5g", 1, "exfat"),
        ("card-reader", "usb", "usb-5g", 0, "exfat"),
        ("pcie-carrier", "tunnel", "tunnel-40g", 0, "ext4"),
        ("nas-mount", "network", "eth-1g", 0, "nfs4"),
        ("encrypted", "usb", "usb-10g", 0, "ext4"),
        ("bulk-only", "usb", "usb-2", 0, "ntfs"),
    ],
)
def test_each_shipped_computer_as_json(name, kind, mode, hubs, file_system):
    """Link, hub and file system of the device that the computer was made for."""
    content = json.loads(typed("devices", "--root", name, "--json").output)
    assert content["is_made_up"]
    (device,) = [each for each in content["devices"] if not each["is_system"]]
    link = device["link"]
    assert (link["kind"], link["mode_key"], len(link["hubs"])) == (kind, mode, hubs)
    assert [volume["file_system"] for volume in device["volumes"]] == [file_system]
    assert device["folder"]


def test_the_demo_says_what_is_wrong_about_a_link():
    """The made-up computer stands for this one, and says so; the suspect comes with its mend."""
    said = typed("--demo", "devices").output
    assert said.startswith("A made-up computer:")
    assert "sda (K-07): Drumlin Fin, 2 TB, links at 5G" in said
    assert "this unit could do 10G: hub or cable?" in said
    assert "Plug it straight into the computer." in said
    assert "no place to measure: this computer runs from it" in said


def test_nothing_plugged_in_is_said():
    """An empty list would leave open whether anything was looked at."""
    assert "Nothing is plugged in but the disk" in typed("devices", "--root", "nothing").output


def test_an_unknown_root_is_refused_with_what_there_is():
    """A typing error isn't an empty computer."""
    said = refused("devices", "--root", "nowhere")
    assert "'nowhere' is no folder" in said
    assert "ssd-behind-hub" in said


def test_a_real_disk_is_listed_and_measured_by_its_name(tmp_path):
    """A loop disk: found with its file system, written to by --device, left as it was."""
    with loop_disk(tmp_path, "plugged") as disk:
        loop = quietly("findmnt", "-no", "SOURCE", str(disk)).stdout.strip()
        content = json.loads(typed("devices", "--json").output)
        (device,) = [each for each in content["devices"] if each["path"] == loop]
        assert device["link"]["kind"] == "virtual"
        assert device["folder"] == str(disk)
        assert device["volumes"][0]["file_system"] == "ext4"
        words = ("prove", "write", "--device", device["name"], "--size", "20MB", "--json")
        measured = json.loads(typed(*words).output)
        assert measured["is_complete"]
        assert abs(measured["written_bytes"] - 20_000_000) < 2**22
        assert measured["target"] == str(disk)
        assert [each.name for each in disk.iterdir()] == ["lost+found"]


def test_the_systems_disk_has_to_be_asked_for_twice():
    """--device alone never fills the disk that the computer runs from."""
    content = json.loads(typed("devices", "--json").output)
    own = [each for each in content["devices"] if each["is_system"]]
    if not own:
        pytest.skip("this machine's own disk is no block device")
    said = refused("prove", "write", "--device", own[0]["name"], "--size", "20MB")
    assert "this computer runs from it" in said
    assert "--even-system" in said


def test_a_folder_and_a_device_at_once_are_refused(tmp_path):
    """Two places for one test: nobody knows which was meant."""
    words = ("prove", "write", tmp_path, "--device", "sda", "--size", "20MB")
    assert "not both" in typed(*words, code=2).stderr


def test_a_measured_disk_is_told_what_it_holds_and_kept_as_a_unit(tmp_path):
    """In one command: what it holds of all formats, and a unit that is this disk and no other."""
    with loop_disk(tmp_path, "one") as one, loop_disk(tmp_path, "two") as two:
        done = typed("prove", "write", one, "--size", "90MB", "--keep-as", "D-01")
        # A disk in memory may be done before there is anything to say of a take.
        assert any(
            words in done.output
            for words in ("for as long as was written", "holds:", "Too short to say what it holds")
        )
        assert "D-01 is " in done.stderr
        listed = json.loads(typed("unit", "list", "--json").output)
        assert "D-01" in json.dumps(listed)
        again = refused("prove", "write", one, "--size", "8MB", "--keep-as", "D-02")
        assert "is D-01 already" in again
        other = refused("prove", "write", two, "--size", "8MB", "--unit", "D-01")
        assert "Choose a folder on that device" in other
        both = CliRunner().invoke(
            cli, ["prove", "burst", str(two), "--unit", "D-01", "--keep-as", "D-03"]
        )
        assert both.exit_code == 2 and "leave --unit out" in both.output
