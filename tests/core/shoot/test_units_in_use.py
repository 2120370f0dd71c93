"""Which units and cables a shoot uses, and what a new label or another way changes of it."""

from dataclasses import fields, replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.errors import BadValueError
from vastcellar.core.evidence import TIGHT_BELOW_MARGIN, Verdict
from vastcellar.core.shoot.shoot import (
    Setup,
    cables_and_hubs_of,
    on_another_way,
    tags_in_use,
    with_tag_changed,
)
from vastcellar.core.shoot.shoot_plan import copy_verdict, plan_shoot
from vastcellar.data import data_path
from vastcellar.store.catalog_files import load_catalog
from vastcellar.store.shoot_files import read_shoot

SLIPWAY = read_shoot(data_path("demo", "slipway.shoot.json"), load_catalog())


def test_units_of_cameras_and_of_copies_are_in_use(slipway):
    """Both count, but for what only the camera asked about records to."""
    all_of_it = tags_in_use(slipway)
    held = {tag for copy in slipway.copies for tag in copy.unit_tags}
    recorded = {camera.setup.unit_tag for camera in slipway.cameras if camera.setup}
    assert all_of_it == (held | recorded) - {""}
    own = slipway.camera("A").setup.unit_tag
    assert tags_in_use(slipway, besides="A") == all_of_it - ({own} - held)


def test_a_unit_that_a_copy_holds_stays_in_use_for_its_own_camera(slipway):
    """A camera that records to a unit of a copy can't free it: the copy still holds it."""
    own = slipway.camera("A").setup.unit_tag
    copy = replace(slipway.copies[0], unit_tags=(own,))
    shoot = replace(slipway, copies=(copy, *slipway.copies[1:]))
    assert own in tags_in_use(shoot, besides="A")


def test_a_new_label_is_put_wherever_the_old_one_stood(slipway):
    """Cameras and copies follow; nothing else of the shoot changes; back again it is as before."""
    for tag in sorted(tags_in_use(slipway)):
        renamed = with_tag_changed(slipway, tag, "X-99")
        assert tags_in_use(renamed) == (tags_in_use(slipway) - {tag}) | {"X-99"}
        assert with_tag_changed(renamed, "X-99", tag) == slipway
    assert with_tag_changed(slipway, "nobody", "X-99") == slipway


def test_cables_and_hubs_that_are_used_are_there_already(slipway):
    """What lies on the table is not bought again: cables and docks of all cameras."""
    docked = replace(slipway.camera("B").setup, hub_keys=("sedgeway-berth-4",), sharing=2)
    shoot = slipway.with_camera(replace(slipway.camera("B"), setup=docked))
    found = cables_and_hubs_of(shoot)
    assert "sedgeway-berth-4" in found
    assert {c.setup.cable_key for c in shoot.cameras if c.setup} - {""} <= found
    assert "" not in found


def test_another_way_changes_what_it_names_and_keeps_the_rest():
    """Every field of a setup is either chosen anew or kept: none is forgotten."""
    before = Setup("d1", "h1", "p1", "U-1", "e1", "c1", ("u1",), 2, "exfat", True)
    chosen = Setup("d2", "h2", "p2", "U-2", "e2", "c2", ("u2", "u3"), 3, "ext4", False)
    made = on_another_way(before, chosen)
    for field in fields(Setup):
        value = getattr(made, field.name)
        assert value in (getattr(before, field.name), getattr(chosen, field.name))
    assert (made.file_system_key, made.is_encrypted) == ("exfat", True)
    assert (made.drive_key, made.unit_tag, made.hub_keys, made.sharing) == (
        "d2", "U-2", ("u2", "u3"), 3,
    )  # fmt: skip


@pytest.mark.parametrize("sharing", [2, 64])
def test_nobody_shares_a_hub_that_isnt_there(sharing):
    """Two devices on one port without a hub can't be: it is said, and not reckoned with."""
    with pytest.raises(BadValueError, match="there is none"):
        Setup("d1", "h1", "p1", sharing=sharing)
    assert Setup("d1", "h1", "p1", hub_keys=("u1",), sharing=sharing).sharing == sharing


@given(times=st.floats(0, 3))
def test_a_copy_is_judged_like_everything_else(times):
    """Room for the copy and a tenth to spare holds, less is tight, less than it needs is short."""
    plan = plan_shoot(SLIPWAY).copies[0]
    verdict, margin = copy_verdict(plan, plan.needed_bytes * times)
    assert margin == pytest.approx(times - 1, abs=1e-9)
    if margin < 0:
        assert verdict is Verdict.FALLS_SHORT
    else:
        assert verdict is (Verdict.TIGHT if margin < TIGHT_BELOW_MARGIN else Verdict.HOLDS)
    assert copy_verdict(plan, None) == (Verdict.NOT_KNOWN, None)
