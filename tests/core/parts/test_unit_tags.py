"""A tag is what stands on a label: one line, short, printable."""

import pytest

from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.units import LONGEST_TAG, Unit


@pytest.mark.parametrize("tag", ["K-10", "Grün 3", "=A1", "<b>", "x" * LONGEST_TAG])
def test_what_fits_on_a_label_is_a_tag(tag):
    """Whatever a label can show is accepted as a tag."""
    assert Unit(tag, "kelmarsh-flat-1").tag == tag


@pytest.mark.parametrize(
    ("tag", "says"),
    [("", "no tag"), ("  ", "no tag"), ("a\nb", "can't be printed"), ("a\x1b[31m", "can't be"),
     ("\u202eK-10", "can't be printed"), ("x" * (LONGEST_TAG + 1), "41 characters")],
)  # fmt: skip
def test_what_would_garble_a_list_is_none(tag, says):
    """A terminal's control codes, a second line, a page of text."""
    with pytest.raises(BadValueError, match=says) as told:
        Unit(tag, "kelmarsh-flat-1")
    assert len(str(told.value)) < 200
