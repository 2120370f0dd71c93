"""The printed mount: which plastic stays hard, and what it comes to."""

import pytest

from vastcellar.core.build.printed import IN_THE_SUN_C, STAY_BELOW_K, plastic_for, printed_mount
from vastcellar.core.errors import BadValueError


@pytest.mark.parametrize(
    ("case_c", "plastic"),
    [(33.0, "PETG"), (60.0, "PETG"), (60.1, "ASA"), (85.0, "ASA"), (85.1, None), (None, "ASA")],
)  # fmt: skip
def test_the_plastic_stays_15_k_below_where_it_softens(case_c, plastic):
    """The easiest that stays hard, in the sun too; none of all soft ones; unknown: the hardest."""
    found = plastic_for(case_c)
    assert (found.name if found else None) == plastic
    if found is not None and case_c is not None:
        assert max(case_c, IN_THE_SUN_C) + STAY_BELOW_K <= found.softens_c


def test_grams_and_hours_by_hand():
    """120 x 40 x 18 mm in walls of 2.4: (122.4 x 44.8 x 22.8) - 86,400 mm3 = 38,624 mm3."""
    mount = printed_mount((120, 40, 18), 52.0)
    assert mount.plastic.name == "PETG"
    assert mount.mass_g == pytest.approx(38.624 * 1.27, rel=1e-4)
    assert mount.print_s == pytest.approx(38_624 / 5, rel=1e-4)
    assert mount.price == pytest.approx(mount.mass_g * 0.024)


def test_what_isnt_known_or_cant_be_is_no_mount():
    """A case without measures, or one that every plastic softens on; nonsense is refused."""
    assert printed_mount((0, 0, 0), 30.0) is None
    assert printed_mount((120, 40, 18), 90.0) is None
    with pytest.raises(BadValueError):
        printed_mount((120, -40, 18), 30.0)
