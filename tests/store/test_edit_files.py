"""The edit file: written and read back the same; what is wrong in one is named."""

import json
from pathlib import Path

import pytest

from vastcellar.core.errors import BadFileError, BadValueError
from vastcellar.core.shoot.edit_plan import (
    Beside,
    EditPlan,
    GrowthSetup,
    StoreSetup,
    StreamSetup,
)
from vastcellar.store.edit_files import edit_text, read_edit, write_edit

PLAN = EditPlan(
    (StoreSetup("N-01", "raid-5", ("kelmarsh-dray-8",) * 4, "sedgeway-loft-4", "", "eth-1g"),
     StoreSetup("böx 2", disk_keys=("kelmarsh-flat-4",), encrypted_by="desk",
                encryption_bytes_per_s=4e8)),
    "böx 2", StreamSetup("", "B", speed=2.0), 3, 1.0, 8e6, 2,
    (Beside("render", 60e6),), GrowthSetup(2.4e12, 0.1, 6, 0.2), "cut.otio",
)  # fmt: skip


def test_a_plan_comes_back_as_it_was(tmp_path):
    """Every field, an odd name, an empty one."""
    write_edit(tmp_path / "a.edit.json", PLAN, "Boathouse")
    assert read_edit(tmp_path / "a.edit.json") == PLAN
    bare = EditPlan()
    write_edit(tmp_path / "b.edit.json", bare)
    assert read_edit(tmp_path / "b.edit.json") == bare


def test_the_example_is_one():
    """What docs show can be opened."""
    plan = read_edit(Path("docs/examples/boathouse.edit.json"))
    assert [each.name for each in plan.stores] == ["N-01", "N-01 at 10G", "Dock", "H-02"]


def changed(tmp_path, change):
    """The plan's file with something changed in it."""
    content = json.loads(edit_text(PLAN))
    change(content)
    path = tmp_path / "x.edit.json"
    path.write_text(json.dumps(content))
    return path


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda c: c.update(format="vast-cellar/shoot"), "vast-cellar/edit"),
        (lambda c: c.update(version=9), "version"),
        (lambda c: c.update(streams=0), "streams"),
        (lambda c: c.update(colour="red"), "colour"),
        (lambda c: c["stores"][0].update(level=5), "level"),
        (lambda c: c["stores"][0].update(disk_keys=[]), "disks is 0"),
        (lambda c: c["stores"][0].update(used_share=1.5), "used_share"),
        (lambda c: c["stores"][0].update(hub_key="h"), "in a network and on a hub"),
        (lambda c: c["stores"][1].update(encryption_bytes_per_s=0), "belong together"),
        (lambda c: c["stores"][1].update(encrypted_by="nobody"), "can't be encrypted by"),
        (lambda c: c["stores"][1].update(name="N-01"), "two stores are called"),
        (lambda c: c.update(chosen="gone"), "no store 'gone'"),
        (lambda c: c["stream"].update(camera_key="", bytes_per_s=0), "neither a camera nor a rate"),
        (lambda c: c.update(stores=[c["stores"][0]] * 5), "two stores|stores is 5"),
    ],
)
def test_what_cannot_be_is_named_with_its_place(tmp_path, change, says):
    """A wrong kind, a field of nobody's, figures beyond reason: nothing is half-read."""
    with pytest.raises(BadFileError, match=says):
        read_edit(changed(tmp_path, change))


def test_a_store_is_added_or_put_in_anothers_place():
    """Its name is the chosen one then; without stores none is chosen."""
    one = StoreSetup("new", disk_keys=("x",))
    assert PLAN.with_store(one).store == one
    assert len(PLAN.with_store(one, "N-01").stores) == 2
    assert EditPlan().store is None
    assert PLAN.store.name == "böx 2"
    with pytest.raises(BadValueError, match="has no name"):
        StoreSetup(" ", disk_keys=("x",))
