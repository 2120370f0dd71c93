"""Small days worked by hand, and what must hold on any day."""

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from core.roll.roll_days import FAST, GB, HOUR, MB, PATH, camera, cards, day, drive
from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.parts import ThrottleStage, WriteBehaviour
from vastcellar.core.roll.day import CameraDay, Card, Reader, Uplink
from vastcellar.core.roll.day_run import run_day
from vastcellar.core.shoot.media import fill_media
from vastcellar.core.shoot.offload import Break, CardOrder, Person
from vastcellar.core.shoot.rolls import Take


def test_one_clip_is_copied_and_then_read_back():
    """A card of one 60 GB clip: written at 400 MB/s in 150 s, then read back at 300 in 200 s."""
    run = run_day(day(camera([(8, 10)]), drives=(drive(read=300 * MB),)))
    (trip,) = run.trips
    assert trip.out_s == 8 * HOUR + 600
    assert trip.start_s == trip.arrives_s == trip.out_s
    assert trip.copied_s == pytest.approx(trip.start_s + 150)
    assert trip.safe_s == trip.over_s == pytest.approx(trip.start_s + 350)
    assert run.last_verified_s == trip.over_s


def test_many_clips_are_read_back_while_the_next_is_written():
    """Four clips of 6 GB: 15 s for the first alone, 18 GB at 1/(1/400+1/300), 20 s for the last."""
    run = run_day(
        day(camera([(8, 1), (8.1, 1), (8.2, 1), (8.3, 1)]), drives=(drive(read=300 * MB),))
    )
    (trip,) = run.trips
    along_s = 18 * GB * (1 / (400 * MB) + 1 / (300 * MB))
    assert trip.copied_s - trip.start_s == pytest.approx(15 + along_s)
    assert trip.over_s - trip.copied_s == pytest.approx(20)


def test_a_link_carries_both_ways_and_the_medium_does_not():
    """Behind 400 MB/s of link a drive of 4 GB/s each way copies as fast as the link does."""
    behind = drive(write=4000 * MB, read=4000 * MB, link=400 * MB)
    run = run_day(day(camera([(8, 1), (8.1, 1), (8.2, 1)]), drives=(behind,)))
    (trip,) = run.trips
    assert trip.copied_s - trip.start_s == pytest.approx(18 * GB / (400 * MB))
    assert {each.limit for each in run.copies} == {"K-1\nlink", "K-1\nlink\nin"}


def test_the_slowest_drive_sets_the_pace_of_all():
    """One read goes to both: 60 GB at 100 MB/s are 600 s, and the fast drive is checked first."""
    run = run_day(
        day(
            camera([(8, 10)]),
            drives=(drive("K-1", read=600 * MB), drive("K-2", write=100 * MB, read=200 * MB)),
            verified_copies=2,
        )
    )
    (trip,) = run.trips
    assert trip.copied_s - trip.start_s == pytest.approx(600)
    fast, slow = trip.on
    assert fast.done_s - trip.copied_s == pytest.approx(100)
    assert slow.done_s - trip.copied_s == pytest.approx(300)
    assert trip.safe_s == slow.done_s


def test_the_third_card_in_a_row_is_slower_than_the_first():
    """A fast cache of 100 GB takes one card of 60 and two thirds of the next; the third has none.

    The drive reads so fast that checking costs nothing to speak of.
    """
    cached = WriteBehaviour(600 * MB, 100 * MB, cache_static_bytes=100 * GB)
    value = drive(behaviour=cached, medium_read_bytes_per_s=1e15, link_read_bytes_per_s=1e15)
    run = run_day(day(camera([(8, 10), (9, 10), (10, 10)], count=3), drives=(value,), walk_s=0))
    first, second, third = (trip.copied_s - trip.start_s for trip in run.trips)
    assert first == pytest.approx(100)
    assert second == pytest.approx(40 / 0.6 + 20 / 0.1)
    assert third == pytest.approx(600)


def test_a_rest_empties_the_cache_for_the_next_card():
    """With 50 MB/s of folding at rest an hour between the cards gives the whole cache back."""
    cached = WriteBehaviour(
        600 * MB, 100 * MB, cache_static_bytes=60 * GB, fold_bytes_per_s=50 * MB
    )
    value = drive(behaviour=cached, medium_read_bytes_per_s=1e15, link_read_bytes_per_s=1e15)
    run = run_day(day(camera([(8, 10), (9, 10)], count=2), drives=(value,)))
    assert [trip.copied_s - trip.start_s for trip in run.trips] == pytest.approx([100, 100])


def test_a_camera_waits_until_its_card_is_verified_and_walked_back():
    """One card: out at 8:10, 5 min there, 1 to swap, 150 s copy, 150 s check, 5 min back."""
    run = run_day(day(camera([(8, 10), (8.2, 10)]), walk_s=300, swap_s=60))
    back_s = 8 * HOUR + 600 + 300 + 60 + 150 + 150 + 300
    (wait,) = run.waits
    assert (wait.from_s, wait.until_s) == (pytest.approx(8.2 * HOUR), pytest.approx(back_s))
    assert run.trips[1].recorded[0].start_s == pytest.approx(back_s)
    assert dict(run.wraps_s)["A"] == pytest.approx(back_s + 600)


def test_a_lunch_keeps_a_card_in_the_queue_and_a_verified_one_in_the_reader():
    """Nobody changes cards from 8:05 to 9:00, so what came out at 8:10 begins at 9:00."""
    people = (Person("technician", (Break(8 * HOUR + 300, 9 * HOUR),)),)
    run = run_day(day(camera([(8, 10)]), people=people))
    assert run.trips[0].start_s == 9 * HOUR
    late = (Person("technician", (Break(8 * HOUR + 700, 9 * HOUR),)),)
    run = run_day(day(camera([(8, 10), (8.2, 10)]), people=late, walk_s=60))
    assert run.trips[0].safe_s < 9 * HOUR < run.trips[0].free_s == 9 * HOUR + 60


def test_who_fetches_is_not_there_meanwhile():
    """The only technician walks 5 min each way for the card, so it is there after ten."""
    run = run_day(day(camera([(8, 10)]), people=(Person("technician", fetches=True),), walk_s=300))
    assert run.trips[0].arrives_s == 8 * HOUR + 600 + 600


@pytest.mark.parametrize(
    ("order", "second"),
    [
        (CardOrder.OLDEST, "B-1"),
        (CardOrder.FULLEST, "C-1"),
        (CardOrder.SHORTEST, "B-1"),
        (CardOrder.NEEDED, "D-1"),
        (CardOrder.LONGEST_TAKE, "E-1"),
    ],
)
def test_the_order_says_which_card_goes_second(order, second):
    """A's card is being copied while four others arrive; each order has its own favourite."""
    rolls = (
        camera([(8, 16)], "A"),
        camera([(8, 16.5)], "B", rate=10 * MB),
        camera([(8, 16.6)], "C", rate=90 * MB),
        camera([(8, 16.7), (8.3, 10)], "D", rate=50 * MB),
        camera([], "E", rate=50 * MB, takes=(Take(8 * HOUR, 16.8 * 60, is_longest=True),)),
    )
    rolls = tuple(
        replace(each, cards=cards(f"{each.key}-", 1, room=each.takes[0].duration_s * 100 * MB))
        for each in rolls
    )
    rolls = (*rolls[:3], replace(rolls[3], cards=cards("D-", 1, room=51 * GB)), rolls[4])
    run = run_day(day(*rolls, order=order))
    by_start = sorted(run.trips, key=lambda trip: trip.start_s)
    assert [trip.card_tag for trip in by_start[:2]] == ["A-1", second]


def test_two_readers_share_a_drive_evenly():
    """Two cards of one clip at once: each gets half of 400 MB/s, then half of the reading."""
    rolls = camera([(8, 10)], "A"), camera([(8, 10)], "B")
    readers = (Reader("r", "one"), Reader("s", "two"))
    rolls = tuple(
        replace(each, cards=(Card(f"{each.key}-1", 100 * GB, (("r", FAST), ("s", FAST))),))
        for each in rolls
    )
    run = run_day(day(*rolls, readers=readers, copies_at_once=2))
    assert [trip.copied_s - trip.start_s for trip in run.trips] == pytest.approx([300, 300])
    assert [trip.over_s - trip.start_s for trip in run.trips] == pytest.approx([600, 600])
    assert {trip.reader_key for trip in run.trips} == {"r", "s"}


def test_two_drives_behind_one_hub_share_its_uplink():
    """500 MB/s of uplink to two drives are 250 each: 60 GB take 240 s, not 150."""
    drives = (
        drive("K-1", read=FAST, uplink="hub"),
        drive("K-2", read=FAST, uplink="hub"),
    )
    run = run_day(day(camera([(8, 10)]), drives=drives, uplinks=(Uplink("hub", 500 * MB),)))
    assert run.trips[0].copied_s - run.trips[0].start_s == pytest.approx(240)
    assert run.copies[0].limit == "hub"


def test_a_copy_that_leaves_the_house_frees_no_card():
    """With one drive that counts and one handed over, two verified copies never come."""
    drives = (drive("K-1"), drive("K-2", counts=False))
    run = run_day(day(camera([(8, 10), (8.5, 10)]), drives=drives, verified_copies=2))
    assert math.isinf(run.trips[0].safe_s)
    assert math.isinf(run.waits[0].until_s)
    assert dict(run.wraps_s)["A"] == math.inf


def test_two_partitions_of_one_drive_are_one_copy():
    """Whatever is copied to two places of one device stands there once when it is counted."""
    drives = (drive("K-1", device="disk"), drive("K-2", device="disk"), drive("K-3", write=50 * MB))
    run = run_day(day(camera([(8, 10)]), drives=drives, verified_copies=2))
    (trip,) = run.trips
    assert trip.safe_s == max(each.done_s for each in trip.on)


def test_a_drive_without_room_is_left_out_and_said():
    """Room for one card of 60 GB only: the second isn't begun there, and it is told which."""
    drives = (drive("K-1", free_bytes=100 * GB), drive("K-2"))
    run = run_day(day(camera([(8, 10), (9, 10)], count=2), drives=drives))
    assert run.without_room == (("A-2", "K-1"),)
    assert math.isfinite(run.last_verified_s)


def test_a_card_that_no_drive_has_room_for_is_never_free():
    """Nothing is called copied that nothing took."""
    run = run_day(day(camera([(8, 10)]), drives=(drive(free_bytes=GB),)))
    assert math.isinf(run.trips[0].copied_s)
    assert math.isinf(run.last_verified_s)


def test_a_check_that_is_left_out_saves_its_time_and_is_told():
    """Without reading back the card is free when it is copied, and not every copy is verified."""
    run = run_day(day(camera([(8, 10)]), drives=(drive(is_read_back=False),)))
    (trip,) = run.trips
    assert trip.safe_s == trip.copied_s
    assert not run.is_every_copy_verified
    assert not trip.on[0].is_verified


def test_a_take_longer_than_a_card_goes_on_on_the_next():
    """40 min at 100 MB/s are 240 GB: cards of 100 GB are full after 1000 s each."""
    run = run_day(day(camera([(8, 40)], count=3)))
    assert [round(trip.card_bytes / GB) for trip in run.trips] == [100, 100, 40]
    assert run.waits == ()


def test_a_card_changed_early_is_free_for_the_evening():
    """A change at 9:00 splits the day's takes over two cards, though one would hold them all."""
    spans = [(8, 2), (8.5, 2), (9.5, 2), (10, 2)]
    run = run_day(day(camera(spans, count=2, changes_s=(9 * HOUR,))))
    assert [len(trip.recorded) for trip in run.trips] == [2, 2]
    assert run.trips[0].out_s == 9 * HOUR
    assert len(run_day(day(camera(spans, count=1, changes_s=(9 * HOUR,)))).trips) == 1


@given(
    rates=st.lists(st.integers(20, 200), min_size=1, max_size=3),
    minutes=st.lists(st.integers(1, 30), min_size=1, max_size=12),
)
def test_with_cards_enough_the_day_fills_media_as_the_plan_of_the_shoot_does(rates, minutes):
    """One rule places takes on media: the shoot's plan and the day agree card for card."""
    spans = [(8 + n, each) for n, each in enumerate(minutes)]
    rolls = tuple(
        camera(spans, key, count=40, rate=rate * MB)
        for key, rate in zip("ABC", rates, strict=False)
    )
    run = run_day(day(*rolls))
    for each in rolls:
        planned = fill_media(each.takes, each.bytes_per_s, 100 * GB)
        mine = [trip for trip in run.trips if trip.camera_key == each.key]
        assert [trip.card_bytes for trip in mine] == pytest.approx(
            [medium.recorded_bytes for medium in planned.media]
        )
        assert [trip.in_s for trip in mine[1:]] == pytest.approx(
            [mine[n].out_s for n in range(len(mine) - 1)]
        )
    assert run.waits == ()


@given(
    minutes=st.lists(st.integers(1, 16), min_size=1, max_size=8),
    count=st.integers(1, 3),
    write=st.integers(50, 900),
    read=st.integers(50, 900),
    pause=st.integers(0, 40),
)
def test_one_camera_and_its_cards_follow_the_closed_form(minutes, count, write, read, pause):
    """A card is out, copied and checked in its own time, one after the other: a plain recursion."""
    spans, at_h = [], 8.0
    for each in minutes:
        spans.append((at_h, each))
        at_h += (each + pause) / 60
    rooms = [each * 60 * 100 * MB for each in minutes]
    roll = camera(spans, count=count, cards=cards("A-", count, room=max(rooms)))
    value = drive(write=write * MB, read=read * MB)
    run = run_day(day(roll, drives=(value,)))
    free_at_s = [0.0] * count
    reader_s = camera_s = 0.0
    trips = list(run.trips)
    for trip in trips:
        in_s = min(free_at_s)
        free_at_s.remove(in_s)
        first = trip.recorded[0]
        wanted_s = max(roll.takes[_take_at(roll, trip, trips)].start_s, camera_s)
        assert first.start_s == pytest.approx(max(wanted_s, in_s))
        camera_s = trip.out_s
        start_s = max(trip.out_s, reader_s)
        assert trip.start_s == pytest.approx(start_s)
        size = trip.card_bytes
        clip = size / len(trip.recorded)
        copied_s = start_s + size / (write * MB) + (size - clip) / (read * MB)
        over_s = copied_s + clip / (read * MB)
        assert trip.copied_s == pytest.approx(copied_s)
        assert trip.over_s == pytest.approx(over_s)
        reader_s = over_s
        free_at_s.append(over_s)


def _take_at(roll, trip, trips):
    return sum(len(each.recorded) for each in trips[: trips.index(trip)])


@given(
    count=st.integers(1, 3),
    writes=st.lists(st.integers(60, 900), min_size=1, max_size=3),
    hot=st.booleans(),
)
def test_every_byte_that_was_recorded_arrives_on_every_drive(count, writes, hot):
    """What the stretches of each drive add up to is what the cards held, cache and heat or not."""
    cached = WriteBehaviour(
        900 * MB,
        60 * MB,
        cache_static_bytes=50 * GB,
        fold_bytes_per_s=80 * MB,
        fold_while_writing=0.5,
        cache_j_per_gb=40 if hot else 2,
    )
    drives = tuple(drive(f"K-{n}", write=each * MB) for n, each in enumerate(writes))
    drives = (replace(drives[0], behaviour=cached), *drives[1:])
    rolls = camera([(8, 14), (8.3, 9), (9, 14)], "A", count), camera([(8, 5), (10, 5)], "B")
    run = run_day(day(*rolls, drives=drives))
    recorded = sum(trip.card_bytes for trip in run.trips)
    assert recorded == pytest.approx(sum(each.recorded_bytes for each in rolls))
    for each in drives:
        mine = [s for s in run.drives if s.drive_tag == each.tag]
        written = sum(s.written_bytes_per_s * (s.end_s - s.start_s) for s in mine)
        read = sum(s.read_bytes_per_s * (s.end_s - s.start_s) for s in mine)
        assert written == pytest.approx(recorded, rel=1e-6)
        assert read == pytest.approx(recorded, rel=1e-6)
        assert all(s.written_bytes_per_s <= s.ability_bytes_per_s * 1.000001 for s in mine)


def test_the_same_day_without_a_record_has_the_same_times():
    """A thousand drawn days keep no stretches, and say the same."""
    value = day(camera([(8, 14), (9, 14)], count=1))
    kept, bare = run_day(value), run_day(value, is_recorded=False)
    assert kept.trips == bare.trips
    assert bare.copies == bare.drives == ()


@pytest.mark.parametrize(
    ("change", "word"),
    [
        ({"readers": ()}, "reader"),
        ({"people": ()}, "person"),
        ({"drives": (drive("K-1"), drive("K-1"))}, "twice"),
        ({"drives": (drive(uplink="nowhere"),)}, "hub"),
        ({"verified_copies": 0}, "verified_copies"),
    ],
)
def test_a_day_that_cannot_be_is_refused_with_a_sentence(change, word):
    """What is missing or stands twice is named."""
    with pytest.raises(BadValueError, match=word):
        day(camera([(8, 10)]), **change)


def test_a_card_that_no_reader_takes_is_refused():
    """A pool with a card that can't be read at the station is found before the day."""
    with pytest.raises(BadValueError, match="no reader"):
        day(camera([(8, 10)], cards=cards("A-", 1, reader="slot")))


def test_a_camera_without_a_card_is_refused():
    """There is always one it records to."""
    with pytest.raises(BadValueError, match="no card"):
        CameraDay("A", "A", (), 1.0, ())


def test_heat_of_the_copies_slows_the_later_cards():
    """A drive that throttles at 60 °C is warm from the first card when the second comes."""
    hot = WriteBehaviour(
        900 * MB,
        900 * MB,
        cache_j_per_gb=20,
        direct_j_per_gb=20,
        throttle=(ThrottleStage(60, 50, 200 * MB),),
    )
    value = drive(behaviour=hot, medium_read_bytes_per_s=1e15, link_read_bytes_per_s=1e15)
    value = replace(value, path=replace(PATH, case_to_room_k_per_w=8))
    run = run_day(day(camera([(8, 16), (8.3, 16)], count=2), drives=(value,)))
    first, second = (trip.copied_s - trip.start_s for trip in run.trips)
    assert second > first
    assert any(each.throttle_stage for each in run.drives)


def test_everybody_goes_when_nothing_more_is_theirs_to_do():
    """The camera after its walk; the helper after the last card that he changes; the one who
    changed the last stays until it is verified. A camera that never rolled isn't asked."""
    people = (Person("technician"), Person("helper"))
    rolls = camera([(8, 10), (9, 10)], "A", 2), camera([], "B")
    run = run_day(day(*rolls, people=people, walk_s=300, swap_s=60))
    home = dict(run.home_s)
    assert home["A"] == run.wrap_s + 300
    assert "B" not in home
    last = max(trip.start_s for trip in run.trips)
    assert run.home_s[-1][1] == run.last_verified_s
    assert last in [at_s for _who, at_s in run.left_s]


def test_a_crew_whose_cards_are_fetched_goes_at_its_wrap():
    """Somebody else walks."""
    people = (Person("technician", fetches=True),)
    run = run_day(day(camera([(8, 10)]), people=people, walk_s=300))
    assert dict(run.home_s)["A"] == run.wrap_s
