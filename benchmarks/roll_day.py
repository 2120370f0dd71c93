"""A shooting day planned: anew while something is dragged, and a thousand days drawn.

    .venv/bin/python benchmarks/roll_day.py [--days N] [--runs N]

The demo's first day. A plain loop that only adds up each card's bytes over its drives' lasting
rates runs alternately beside it: what a day without cameras, waits, caches and heat would cost.
"""

from __future__ import annotations

import argparse
import statistics
import time
from collections.abc import Callable
from dataclasses import replace

from vastcellar.core.roll.day import RollDay
from vastcellar.core.roll.drawn_days import draw_days
from vastcellar.data import data_path
from vastcellar.services.roll.day_planning import DayPlanner
from vastcellar.services.workplace.workplace import Shelf
from vastcellar.store.catalog_files import load_catalog, read_units
from vastcellar.store.shoot_files import read_shoot


def plain_day(day: RollDay) -> float:
    """Return when all would be over if cards came off one after the other at lasting rates."""
    slowest = max(
        1 / drive.behaviour.direct_write_bytes_per_s + 1 / drive.medium_read_bytes_per_s
        for drive in day.drives
    )
    return sum(camera.recorded_bytes * slowest for camera in day.cameras)


def seconds(work: Callable[[], object]) -> float:
    """Return how long *work* takes."""
    start_s = time.perf_counter()
    work()
    return time.perf_counter() - start_s


def main() -> None:
    """Print medians and the ratio."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--days", type=int, default=1000)
    parser.add_argument("--runs", type=int, default=20)
    asked = parser.parse_args()
    catalog = load_catalog()
    shoot = read_shoot(data_path("demo", "slipway.shoot.json"), catalog)
    planner = DayPlanner(catalog, Shelf(read_units(data_path("demo", "cellar.json"))))
    day = planner.plan(shoot, 1).day
    planned, plain = [], []
    for run in range(asked.runs):
        dragged = replace(shoot, day_end_s=shoot.day_end_s - 300.0 * run)
        planned.append(seconds(lambda dragged=dragged: planner.plan(dragged, 1)))
        plain.append(seconds(lambda: plain_day(day)))
    own, bare = statistics.median(planned), statistics.median(plain)
    print(
        f"one day planned anew: {own * 1e3:.1f} ms (a frame has 16.7), "
        f"{own / bare:,.0f} times the loop"
    )
    drawn_s = seconds(lambda: draw_days(day, asked.days, 1))
    print(f"{asked.days:,} days drawn: {drawn_s:.1f} s")


if __name__ == "__main__":
    main()
