"""Parts of one's own: on every desk of a cellar, in its exports, and merged with its units."""

import json
from dataclasses import replace

import pytest

from vastcellar.core.errors import BadFileError, CellarError
from vastcellar.core.parts.units import Unit
from vastcellar.services.cellar.keeping import export_json, import_json, merge
from vastcellar.services.workplace.folders import Folders
from vastcellar.services.workplace.own_catalog import OWN_CATALOG_FILE, save_own
from vastcellar.services.workplace.own_drives import new_own_drive
from vastcellar.services.workplace.workplace import open_workplace
from vastcellar.store.own_parts import keep_parts, kept_parts

MINE = replace(new_own_drive(), key="own-mine", name="Mine")


def desk(tmp_path, name):
    """Return folders of one more desk."""
    return Folders(tmp_path / name / "d", tmp_path / name / "s", tmp_path / name / "c")


@pytest.fixture
def desks(tmp_path, server, monkeypatch):
    """Two desks on one server, each with a catalog folder of its own."""
    monkeypatch.setenv("VAST_CELLAR_DATABASE", server.new_database())
    both = [open_workplace(places=desk(tmp_path, name)) for name in ("one", "two")]
    yield both
    for each in both:
        each.close()


def test_what_one_desk_describes_the_other_knows(desks):
    """A drive with its unit: the other reads it as its own, and has it in its own file."""
    one, two = desks
    one = one.with_own([MINE])
    one.cellar.add_unit(Unit("W-01", MINE.key))
    known = two.with_others_parts()
    assert known.catalog.drive_of(known.shelf().unit("W-01")) == MINE
    assert (two.folders.catalog_folder / OWN_CATALOG_FILE).exists()
    assert known.with_others_parts() is known  # nothing new
    better = replace(MINE, price=199.0)
    known = known.with_own([better])
    assert one.with_others_parts().catalog.drive(MINE.key) == better


def test_what_was_described_before_there_was_a_server_goes_along(tmp_path, server, monkeypatch):
    """Kept in a file of one's own for years: in the cellar after the next start."""
    places = desk(tmp_path, "one")
    save_own([MINE], places)
    monkeypatch.setenv("VAST_CELLAR_DATABASE", server.new_database())
    opened = open_workplace(places=places)
    assert kept_parts(opened.cellar)["drives"][MINE.key]["name"] == "Mine"
    opened.close()


def edited(places, **changes):
    """Change the part in a desk's own file, as somebody does in an editor."""
    path = places.catalog_folder / OWN_CATALOG_FILE
    content = json.loads(path.read_text(encoding="utf-8"))
    content["drives"][0] |= changes
    path.write_text(json.dumps(content), encoding="utf-8")


def test_a_file_that_somebody_edited_is_not_set_back(desks):
    """Changed here since both were the same: it goes to the other desk. Changed on both: both are
    kept, one under a key of its own."""
    one, two = desks
    one = one.with_own([MINE])
    two = two.with_others_parts()
    edited(one.folders, price=111.0)
    assert one.with_others_parts().catalog.drive(MINE.key).price == 111.0
    two = two.with_others_parts()
    assert two.catalog.drive(MINE.key).price == 111.0
    two = two.with_own([replace(MINE, price=222.0)])
    edited(one.folders, price=333.0)
    for each in (one, two):
        drives = each.with_others_parts().catalog.drives
        assert drives[MINE.key].price == 222.0
        assert (drives["own-mine-2"].price, drives["own-mine-2"].name) == (333.0, "Mine (2)")


def test_two_desks_that_named_different_things_alike_keep_both(tmp_path, server, monkeypatch):
    """Described apart, before there was a server: neither is overwritten."""
    address = server.new_database()
    places = [desk(tmp_path, name) for name in ("one", "two")]
    save_own([MINE], places[0])
    save_own([replace(MINE, price=999.0)], places[1])
    monkeypatch.setenv("VAST_CELLAR_DATABASE", address)
    first, second = (open_workplace(places=each) for each in places)
    prices = {key: d.price for key, d in second.catalog.drives.items() if key.startswith("own-m")}
    assert prices == {"own-mine": MINE.price, "own-mine-2": 999.0}
    assert first.with_others_parts().catalog.drive("own-mine-2").price == 999.0
    for each in (first, second):
        each.close()


def test_a_part_that_this_version_cant_read_is_left_out_and_said(desks):
    """Of a newer version, or damaged: nothing else suffers, and no file is spoilt."""
    one, two = desks
    one = one.with_own([MINE])
    keep_parts(one.cellar, {"drives": [{"key": "own-new", "hologram": 7}],
                            "engines": [{"key": "own-what"}]})  # fmt: skip
    known = two.with_others_parts()
    assert known.catalog.drive(MINE.key) == MINE and "own-new" not in known.catalog.drives
    left_out = {"own part drives own-new", "own part engines own-what"}
    assert two.cellar.unreadable == left_out
    own = json.loads((two.folders.catalog_folder / OWN_CATALOG_FILE).read_text(encoding="utf-8"))
    assert [row["key"] for row in own["drives"]] == [MINE.key]


def test_a_server_that_is_gone_keeps_nothing_of_a_part_here_either(desks, server):
    """Refused with a sentence; back again it is saved on both."""
    one, two = desks
    server.stop()
    with pytest.raises(CellarError, match="can't be reached"):
        one.with_own([MINE])
    assert not (one.folders.catalog_folder / OWN_CATALOG_FILE).exists()
    server.start()
    one.with_own([MINE])
    assert MINE.key in two.with_others_parts().catalog.drives


def test_exports_and_merges_bring_what_their_units_are(tmp_path, monkeypatch):
    """A rental's unit of a drive that only the rental has described: known here after the import,
    and after a merge; a part that is known here stays as it is here."""
    theirs = open_workplace(places=desk(tmp_path, "rental")).with_own([MINE])
    theirs.cellar.add_unit(Unit("R-01", MINE.key))
    path = tmp_path / "rental.json"
    export_json(theirs, path)
    theirs.close()
    fresh = open_workplace(places=desk(tmp_path, "fresh"))
    import_json(fresh, path)
    assert fresh.with_others_parts().catalog.drive(MINE.key) == MINE
    fresh.close()
    other = replace(MINE, key="own-other", name="Other")
    dearer = replace(MINE, price=300.0)
    mine = open_workplace(places=desk(tmp_path, "here")).with_own([other, dearer])
    merge(mine, path, {})
    catalog = mine.with_others_parts().catalog
    assert catalog.drive(MINE.key) == dearer and catalog.drive("own-other") == other
    assert mine.shelf().unit("R-01") is not None
    mine.close()


def test_a_cellar_that_cant_be_written_is_opened_all_the_same(tmp_path, monkeypatch):
    """A part that is known here alone can't go there: units are read, nothing is lost."""
    places = desk(tmp_path, "one")
    opened = open_workplace(places=places)
    opened.cellar.add_unit(Unit("W-01", "torvane-t2-2"))
    opened.close()
    save_own([MINE], places)

    def refused(*_arguments):
        raise CellarError("the cellar's file is read-only", where="x", mend="y")

    monkeypatch.setattr("vastcellar.store.own_parts.keep_parts", refused)
    again = open_workplace(places=places)
    assert again.shelf().unit("W-01") is not None and again.catalog.drive(MINE.key) == MINE
    again.close()


def test_a_file_of_own_parts_that_lists_no_parts_is_said(desks):
    """Brackets where parts should be, written while the window is open: a sentence, no crash."""
    one, _two = desks
    one = one.with_own([MINE])
    path = one.folders.catalog_folder / OWN_CATALOG_FILE
    for wrong in ([[]], {}, "x"):
        content = json.loads(path.read_text(encoding="utf-8")) | {"drives": wrong}
        path.write_text(json.dumps(content), encoding="utf-8")
        with pytest.raises(BadFileError, match="drives is no list of parts"):
            one.with_others_parts()
