"""Claims of an offload held against the station: rates, caches and cards have the last word."""

import pytest

from core.roll.roll_days import FAST, GB, MB, camera, cards, day, drive
from vastcellar.core.errors import BadValueError
from vastcellar.core.evidence import Verdict
from vastcellar.core.parts.parts import WriteBehaviour
from vastcellar.core.roll.claims import check_claim


def test_two_terabytes_in_half_an_hour_need_more_than_a_10g_link():
    """1,111 MB/s are asked; behind a link of 1,000 the copy alone takes 33 min 20 s."""
    value = drive(write=4000 * MB, read=4000 * MB, link=1000 * MB)
    found = check_claim(day(camera([(8, 1)]), drives=(value,)), 2000 * GB, 1800)
    assert found.claimed_bytes_per_s == pytest.approx(2e12 / 1800)
    assert found.copied_s == pytest.approx(2000, rel=1e-3)
    assert found.verdict is Verdict.FALLS_SHORT
    assert found.limits[0][0] == "K-1\nlink"
    assert found.verified_s > found.copied_s


def test_a_claim_within_what_there_is_can_be():
    """The same in an hour holds, in 34 minutes it is tight."""
    value = drive(write=4000 * MB, read=4000 * MB, link=1000 * MB)
    there = day(camera([(8, 1)]), drives=(value,))
    assert check_claim(there, 2000 * GB, 3600).verdict is Verdict.HOLDS
    assert check_claim(there, 2000 * GB, 2040).verdict is Verdict.TIGHT


def test_what_a_fast_cache_promises_is_not_what_the_card_takes():
    """100 GB of cache at 1 GB/s and 100 MB/s after it: 200 GB take 18 minutes, not 3."""
    cached = WriteBehaviour(1000 * MB, 100 * MB, cache_static_bytes=100 * GB)
    value = drive(behaviour=cached, medium_read_bytes_per_s=1e15, link_read_bytes_per_s=1e15)
    found = check_claim(day(camera([(8, 1)]), drives=(value,)), 200 * GB, 200)
    assert found.copied_s == pytest.approx(100 + 1000, rel=1e-3)


def test_the_fastest_card_there_is_counts_and_room_does_not():
    """A claim is of speed: a full drive takes it too, and a card of 180 MB/s is named."""
    slow = camera([(8, 1)], cards=cards("S", 1, read=180 * MB))
    there = day(slow, drives=(drive(write=FAST, read=FAST, free_bytes=1 * GB),))
    found = check_claim(there, 180 * GB, 900)
    assert found.copied_s == pytest.approx(1000, rel=1e-3)
    assert found.limits[0][0] == "card"


def test_a_claim_of_nothing_is_refused():
    """No bytes, or no time."""
    with pytest.raises(BadValueError, match="claimed_s"):
        check_claim(day(camera([(8, 1)])), 1e9, 0.0)
