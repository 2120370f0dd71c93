"""What is read ahead: whole, made up for, or running out without a late frame so far."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.protocols.read_ahead import TELLS_AFTER_S, ReadAheadLog

FRAME_S, AHEAD_S = 0.04, 0.24


def played(rate, duration_s, *, stall_at_s=None):
    """Play from a store of *rate* times what is asked; return the log and how many were late."""
    log, at_s, missed = ReadAheadLog(), 0.0, 0
    log.begin(0.0)
    number = 1
    while at_s < duration_s:
        due_s = AHEAD_S + number * FRAME_S
        whole_s = due_s - AHEAD_S
        is_whole = at_s < whole_s
        at_s = max(at_s, whole_s)
        log.asked(at_s, due_s - at_s, is_whole=is_whole)
        if stall_at_s is not None and at_s >= stall_at_s:
            at_s, stall_at_s = at_s + 0.15, None
        at_s += FRAME_S / rate
        missed += at_s > due_s
        number += 1
    log.end()
    return log, missed


@given(rate=st.floats(0.9, 0.985))
def test_a_store_that_is_too_slow_is_told_before_a_frame_is_late(rate):
    """The loss is the share of frames that can't be in time in the long run, 1 - rate."""
    log, _missed = played(rate, 6.0)
    assert log.loss_s_per_s == pytest.approx(1 - rate, rel=0.1)


def test_three_percent_too_slow_misses_nothing_within_a_step_and_is_not_taken_for_enough():
    """240 ms in hand carry a store over 6 s that would miss a frame in every 33 for ever."""
    log, missed = played(0.97, 5.9)
    assert missed == 0
    assert log.loss_s_per_s == pytest.approx(0.03, abs=0.005)


@given(rate=st.floats(1.02, 5.0), stall_at_s=st.floats(0.5, 5.5))
def test_a_hiccup_that_is_made_up_for_is_no_loss(rate, stall_at_s):
    """150 ms without a frame, anywhere in the step: a store with something to spare regains it."""
    log, missed = played(rate, 6.0, stall_at_s=stall_at_s)
    assert missed == 0
    assert log.loss_s_per_s == 0


def test_a_stretch_too_short_to_tell_tells_nothing():
    """Below two seconds a portion that is still to come looks like a loss."""
    log, _missed = played(0.9, TELLS_AFTER_S - 0.2)
    assert log.loss_s_per_s == 0


def test_a_jump_judges_what_was_played_before_it_and_begins_anew():
    """The worst stretch counts; what is read ahead after a jump is whole."""
    log = ReadAheadLog()
    log.begin(0.0)
    for number in range(60):
        log.asked(number * FRAME_S, AHEAD_S - number * 0.002, is_whole=False)
    log.begin(3.0)
    for number in range(60):
        log.asked(3.0 + number * FRAME_S, AHEAD_S, is_whole=True)
    log.end()
    assert log.loss_s_per_s == pytest.approx(0.05)
