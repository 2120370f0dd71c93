"""What a timeline asks for, and where it comes late: by hand, by brute force, for any cut."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from core.edit.edit_stores import MB, UHD_HQ
from vastcellar.core.edit.demand import ClipUse, demand_of, play_demand
from vastcellar.core.errors import BadValueError


def clip(name, start_s, end_s, rate=UHD_HQ, **changes):
    """A clip of UHD 422 HQ."""
    return ClipUse(name, start_s, end_s, rate, **changes)


def test_two_overlapping_clips_are_the_worst_second_and_are_named():
    """A from 0 to 12 s and B from 7 to 20: both in the second at 7."""
    worst = demand_of([clip("A", 0, 12), clip("B", 7, 20), clip("C", 25, 30)]).worst_second
    assert worst.start_s == 7
    assert worst.read_bytes == pytest.approx(2 * UHD_HQ)
    assert worst.clips == ("A", "B")


def test_a_worst_second_may_begin_between_two_cuts():
    """Two bursts of 0.4 s with 0.3 s between: the second that has both whole."""
    worst = demand_of([clip("A", 1.0, 1.4, 10.0), clip("B", 1.7, 2.1, 10.0)]).worst_second
    assert worst.read_bytes == pytest.approx(4.0 + 3.0)
    short = demand_of([clip("A", 0, 0.5, 10.0)])
    assert short.worst_second.read_bytes == pytest.approx(5.0)


def test_an_overlap_of_five_seconds_loses_73_of_250_frames_on_gigabit():
    """The read-ahead carries 1.27 s of it; both clips have 125 frames in it."""
    made = demand_of([clip("A 6-041", 0, 12), clip("B 6-017", 7, 20)])
    (late,) = play_demand(made, lambda _count: 111.8 * MB, 0.5).late
    assert late.start_s - 7 == pytest.approx(1.27, abs=0.005)
    assert late.end_s == 12
    assert late.frames == pytest.approx(73, abs=0.5)
    assert late.of_frames == pytest.approx(250)
    assert late.clips == ("A 6-041", "B 6-017")


def test_a_short_overlap_is_carried_and_said_to_be():
    """One second of it, then room again: nothing is late."""
    made = demand_of([clip("A", 0, 8), clip("B", 7, 20)])
    played = play_demand(made, lambda _count: 111.8 * MB, 0.5)
    assert played.late == () and played.late_frames == 0 and played.worst is None
    ((start_s, end_s),) = played.carried
    assert start_s == 7 and 8 < end_s < 20


def test_overlaps_close_together_use_up_one_read_ahead():
    """Two of one second with 0.2 s between: the second one finds it used up."""
    made = demand_of([clip("A", 0, 30), clip("B", 7, 8), clip("C", 8.2, 9.2)])
    together = play_demand(made, lambda _count: 111.8 * MB, 0.5)
    assert len(together.late) == 1 and together.late[0].start_s > 8.2
    apart = demand_of([clip("A", 0, 30), clip("B", 7, 8), clip("C", 16, 17)])
    assert play_demand(apart, lambda _count: 111.8 * MB, 0.5).late == ()


def test_a_store_below_one_stream_is_late_from_its_read_ahead_on():
    """To the end of the cut, gap or none."""
    made = demand_of([clip("A", 0, 60)])
    (late,) = play_demand(made, lambda _count: 50 * MB, 0.5).late
    assert late.end_s == 60
    assert late.frames == pytest.approx(1500 * (1 - 50 / 92.17) - 12.5, rel=0.01)


def test_seconds_are_drawn_by_their_highest_demand():
    """Ten columns of a cut of 20 s: a burst of a tenth of a second is seen in its column."""
    made = demand_of([clip("A", 0, 20, 10.0), clip("B", 5.0, 5.1, 90.0)])
    assert made.by_column(10).tolist() == [10, 10, 100, 10, 10, 10, 10, 10, 10, 10]
    assert made.by_column(1).tolist() == [100]
    assert made.total_bytes == pytest.approx(209.0)
    assert made.peak_bytes_per_s == 100 and made.duration_s == 20


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (lambda: clip("x", 5, 5), "goes from 5 s to 5 s"),
        (lambda: clip("x", 0, math.inf), "goes from 0 s to inf"),
        (lambda: clip("x", -1, 5), "start_s"),
        (lambda: clip("x", 0, 5, -1.0), "bytes_per_s"),
        (lambda: clip("x", 0, 5, frames_per_s=0.0), "0 frames a second"),
        (lambda: demand_of([]), "no clip is read"),
    ],
)
def test_what_is_no_clip_is_refused(make, says):
    """Of no length, without end, before the beginning, of a negative rate, without frames."""
    with pytest.raises(BadValueError, match=says):
        make()


CUTS = st.lists(
    st.tuples(st.integers(0, 600), st.integers(1, 120), st.integers(1, 200)),
    min_size=1, max_size=25,
)  # fmt: skip


def cut_of(rows):
    """Clips that begin and end on tenths of a second."""
    return demand_of([clip(f"c{n}", start / 10, (start + length) / 10, rate * MB)
                      for n, (start, length, rate) in enumerate(rows)])  # fmt: skip


@settings(max_examples=80)
@given(rows=CUTS)
def test_demand_is_the_sum_of_the_clips_at_any_moment(rows):
    """Against every tenth of a second asked one by one; the worst second by trying all of them."""
    made = cut_of(rows)
    step = 0.1
    moments = np.arange(0, made.duration_s, step) + step / 2
    tried = np.array([sum(c.bytes_per_s for c in made.clips if c.start_s <= t < c.end_s)
                      for t in moments])  # fmt: skip
    at = np.searchsorted(made.moments_s, moments, side="right") - 1
    assert made.bytes_per_s[at] == pytest.approx(tried)
    read = np.concatenate([[0.0], np.cumsum(tried * step)])
    best = max((read[min(n + 10, read.size - 1)] - read[n] for n in range(read.size)), default=0)
    assert made.worst_second.read_bytes == pytest.approx(best, rel=1e-6)
    assert made.total_bytes == pytest.approx(sum(length / 10 * r * MB for _s, length, r in rows))


@settings(max_examples=80)
@given(rows=CUTS, give=st.integers(5, 600), ahead=st.floats(0.05, 3.0))
def test_late_frames_never_grow_with_what_is_given_or_read_ahead(rows, give, ahead):
    """Nor are there more of them than frames; where all is given none is late."""
    made = cut_of(rows)

    def played(given, seconds):
        return play_demand(made, lambda _count: given * MB, seconds)

    base = played(give, ahead)
    frames = sum((c.end_s - c.start_s) * c.frames_per_s for c in made.clips)
    assert 0 <= base.late_frames <= frames + 1e-6
    for each in base.late:
        assert each.from_s <= each.start_s < each.end_s <= made.duration_s + 1e-6
        assert each.frames <= each.of_frames + 1e-6 and each.clips
    assert played(made.peak_bytes_per_s / MB, ahead).late == ()
    lost = sum(each.frames for each in base.late)
    if lost > 1:
        assert played(give * 3 + 1000, ahead).late_frames <= lost
