"""Parts from CSV and JSON: units read, errors at line and column, unknown stays unknown."""

import json
from dataclasses import replace

import pytest

from vastcellar.core.candidates.candidates import find_candidates
from vastcellar.core.chain.chain import build_chain
from vastcellar.core.chain.setup_parts import find_parts
from vastcellar.core.errors import BadFileError
from vastcellar.core.evidence import Evidence, Verdict
from vastcellar.core.parts.parts import DriveKind
from vastcellar.core.shoot.needs import camera_need
from vastcellar.core.shoot.shoot import Setup
from vastcellar.core.units import PLAIN
from vastcellar.core.verdict.bottlenecks import Bottleneck
from vastcellar.core.verdict.judgement import judge_take
from vastcellar.data import data_path
from vastcellar.services.words.part_wording import cable_details, drive_details, enclosure_details
from vastcellar.services.workplace.own_catalog import import_parts, save_own
from vastcellar.store.catalog_files import catalog_schema, load_catalog
from vastcellar.store.part_csv import read_parts

HEADER = (
    "part,key,name,kind,medium,form,capacity,read,write,after_cache,cache,tbw,"
    "links,rating,length_m,plugs,price"
)
BOX = "drive,,Merle 2 TB,nvme,,2280,2 TB,7000 MB/s,6500 MB/s,,,,,,,,149"
KNOWN = "drive,,Merle 1 TB,nvme,TLC,2280,1 TB,5000 MB/s,4000 MB/s,900 MB/s,40 GB,600 TB,,,,,89"


def write(tmp_path, *rows, header=HEADER):
    path = tmp_path / "parts.csv"
    path.write_text("\n".join([header, *rows]) + "\n", encoding="utf-8")
    return path


def test_rows_become_parts_with_their_units(tmp_path, catalog):
    """Rows of a table become parts with the units of their columns."""
    box, known, case, cable = read_parts(
        write(
            tmp_path,
            BOX,
            KNOWN,
            "enclosure,,Nest 10G,nvme,,2280/2242,,,950 MB/s,,,,usb-10g usb-5g usb-2,,,,29",
            "cable,,Long one,,,,,,,,,,,20 Gb/s,1.5,A-C,12",
        ),
        catalog.modes,
    )
    assert (box.key, box.capacity_bytes, box.behaviour) == ("own-merle-2-tb", 2 * 10**12, None)
    assert known.writes.direct_write_bytes_per_s == 900e6
    assert known.tbw_bytes == 600e12
    assert (case.forms, case.bridge_write_bytes_per_s) == (("2280", "2242"), 950e6)
    assert cable.plugs == ("A", "C")
    assert "usb-20g" in cable.modes
    assert "usb4-40g" not in cable.modes
    assert all(part.source.startswith("entered by the user") for part in (box, known, case))


@pytest.mark.parametrize(
    ("row", "says"),
    [
        ("cable,,Fast,,,,,,,,,,,10 GB/s,1,C-C,9", "line 2, rating: '10 GB/s' is 80 Gb/s"),
        ("drive,,X,nvme,,2280,2 TB,7000,6500 MB/s,,,,,,,,", "line 2, read: '7000' has no unit"),
        ("drive,,X,nvme,,2280,,7000 MB/s,6500 MB/s,,,,,,,,", "line 2, capacity: it is empty"),
        ("drive,,X,floppy,,,2 TB,1 MB/s,1 MB/s,,,,,,,,", "'floppy' is no kind of drive"),
        ("boat,,X,,,,,,,,,,,,,,", "'boat' is no kind of part"),
        (
            "enclosure,,X,nvme,,,,,9 GB/s,,,,usb-10g,,,,9",
            "a bridge of 9,000 MB/s is faster than its link",
        ),
        ("enclosure,,X,nvme,,,,,,,,,usb-99g,,,,9", "no link mode 'usb-99g'"),
        ("drive,,X,nvme,,2280,2 TB,700 MB/s,50 MB/s,900 MB/s,,,,,,,", "less than the 900 MB/s"),
        ("drive,,X,nvme,,2280,2 TB,7000 MB/s,6500 mb/s,,,,,,,,", "bits or bytes"),
        ("cable,,X,,,,,,,,,,,,1,C-C,9", "neither its rating nor its links"),
    ],
)
def test_a_slip_is_named_by_line_and_column_and_nothing_is_taken(
    tmp_path, catalog, places, row, says
):
    """A slip names line and column, and no part of the file is taken."""
    path = write(tmp_path, row)
    with pytest.raises(BadFileError) as caught:
        import_parts(path, places)
    assert says in str(caught.value)
    assert not places.catalog_folder.exists()


def test_files_that_are_no_tables_are_sentences(tmp_path, catalog, places):
    """Tables without parts, rows or with a part twice, and no file at all, are sentences."""
    with pytest.raises(BadFileError, match="no column of parts"):
        read_parts(write(tmp_path, "x", header="part,colour"), catalog.modes)
    with pytest.raises(BadFileError, match="it has no rows"):
        read_parts(write(tmp_path), catalog.modes)
    with pytest.raises(BadFileError, match="stands twice"):
        read_parts(write(tmp_path, BOX, BOX), catalog.modes)
    with pytest.raises(BadFileError, match="no such file"):
        read_parts(tmp_path / "missing.csv", catalog.modes)
    bad = tmp_path / "parts.json"
    bad.write_text(json.dumps({"format": "vast-cellar/catalog", "version": 1}))
    with pytest.raises(BadFileError, match="no codecs, drives"):
        import_parts(bad, places)


def test_a_catalog_whose_bridge_outruns_its_link_is_refused(tmp_path, catalog, places):
    """A case whose bridge is faster than its link is refused."""
    case = next(iter(json.loads(data_path("catalog", "parts.json").read_text())["enclosures"]))
    case |= {"key": "own-case", "bridge_write_bytes_per_s": 9e9}
    path = tmp_path / "mine.json"
    path.write_text(
        json.dumps({"format": "vast-cellar/catalog", "version": 1, "enclosures": [case]})
    )
    with pytest.raises(BadFileError, match=r"mine\.json: own-case: its bridge of 9,000 MB/s"):
        import_parts(path, places)


def test_every_part_says_where_its_values_come_from(catalog):
    """What a part says of itself tells claimed from typical."""
    for drive in catalog.drives.values():
        said = drive_details(drive, PLAIN)
        is_store = drive.kind is DriveKind.STORE
        assert ("its disks together" if is_store else "claimed on its box") in said
        assert ("computed: raid-5 of 4 x" if is_store else "typical of its class") in said
    for case in catalog.enclosures.values():
        assert "typical" in enclosure_details(case, catalog, PLAIN)
    long = catalog.cable("wr-40g-12")
    assert "drops to 20G" in cable_details(long, dict(catalog.modes), PLAIN)


def test_of_a_drive_known_by_its_box_alone_it_is_never_said_that_it_holds(
    tmp_path, places, slipway
):
    """A claim alone never makes "holds"."""
    count, catalog = import_parts(write(tmp_path, BOX, KNOWN), places)
    assert count == 2
    camera = slipway.camera("A")
    need = camera_need(camera)

    def judged(**changes):
        fields = {
            "drive_key": "own-merle-2-tb",
            "enclosure_key": "drumlin-fin",
            "cable_key": "wr-10g",
            "host_key": "boathouse-desk",
            "port_key": "c-20g",
        }
        chain = build_chain(find_parts(Setup(**{**fields, **changes}), catalog, None), catalog, 24)
        return judge_take(camera, need, chain, 24.0)

    unknown = judged()
    assert (unknown.verdict, unknown.margin) == (Verdict.NOT_KNOWN, None)
    assert (unknown.bottleneck, unknown.evidence) == (Bottleneck.NOT_MEASURED, Evidence.CLAIMED)
    slow = judged(cable_key="wr-charge")  # but it can be ruled out
    assert (slow.verdict, slow.bottleneck) == (Verdict.FALLS_SHORT, Bottleneck.LINK)
    # A second import takes the place of the first.
    richer = KNOWN.replace("Merle 1 TB", "Merle 2 TB").replace("1 TB,5000", "2 TB,5000")
    _, catalog = import_parts(write(tmp_path, richer), places)
    assert judged().verdict is Verdict.HOLDS
    assert "own-merle-1-tb" in catalog.drives


def test_five_thousand_parts_are_taken_over_and_searched(tmp_path, places, slipway):
    """A table of 5,000 parts is imported, and a camera is matched against all of them."""
    rows = [
        f"drive,,Merle {n},nvme,TLC,2280,{1 + n % 8} TB,5000 MB/s,4000 MB/s,{300 + n % 900} MB/s,"
        f"{n % 60} GB,600 TB,,,,,{50 + n % 400}"
        for n in range(4900)
    ]
    rows += [f"cable,,Cord {n},,,,,,,,,,,{5 * (1 + n % 4)} Gb/s,1,C-C,{n}" for n in range(100)]
    count, catalog = import_parts(write(tmp_path, *rows), places)
    assert count == 5000
    camera = slipway.camera("A")
    table = find_candidates(
        camera, camera_need(camera), [catalog.host("van-laptop")], catalog, (), 24.0
    )
    assert len(table) > 100_000
    assert table.holds.any()


def test_own_parts_are_written_with_the_fields_that_the_schema_knows(tmp_path, catalog, places):
    """A part written by the program satisfies its own schema."""
    mine = replace(catalog.drive("pentle-q1-1"), key="mine", typical=None)
    assert save_own([mine], places).drive("mine") == mine
    (written,) = json.loads((places.catalog_folder / "own.json").read_text())["drives"]
    known = catalog_schema()["$defs"]["Drive"]["properties"]
    assert set(written) == set(known)


@pytest.mark.parametrize(
    ("section", "changes", "says"),
    [
        ("enclosures", {"bays": 2}, "List it among the stores"),
        ("stores", {"bays": 1}, "List it among the enclosures"),
        ("stores", {"bays": 3}, "3 bays can't be mirrored in pairs"),
        ("stores", {"bays": 0}, "bays is 0"),
        ("stores", {"bays": 2, "key": "drumlin-fin"}, "both an enclosure and a store"),
    ],
)
def test_a_store_is_no_case_for_one_drive(tmp_path, section, changes, says):
    """Two bays among the cases, one among the stores, an odd number: nothing is taken over."""
    row = {"key": "own-box", "name": "Own box", "host_modes": ["eth-1g"],
           "slot_protocols": ["sata"], "price": 100, "forms": ["3.5"], "kind": "nas",
           "case": {"heat_capacity_j_per_k": 900, "drive_to_case_k_per_w": 2,
                    "case_to_room_k_per_w": 1}, **changes}  # fmt: skip
    path = tmp_path / "own.json"
    path.write_text(json.dumps({"format": "vast-cellar/catalog", "version": 1, section: [row]}))
    with pytest.raises(BadFileError) as told:
        load_catalog([path])
    assert says in str(told.value)
