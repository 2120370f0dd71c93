"""What a measured drive may be: every class that its write doesn't contradict."""

import pytest

from vastcellar.core.parts.storage_classes import STORAGE_CLASSES, classes_that_fit

MB = 1e6


def keys(*figures, **more):
    """Return the keys of the classes that fit."""
    return [each.key for each in classes_that_fit(*figures, **more)]


@pytest.mark.parametrize("each", STORAGE_CLASSES, ids=lambda each: each.key)
def test_the_middle_of_a_class_fits_it(each):
    """Whatever else fits too, a class is never left out for its own typical figures."""
    burst = (each.burst_low_bytes_per_s + each.burst_high_bytes_per_s) / 2
    after = min((each.after_low_bytes_per_s + each.after_high_bytes_per_s) / 2, burst)
    assert each.key in keys(burst, after)


@pytest.mark.parametrize(
    ("burst", "lasting", "link", "expected"),
    [
        (530, 420, 0, ["sata-tlc"]),
        (520, 95, 0, ["sata-qlc"]),
        (120, 118, 0, ["hdd-25", "hdd-35"]),
        (430, 120, 430, ["sata-qlc", "nvme-qlc-3"]),  # at a 5G link: it may be faster than that
        (980, 150, 980, ["nvme-qlc-3"]),
        (6200, 1700, 0, ["nvme-tlc-4"]),
        (700, 600, 0, []),  # no class of ours: no guess
    ],
)
def test_levels_name_what_they_can(burst, lasting, link, expected):
    """Worked by hand from the ranges: a fast level, a last one, and a link that hides the first."""
    assert keys(burst * MB, lasting * MB, link * MB) == expected


def test_a_drive_that_never_slowed_may_still_have_its_cache_before_it():
    """Without a drop nothing is known of what comes after: QLC isn't left out."""
    assert keys(520 * MB, 520 * MB) == ["sata-tlc", "sata-qlc"]


def test_only_a_clear_no_speaks_against_a_hard_disk():
    """Bridges say of solid-state drives that they turn; the other way round they don't."""
    assert keys(120 * MB, 118 * MB, is_rotational=False) == []
    assert "hdd-25" in keys(120 * MB, 118 * MB, is_rotational=True)


def test_nothing_written_is_no_class():
    """A run without a rate fits nothing."""
    assert keys(0.0, 0.0) == []
