"""Lanes in lock-step agree with one run at a time, whatever the combination."""

from dataclasses import replace

import numpy as np
import pytest

from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.parts import ThrottleStage, WriteBehaviour
from vastcellar.core.recording.recorder import profile_outcome
from vastcellar.core.writing.drive_in_use import EventKind
from vastcellar.core.writing.heat import HeatPath
from vastcellar.core.writing.profile_batch import Lane, run_lanes
from vastcellar.core.writing.write_profile import Phase, write_profile


def draw_lane(random):
    """A drive, enclosure and room from the ranges of the trade."""
    stages = []
    on_c = random.uniform(55, 85)
    for _ in range(random.integers(0, 3)):
        stages.append(ThrottleStage(on_c, on_c - random.uniform(2, 9), random.uniform(1e8, 9e8)))
        on_c += random.uniform(3, 8)
    has_cache = random.random() < 0.9
    behaviour = WriteBehaviour(
        cache_write_bytes_per_s=random.uniform(5e8, 6e9),
        direct_write_bytes_per_s=random.uniform(8e7, 2e9),
        cache_static_bytes=random.uniform(2e9, 24e9) * has_cache,
        cache_share_of_free=random.uniform(0, 0.3) * has_cache,
        fold_bytes_per_s=random.uniform(6e7, 9e8),
        fold_while_writing=random.uniform(0, 1),
        idle_w=random.uniform(0.3, 1.2),
        cache_j_per_gb=random.uniform(1.2, 3),
        direct_j_per_gb=random.uniform(2.5, 12),
        fold_j_per_gb=random.uniform(0, 2),
        heat_capacity_j_per_k=random.uniform(4, 22),
        throttle=tuple(stages),
    )
    path = HeatPath(
        behaviour.heat_capacity_j_per_k,
        random.uniform(8, 600),
        random.uniform(1, 9),
        random.uniform(2, 26),
        random.uniform(0, 3),
        random.uniform(18, 38),
    )
    return Lane(behaviour, path, random.uniform(4e7, 6e9), random.uniform(5e10, 4e12))


@pytest.mark.parametrize("offered", [160e6, 700e6, np.inf])
def test_lanes_agree_with_one_run_at_a_time(offered):
    """Many runs at once equal one at a time, through every kind of ending."""
    random = np.random.default_rng(11)
    lanes = [draw_lane(random) for _ in range(400)]
    found = run_lanes(lanes, offered, 1800.0, buffer_bytes=5e8)
    kinds = {"full": 0, "throttled": 0, "drive full": 0, "lost": 0}
    for index, lane in enumerate(lanes):
        run = write_profile(
            lane.behaviour,
            lane.path,
            lane.link_cap_bytes_per_s,
            (Phase(offered, 1800.0),),
            free_bytes=lane.free_bytes,
        )
        assert found.written_bytes[index] == pytest.approx(run.written_bytes, rel=1e-6)
        assert found.hottest_c[index] == pytest.approx(run.hottest_c, abs=1e-3)
        lowest = run.lowest_ability_bytes_per_s
        assert found.lowest_ability_bytes_per_s[index] == pytest.approx(lowest, rel=1e-9, abs=1)
        for kind, times in (
            (EventKind.CACHE_FULL, found.cache_full_at_s),
            (EventKind.THROTTLE, found.throttled_at_s),
            (EventKind.DRIVE_FULL, found.drive_full_at_s),
        ):
            event = run.first(kind)
            assert times[index] == pytest.approx(event.at_s if event else np.inf, abs=1e-3)
        if np.isfinite(offered):
            outcome = profile_outcome(run, offered, 5e8)
            assert found.lost_bytes[index] == pytest.approx(outcome.lost_bytes, rel=1e-5, abs=1e4)
            assert found.first_loss_at_s[index] == pytest.approx(outcome.first_loss_s, abs=1e-2)
            kinds["lost"] += outcome.lost_bytes > 0
        kinds["full"] += np.isfinite(found.cache_full_at_s[index])
        kinds["throttled"] += np.isfinite(found.throttled_at_s[index])
        kinds["drive full"] += np.isfinite(found.drive_full_at_s[index])
    # The draw must reach what it is there to compare.
    assert kinds["throttled"] > 5
    assert kinds["full"] > 20
    assert not np.isfinite(offered) or kinds["lost"] > 20


def test_no_lanes_and_hard_disks():
    """No lane is no work, and hard disks are refused here by name."""
    assert run_lanes([], 1e8, 60).written_bytes.size == 0
    lane = draw_lane(np.random.default_rng(1))
    disk = replace(lane, behaviour=WriteBehaviour(130e6, 130e6, inner_share=0.5))
    with pytest.raises(BadValueError, match="by itself"):
        run_lanes([disk], 1e8, 60)
