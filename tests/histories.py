"""Made-up histories of units, for the tests of what is found in them."""

from datetime import UTC, date, datetime, timedelta

import numpy as np

from vastcellar.core.cellar.findings import UnitFacts
from vastcellar.core.cellar.likeness import RunPoint, RunSetting
from vastcellar.core.cellar.story import EventKind, Story, UnitEvent
from vastcellar.core.cellar.trends import unit_trends
from vastcellar.core.parts.parts import Drive, DriveKind, WriteBehaviour
from vastcellar.core.parts.units import Unit

START = datetime(2025, 1, 6, 9, tzinfo=UTC)
TODAY = date(2026, 11, 27)
SETTING = RunSetting(
    kind="write", is_simulated=True, drive="d", enclosure="case", host="h", port="p",
    link_mode="usb-10g", cable="c", file_system="exfat", encryption="", cooling="",
    write_mode="direct", block="1048576", depth="4",
)  # fmt: skip
DRIVE = Drive("d", "Invented 1 TB", DriveKind.SATA, "TLC", 10**12, 5e8, 5e8,
              WriteBehaviour(5e8, 4e8), tbw_bytes=6e14)  # fmt: skip


def point(number, rate, *, day=None, setting=SETTING, **more):
    """Return one run, a week after the one before."""
    at = START + timedelta(days=7 * number if day is None else day)
    return RunPoint(number, at, setting, rate, moved_bytes=more.pop("moved", 4e11), **more)


def series(rates, first=1, **more):
    """Return runs of such rates, one a week."""
    return [point(first + n, rate, **more) for n, rate in enumerate(rates)]


def noisy(rng, level, count, spread=0.02):
    """Return *count* rates around *level*."""
    return list(level * (1 + spread * rng.standard_normal(count)))


def rng(seed=1):
    """Return the numbers of a seed."""
    return np.random.default_rng(seed)


def happened(day, kind, tag="K-10", note="", **data):
    """Return what happened to a unit on a day of its history."""
    return UnitEvent(tag, START + timedelta(days=day), EventKind(kind), data, note)


def facts(points=(), *, unit=None, drive=DRIVE, ids=(), events=(), **more):
    """Return what is known of a unit with such runs."""
    return UnitFacts(
        unit or Unit("K-10", drive.key), drive, unit_trends(points, ids), tuple(points),
        story=Story(tuple(events)), **more,
    )  # fmt: skip
