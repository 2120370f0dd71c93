"""A unit as a row of the cellar, and what must hold of the row when one is changed."""

from __future__ import annotations

from dataclasses import fields
from typing import Any

from sqlalchemy import ColumnElement

from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.core.parts.units import Unit
from vastcellar.store.acceptance_record import acceptance_as_json, acceptance_from_json
from vastcellar.store.calibration_record import CalibrationRecord
from vastcellar.store.tables import UnitRow

_MAY_GROW = ("written_bytes", "acceptance")
# What the user says of a unit; the rest follows from its runs.
_STATED = ("drive_key", "enclosure_key", "written_bytes", "used_bytes", "state", "note",
           "acceptance")  # fmt: skip


def as_before(then: dict[str, Any], changed: dict[str, Any]) -> list[ColumnElement[bool]]:
    """Return what must hold in the very statement that writes: read before, it may be old.

    Written bytes grow by every test, and a decision holds against the one before it.
    """
    return [
        getattr(UnitRow, name).in_((then[name], value))
        for name, value in changed.items()
        if name not in _MAY_GROW
    ]


def changed_meanwhile(row: UnitRow, then: dict[str, Any], changed: dict[str, Any]) -> BadValueError:
    """Return the refusal of a change that somebody else was quicker with."""
    name = next(
        n for n in changed if n not in _MAY_GROW and getattr(row, n) not in (then[n], changed[n])
    )
    return BadValueError(
        f"its {name.replace('_', ' ')} was changed meanwhile, to {getattr(row, name)!r}",
        where=f"unit {row.tag}",
        mend="Look at what it is now, and change that",
    )


def stated(unit: Unit) -> dict[str, Any]:
    """Return the columns that the user says of a unit."""
    stated = {each.name: getattr(unit, each.name) for each in fields(Unit) if each.name in _STATED}
    return {**stated, "acceptance": acceptance_as_json(unit.acceptance)}


def unit_of_row(row: UnitRow, calibration: CalibrationRecord | None) -> Unit:
    """Return the unit of a row, with its own model. Raises BadValueError for one that can't be."""
    # Another drive in the same case under the same tag is not the one that was measured.
    fit = calibration.fit if calibration and calibration.drive_key == row.drive_key else None
    return Unit(
        tag=row.tag,
        drive_key=row.drive_key,
        enclosure_key=row.enclosure_key,
        written_bytes=row.written_bytes,
        used_bytes=row.used_bytes,
        state=row.state,
        note=row.note,
        fitted=fit.behaviour if fit else None,
        fitted_from=fit.typical if fit else None,
        is_fit_simulated=bool(fit and calibration and calibration.is_simulated),
        fitted_at=calibration.made_at if fit and calibration else None,
        device=DeviceIdentity(**row.device) if row.device else None,
        acceptance=acceptance_from_json(row.acceptance),
    )
