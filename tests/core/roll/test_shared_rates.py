"""What several flows get of what they share: all of it, nobody more than it needs to be fair."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.roll.shared_rates import Flow, share_rates


def test_one_flow_is_held_by_the_narrowest_thing():
    """A card of 500 and a link of 400: the link; of two alike the first by name."""
    (found,) = share_rates([Flow({"card": 1 / 500, "link": 1 / 400})])
    assert (found.bytes_per_s, found.limit) == (pytest.approx(400), "link")
    (even,) = share_rates([Flow({"b": 1 / 400, "a": 1 / 400})])
    assert even.limit == "a"


def test_what_one_cannot_use_the_others_get():
    """Three on a hub of 900, one of them held to 100 by its card: the others have 400 each."""
    flows = [
        Flow({"hub": 1 / 900, "slow": 1 / 100}),
        Flow({"hub": 1 / 900}),
        Flow({"hub": 1 / 900}),
    ]
    rates = share_rates(flows)
    assert [each.bytes_per_s for each in rates] == pytest.approx([100, 400, 400])
    assert [each.limit for each in rates] == ["slow", "hub", "hub"]


def test_a_thing_that_is_left_out_holds_nobody():
    """What would reach a drive if it were never the limit."""
    (found,) = share_rates([Flow({"card": 1 / 500, "drive": 1 / 50})], without="drive")
    assert found.bytes_per_s == pytest.approx(500)
    (free,) = share_rates([Flow({"drive": 1 / 50})], without="drive")
    assert math.isinf(free.bytes_per_s)
    assert share_rates([]) == []


COSTS = st.dictionaries(st.sampled_from("abcde"), st.floats(0.001, 1.0), min_size=1, max_size=4)


@given(st.lists(COSTS, min_size=1, max_size=5))
def test_nothing_is_overused_and_nobody_could_have_more(drawn):
    """No thing is busy for more than all of its time, and each flow runs through a full one."""
    flows = [Flow(costs) for costs in drawn]
    rates = share_rates(flows)
    used = {}
    for flow, rate in zip(flows, rates, strict=True):
        for thing, cost in flow.costs.items():
            used[thing] = used.get(thing, 0.0) + cost * rate.bytes_per_s
    assert all(share <= 1 + 1e-9 for share in used.values())
    for rate in rates:
        assert used[rate.limit] == pytest.approx(1)


@given(COSTS, st.integers(1, 5))
def test_flows_alike_get_alike(costs, count):
    """So many of one kind share evenly what one alone would have."""
    (alone,) = share_rates([Flow(costs)])
    together = share_rates([Flow(costs)] * count)
    assert [each.bytes_per_s for each in together] == pytest.approx(
        [alone.bytes_per_s / count] * count
    )
