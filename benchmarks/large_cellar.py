#!/usr/bin/env python3
"""A cellar of 10,000 units and 100,000 runs: opened, worked out, searched, drawn.

    .venv/bin/python benchmarks/large_cellar.py [--units N] [--database postgresql://…/EMPTY]

Prints each time as it is measured once, and beside it how long the database's own driver reads the
same rows. The garbage collector is off, as it is in the window.
"""

from __future__ import annotations

import argparse
import gc
import os
import sqlite3
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import numpy as np
import psycopg

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from vastcellar.core.parts.units import Unit
from vastcellar.core.units import PLAIN
from vastcellar.services.cellar.bays import bays_of, grouped
from vastcellar.services.cellar.searching import search_shelf
from vastcellar.services.cellar.unit_axis import unit_axis
from vastcellar.services.cellar.unit_memory import UnitMemory
from vastcellar.services.cellar.unit_page import unit_lines
from vastcellar.services.shoot.shoots import new_shoot
from vastcellar.services.workplace.databases import DATABASE_VARIABLE
from vastcellar.services.workplace.folders import Folders
from vastcellar.services.workplace.last_seen import picture_of, recall, remember
from vastcellar.services.workplace.workplace import open_workplace
from vastcellar.store.kept_runs import keep_runs
from vastcellar.store.run_record import RunRecord

UNITS, RUNS_EACH = 10_000, 10
BEGIN = datetime(2025, 1, 6, tzinfo=UTC)
DRIVES = ("torvane-t2-1", "kelmarsh-flat-2", "pentle-b3-1", "kelmarsh-dray-8")


def runs(units: tuple[Unit, ...]) -> Iterator[tuple[RunRecord, str]]:
    """Return ten long writes of each unit, a month apart; every fiftieth unit got slower."""
    rng = np.random.default_rng(3)
    for number, unit in enumerate(units):
        rates = 4e8 * (1 + 0.01 * rng.standard_normal(RUNS_EACH))
        if number % 50 == 0:
            rates[5:] *= 0.7
        for month, rate in enumerate(rates):
            figures = {
                "write": {
                    "bytes_per_s": float(rate), "moved_bytes": 4e11, "longest_stall_s": 0.1,
                    "slowest_second_bytes": float(rate) * 0.9, "stall_count": 0, "hottest_c": 50.0,
                },
                "read": None, "diagnosis": None,
            }  # fmt: skip
            conditions = {
                "drive_key": unit.drive_key, "enclosure_key": "", "host_key": "h", "port_key": "p",
                "mode_key": "usb-10g", "ambient_c": 21.0, "write_mode": "direct",
            }  # fmt: skip
            at = BEGIN + timedelta(days=30 * month, minutes=number)
            yield RunRecord(unit.tag, "write", at, False, True, conditions, figures), ""


def timed(what: str, call: Callable[[], object]) -> object:
    """Print how long *call* took, and return what it returned."""
    begin = time.perf_counter()
    found = call()
    print(f"{what:58} {(time.perf_counter() - begin) * 1000:9.1f} ms")
    return found


def main() -> int:
    """Print each time."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--units", type=int, default=UNITS)
    parser.add_argument("--database", default="", help="an empty one on a PostgreSQL server")
    asked = parser.parse_args()
    os.environ[DATABASE_VARIABLE] = asked.database
    gc.disable()
    with tempfile.TemporaryDirectory() as folder:
        root = Path(folder)
        places = Folders(root / "d", root / "s", root / "c")
        made = open_workplace(places=places)
        units = tuple(
            Unit(f"Q-{number:05}", DRIVES[number % 4], used_bytes=number * 5e7)
            for number in range(asked.units)
        )
        made.cellar.save_units(units)
        keep_runs(made.cellar, runs(units))
        made.close()
        where = "a server" if asked.database else "a file"
        print(f"{asked.units} units, {asked.units * RUNS_EACH} runs, on {where}")

        def plain() -> int:
            query = "SELECT * FROM runs"
            if asked.database:
                with psycopg.connect(asked.database) as connection:
                    return len(connection.execute(query).fetchall())
            with sqlite3.connect(places.cellar_file) as connection:
                return len(connection.execute(query).fetchall())

        timed("its own driver, all rows of the runs", plain)
        workplace = timed("cellar opened", lambda: open_workplace(places=places))
        shelf = timed("units and runs read", workplace.shelf)  # type: ignore[attr-defined]
        memory, today = UnitMemory(), date(2026, 1, 5)
        catalog = workplace.catalog  # type: ignore[attr-defined]

        def remember() -> object:
            return memory.remember(shelf, catalog, today, is_demo=False)  # type: ignore[arg-type]

        known = timed("all worked out for the first time", remember)
        known = timed("worked out again, nothing new", remember)
        bays = timed("every unit as a bay", lambda: bays_of(known, catalog, today, PLAIN))  # type: ignore[arg-type]
        timed("grouped", lambda: grouped(bays, known, catalog, "model", (), PLAIN))  # type: ignore[arg-type]
        search = timed("search prepared", lambda: search_shelf(known, catalog, today))  # type: ignore[arg-type]
        for wanted in ("q-0123", "slower than it was", "free 5 TB", "torvane"):
            timed(f"find {wanted!r}", lambda wanted=wanted: search.find(wanted))  # type: ignore[attr-defined, misc]
        print(f"found by itself: {len(known.findings)}")  # type: ignore[attr-defined]
        facts = known.facts["Q-00050"]  # type: ignore[attr-defined]
        now = datetime.now(UTC)
        timed("a unit's page: its axis, and its lines", lambda: (
            unit_axis(facts, catalog, PLAIN, now),
            unit_lines(known, "Q-00050", catalog, PLAIN, today),  # type: ignore[arg-type]
        ))  # fmt: skip
        seen_again(places, workplace, shelf)
        drawn(places, workplace)
    return 0


def seen_again(places: Folders, workplace: object, shelf: object) -> None:
    """Print how long a window takes to keep what it showed, and the next one to show it again."""
    changes = workplace.cellar.change_count()  # type: ignore[attr-defined]
    _ = shelf.standing_proofs  # type: ignore[attr-defined]  # as a window has them
    picture = picture_of(workplace, shelf, changes, new_shoot(), None, "")  # type: ignore[arg-type]
    workplace.close()  # type: ignore[attr-defined]
    assert picture is not None, "it is small enough to be kept"
    timed("kept when the window closes", lambda: remember(picture, places, demo=False))
    again = timed("there again at the next start", lambda: recall(places, demo=False))
    assert again == picture


def drawn(places: Folders, workplace: object) -> None:
    """Print how long a frame of the shelf takes while it scrolls, all groups unfolded."""
    workplace.close()  # type: ignore[attr-defined]
    from PySide6.QtWidgets import QScrollArea

    from vastcellar.core.evidence import Evidence
    from vastcellar.services.cellar.bays import Bay, BayGroup
    from vastcellar.ui.app import prepare_qt
    from vastcellar.ui.look import LIGHT, Look, style_sheet
    from vastcellar.ui.stations.cellar.shelf_view import ShelfView

    application, look = prepare_qt(["benchmark"]), Look(LIGHT)
    application.setStyleSheet(style_sheet(look))
    bays = tuple(
        Bay(f"Q-{n:05}", "nvme", 1.0, n / UNITS, 0.3, False, (1.0, 0.99, 1.01, 0.7), n % 50 == 0,
            Evidence.PROVED, "20 d", False, "van", False, (n % 50 == 0 and 7) or 0, 4, "ready", "")
        for n in range(UNITS)
    )  # fmt: skip
    view, area = ShelfView(look), QScrollArea()
    view._folded["all"] = False
    area.setWidgetResizable(True)
    area.setWidget(view)
    area.resize(860, 600)
    area.show()
    view.show_groups((BayGroup("all", "10,000 units", bays),))
    application.processEvents()
    took, bar = [], area.verticalScrollBar()
    for _ in range(120):
        bar.setValue(bar.value() + 100)  # a notch of a wheel
        begin = time.perf_counter()
        application.processEvents()
        took.append((time.perf_counter() - begin) * 1000)
    print(f"{'a frame of the shelf while scrolling, median and worst':58} "
          f"{np.median(took):9.1f} ms, {max(took):.1f} ms")  # fmt: skip
    area.close()


if __name__ == "__main__":
    sys.exit(main())
