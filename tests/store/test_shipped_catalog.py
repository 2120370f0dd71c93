"""The shipped files: what the quick reader makes of them is what the strict one makes."""

import json
from fractions import Fraction

import pytest

from vastcellar.data import data_path
from vastcellar.services.workplace.catalogs import read_catalog, read_modes
from vastcellar.store.catalog_files import CATALOG_FORMAT, load_catalog, read_sections
from vastcellar.store.shipped_catalog import (
    CATALOG_SECTIONS,
    SHIPPED_FILES,
    shipped_catalog,
    shipped_modes,
)


@pytest.mark.parametrize("name", SHIPPED_FILES)
def test_each_shipped_file_passes_the_strict_reader_and_means_the_same(name):
    """Every field of every part: checked by the strict reader, equal in value and in kind."""
    strict = read_sections(data_path("catalog", name), CATALOG_FORMAT)
    quick = shipped_catalog()
    for section in set(strict) & set(CATALOG_SECTIONS):
        for part in strict[section]:
            found = getattr(quick, section)[part.key]
            assert found == part
            assert repr(found) == repr(part)  # 5 and 5.0 are equal, and print otherwise


def test_nothing_of_the_shipped_files_is_left_out():
    """The quick reader reads as many parts of each section as the files have rows."""
    quick = shipped_catalog()
    for section in CATALOG_SECTIONS:
        rows = [
            row
            for name in SHIPPED_FILES
            for row in json.loads(data_path("catalog", name).read_text()).get(section, ())
        ]
        assert len(getattr(quick, section)) == len({row["key"] for row in rows})
    assert quick == load_catalog()
    assert all(isinstance(mode.efficiency, Fraction) for mode in shipped_modes().values())


def test_a_file_of_ones_own_is_laid_over_it_and_goes_through_the_strict_reader(places):
    """Own files count for modes and parts alike; without any, nothing strict is loaded."""
    assert read_modes(places) == shipped_modes()
    assert read_catalog(places) == shipped_catalog()
    places.catalog_folder.mkdir(parents=True)
    mode = json.loads(data_path("catalog", "links.json").read_text())["modes"][0]
    own = {"format": CATALOG_FORMAT, "version": 1, "modes": [{**mode, "key": "own-link"}]}
    (places.catalog_folder / "own.json").write_text(json.dumps(own))
    assert "own-link" in read_modes(places)
    assert "own-link" in read_catalog(places).modes
    assert set(shipped_modes()) < set(read_modes(places))
