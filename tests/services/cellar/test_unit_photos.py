"""Photos in a unit's story: added, taken back, saved, exported and merged with the cellar."""

import pytest
from PIL import Image

from vastcellar.core.cellar.merging import Take
from vastcellar.core.errors import BadFileError, BadValueError, UnknownPartError
from vastcellar.core.parts.units import Unit
from vastcellar.services.cellar.keeping import (
    export_json,
    import_json,
    merge,
    merge_plan,
    parse_decisions,
)
from vastcellar.services.cellar.unit_edits import take_back
from vastcellar.services.cellar.unit_photos import (
    add_photo,
    photos_of,
    read_new_photo,
    save_photos,
)
from vastcellar.services.workplace.folders import Folders
from vastcellar.services.workplace.workplace import open_workplace


@pytest.fixture
def own(tmp_path):
    """Return a cellar of one's own with the unit W-01, by its name."""
    opened = []

    def make(name, tag="W-01"):
        base = tmp_path / name
        made = open_workplace(places=Folders(base / "d", base / "s", base / "c"))
        if tag:
            made.cellar.add_unit(Unit(tag, "torvane-t2-2"))
        opened.append(made)
        return made

    yield make
    for each in opened:
        each.close()


@pytest.fixture
def dent(tmp_path):
    path = tmp_path / "dent ü.jpg"
    Image.new("RGB", (80, 60), (120, 90, 60)).save(path)
    return path


def shown(workplace, tag="W-01"):
    return photos_of(workplace, workplace.shelf().story(tag))


def test_a_photo_stays_when_its_file_is_gone_and_undo_takes_it_back(own, dent):
    """With its day and its note, the newest first."""
    place = own("a")
    first = add_photo(place, "W-01", read_new_photo(dent), said="fell in the harbour")
    dent.unlink()
    Image.new("RGB", (10, 10)).save(dent)
    add_photo(place, "W-01", read_new_photo(dent))
    newest, oldest = shown(place)
    assert (oldest.file, oldest.note) == ("dent ü.jpg", "fell in the harbour")
    assert oldest.jpeg.startswith(b"\xff\xd8") and newest.jpeg != oldest.jpeg
    take_back(place, first.event_id)
    assert shown(place) == (newest,)


def test_what_is_no_picture_or_no_unit_changes_nothing(own, tmp_path, dent):
    """One sentence, and no event."""
    place = own("a")
    (tmp_path / "text.jpg").write_text("a dent, about two fingers wide")
    with pytest.raises(BadFileError, match="no picture"):
        read_new_photo(tmp_path / "text.jpg")
    with pytest.raises(UnknownPartError):
        add_photo(place, "NOBODY", read_new_photo(dent))
    assert shown(place) == () and place.shelf().events == ()


def test_saved_they_are_files_by_unit_and_day_and_nothing_is_overwritten(own, dent, tmp_path):
    """A second time they get the next number; a unit without one says so."""
    place, folder = own("a", "W/01 ü"), tmp_path / "out"
    folder.mkdir()
    add_photo(place, "W/01 ü", read_new_photo(dent))
    found = shown(place, "W/01 ü")
    (one,) = save_photos(found, "W/01 ü", folder)
    (two,) = save_photos(found, "W/01 ü", folder)
    assert one.name.startswith("W_01_ü_2") and one.name.endswith("_1.jpg")
    assert two.name.endswith("_2.jpg") and one.read_bytes() == two.read_bytes() == found[0].jpeg
    with pytest.raises(BadValueError, match="no photo"):
        save_photos((), "W/01 ü", folder)


def test_an_export_takes_them_along_and_a_merge_too(own, dent, tmp_path):
    """Into an empty cellar, and into one that has units; merged again nothing comes twice."""
    place = own("a")
    add_photo(place, "W-01", read_new_photo(dent), said="dent")
    export_json(place, tmp_path / "all.json")
    empty = own("b", "")
    import_json(empty, tmp_path / "all.json")
    assert [each.jpeg for each in shown(empty)] == [each.jpeg for each in shown(place)]
    other = own("c", "W-02")
    for _ in range(2):
        plan = merge_plan(other, tmp_path / "all.json")
        merge(other, tmp_path / "all.json", parse_decisions((), plan, Take.MINE))
        assert [(e.note, e.jpeg) for e in shown(other)] == [("dent", shown(place)[0].jpeg)]
