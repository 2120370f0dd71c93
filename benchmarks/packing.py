#!/usr/bin/env python3
"""How long a set of 40 units for 12 needs takes, by each goal: drawn tasks with a seed."""

from __future__ import annotations

import sys
import time

import numpy as np

from vastcellar.core.cellar.packing import Fit, Goal, PackingTask, PackNeed, PackUnit, pack

UNITS, NEEDS, TASKS = 40, 12, 5


def drawn(seed: int) -> PackingTask:
    """Return a task: eight cameras with spares, four copies, most pairs held."""
    rng = np.random.default_rng(seed)
    units = tuple(
        PackUnit(f"U-{n:02}", float(rng.choice([0.25, 0.5, 1, 2, 4, 8])) * 1e12,
                 float(rng.integers(10, 700)), 0.1, is_disk=bool(rng.random() < 0.2))
        for n in range(UNITS)
    )  # fmt: skip
    needs = tuple(
        PackNeed(f"N-{n:02}", float(rng.uniform(0.1, 0.8) if n < 8 else rng.uniform(2, 8)) * 1e12,
                 spares=1 if n < 8 else 0, is_copy=n >= 8)
        for n in range(NEEDS)
    )  # fmt: skip
    fits = tuple(
        Fit(unit.tag, need.name, float(rng.uniform(0, 2)), float(rng.choice([0.0, 0.4, 1.4])))
        for unit in units
        for need in needs
        if rng.random() < 0.6
    )
    return PackingTask(units, needs, fits)


def main() -> int:
    """Print the time of each goal, median and worst of the tasks."""
    tasks = [drawn(seed) for seed in range(TASKS)]
    for goal in Goal:
        took, best = [], 0
        for task in tasks:
            begin = time.perf_counter()
            best += pack(task, goal).is_optimal
            took.append(time.perf_counter() - begin)
        print(f"{goal.value:10} {np.median(took):6.2f} s median, {max(took):6.2f} s worst, "
              f"{best} of {TASKS} proved to be the best")  # fmt: skip
    return 0


if __name__ == "__main__":
    sys.exit(main())
