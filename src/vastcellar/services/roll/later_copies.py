"""Copies that are made after the day, from one of its drives, at the same computer."""

from __future__ import annotations

from collections.abc import Sequence

from vastcellar.core.errors import VastCellarError
from vastcellar.core.roll.day_run import DayRun
from vastcellar.core.roll.later import LaterCopy, LaterRun, run_later
from vastcellar.core.shoot.shoot import Shoot
from vastcellar.services.roll.day_drives import NamedCopy, drive_of_copy, setup_of_unit
from vastcellar.services.roll.station_ports import Device, PortTable, plugged_ways


def later_copies(
    shoot: Shoot,
    number: int,
    run: DayRun,
    with_cards: Sequence[NamedCopy],
    later: Sequence[NamedCopy],
    table: PortTable,
    notes: list[str],
) -> tuple[LaterRun, ...]:
    """Return how the copies *later* go after the day *run*, each with the computer to itself.

    What can't be planned of them, or isn't whole, is added to *notes*.
    """
    found = []
    for named in later:
        copy = named[0]
        source = next((each for each in with_cards if each[0].name == copy.made_from), None)
        if source is None:
            notes.append(f"the {copy.made_from} has no unit: the {copy.name} can't be made from it")
            continue
        try:
            goes = run_later(run, _later(shoot, number, source, named, table))
        except VastCellarError as error:
            notes.append(f"the {copy.name} can't be planned: {error}")
            continue
        found.append(goes)
        if not goes.has_room:
            notes.append(f"{named[1]} has no room for the {copy.name}: it isn't begun")
        elif not goes.is_whole:
            notes.append(f"not every card is on {source[1]}: the {copy.name} isn't whole")
    return tuple(found)


def _later(
    shoot: Shoot, number: int, source: NamedCopy, named: NamedCopy, table: PortTable
) -> LaterCopy:
    """Return a later copy with both drives in the ports in which it is made quickest.

    Raises BadValueError where the computer hasn't the ports for both.
    """
    copy, tag, unit, _filled = named
    from_copy, from_tag, from_unit, from_filled = source
    drives = [Device(tag, setup_of_unit(unit), 0.0)] if unit is not None else []
    cards = []
    if from_unit is not None:
        cards.append(Device(from_tag, setup_of_unit(from_unit), from_filled[number - 1].day_bytes))
    way = plugged_ways(table, drives, cards, {})[0]
    read = from_copy.write_bytes_per_s  # nothing else is known of a drive that isn't ours
    if cards:
        read = max(chain.reading_bytes_per_s for _setup, chain in way.cards[from_tag].values())
    return LaterCopy(
        copy.name, drive_of_copy(shoot, number, named, way), from_tag, read, copy.not_before_s
    )
