"""Whatever is taken over keeps all that was not chosen anew, and a row's figure is its chain's."""

import random
from dataclasses import fields, replace

import pytest

from vastcellar.core.candidates.mends import Change
from vastcellar.core.parts.units import Unit
from vastcellar.core.shoot.shoot import Setup
from vastcellar.services.match.judging import chain_of, judge_camera, mends_for
from vastcellar.services.match.matching import find_for, setup_for_unit, side_by_side
from vastcellar.services.workplace.workplace import Shelf

CHOSEN_ANEW = {
    "drive_key", "unit_tag", "enclosure_key", "host_key", "port_key", "cable_key", "hub_keys",
    "sharing",
}  # fmt: skip
K_11 = Setup("kelmarsh-vane-4", "van-laptop", "bolt-1", "K-11", "sedgeway-hull", "wr-10g",
             file_system_key="exfat", is_encrypted=True)  # fmt: skip
DOCKED = replace(K_11, hub_keys=("sedgeway-berth-4",), sharing=3, enclosure_key="sedgeway-mag")


@pytest.fixture
def formatted(slipway):
    """Camera A of the demo, recording to an encrypted exFAT drive."""

    def record_to(setup):
        return slipway.with_camera(replace(slipway.camera("A"), model="", setup=setup))

    return record_to


def kept_of(setup):
    """The fields of a setup that nobody chose anew."""
    return {f.name: getattr(setup, f.name) for f in fields(setup) if f.name not in CHOSEN_ANEW}


@pytest.mark.parametrize("setup", [K_11, DOCKED])
def test_on_another_computer_the_medium_stays_formatted_as_it_is(formatted, setup, catalog, shelf):
    """Encrypted here is encrypted there; the dock comes along, and rates are the chain's."""
    shoot = formatted(setup)
    rows = side_by_side(shoot, shoot.camera("A"), catalog, shelf)
    assert len(rows) > 2
    for row in rows:
        assert kept_of(row.setup) == kept_of(setup)
        if not row.chain.parts.port.is_slot:
            assert (row.setup.hub_keys, row.setup.sharing) == (setup.hub_keys, setup.sharing)
        assert row.chain == chain_of(row.setup, catalog, shelf, shoot.ambient_c)
        if row.setup == setup:
            assert (
                row.judgement.margin
                == judge_camera(shoot, shoot.camera("A"), catalog, shelf).margin
            )


@pytest.mark.parametrize("setup", [K_11, DOCKED])
def test_mends_and_candidates_keep_file_system_and_encryption(formatted, setup, catalog, shelf):
    """No change of a part makes an encrypted drive a plain one, in what is offered or listed."""
    shoot = formatted(setup)
    camera = shoot.camera("A")
    mends = mends_for(shoot, camera, catalog, shelf)
    assert mends.helping
    for mend in (*mends.helping, *mends.useless):
        assert kept_of(mend.setup) == kept_of(setup)
    table = find_for(shoot, camera, [catalog.host("van-laptop")], catalog, shelf).table
    for row in range(0, len(table), 97):
        assert kept_of(table.setup(row)) == kept_of(setup)
        chain = chain_of(table.setup(row), catalog, shelf, shoot.ambient_c)
        assert table.at_first_write[row] == pytest.approx(chain.at_first_bytes_per_s)


def test_the_offered_mend_gives_the_verdict_that_it_shows(formatted, catalog, shelf):
    """Taken over, a mend is judged as its card said: the same verdict, the same margin."""
    shoot = formatted(K_11)
    for mend in mends_for(shoot, shoot.camera("A"), catalog, shelf).helping[:12]:
        taken = shoot.with_camera(replace(shoot.camera("A"), setup=mend.setup))
        found = judge_camera(taken, taken.camera("A"), catalog, shelf)
        assert (found.verdict, found.margin) == (mend.judgement.verdict, mend.judgement.margin)


def test_a_unit_that_is_dragged_here_stays_in_the_dock_and_encrypted(formatted, catalog, shelf):
    """Only the unit was chosen: the dock, who shares it, and the format are not asked about."""
    shoot = formatted(DOCKED)
    unit = Unit("N-07", "torvane-t2-2", "drumlin-splash")
    setup = setup_for_unit(shoot, shoot.camera("A"), unit, catalog, Shelf((unit,)))
    assert (setup.unit_tag, setup.hub_keys, setup.sharing) == (
        "N-07", DOCKED.hub_keys, DOCKED.sharing,
    )  # fmt: skip
    assert kept_of(setup) == kept_of(DOCKED)


def test_a_missing_cable_is_said_and_what_it_would_carry(formatted, catalog, shelf):
    """A 40G case on a 40G port is shown on the 10G cable one has, and the 40G one is named."""
    shoot = formatted(replace(K_11, is_encrypted=False, file_system_key=""))
    row = next(
        each
        for each in side_by_side(shoot, shoot.camera("A"), catalog, shelf)
        if each.host.key == "van-laptop"
    )
    assert row.setup.cable_key == "wr-10g" and row.has_cable
    assert row.missing is not None and "40G" in row.missing.cable.name
    bought = replace(row.setup, cable_key=row.missing.cable.key, port_key=row.missing.port.key)
    better = chain_of(bought, catalog, shelf, shoot.ambient_c)
    assert row.missing.at_first_bytes_per_s == better.at_first_bytes_per_s
    assert better.at_first_bytes_per_s > row.chain.at_first_bytes_per_s


def test_with_the_cable_that_is_needed_nothing_is_missing(formatted, catalog, shelf):
    """Once the shoot has the 40G cable, the row is on it."""
    shoot = formatted(replace(K_11, cable_key="wr-40g-08"))
    for row in side_by_side(shoot, shoot.camera("A"), catalog, shelf):
        if row.host.key == "van-laptop":
            assert (row.setup.cable_key, row.missing) == ("wr-40g-08", None)


def test_no_mend_offers_a_unit_that_a_copy_holds(slipway, catalog, shelf):
    """Units of copies are taken, for the mends as for the candidates."""
    held = {tag for copy in slipway.copies for tag in copy.unit_tags}
    assert held
    for camera in slipway.cameras:
        mends = mends_for(slipway, camera, catalog, shelf)
        offered = {mend.setup.unit_tag for mend in mends.helping}
        assert not offered & (held - {camera.setup.unit_tag})


def test_of_a_large_shelf_the_best_are_offered_and_the_rest_counted(slipway, catalog, monkeypatch):
    """Judged as columns or one by one: the same units come first, and as many hold in all."""
    rng = random.Random(3)
    drives = list(catalog.drives.values())
    units = []
    for number in range(240):
        drive = rng.choice(drives)
        cases = catalog.enclosures_for(drive)
        case = rng.choice(cases).key if cases and rng.random() < 0.9 else ""
        used = rng.random() * 0.9 * drive.capacity_bytes
        units.append(Unit(f"U-{number:03}", drive.key, case, used_bytes=used))
    shelf = Shelf(tuple(units))
    camera = slipway.camera("A")
    quick = mends_for(slipway, camera, catalog, shelf)
    monkeypatch.setattr("vastcellar.core.candidates.mends._MANY_UNITS", 10_000)
    slow = mends_for(slipway, camera, catalog, shelf)
    assert quick.more > 0 and slow.more == 0

    def of_units(mends):
        found = [m for m in mends.helping if m.change is Change.UNIT]
        return [(m.setup.unit_tag, m.judgement.margin) for m in found]

    assert len(of_units(quick)) + quick.more == len(of_units(slow))
    assert of_units(quick)[:20] == of_units(slow)[:20]
    assert quick.useless == slow.useless
