"""What holds on any day, however many readers, hubs, people, caches and full drives there are."""

import math
from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from core.roll.roll_days import FAST, GB, HOUR, MB, PATH
from vastcellar.core.parts.parts import ThrottleStage, WriteBehaviour
from vastcellar.core.roll.day import CameraDay, Card, CopyDrive, Reader, RollDay, Uplink
from vastcellar.core.roll.day_run import run_day
from vastcellar.core.shoot.offload import Break, CardOrder, Person
from vastcellar.core.shoot.rolls import Take

RATES = st.integers(40, 1200).map(lambda rate: rate * MB)


@st.composite
def behaviours(draw):
    """A drive with or without a cache that folds, and with or without a throttle."""
    hot = draw(st.booleans())
    return WriteBehaviour(
        draw(RATES) + 800 * MB,
        draw(RATES),
        cache_static_bytes=draw(st.sampled_from([0.0, 20 * GB, 90 * GB])),
        cache_share_of_free=draw(st.sampled_from([0.0, 0.1])),
        fold_bytes_per_s=draw(st.sampled_from([0.0, 60 * MB, 300 * MB])),
        fold_while_writing=draw(st.sampled_from([0.0, 0.5, 1.0])),
        cache_j_per_gb=draw(st.sampled_from([2.0, 25.0])),
        throttle=(ThrottleStage(60, 50, 150 * MB),) if hot else (),
    )


@st.composite
def drives(draw, number):
    """A drive behind a link, perhaps on a hub, perhaps nearly full."""
    return CopyDrive(
        f"K-{number}", f"K-{number}", draw(behaviours()), PATH, draw(RATES), draw(RATES),
        draw(RATES), free_bytes=draw(st.sampled_from([30 * GB, 300 * GB, 8e12])),
        capacity_bytes=8e12, uplink=draw(st.sampled_from(["", "hub"])),
        counts=draw(st.booleans()), is_read_back=draw(st.sampled_from([True, True, False])),
    )  # fmt: skip


@st.composite
def cameras(draw, key):
    """A camera with takes one after the other and a few cards of different room."""
    takes, at_s = [], 8 * HOUR
    for minutes, pause in draw(st.lists(st.tuples(st.integers(1, 20), st.integers(0, 30)),
                                        max_size=8)):  # fmt: skip
        takes.append(Take(at_s, minutes * 60.0))
        at_s += (minutes + pause) * 60.0
    rooms = draw(st.lists(st.integers(20, 120), min_size=1, max_size=3))
    cards = tuple(
        Card(f"{key}-{n}", room * GB, (("r", draw(RATES)), ("s", FAST)))
        for n, room in enumerate(rooms)
    )
    changes = (9 * HOUR,) if draw(st.booleans()) else ()
    return CameraDay(key, key, tuple(takes), draw(st.integers(20, 200)) * MB, cards, changes)


@st.composite
def days(draw):
    """A whole day of one to three cameras."""
    count = draw(st.integers(1, 3))
    lunch = (Break(12 * HOUR, 13 * HOUR),) if draw(st.booleans()) else ()
    return RollDay(
        tuple(draw(cameras(key)) for key in "ABC"[:count]),
        (Reader("r", "r"), Reader("s", "s", "hub")),
        tuple(draw(drives(n)) for n in range(draw(st.integers(1, 3)))),
        (Person("one", lunch, fetches=draw(st.booleans())),),
        (Uplink("hub", draw(RATES)),),
        walk_s=draw(st.sampled_from([0.0, 300.0])),
        swap_s=draw(st.sampled_from([0.0, 60.0])),
        order=draw(st.sampled_from(CardOrder)),
        copies_at_once=draw(st.integers(1, 2)),
        verified_copies=draw(st.integers(1, 2)),
    )


@settings(max_examples=120, deadline=None)
@given(days())
def test_a_card_is_in_one_place_at_a_time_and_moves_forward_only(day):
    """In, out, there, copied, done, free: each after the other; put in again only when free."""
    run = run_day(day)
    for trip in run.trips:
        ends = [trip.recorded[0].start_s, trip.out_s, trip.arrives_s, trip.start_s, trip.copied_s]
        assert all(a <= b + 1e-6 for a, b in pairwise(ends))
        for done in trip.on:
            assert done.done_s >= trip.copied_s - 1e-6
            assert not (done.has_no_room and math.isfinite(done.done_s))
        assert trip.free_s >= trip.safe_s >= trip.copied_s - 1e-6
    for tag in {trip.card_tag for trip in run.trips}:
        mine = [trip for trip in run.trips if trip.card_tag == tag]
        assert all(b.in_s >= a.free_s - 1e-6 for a, b in pairwise(mine))


@settings(max_examples=120, deadline=None)
@given(days())
def test_a_camera_records_one_take_at_a_time_and_all_or_says_that_it_waits(day):
    """Nothing overlaps; what isn't recorded is missing because no card ever came back."""
    run = run_day(day)
    for camera in day.cameras:
        mine = [trip for trip in run.trips if trip.camera_key == camera.key]
        pieces = [piece for trip in mine for piece in trip.recorded]
        assert all(b.start_s >= a.end_s - 1e-6 for a, b in pairwise(pieces))
        for trip in mine:
            room = next(card.room_bytes for card in camera.cards if card.tag == trip.card_tag)
            assert trip.card_bytes <= room * 1.000001
        recorded = sum(trip.card_bytes for trip in mine)
        stands = any(math.isinf(wait.until_s) for wait in run.waits_of(camera.key))
        if not stands:
            assert recorded == pytest.approx(camera.recorded_bytes)
        assert math.isinf(dict(run.wraps_s)[camera.key]) == stands
        assert all(wait.duration_s > 0 for wait in run.waits_of(camera.key))


@settings(max_examples=120, deadline=None)
@given(days())
def test_never_more_copies_than_allowed_and_no_drive_beyond_its_ability_or_room(day):
    """At each moment so many cards at most; each byte of a card on each drive that took it."""
    run = run_day(day)
    spans = [(trip.start_s, trip.over_s) for trip in run.trips if math.isfinite(trip.over_s)]
    for start_s, _end in spans:
        busy = sum(a <= start_s + 1e-6 < b - 1e-6 for a, b in spans)
        assert busy <= day.copies_at_once
    for drive in day.drives:
        mine = [each for each in run.drives if each.drive_tag == drive.tag]
        written = sum(e.written_bytes_per_s * (e.end_s - e.start_s) for e in mine)
        taken = sum(
            trip.card_bytes
            for trip in run.trips
            for each in trip.on
            if each.drive_tag == drive.tag and not each.has_no_room
        )
        assert written == pytest.approx(taken, rel=1e-6, abs=10)
        assert taken <= drive.free_bytes + 1
        assert all(e.written_bytes_per_s <= e.ability_bytes_per_s * 1.000001 for e in mine)
        assert all(e.written_bytes_per_s <= drive.link_cap_bytes_per_s * 1.000001 for e in mine)


@settings(max_examples=60, deadline=None)
@given(days())
def test_a_card_is_free_only_with_its_copies_on_devices_that_count(day):
    """So many as the rule says had it by then; where fewer ever do, it is never free."""
    run = run_day(day)
    counting = {drive.tag for drive in day.drives if drive.counts}
    for trip in run.trips:
        done = sorted(d.done_s for d in trip.on if d.drive_tag in counting)
        there = [at_s for at_s in done if math.isfinite(at_s)]
        if len(there) >= day.verified_copies:
            assert trip.safe_s == there[day.verified_copies - 1]
        else:
            assert math.isinf(trip.free_s)
