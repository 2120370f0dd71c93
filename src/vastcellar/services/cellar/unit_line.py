"""A unit in a line: what it is, and what is stated of it."""

from __future__ import annotations

from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.units import Unit, free_bytes_on
from vastcellar.core.units import NumberFormat
from vastcellar.services.proving.binding import identity_words, twins
from vastcellar.services.words.acceptance_wording import acceptance_words
from vastcellar.services.workplace.workplace import Shelf


def unit_line(unit: Unit, catalog: Catalog) -> str:
    """Return what *unit* is: its tag, its drive, its case."""
    drive, case = catalog.drives.get(unit.drive_key), catalog.cases.get(unit.enclosure_key)
    name = drive.name if drive else unit.drive_key
    return f"{unit.tag} · {name}" + (f" in {case.name}" if case else "")


def stated_words(
    unit: Unit, shelf: Shelf, catalog: Catalog, fmt: NumberFormat, calibrated: str
) -> str:
    """Return what is stated of *unit*, and what it is bound to; *calibrated* stands among it."""
    facts = []
    drive = catalog.drives.get(unit.drive_key)
    if drive:
        free = free_bytes_on(drive, unit)
        facts.append(f"{fmt.size(free)} of {fmt.size(drive.capacity_bytes)} free")
    facts.append(unit.state)
    if unit.acceptance is not None:
        facts.append(acceptance_words(unit.acceptance))
    if calibrated:
        facts.append(calibrated)
    if unit.device is not None:
        facts.append(f"bound to {identity_words(unit.device)}")
    facts += [
        f"the same device as {(set(pair) - {unit.tag}).pop()}: are two labels swapped?"
        for pair in twins(shelf)
        if unit.tag in pair
    ]
    if unit.note:
        facts.append(unit.note)
    return " · ".join(facts)
