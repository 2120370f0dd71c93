"""Text that a spreadsheet would run as a formula is escaped, and nothing else changes."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.csv_cells import plain_cell, safe_cell, safe_row

BEGINS = "=+-@\t\r"


@pytest.mark.parametrize("begin", list(BEGINS))
def test_what_begins_like_a_formula_no_longer_does(begin):
    """A cell that a spreadsheet would run is made plain, and comes back."""
    written = safe_cell(f"{begin}HYPERLINK(1)")
    assert written[0] == "'"
    assert plain_cell(written) == f"{begin}HYPERLINK(1)"


def test_numbers_stay_numbers():
    """Numbers stay numbers, and text that a sheet would take for one is marked."""
    assert safe_row([-3, 2.5, "A", "-3"]) == [-3, 2.5, "A", "'-3"]


@given(st.text(alphabet=st.sampled_from("'=+-@\t\rab1 "), max_size=8))
def test_every_text_comes_back_and_none_begins_like_a_formula(text):
    """Any text survives the table and none of it runs."""
    written = safe_cell(text)
    assert plain_cell(written) == text
    assert not written or written[0] not in BEGINS
