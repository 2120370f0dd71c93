"""Plugged-in devices held against the shelf: unit, link, suspicion, and the words for them."""

from dataclasses import replace
from datetime import UTC, datetime

import pytest

from computers import shipped
from vastcellar.core.errors import BadValueError, UnknownPartError
from vastcellar.core.links.seen import Suspect
from vastcellar.core.units import PLAIN
from vastcellar.services.plugged.figures import device_figures
from vastcellar.services.plugged.seen import (
    DEMO_COMPUTER,
    device_named,
    plugged_in,
    system_at,
    system_of,
)
from vastcellar.services.plugged.wording import (
    advice,
    device_sentence,
    fall_words,
    link_words,
    volume_words,
    wear_words,
    why_no_target,
)
from vastcellar.services.workplace.exports import plain_for_json
from vastcellar.store.run_record import RunRecord


def seen_on(name, shelf, catalog, tmp_path):
    """Return what is plugged into a shipped computer, by title, without the system's disk."""
    found = plugged_in(shipped(name, tmp_path), shelf, catalog)
    return {each.title: each for each in found if not each.device.is_system}


def run_on(tag, mode_key, usb_bits_per_s=0.0):
    """Return a record of a run made over that link."""
    return RunRecord(
        unit_tag=tag,
        kind="write",
        measured_at=datetime(2026, 5, 3, 12, tzinfo=UTC),
        is_simulated=False,
        is_complete=True,
        conditions={"mode_key": mode_key, "usb_bits_per_s": usb_bits_per_s},
        figures={},
    )


def test_the_demos_ssd_is_known_and_its_hub_suspected(workplace, tmp_path):
    """K-07 by its serial: a 10G case at 5G behind a hub that has no more itself."""
    seen = seen_on("ssd-behind-hub", workplace.shelf(), workplace.catalog, tmp_path)["K-07"]
    assert (seen.mode.key, seen.could.key) == ("usb-5g", "usb-10g")
    assert seen.fall.suspects == (Suspect.HUB, Suspect.CABLE)
    assert fall_words(seen) == "this unit could do 10G: hub or cable?"
    assert advice(seen.fall) == "Plug it straight into the computer"
    assert "links at 5G, behind Drumlin Spur (itself at 5G); this unit" in device_sentence(
        seen, PLAIN
    )


def test_what_it_was_measured_on_is_said_with_the_day(workplace, tmp_path):
    """A run over the better link is more than what the case claims: it did that, and when."""
    shelf = workplace.shelf()
    shelf = replace(shelf, records=(run_on("K-07", "", 10e9), run_on("K-05", "usb-20g")))
    seen = seen_on("ssd-behind-hub", shelf, workplace.catalog, tmp_path)["K-07"]
    assert fall_words(seen) == "this unit did 10G on 3 May 2026: hub or cable?"


def test_a_run_on_the_same_link_says_nothing_of_a_better_one(workplace, tmp_path):
    """Measured at 5G only: what the case could do is no more than that."""
    shelf = replace(workplace.shelf(), records=(run_on("K-07", "usb-5g"),))
    seen = seen_on("ssd-behind-hub", shelf, workplace.catalog, tmp_path)["K-07"]
    assert seen.did_at is None
    assert "could do 10G" in fall_words(seen)


def test_a_card_is_known_by_its_file_system_whatever_reader_it_is_in(workplace, tmp_path):
    """S-03 by UUID; another card in the same reader is not taken for it."""
    found = seen_on("card-reader", workplace.shelf(), workplace.catalog, tmp_path)
    assert list(found) == ["S-03"]
    system = shipped("card-reader", tmp_path)
    for path in system.root.rglob("*"):
        if path.is_file() and "6E01-2B77" in path.read_text():
            path.write_text(path.read_text().replace("6E01-2B77", "7F02-3C88"))
    (other,) = [
        each
        for each in plugged_in(system, workplace.shelf(), workplace.catalog)
        if not each.device.is_system
    ]
    assert other.unit is None


def test_words_for_each_kind_of_link(workplace, tmp_path):
    """Every shipped computer: how its device links, in the words that the screen shows."""
    shelf, catalog = workplace.shelf(), workplace.catalog
    said = {
        name: link_words(next(iter(seen_on(name, shelf, catalog, tmp_path).values())))
        for name in ("encrypted", "bulk-only", "nas-mount", "pcie-carrier", "card-reader")
    }
    assert said == {
        "encrypted": "links at 10G",
        "bulk-only": "links at USB 2, bulk-only",
        "nas-mount": "over 1 GbE",
        "pcie-carrier": "links at 40G tunnel",
        "card-reader": "links at 5G, bulk-only",
    }


def test_wear_and_volumes_are_said_or_why_not(workplace, tmp_path):
    """The drive's own count where it is told, the reason where it isn't; the layer, the room."""
    shelf, catalog = workplace.shelf(), workplace.catalog
    (carrier,) = seen_on("pcie-carrier", shelf, catalog, tmp_path).values()
    assert wear_words(carrier, PLAIN).startswith("130 TB written, 5 % of its endurance used")
    (ssd,) = seen_on("ssd-behind-hub", shelf, catalog, tmp_path).values()
    assert wear_words(ssd, PLAIN) == "wear not known: SMART may be read by root only"
    (vault,) = seen_on("encrypted", shelf, catalog, tmp_path).values()
    assert volume_words(vault.device.volumes[0], PLAIN) == (
        "/media/vault: ext4, dm-crypt, 880 GB free"
    )


def test_the_systems_disk_is_no_target(workplace, tmp_path):
    """And what isn't mounted isn't either, each with its reason."""
    (own,) = plugged_in(shipped("nothing", tmp_path), workplace.shelf(), workplace.catalog)
    assert why_no_target(own) == "this computer runs from it"
    system = shipped("ssd-behind-hub", tmp_path)
    table = system.path("proc/self/mountinfo")
    kept = [row for row in table.read_text().splitlines() if "K-07" not in row]
    table.write_text("\n".join(kept))
    found = plugged_in(system, workplace.shelf(), workplace.catalog)
    ssd = next(each for each in found if each.title == "K-07")
    assert ssd.folder is None
    assert why_no_target(ssd) == "none of its volumes is mounted"


@pytest.mark.parametrize("name", ["K-07", "sda", "/dev/sda", "sda1", "/dev/sda1", "/media/K-07"])
def test_a_device_answers_to_each_of_its_names(name, workplace, tmp_path):
    """Tag, kernel name, path, partition, label, mount point."""
    found = plugged_in(shipped("van-laptop", tmp_path), workplace.shelf(), workplace.catalog)
    assert device_named(found, name).title == "K-07"


def test_a_name_that_nothing_or_several_have_is_refused(workplace, tmp_path):
    """The sentence offers what is there, and never the system's disk."""
    found = plugged_in(shipped("van-laptop", tmp_path), workplace.shelf(), workplace.catalog)
    with pytest.raises(UnknownPartError, match="sda, sdb, nvme1n1") as raised:
        device_named(found, "sdq")
    assert "nvme0n1" not in str(raised.value)
    twin = replace(found[2], device=replace(found[2].device, path="/dev/sda"))
    with pytest.raises(BadValueError, match="2 devices are called '/dev/sda'"):
        device_named((*found, twin), "/dev/sda")


def test_a_demo_shows_the_made_up_computer_and_no_other(workplace):
    """In a demo nothing of this computer is shown; a cellar of one's own shows this one."""
    assert system_of(workplace.folders, is_demo=True).is_made_up
    assert not system_of(workplace.folders, is_demo=False).is_made_up
    assert system_at(DEMO_COMPUTER, workplace.folders).root.name == DEMO_COMPUTER
    with pytest.raises(UnknownPartError, match="no folder, and no made-up computer"):
        system_at("/nowhere/at/all", workplace.folders)


def test_figures_are_plain_json(workplace, tmp_path):
    """Nothing in them is a nan, a path or a value of ours."""
    import json

    for each in plugged_in(shipped("van-laptop", tmp_path), workplace.shelf(), workplace.catalog):
        figures = plain_for_json(device_figures(each))
        again = json.loads(json.dumps(figures, allow_nan=False))
        assert again["name"] == each.device.name
        assert again["link"]["says"] == link_words(each)
