"""Several stations on one day: what goes on at each, and put together again."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.errors import BadValueError
from vastcellar.core.shoot.offload import Break, CardOrder, Person
from vastcellar.core.shoot.shoot import Copy, tags_in_use, with_tag_changed
from vastcellar.core.shoot.shoot_plan import plan_shoot
from vastcellar.core.shoot.stations import (
    FIRST,
    at_station,
    renamed_station,
    station_names,
    station_of_copy,
    with_breaks,
    with_further,
    with_members,
    with_station,
    without_station,
)
from vastcellar.data import data_path
from vastcellar.store.catalog_files import load_catalog
from vastcellar.store.shoot_files import read_shoot, write_shoot

SLIPWAY = read_shoot(data_path("demo", "slipway.shoot.json"), load_catalog())


def moved(cameras="CD", copies=("Van copy",), name="Boathouse"):
    """Return the demo with a second station that has these cameras and copies."""
    shoot = with_further(SLIPWAY, name)
    return replace(
        shoot,
        cameras=tuple(
            replace(each, station=name) if each.key in cameras else each for each in shoot.cameras
        ),
        copies=tuple(
            replace(each, station=name) if each.name in copies else each for each in shoot.copies
        ),
    )


def test_a_shoot_with_one_station_is_what_goes_on_at_it():
    """Nothing is made up for those who have one; another name is refused with those known."""
    assert station_names(SLIPWAY) == (FIRST,)
    assert at_station(SLIPWAY, FIRST) is SLIPWAY
    with pytest.raises(BadValueError, match="no station 'Quay'"):
        at_station(SLIPWAY, "Quay")


def test_each_station_has_its_cameras_copies_and_people():
    """C and D go to the boathouse; order and rule of wiping are those of the whole shoot."""
    shoot = moved()
    rules = replace(shoot.offload, order=CardOrder.FULLEST, verified_copies=1)
    shoot = replace(shoot, offload=rules)
    first, boathouse = at_station(shoot, FIRST), at_station(shoot, "Boathouse")
    assert [each.key for each in first.cameras] == ["A", "B"]
    assert [each.key for each in boathouse.cameras] == ["C", "D"]
    assert [each.name for each in boathouse.copies] == ["Van copy"]
    assert [each.name for each in first.copies] == ["Working copy", "Safety copy"]
    assert boathouse.offload.people == (Person("technician"),) != first.offload.people
    assert boathouse.offload.order is CardOrder.FULLEST and boathouse.offload.verified_copies == 1
    assert not boathouse.offload.further


def test_a_later_copy_is_made_where_that_is_which_it_is_made_from():
    """It says so of itself what it likes: its source stands at the boathouse."""
    late = Copy("Night copy", made_from="Van copy")
    shoot = replace(moved(), copies=(*moved().copies, late))
    assert station_of_copy(shoot, late) == "Boathouse"
    assert [each.name for each in at_station(shoot, "Boathouse").copies][-1] == "Night copy"
    assert at_station(shoot, FIRST).copies == shoot.copies[:2]


@given(
    cameras=st.sets(st.sampled_from("ABCD")),
    copies=st.sets(st.sampled_from([each.name for each in SLIPWAY.copies])),
    name=st.sampled_from([FIRST, "Boathouse"]),
)
def test_put_back_unchanged_it_is_the_same_shoot_and_nothing_is_lost(cameras, copies, name):
    """Whichever cameras and copies go where: all are at one station, each once."""
    shoot = moved(cameras, copies)
    assert with_station(shoot, name, at_station(shoot, name)) == shoot
    parts = [at_station(shoot, each) for each in station_names(shoot)]
    assert sorted(c.key for part in parts for c in part.cameras) == list("ABCD")
    assert sorted(c.name for part in parts for c in part.copies) == sorted(
        each.name for each in shoot.copies
    )


def test_what_is_changed_at_one_station_changes_nothing_at_the_other():
    """A camera, a copy's unit, people and walk there; breaks and order are everybody's."""
    shoot = moved()
    here = at_station(shoot, "Boathouse")
    changed = replace(
        here.with_camera(replace(here.camera("C"), more_media=3)),
        breaks=(Break(3600.0, 7200.0),),
        copies=(replace(here.copies[0], unit_tags=("K-14",)),),
        offload=replace(
            here.offload, walk_s=60.0, people=(Person("runner"),), order=CardOrder.SHORTEST
        ),
    )
    whole = with_station(shoot, "Boathouse", changed)
    assert at_station(whole, "Boathouse") == changed
    first, before = at_station(whole, FIRST), at_station(shoot, FIRST)
    assert first.cameras == before.cameras and first.copies == before.copies
    assert first.offload == replace(before.offload, order=CardOrder.SHORTEST)
    assert first.breaks == (Break(3600.0, 7200.0),)


def test_a_copy_holds_what_the_cameras_of_its_station_make():
    """The van's copy needs room for A and B alone once C and D are copied at the boathouse."""
    alone = {each.copy.name: each.needed_bytes for each in plan_shoot(moved()).copies}
    made = {each.camera.key: each.copied_bytes.sum() for each in plan_shoot(SLIPWAY).cameras}
    grown = 1 + SLIPWAY.reserve
    assert alone["Safety copy"] == pytest.approx((made["A"] + made["B"]) * grown)
    assert plan_shoot(moved()).total_bytes == pytest.approx(sum(made.values()))


def test_a_station_that_goes_leaves_its_cameras_and_copies_to_the_first():
    """Nothing of the shoot is lost with it, and a name nobody has any more counts as the first."""
    shoot = moved()
    assert without_station(shoot, "Boathouse") == SLIPWAY
    astray = replace(shoot, offload=replace(shoot.offload, further=()))
    assert at_station(astray, FIRST) is astray
    with pytest.raises(BadValueError, match="two stations are called 'Boathouse'"):
        with_further(shoot, "Boathouse")


def test_a_new_name_is_followed_by_all_that_belong_there():
    """Cameras, copies and rules of the renamed station stay together; a taken name is refused."""
    shoot = with_further(moved(), "Quay")
    named = renamed_station(shoot, "Boathouse", "Shed")
    assert station_names(named) == (FIRST, "Shed", "Quay")
    shed, before = at_station(named, "Shed"), at_station(shoot, "Boathouse")
    assert [each.key for each in shed.cameras] == [each.key for each in before.cameras]
    assert [each.name for each in shed.copies] == ["Van copy"] and shed.offload == before.offload
    for wrong in ("Quay", "  "):
        with pytest.raises(BadValueError):
            renamed_station(shoot, "Boathouse", wrong)


@given(
    before=st.sets(st.sampled_from("ABCD")),
    cameras=st.sets(st.sampled_from("ABCD")),
    copies=st.sets(st.sampled_from([each.name for each in SLIPWAY.copies])),
)
def test_members_are_those_that_were_named_and_others_stay_where_they_are(before, cameras, copies):
    """Who isn't named any more goes to the first station; who is at a third stays there."""
    shoot = with_further(moved(before, ()), "Quay")
    made = with_members(shoot, "Quay", cameras, copies)
    assert {each.key for each in at_station(made, "Quay").cameras} == cameras
    assert {each.name for each in at_station(made, "Quay").copies} == copies
    assert {each.key for each in at_station(made, "Boathouse").cameras} == before - cameras


def test_breaks_are_everybodys():
    """No take begins in them, and at no station does anybody change a card."""
    breaks = (Break(45_000.0, 47_700.0), Break(57_600.0, 58_200.0))
    rested = with_breaks(moved(), breaks)
    people = (*rested.offload.people, *rested.offload.further[0].people)
    assert rested.breaks == breaks and all(each.breaks == breaks for each in people)


def test_stations_are_kept_in_the_file_and_follow_a_units_new_label(tmp_path):
    """Names, people and ports come back as they were; a port goes with its unit."""
    shoot = moved()
    here = at_station(shoot, "Boathouse")
    ported = replace(here, offload=replace(here.offload, ports=(("K-06", "usb-c-1"),)))
    shoot = with_station(shoot, "Boathouse", ported)
    write_shoot(tmp_path / "s.json", shoot)
    assert read_shoot(tmp_path / "s.json", load_catalog()) == shoot
    renamed = with_tag_changed(shoot, "K-06", "K-66")
    assert renamed.offload.further[0].ports == (("K-66", "usb-c-1"),)
    assert "K-66" in tags_in_use(renamed)
