"""Like runs: what may be held against each other, and what is said to differ."""

from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from histories import SETTING, point, series
from vastcellar.core.cellar.likeness import differing, like_runs


def test_another_case_is_another_thing():
    """Two groups, the larger first, and the case is what they differ in."""
    other = replace(SETTING, enclosure="another")
    runs = [*series([400.0] * 5), *series([300.0] * 3, first=6, setting=other)]
    one, two = like_runs(runs)
    assert [len(one.points), len(two.points)] == [5, 3]
    assert differing(one.typical, two.typical) == ("enclosure",)


def test_a_warm_room_a_fuller_drive_and_a_longer_test_are_told_apart():
    """Each by its own limit, and what isn't known is no difference."""
    base = point(1, 4e8, room_c=21.0, filled_share=0.2)
    assert differing(base, replace(base, room_c=23.9, filled_share=0.29)) == ()
    assert differing(base, replace(base, room_c=25.0)) == ("room",)
    assert differing(base, replace(base, filled_share=0.4)) == ("fill",)
    assert differing(base, replace(base, moved_bytes=6e11)) == ("amount",)
    assert differing(base, replace(base, room_c=None, filled_share=None)) == ()
    assert differing(base, replace(base, was_disturbed=True)) == ("loaded",)


@given(st.lists(st.tuples(st.floats(-10, 45), st.floats(0, 1), st.sampled_from([1e9, 4e9, 4e11])),
                min_size=1, max_size=25))  # fmt: skip
def test_every_run_is_in_one_group_and_like_its_typical_one(drawn):
    """None is lost, none counted twice, none held against what it isn't like."""
    runs = [
        point(n, 4e8, room_c=room, filled_share=filled, moved=moved)
        for n, (room, filled, moved) in enumerate(drawn, 1)
    ]
    groups = like_runs(runs)
    numbers = [each.run_id for group in groups for each in group.points]
    assert sorted(numbers) == [each.run_id for each in runs]
    for group in groups:
        assert all(not differing(each, group.typical) or len(group.points) == 1
                   for each in group.points)  # fmt: skip
        assert list(group.points) == sorted(group.points, key=lambda each: each.at)
