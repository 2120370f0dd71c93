"""Write profiles: one long take sampled finely, and 10,000 combinations in lock-step.

    .venv/bin/python benchmarks/profiles.py [--lanes N] [--runs N]

The plain tool beside it is the same model in fixed steps of 0.1 s, run alternately in one go.
"""

from __future__ import annotations

import argparse
import statistics
import time
from collections.abc import Callable

import numpy as np

from vastcellar.core.parts.parts import ThrottleStage, WriteBehaviour
from vastcellar.core.writing.heat import HeatPath
from vastcellar.core.writing.profile_batch import Lane, run_lanes
from vastcellar.core.writing.write_profile import Phase, sample, write_profile

TAKE_S = 1800.0
OFFERED = 900e6


def draw(random: np.random.Generator) -> Lane:
    """Return a combination from the typical ranges of drives, enclosures and rooms."""
    on_c = random.uniform(68, 82)
    behaviour = WriteBehaviour(
        cache_write_bytes_per_s=random.uniform(1.8e9, 6.5e9),
        direct_write_bytes_per_s=random.uniform(8e7, 2e9),
        cache_static_bytes=random.uniform(4e9, 24e9),
        cache_share_of_free=random.uniform(0.03, 0.3),
        fold_bytes_per_s=random.uniform(6e7, 9e8),
        fold_while_writing=random.uniform(0, 1),
        idle_w=random.uniform(0.4, 1.2),
        cache_j_per_gb=random.uniform(1.2, 2.8),
        direct_j_per_gb=random.uniform(2.5, 8),
        heat_capacity_j_per_k=random.uniform(8, 22),
        throttle=(ThrottleStage(on_c, on_c - random.uniform(2, 9), random.uniform(2e8, 7e8)),),
    )
    path = HeatPath(
        behaviour.heat_capacity_j_per_k,
        random.uniform(25, 600),
        random.uniform(1, 9),
        random.uniform(2, 15),
        random.uniform(0.3, 3),
        random.uniform(18, 38),
    )
    return Lane(behaviour, path, random.uniform(4e8, 3.5e9), random.uniform(2e11, 4e12))


def stepped(lane: Lane, step_s: float = 0.1) -> float:
    """Return the bytes of the same take in fixed steps, as one would write it down first."""
    b, p = lane.behaviour, lane.path
    cache = b.cache_static_bytes + b.cache_share_of_free * lane.free_bytes
    t1, t2 = p.steady_c(b.idle_w)
    cached = written = 0.0
    slow = False
    stage = b.throttle[0]
    for _ in range(round(TAKE_S / step_s)):
        cap = min(lane.link_cap_bytes_per_s, stage.cap_bytes_per_s if slow else 1e18)
        rate = min(OFFERED, cap, b.cache_write_bytes_per_s)
        fold = b.fold_while_writing * b.fold_bytes_per_s * (1 - rate / b.cache_write_bytes_per_s)
        joule = b.cache_j_per_gb
        if cached >= cache and rate > fold:
            rate, joule = min(OFFERED, cap, b.direct_write_bytes_per_s), b.direct_j_per_gb
        else:
            cached = min(max(cached + (rate - fold) * step_s, 0.0), cache)
        rate = rate if written < lane.free_bytes else 0.0
        written += rate * step_s
        watts = b.idle_w + joule * rate / 1e9
        flow = (t1 - t2) / p.drive_to_case_k_per_w
        t1 += (watts - flow) / p.drive_j_per_k * step_s
        out = (t2 - p.ambient_c) / p.case_to_room_k_per_w
        t2 += (p.bridge_w + flow - out) / p.case_j_per_k * step_s
        slow = t1 >= stage.on_c or (slow and t1 > stage.off_c)
    return written


def timed(call: Callable[[], object], runs: int) -> float:
    """Return the median time of *call* in seconds."""
    times = []
    for _ in range(runs):
        begin = time.perf_counter()
        call()
        times.append(time.perf_counter() - begin)
    return statistics.median(times)


def main() -> None:
    """Print medians and ratios."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--lanes", type=int, default=10_000)
    parser.add_argument("--runs", type=int, default=5)
    asked = parser.parse_args()
    random = np.random.default_rng(5)
    lanes = [draw(random) for _ in range(asked.lanes)]
    moments = np.linspace(0, TAKE_S, 18_001)

    def fine() -> None:
        for lane in lanes[:20]:
            run = write_profile(
                lane.behaviour,
                lane.path,
                lane.link_cap_bytes_per_s,
                (Phase(OFFERED, TAKE_S),),
                free_bytes=lane.free_bytes,
            )
            sample(run, moments)

    def plain() -> None:
        for lane in lanes[:20]:
            stepped(lane)

    one_s, step_s = timed(fine, asked.runs) / 20, timed(plain, max(asked.runs // 2, 1)) / 20
    all_s = timed(lambda: run_lanes(lanes, OFFERED, TAKE_S), asked.runs)
    print(f"30 min take, 18,001 points   {one_s * 1e3:8.2f} ms   (wanted: under 5 ms)")
    print(f"the same in 0.1 s steps      {step_s * 1e3:8.2f} ms   ratio {step_s / one_s:.0f}")
    each = all_s / asked.lanes
    print(f"{asked.lanes} combinations          {all_s:8.3f} s    (wanted: under 1 s)")
    print(f"a combination against steps  {each * 1e6:8.1f} us   ratio {step_s / each:.0f}")


if __name__ == "__main__":
    main()
