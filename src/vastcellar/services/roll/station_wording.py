"""Several stations of a day in words."""

from __future__ import annotations

from vastcellar.core.shoot.stations import station_label
from vastcellar.core.units import NumberFormat
from vastcellar.services.roll.day_planning import PlannedDay
from vastcellar.services.roll.day_wording import last_text, moment, waits_text


def other_station_text(name: str, planned: PlannedDay | None, fmt: NumberFormat) -> str:
    """Return what the same day comes to at another station, in a few words."""
    if planned is None:
        return f"{station_label(name)}: can't be planned yet"
    run = planned.run
    last = f"{moment(run.last_verified_s, fmt)}" if run.trips else last_text(run, fmt)
    waits = f", {waits_text(run, fmt)}" if run.waits else ""
    return f"{station_label(name)}: {last}{waits}"
