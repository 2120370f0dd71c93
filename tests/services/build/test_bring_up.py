"""Bringing a unit up: advice by who must write, commands only for the one device that is meant."""

import shlex
import subprocess
from dataclasses import replace

import pytest

from computers import shipped
from vastcellar.core.build.formatting import School, advise
from vastcellar.core.errors import BadValueError
from vastcellar.core.units import PLAIN
from vastcellar.services.build.bring_up import (
    can_be_let_go,
    format_plan,
    let_device_go,
    shows_file_system,
    unplug_words,
    volume_label,
)
from vastcellar.services.plugged.seen import plugged_in
from vastcellar.services.words.said_wording import sentence_of


@pytest.fixture
def card(workplace, tmp_path):
    """The card of the shipped reader, ejected: with one volume that isn't mounted."""
    found = plugged_in(shipped("card-reader", tmp_path), workplace.shelf(), workplace.catalog)
    seen = next(each for each in found if not each.device.is_system)
    volume = replace(seen.device.volumes[0], mount_point="")
    return replace(seen, device=replace(seen.device, volumes=(volume,)))


def plan(seen, catalog, fs_key="exfat", others=(), **changes):
    """Return the plan for *seen*, its tag typed as it should be."""
    asked = {"tag": "C-09", "typed_tag": "C-09", "allocation_bytes": 0, "fmt": PLAIN, **changes}
    return format_plan(seen, [seen, *others], catalog.file_system(fs_key), **asked)


@pytest.mark.parametrize(
    ("writers", "school", "first"),
    [(("camera", "macOS", "Windows"), School.ONE_FOR_ALL, "exfat"),
     (("camera",), School.JOURNALED, "exfat"), (("Linux",), School.JOURNALED, "ext4"),
     (("Linux",), School.ONE_FOR_ALL, "exfat"), (("macOS",), School.JOURNALED, "apfs"),
     (("Linux", "Windows"), School.JOURNALED, "ntfs")],
)  # fmt: skip
def test_advice_by_who_must_write_and_by_school(writers, school, first, catalog):
    """One format for all is exFAT; who never leaves one kind of computer may have its journal."""
    found = advise(writers, tuple(catalog.file_systems.values()), school=school)
    assert found[0].file_system.key == first
    assert all(set(writers) <= set(each.file_system.writes_on) for each in found)


def test_reasons_stand_beside_the_advice(catalog):
    """Split clips, no journal, what a camera wants to see first, and what encryption means."""
    known = tuple(catalog.file_systems.values())
    found = {a.file_system.key: a for a in advise(("camera",), known, largest_file_bytes=300e9)}
    assert "clips are split at 4.29 GB" in sentence_of(found["fat32"].reasons, PLAIN)
    exfat = sentence_of(found["exfat"].reasons, PLAIN)
    assert "no journal: eject it" in exfat and "formats it then itself" in exfat
    small = {a.file_system.key: a for a in advise(("camera",), known, largest_file_bytes=1e9)}
    assert "split" not in sentence_of(small["fat32"].reasons, PLAIN)
    secret = advise(("camera",), known, is_encrypted=True)
    assert "cameras write no encrypted media" in sentence_of(secret[0].reasons, PLAIN)
    assert advise(("nobody knows",), known) == ()
    large, little = (advise((), known, capacity_bytes=size) for size in (1e12, 64e9))
    sizes = [next(a.allocation_bytes for a in found if a.file_system.key == "exfat")
             for found in (large, little)]  # fmt: skip
    assert sizes == [2**20, 2**17]


def test_commands_are_shown_for_what_was_compared_and_typed(card, catalog):
    """Model, serial number and size to compare; the partition's own path; clusters as advised."""
    made = plan(card, catalog, allocation_bytes=2**20)
    path = card.device.volumes[0].path
    assert made.commands == (f"mkfs.exfat -c 1048576 -L C-09 {path}",)
    told = dict(made.compare)
    assert told["name here"] == card.device.path and "GiB" in told["size"]
    with pytest.raises(BadValueError, match="type the tag on its label: C-09"):
        plan(card, catalog, typed_tag="C-9")
    bare = replace(card, device=replace(card.device, volumes=()))
    commands = plan(bare, catalog, "ext4").commands
    assert [shlex.split(line)[0] for line in commands] == ["parted", "parted", "mkfs.ext4"]
    assert plan(bare, catalog, "apfs").commands == ()


@pytest.mark.parametrize(
    ("changes", "says"),
    [({"is_system": True}, "this computer runs from it"), ({"is_read_only": True}, "read-only"),
     ({"path": "/dev/sd$(touch x)"}, "can't be typed safely|isn't one that can be typed")],
)  # fmt: skip
def test_what_must_not_be_formatted_is_refused(card, catalog, changes, says):
    """The computer's own disk, a locked card, a name that no shell should ever see."""
    seen = replace(card, device=replace(card.device, **changes))
    with pytest.raises(BadValueError, match=says):
        plan(seen, catalog)


def test_mounted_ambiguous_and_alike_devices_are_refused(card, catalog):
    """Mounted: eject first; two partitions: which one; two alike: unplug the other."""
    volume = card.device.volumes[0]
    mounted = replace(volume, mount_point="/media/x")
    with pytest.raises(BadValueError, match="mounted at /media/x"):
        plan(replace(card, device=replace(card.device, volumes=(mounted,))), catalog)
    second = replace(volume, name="sdx2", path="/dev/sdx2")
    with pytest.raises(BadValueError, match="2 partitions"):
        plan(replace(card, device=replace(card.device, volumes=(volume, second))), catalog)
    twin = replace(card, device=replace(card.device, name="sdz", path="/dev/sdz"))
    with pytest.raises(BadValueError, match="by eye they can't be told apart"):
        plan(card, catalog, others=(twin,))


@pytest.mark.parametrize(
    "tag", ["$(reboot)", "a'b\"c", "`x`", "-rf /", "Диск 7", "x" * 40, "..", "\\"]
)
def test_a_hostile_tag_runs_nothing_when_its_command_is_pasted(tag, card, catalog, tmp_path):
    """The line goes through a shell as words: the first is the tool, the last the device."""
    empty = tmp_path / "empty"
    empty.mkdir()
    for fs in ("exfat", "fat32", "ntfs", "ext4", "xfs", "btrfs", "udf"):
        (line,) = plan(card, catalog, fs, tag=tag, typed_tag=tag).commands
        echoed = subprocess.run(
            ["sh", "-c", f"printf '%s\\n' {line}"], capture_output=True, text=True, check=True,
            cwd=empty,
        ).stdout.splitlines()  # fmt: skip
        assert echoed[0].startswith("mk") and echoed[-1] == card.device.volumes[0].path
        label = volume_label(tag, catalog.file_system(fs))
        assert label and not label.startswith("-")
        assert len(label.encode()) <= {"xfs": 12, "ext4": 16, "exfat": 11}.get(fs, 255)
    assert list(empty.iterdir()) == []


def test_a_step_is_done_once_the_device_shows_it(card, catalog):
    """By what the system says of it, and not by a tick."""
    volume = card.device.volumes[0]
    now = replace(card, device=replace(card.device, volumes=(replace(volume, file_system="ext4"),)))
    assert shows_file_system(now, catalog.file_system("ext4"))
    assert not shows_file_system(now, catalog.file_system("exfat"))
    assert unplug_words(now).startswith("Nothing of it is mounted")
    mounted = replace(volume, mount_point="/media/x")
    busy = replace(card, device=replace(card.device, volumes=(mounted,)))
    assert unplug_words(busy).startswith("Not yet: it is mounted at /media/x")
    assert unplug_words(replace(card, device=replace(card.device, is_system=True))).startswith(
        "Never"
    )


def test_only_a_mounted_device_of_a_real_computer_is_ejected(card, monkeypatch):
    """Never the system's disk, a network share or one that is made up; power goes from plugs."""
    asked = []
    module = "vastcellar.services.build.bring_up"
    monkeypatch.setattr(f"{module}.can_let_go", lambda: True)
    monkeypatch.setattr(f"{module}.let_go", lambda *words, **how: asked.append((words, how)))
    mounted = replace(card.device.volumes[0], mount_point="/media/x")
    busy = replace(card, device=replace(card.device, volumes=(mounted,)))
    assert can_be_let_go(busy, is_made_up=False)
    assert not can_be_let_go(busy, is_made_up=True)
    assert not can_be_let_go(card, is_made_up=False), "nothing of it is mounted"
    let_device_go(busy)
    assert asked == [((busy.device.path, [mounted.path]), {"powers_off": True})]
    system = replace(busy, device=replace(busy.device, is_system=True))
    assert not can_be_let_go(system, is_made_up=False)
    with pytest.raises(BadValueError, match="this computer runs from it"):
        let_device_go(system)
    assert len(asked) == 1
