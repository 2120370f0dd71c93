"""How far a unit is worn and how far it goes."""

from dataclasses import replace
from datetime import date, timedelta

import pytest

from histories import DRIVE, TODAY
from vastcellar.core.cellar.wear_ahead import WrittenAt, lies_too_long, wear_ahead
from vastcellar.core.parts.parts import DriveKind
from vastcellar.core.parts.units import Unit

TWO_TB = replace(DRIVE, capacity_bytes=2 * 10**12)


def test_fills_and_shooting_days_left():
    """600 TBW on 2 TB: 300 fills, and 948 days of 575 GB."""
    wear = wear_ahead(Unit("K", "d"), TWO_TB, [], TODAY)
    assert wear.fills_left == 300
    assert wear.days_left(575.4e9) == pytest.approx(948, abs=0.5)
    assert wear.per_month_bytes is None and wear.watched_on is None


def test_the_day_on_which_it_passes_eighty_percent():
    """130 of 800 TB in 24 months: 5.42 a month, 94.2 months to 640."""
    unit = Unit("K", "d", written_bytes=130e12)
    drive = replace(TWO_TB, tbw_bytes=800e12)
    begun = TODAY - timedelta(days=round(24 * 365.25 / 12))
    wear = wear_ahead(unit, drive, [WrittenAt(begun, 0.0)], TODAY)
    assert wear.per_month_bytes == pytest.approx(5.42e12, rel=0.001)
    assert wear.watched_on.year == 2034 and wear.watched_on.month in (9, 10)
    sooner = wear_ahead(unit, drive, [WrittenAt(begun, 0.0)], TODAY, planned_bytes=100e12)
    assert sooner.watched_on < wear.watched_on


def test_what_the_drive_says_counts_where_it_is_more():
    """Written by others before it came here: the drive knows, and that is the figure."""
    unit = Unit("K", "d", written_bytes=60e12)
    wear = wear_ahead(unit, DRIVE, [], TODAY, by_drive=0.85)
    assert wear.used_share == 0.85 and wear.is_by_drive and wear.watched_on == TODAY
    assert wear_ahead(unit, DRIVE, [], TODAY, by_drive=0.02).used_share == pytest.approx(0.1)


def test_worn_beyond_its_rating_has_nothing_left():
    """No fills below none; a drive without a rating says nothing."""
    assert wear_ahead(Unit("K", "d", written_bytes=7e14), DRIVE, [], TODAY).fills_left == 0
    assert wear_ahead(Unit("K", "d"), replace(DRIVE, tbw_bytes=0), [], TODAY) is None


def test_a_pace_over_a_week_is_none():
    """One busy week is no month."""
    unit = Unit("K", "d", written_bytes=9e12)
    week = [WrittenAt(TODAY - timedelta(days=7), 0.0)]
    assert wear_ahead(unit, DRIVE, week, TODAY).per_month_bytes is None


def test_what_lies_without_power_for_over_a_year_is_said():
    """With something on it, of cells; a disk, an empty one and one seen lately are well."""
    long_ago = date(2025, 10, 1)
    full = Unit("K", "d", used_bytes=1e11)
    assert lies_too_long(full, DRIVE, long_ago, TODAY) == 422
    assert lies_too_long(full, replace(DRIVE, kind=DriveKind.HARD_DISK), long_ago, TODAY) is None
    assert lies_too_long(replace(full, used_bytes=0), DRIVE, long_ago, TODAY) is None
    assert lies_too_long(full, DRIVE, TODAY - timedelta(days=300), TODAY) is None
    assert lies_too_long(full, DRIVE, None, TODAY) is None
