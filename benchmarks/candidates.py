"""Candidate search: combinations a second, against judging one chain after the other.

    .venv/bin/python benchmarks/candidates.py [--times N] [--runs N]

The shipped catalog is multiplied, so that hundreds of thousands of combinations are looked at.
The plain loop judges a sample of the same combinations, alternately in one go.
"""

from __future__ import annotations

import argparse
import statistics
import sys
import time
from dataclasses import replace

import numpy as np

from vastcellar.core.candidates.candidates import find_candidates
from vastcellar.core.chain.chain import build_chain
from vastcellar.core.chain.setup_parts import find_parts
from vastcellar.core.shoot.needs import camera_need
from vastcellar.core.verdict.judgement import judge_take
from vastcellar.data import data_path
from vastcellar.store.catalog_files import load_catalog, read_units
from vastcellar.store.shoot_files import read_shoot

_SAMPLE = 1500


def main() -> None:
    """Print medians and the ratio."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--times", type=int, default=8)
    parser.add_argument("--runs", type=int, default=3)
    asked = parser.parse_args()
    catalog = load_catalog()
    camera = read_shoot(data_path("demo", "slipway.shoot.json"), catalog).camera("A")
    need, units = camera_need(camera), read_units(data_path("demo", "cellar.json"))
    drives, cases = {}, {}
    for number in range(asked.times):
        for drive in catalog.drives.values():
            key = f"{drive.key}-{number}"
            # Every copy writes a little differently: nothing may be judged once for all of them.
            rate = drive.behaviour.direct_write_bytes_per_s * (1 - number / 500)
            behaviour = replace(drive.behaviour, direct_write_bytes_per_s=rate)
            drives[key] = replace(drive, key=key, behaviour=behaviour)
        for case in catalog.enclosures.values():
            key = f"{case.key}-{number}"
            heat = replace(case.case, bridge_w=case.case.bridge_w * (1 + number / 500))
            cases[key] = replace(case, key=key, case=heat)
    large = replace(catalog, drives={**catalog.drives, **drives}, enclosures=cases)
    hosts = list(large.hosts.values())
    fast_s, plain_s = [], []
    random = np.random.default_rng(3)
    for _ in range(asked.runs):
        begin = time.perf_counter()
        table = find_candidates(camera, need, hosts, large, units, 24.0)
        fast_s.append((time.perf_counter() - begin) / len(table))
        rows = random.integers(0, len(table), _SAMPLE)
        setups = [table.setup(row) for row in rows]
        tags = {unit.tag: unit for unit in units}
        begin = time.perf_counter()
        margins = []
        for setup in setups:
            parts = find_parts(setup, large, tags.get(setup.unit_tag))
            chain = build_chain(parts, large, 24.0)
            margins.append(judge_take(camera, need, chain, 24.0).margin)
        plain_s.append((time.perf_counter() - begin) / _SAMPLE)
        if not np.allclose(
            np.array(margins, dtype=float), table.margin[rows], rtol=1e-3, atol=1e-6
        ):
            sys.exit("the two disagree")
    fast, plain = statistics.median(fast_s), statistics.median(plain_s)
    print(f"{len(table)} combinations in {fast * len(table):.2f} s; the sample's margins agree")
    print(f"at once      {1 / fast:12,.0f} combinations/s   ratio 1")
    print(
        f"one by one   {1 / plain:12,.0f} combinations/s   ratio {plain / fast:.0f} (wanted: 100)"
    )


if __name__ == "__main__":
    main()
