"""The evening before: what is proved on which port, and until when."""

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.cellar.evening import ToProve, plan_evening
from vastcellar.core.errors import BadValueError


def takes_of(*minutes):
    return [ToProve(f"K-{n}", "A", 60.0 * each, each * 9e9) for n, each in enumerate(minutes)]


def test_four_takes_on_two_ports():
    """52, 40, 25 and 8 minutes: 65 on two ports, 125 on one."""
    takes = takes_of(52, 40, 25, 8)
    assert plan_evening(takes, 2).took_s == 65 * 60
    assert plan_evening(takes, 1).took_s == 125 * 60
    assert plan_evening(takes, 4).took_s == 52 * 60
    assert plan_evening(takes, 2).bytes_to_write == 125 * 9e9
    assert plan_evening([], 3).took_s == 0


def test_one_unit_is_proved_once_at_a_time():
    """For two cameras, on two ports: one after the other all the same."""
    both = [ToProve("K-1", "A", 600.0, 1e9), ToProve("K-1", "B", 300.0, 1e9)]
    assert plan_evening(both, 2).took_s == 900


@given(st.lists(st.integers(1, 200), min_size=1, max_size=12), st.integers(1, 5))
def test_no_port_has_two_tests_at_once_and_more_ports_never_take_much_longer(minutes, ports):
    """Each test once; never shorter than the longest, or than all of them shared out evenly."""
    plan = plan_evening(takes_of(*minutes), ports)
    assert sorted(slot.test.tag for slot in plan.slots) == sorted(
        f"K-{n}" for n in range(len(minutes))
    )
    for port in range(ports):
        mine = sorted(
            (s.begin_s, s.begin_s + s.test.duration_s) for s in plan.slots if s.port == port
        )
        assert all(one[1] <= two[0] + 1e-6 for one, two in pairwise(mine))
    least = max(max(minutes) * 60, sum(minutes) * 60 / ports)
    assert least <= plan.took_s + 1e-6 <= least * 4 / 3 + 1e-3 + max(minutes) * 60 / 3


def test_no_port_is_refused():
    """Nothing can be proved on none."""
    with pytest.raises(BadValueError, match="ports"):
        plan_evening(takes_of(5), 0)
