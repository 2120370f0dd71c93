"""A day at two stations: each planned by itself, neither with what the other uses."""

import json
from dataclasses import replace

import pytest
from click.testing import CliRunner

from vastcellar.cli.main import cli
from vastcellar.core.errors import BadValueError
from vastcellar.core.shoot.shoot import Copy, tags_in_use
from vastcellar.core.shoot.stations import FIRST, at_station, with_further, with_station
from vastcellar.services.roll.day_answers import answer_day, taken
from vastcellar.services.roll.day_planning import plan_day
from vastcellar.store.shoot_files import write_shoot


@pytest.fixture
def shoot(slipway):
    """C and D are copied at the boathouse, to two drives that stand there."""
    made = with_further(slipway, "Boathouse")
    rules = replace(made.offload.further[0], host_key="boathouse-desk")
    return replace(
        made,
        offload=replace(made.offload, further=(rules,)),
        cameras=tuple(
            replace(each, station="Boathouse") if each.key in "CD" else each
            for each in made.cameras
        ),
        copies=(
            *made.copies,
            Copy("Desk copy", unit_tags=("K-07",), station="Boathouse"),
            Copy("Second copy", unit_tags=("K-14",), station="Boathouse"),
        ),
    )


def test_each_station_is_planned_with_its_own_computer_drives_and_cards(shoot, catalog, shelf):
    """A and B at the van's laptop, C and D at the desk; every card goes where it belongs."""
    van = plan_day(shoot, 1, catalog, shelf)
    desk = plan_day(shoot, 1, catalog, shelf, "Boathouse")
    assert (van.host.key, desk.host.key) == ("van-laptop", "boathouse-desk")
    assert {trip.camera_key for trip in van.run.trips} == {"A", "B"}
    assert {trip.camera_key for trip in desk.run.trips} == {"C", "D"}
    assert {each.tag for each in desk.day.drives} == {"K-07", "K-14"}
    assert desk.run.last_verified_s < van.run.last_verified_s


def test_a_card_is_copied_sooner_where_two_stations_share_the_work(shoot, slipway, catalog, shelf):
    """What the cameras of the van wait for is less when two others go elsewhere."""
    before = plan_day(slipway, 1, catalog, shelf).run
    after = plan_day(shoot, 1, catalog, shelf).run
    assert after.last_verified_s < before.last_verified_s
    assert after.waited_s <= before.waited_s


def test_a_station_is_offered_nothing_that_another_one_uses(shoot, catalog, shelf):
    """No lever puts a unit of the van into the boathouse, nor the other way."""
    for name in (FIRST, "Boathouse"):
        planned = plan_day(shoot, 1, catalog, shelf, name)
        others = tags_in_use(shoot) - tags_in_use(at_station(shoot, name))
        assert planned.used_elsewhere == others and others
        offered = {each.lever.with_what for each in answer_day(planned, catalog, shelf).pulled}
        assert not offered & others


def test_a_lever_taken_at_one_station_is_the_day_that_was_shown(shoot, catalog, shelf):
    """Put back into the whole shoot and planned anew, it is the lever's day, and only there."""
    planned = plan_day(shoot, 1, catalog, shelf)
    pulled = [each for each in answer_day(planned, catalog, shelf).pulled if not each.is_a_risk]
    tried = 0
    for each in pulled:
        changed = taken(planned, each.lever)
        if changed is None:
            continue
        tried += 1
        whole = with_station(shoot, FIRST, changed)
        again = plan_day(whole, 1, catalog, shelf)
        assert again.run.last_verified_s == pytest.approx(each.run.last_verified_s)
        assert again.run.waited_s == pytest.approx(each.run.waited_s)
        assert at_station(whole, "Boathouse").cameras == at_station(shoot, "Boathouse").cameras
    assert tried >= 1


def test_a_station_that_isn_t_there_can_t_be_planned(shoot, catalog, shelf):
    """The sentence names those that are."""
    with pytest.raises(BadValueError, match="no station 'Quay'") as told:
        plan_day(shoot, 1, catalog, shelf, "Quay")
    assert told.value.mend == "It has: Boathouse"


def test_a_unit_that_two_stations_want_is_told_at_both(shoot, catalog, shelf):
    """One drive can't stand at two places, nor be a card here and a drive there."""
    copies = (*shoot.copies[:-1], replace(shoot.copies[-1], unit_tags=("H-02",)))
    both = replace(shoot, copies=copies)
    assert any(
        "H-02 is used at another station as well (Boathouse)" in note
        for note in plan_day(both, 1, catalog, shelf).notes
    )
    said = plan_day(both, 1, catalog, shelf, "Boathouse").notes
    assert any("H-02 is used at another station as well (first station)" in note for note in said)


@pytest.fixture
def run(shoot, tmp_path, monkeypatch):
    """Return what the command prints of the shoot in a file."""
    for name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME"):
        monkeypatch.setenv(name, str(tmp_path / "home" / name))
    write_shoot(tmp_path / "two.shoot.json", shoot)

    def told(*words):
        path = str(tmp_path / "two.shoot.json")
        return CliRunner().invoke(cli, ["roll", path, "--demo", "--drawn", "0", *words]).output

    return told


def test_the_command_tells_all_stations_and_the_latest_of_their_copies(run):
    """Together: waits of both, and the last copy of the later one; apart: as with one station."""
    made = json.loads(run("--json"))
    first, second = made["stations"]
    assert (first["station"], second["station"]) == (None, "Boathouse")
    assert made["last_verified_copy_s"] == max(
        first["last_verified_copy_s"], second["last_verified_copy_s"]
    )
    assert made["waits"] == [*first["waits"], *second["waits"]]
    assert json.loads(run("--json", "--station", "Boathouse")) == second
    assert "Boathouse: Day 1 of" in run()
