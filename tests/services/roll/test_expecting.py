"""What a running copy should still take: by its units' profiles where they are known."""

from pathlib import Path

import pytest

from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.services.roll.expecting import KnownDrive, as_drive, expected_of, known_drives
from vastcellar.services.roll.follow import CopyNow, LegNow

GB = 10**9


def now(seconds, *rates, read_share=1.0, total=400 * GB, dropped=-1):
    """A copy after so many seconds at constant rates, in bytes per second."""
    legs = tuple(
        LegNow(int(rate * seconds), 0, seconds, "pulled" if n == dropped else "")
        for n, rate in enumerate(rates)
    )
    read = int(min(rates) * seconds)
    return CopyNow(
        seconds, total, read, 0.0, 0.0, seconds * (1 - read_share), "clip", legs, 100
    )  # fmt: skip


def test_a_unit_is_known_by_the_device_it_was_bound_to(workplace, lies_on, tmp_path):
    """The folder lies on M-03's device; another folder lies on nobody's."""
    device = DeviceIdentity("Carry One", "SN-77121", 10**12)
    workplace.cellar.bind_unit("M-03", device)
    shelf = workplace.shelf()
    lies_on(device)
    (found,) = known_drives([tmp_path], workplace.catalog, shelf, 24.0)
    assert found.tag == "M-03"
    assert found.value.behaviour.has_cache
    lies_on(DeviceIdentity("other", "SN-99999", 10**12))
    assert known_drives([tmp_path], workplace.catalog, shelf, 24.0) == (None,)
    assert known_drives([Path("/nowhere")], workplace.catalog, shelf, 24.0) == (None,)


def test_a_profile_foresees_what_the_rate_of_now_does_not(workplace):
    """A quick QLC drive early in the copy: by its profile much more is left than by its rate."""
    unit = workplace.shelf().unit("M-03")
    drive = KnownDrive("M-03", as_drive(unit, workplace.catalog, 24.0, 627e9))
    moment = now(60.0, 450e6, read_share=0.2)
    by_profile = expected_of(moment, (drive,), (450e6,))
    by_rate = expected_of(moment, (None,), (450e6,))
    written = moment.legs[0].written_bytes
    assert by_profile.left_s(written) > 1.5 * by_rate.left_s(written)
    assert by_rate.copied_s - by_rate.reached_s(written) == pytest.approx(
        (400e9 - written) / 450e6, rel=0.01
    )


def test_a_destination_that_was_left_is_waited_for_no_longer():
    """The slow one was pulled out: what is left is the other's."""
    both = expected_of(now(60.0, 400e6, 50e6, read_share=0.1), (None, None), (400e6, 50e6))
    one = expected_of(
        now(60.0, 400e6, 50e6, read_share=0.1, dropped=1), (None, None), (400e6, 50e6)
    )
    assert len(both.verified_s) == 2
    assert len(one.verified_s) == 1
    assert one.over_s < both.over_s


@pytest.mark.parametrize(
    "moment",
    [now(0.2, 4e8), now(60.0, 0.0), now(60.0, 4e8, total=0), now(60.0, 4e8, dropped=0),
     now(60.0, 4e8, read_share=0.0)],
)  # fmt: skip
def test_too_little_was_seen_to_expect_anything(moment):
    """At the very start, with nothing written, of an empty card, with every destination gone."""
    assert expected_of(moment, (None,), (0.0,)) is None
