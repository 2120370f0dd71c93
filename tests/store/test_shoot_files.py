"""Shoot, catalog and chain files: whole or not at all, with the field that is wrong."""

import json
from dataclasses import replace

import pytest

from vastcellar.core.errors import BadFileError
from vastcellar.core.shoot.offload import Break, CardOrder, Offload, Person
from vastcellar.core.shoot.shoot import Copy
from vastcellar.data import data_path
from vastcellar.store.catalog_files import catalog_schema, load_catalog, read_units
from vastcellar.store.shoot_files import read_chain, read_shoot, shoot_text, write_shoot

SLIPWAY = json.loads(data_path("demo", "slipway.shoot.json").read_text(encoding="utf-8"))


def test_a_shoot_comes_back_as_it_was_saved(tmp_path, slipway, catalog):
    """A saved shoot is equal to the one that is read."""
    path = tmp_path / "Tag 1 – Übung.shoot.json"
    write_shoot(path, slipway)
    assert read_shoot(path, catalog) == slipway
    assert read_shoot(path, catalog).camera("A").recording.frames_per_s.denominator == 1


def test_the_rules_of_the_day_come_back_as_they_were_saved(tmp_path, slipway, catalog):
    """Pools, hours, breaks, people, ports and a copy that is handed over, every field of them."""
    camera = replace(
        slipway.camera("A"),
        pool_tags=("M-01", "C-06"),
        more_media=2,
        call_s=8 * 3600.0,
        wrap_s=19.5 * 3600,
        card_changes_s=(15.5 * 3600,),
    )
    rules = Offload(
        "old-tower",
        (Person("loader", (Break(3600.0, 7200.0),), fetches=True), Person("runner")),
        120.0,
        30.0,
        CardOrder.LONGEST_TAKE,
        2,
        3,
        (("K-06", "a-5g-1"),),
    )
    client = Copy("Client", is_handed_over=True, write_bytes_per_s=60e6)
    shoot = replace(
        slipway.with_camera(camera),
        breaks=(Break(45000.0, 47700.0), Break(60000.0, 61000.0)),
        offload=rules,
        copies=(*slipway.copies, client),
    )
    write_shoot(tmp_path / "day.shoot.json", shoot)
    assert read_shoot(tmp_path / "day.shoot.json", catalog) == shoot


def broken(path, *steps, value):
    """Write the demo's shoot with the field at *steps* set to *value*."""
    content = json.loads(json.dumps(SLIPWAY))
    place = content
    for step in steps[:-1]:
        place = place[step]
    if value is None:
        del place[steps[-1]]
    else:
        place[steps[-1]] = value
    path.write_text(json.dumps(content), encoding="utf-8")
    return path


@pytest.mark.parametrize(
    ("steps", "value", "where", "says"),
    [
        (("format",), "else/where", "format", "should stand"),
        (("version",), 9, "version", "reads 1 to 1"),
        (("days",), "six", "days", "but it has 'six'"),
        (("days",), 0, "shoot 'Slipway'", "days is 0"),
        (("cameras", 1, "crest"), None, "cameras[1].crest", "field required"),
        (("cameras", 1, "crest"), -1, "cameras[1] (camera 'B')", "crest is -1"),
        (("cameras", 0, "recording", "codec"), "magic", "cameras[0] (codec)", "no codec 'magic'"),
        (("cameras", 0, "recording", "frames_per_s"), "fast", "recording.frames_per_s", "fast"),
        (("cameras", 0, "recording", "width_px"), 10**9, "cameras[0] (format)", "width_px"),
        (("cameras", 0, "recroding"), {}, "cameras[0].recroding", "not permitted"),
        (("cameras", 2, "key"), "A", "shoot 'Slipway'", "two cameras are called 'A'"),
        (("cameras", 0, "longest_take_s"), 1e9, "camera 'A'", "longest_take_s"),
        (("breaks", 0, "end_s"), 5, "break", "it goes from 12.5 h"),
        (("offload", "people"), [], "offload", "nobody changes the cards"),
        (("offload", "order"), "by mood", "offload.order", "by mood"),
        (("cameras", 0, "pool_tags"), ["K-1", "K-1"], "camera 'A'", "twice"),
        (
            ("cameras", 0, "pool_tags"),
            [f"K-{n}" for n in range(500)],
            "camera 'A'",
            "media_in_pool",
        ),
        (("offload", "people"), [{"name": " "}], "offload", "a person has no name"),
        (
            ("breaks",),
            [{"start_s": n, "end_s": n + 1} for n in range(99)],
            "'Slipway'",
            "breaks is",
        ),
        (("cameras", 1, "wrap_s"), 3600, "camera 'B'", "its day ends at 1 h"),
    ],
)
def test_a_file_with_an_error_opens_nothing_and_names_the_field(
    tmp_path, catalog, steps, value, where, says
):
    """A bad field is named by its path and nothing is opened."""
    path = broken(tmp_path / "job.shoot.json", *steps, value=value)
    with pytest.raises(BadFileError) as caught:
        read_shoot(path, catalog)
    assert where in caught.value.where
    assert caught.value.where.startswith("job.shoot.json")
    assert says.lower() in caught.value.what.lower()
    assert caught.value.mend


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"{", "line 1"),
        (b"\xff\xfe", "not UTF-8"),
        (b"[]", "a bare list"),
        (b"", "not JSON"),
    ],
)
def test_what_is_no_shoot_at_all_says_so(tmp_path, catalog, content, says):
    """Other JSON, binaries and emptiness are told as no shoot."""
    path = tmp_path / "x.json"
    path.write_bytes(content)
    with pytest.raises(BadFileError) as caught:
        read_shoot(path, catalog)
    assert says in str(caught.value)
    with pytest.raises(BadFileError, match="no such file"):
        read_shoot(tmp_path / "missing.json", catalog)


def test_a_save_that_fails_leaves_the_old_file_whole(tmp_path, slipway, catalog, monkeypatch):
    """A save that fails on the way to disk leaves the old file whole."""
    path = tmp_path / "job.shoot.json"
    write_shoot(path, slipway)
    monkeypatch.setattr("os.fsync", lambda _handle: (_ for _ in ()).throw(OSError(28, "No space")))
    with pytest.raises(BadFileError, match="nothing was changed"):
        write_shoot(path, replace(slipway, name="Other"))
    assert read_shoot(path, catalog) == slipway
    assert [p.name for p in tmp_path.iterdir()] == ["job.shoot.json"]


def test_only_what_the_codec_asks_for_is_written(slipway):
    """A 422 HQ camera has no ratio in its file."""
    second = json.loads(shoot_text(slipway))["cameras"][1]["recording"]
    assert "quality" in second
    assert not {"ratio", "bit_depth", "menu_bits_per_s"} & set(second)


def catalog_file(tmp_path, **sections):
    path = tmp_path / "mine.json"
    content = {"format": "vast-cellar/catalog", "version": 1, **sections}
    path.write_text(json.dumps(content))
    return path


def cable(**changes):
    made = {"key": "long", "name": "Long", "modes": ["usb-10g"], "length_m": 3.0, "price": 12}
    return {**made, **changes}


def test_a_users_catalog_is_laid_over_the_shipped_one(tmp_path):
    """A user's part replaces the shipped one of its key, others stay."""
    path = catalog_file(tmp_path, cables=[cable(), cable(key="wr-10g", price=1)])
    found = load_catalog([path])
    assert found.cable("long").length_m == 3.0
    assert found.cable("wr-10g").price == 1
    assert found.cable("wr-20g").price == load_catalog().cable("wr-20g").price


@pytest.mark.parametrize(
    ("entry", "says"),
    [
        (cable(length_m="3 m"), "cables[0].length_m"),
        (cable(length_m=-3), "length_m is -3"),
        (cable(modes=["usb-99g"]), "names the link mode 'usb-99g'"),
        (cable(lenght=1), "cables[0].lenght"),
    ],
)
def test_a_catalog_file_with_an_error_names_the_field(tmp_path, entry, says):
    """A bad catalog entry names file and field."""
    with pytest.raises(BadFileError) as caught:
        load_catalog([catalog_file(tmp_path, cables=[entry])])
    assert says in str(caught.value)
    assert "mine.json" in caught.value.where


@pytest.mark.parametrize("field", ["fitted", "fitted_from", "is_fit_simulated"])
def test_a_file_cant_claim_what_only_a_calibration_finds(tmp_path, field):
    """Fitted figures can't be smuggled in by a file of units."""
    content = json.loads(data_path("demo", "cellar.json").read_text())
    content["units"][0][field] = {"cache_write_bytes_per_s": 9e9}
    path = tmp_path / "cellar.json"
    path.write_text(json.dumps(content))
    with pytest.raises(BadFileError, match="comes from a unit's own runs") as caught:
        read_units(path)
    assert "cellar.json: units" in caught.value.where
    assert field not in catalog_schema()["$defs"]["Unit"]["properties"]


def test_a_chain_file_is_checked_like_the_rest(tmp_path):
    """A chain file without its parts names what is missing."""
    path = tmp_path / "c.chain.json"
    path.write_text(json.dumps({"format": "vast-cellar/chain", "version": 1, "setup": {}}))
    with pytest.raises(BadFileError, match=r"setup\.drive_key"):
        read_chain(path)
