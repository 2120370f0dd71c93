"""Cameras x days planned at once, against a plain Python loop that does the same day by day.

    .venv/bin/python benchmarks/plan_days.py [--cameras N] [--days N] [--runs N]

Both run alternately in one go; their media counts must agree to the last medium.
"""

from __future__ import annotations

import argparse
import math
import statistics
import sys
import time

import numpy as np

from vastcellar.core.shoot.shoot_plan import tabulate_days

_FIT = 1 + 1e-12


def put(media: int, room: float, medium: float, take: float, count: int) -> tuple[int, float]:
    """Put *count* equal takes onto media, one after the other."""
    for _ in range(count):
        if take <= room * _FIT:
            room -= take
        elif take <= medium * _FIT:
            media, room = media + 1, medium - take
        else:
            spans = math.ceil(take / (medium * _FIT))
            media, room = media + spans, spans * medium - take
    return media, room


def plain_day(rate: float, medium: float, roll_s: float, take_s: float, longest_s: float) -> int:
    """Return the media of one day, as one would write it down first."""
    longest = min(longest_s, roll_s)
    rest_s = roll_s - longest
    count = max(round(rest_s / take_s), 1) if rest_s > 0 else 0
    each = rest_s / count * rate if count else 0.0
    before = count // 2 if longest > 0 else count
    media, room = put(0, 0.0, medium, each, before)
    if longest > 0:
        media, room = put(media, room, medium, longest * rate, 1)
    return put(media, room, medium, each, count - before)[0]


def main() -> None:
    """Print medians and the ratio."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--cameras", type=int, default=10_000)
    parser.add_argument("--days", type=int, default=100)
    parser.add_argument("--runs", type=int, default=3)
    asked = parser.parse_args()
    random = np.random.default_rng(1)
    shape = (asked.cameras, asked.days)
    rate = random.uniform(10e6, 600e6, asked.cameras).tolist()
    medium = random.choice([128e9, 256e9, 512e9, 1e12, 2e12], asked.cameras).tolist()
    roll_s = random.uniform(0, 6 * 3600, shape)
    take_s = random.choice([180.0, 1080.0, 1500.0], asked.cameras).tolist()
    longest_s = random.uniform(600, 5400, asked.cameras).tolist()
    always = np.ones(shape, dtype=bool)
    rolls = roll_s.tolist()
    fast_s, plain_s = [], []
    for _ in range(asked.runs):
        begin = time.perf_counter()
        table = tabulate_days(*map(np.array, (rate, medium, roll_s, take_s, longest_s)), always)
        fast_s.append(time.perf_counter() - begin)
        begin = time.perf_counter()
        plain = [
            [plain_day(rate[row], medium[row], roll, take_s[row], longest_s[row]) for roll in days]
            for row, days in enumerate(rolls)
        ]
        plain_s.append(time.perf_counter() - begin)
        if not np.array_equal(table.media, np.array(plain)):
            sys.exit("the two disagree")
    fast, slow = statistics.median(fast_s), statistics.median(plain_s)
    print(f"{asked.cameras} cameras x {asked.days} days, all {table.media.sum()} media agree")
    print(f"at once      {fast:8.3f} s   ratio 1")
    print(f"plain loop   {slow:8.3f} s   ratio {slow / fast:.0f}")


if __name__ == "__main__":
    main()
