"""Streams played visit by visit: an hour of 64 of them, beside a loop over every visit.

.venv/bin/python benchmarks/edit_play.py [--streams N] [--runs N]
"""

from __future__ import annotations

import argparse
import statistics
import time
from pathlib import Path

from vastcellar.core.edit.edit_load import EditLoad
from vastcellar.core.edit.edit_store import EditStore
from vastcellar.core.edit.playing import play
from vastcellar.services.edit.edit_planning import plan_edit
from vastcellar.services.edit.plans import edit_in_file
from vastcellar.store.catalog_files import load_catalog

HOUR_S = 3600.0


def looped(store: EditStore, load: EditLoad, streams: int) -> float:
    """Return when a queue that is served one visit after the other is done with an hour."""
    takes = store.array.read_visit_s(load.stream.visit_bytes, store.filled_share, seeks=True)
    free_s, asked = 0.0, [0.0] * streams
    for step in range(int(HOUR_S / load.stream.read_ahead_s)):
        for number in range(streams):
            free_s = max(free_s, asked[number]) + takes
            asked[number] = max(free_s, (step + 1) * load.stream.read_ahead_s)
    return free_s


def main() -> None:
    """Print medians and the ratio."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--streams", type=int, default=64)
    parser.add_argument("--runs", type=int, default=5)
    asked = parser.parse_args()
    folder = Path(__file__).resolve().parent.parent / "docs" / "examples"
    edit = plan_edit(edit_in_file(folder / "boathouse.edit.json"), load_catalog(), None, folder)
    light = edit.stores[1]
    own, loop = [], []
    for _ in range(asked.runs):
        begin_s = time.perf_counter()
        play(light.store, light.load, asked.streams, HOUR_S)
        own.append(time.perf_counter() - begin_s)
        begin_s = time.perf_counter()
        looped(light.store, light.load, asked.streams)
        loop.append(time.perf_counter() - begin_s)
    mine, theirs = statistics.median(own), statistics.median(loop)
    print(
        f"an hour of {asked.streams} streams: {mine:.3f} s, {mine / theirs:.2f} of the plain loop"
    )


if __name__ == "__main__":
    main()
