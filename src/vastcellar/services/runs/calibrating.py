"""Fit a unit's model to its runs, keep it, and set a run beside what was predicted of it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from typing import Any

from vastcellar.core.chain.chain import Chain
from vastcellar.core.chain.measured_stages import StageMeasurement, build_measured_chain
from vastcellar.core.chain.setup_parts import find_parts, heat_path
from vastcellar.core.diagnosis.causes import Cause, Diagnosis
from vastcellar.core.errors import BadValueError, VastCellarError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.parts import Drive, WriteBehaviour
from vastcellar.core.parts.units import Unit, free_bytes_on
from vastcellar.core.shoot.shoot import Setup
from vastcellar.core.trace import Trace
from vastcellar.core.unit_model.fitted_model import Calibration
from vastcellar.core.unit_model.prediction import PredictionCheck, WrittenRun, beside_model
from vastcellar.core.writing.heat import HeatPath
from vastcellar.services.runs.doubt import run_doubt
from vastcellar.services.runs.resting import (
    USUAL_ROOM_C,
    modelled,
    rest_needed_s,
    seconds_since_last_run,
    unit_heat_path,
)
from vastcellar.services.workplace.measured_stages import measured_device
from vastcellar.services.workplace.run_records import RECORDER, run_conditions
from vastcellar.services.workplace.workplace import Shelf, Workplace, require_unit
from vastcellar.store.calibration_record import CalibrationRecord
from vastcellar.store.run_record import RunRecord
from vastcellar.store.trace_csv import parse_trace

__all__ = [
    "CALIBRATES",
    "Calibrated",
    "CalibrationRecord",
    "PredictionCheck",
    "calibrate_unit",
    "forget_calibration",
    "prediction_check_of",
]

CALIBRATES = ("write", "read", "capacity")
"""Kinds of tests that show what a drive does when nothing paces it, for long enough."""
_NO_CAP_BYTES_PER_S = 1e12
_DRAWS = 30
_MOST_RUNS = 8
_CHANGED_SHARE = 0.08
_LEARNED_SPREAD, _TYPICAL_SPREAD = 0.03, 0.10


@dataclass(frozen=True)
class Calibrated:
    """What came of fitting a unit's model."""

    record: CalibrationRecord
    left_out: tuple[str, ...]
    """Runs that could not be learned from, each with its reason."""
    link_bytes_per_s: float | None = None
    """What the link carried, where a real run was held up by it: kept for that port too."""


def calibrate_unit(workplace: Workplace, unit_tag: str, *, keep: bool = True) -> Calibrated:
    """Return the unit's model fitted to its runs, and keep it where *keep* says so.

    Real runs count; in a demo simulated ones, too, where there is no real one.
    Raises UnknownPartError for the unit, BadValueError where its runs tell nothing, CellarError.
    """
    cellar, catalog, shelf = workplace.cellar, workplace.catalog, workplace.shelf()
    unit = require_unit(shelf, unit_tag)
    drive = catalog.drive(unit.drive_key)
    records = [each for each in shelf.records if each.unit_tag == unit_tag]
    written: list[tuple[RunRecord, WrittenRun]] = []
    left_out: list[str] = []
    for record in sorted(records, key=lambda each: each.measured_at):
        try:
            trace = parse_trace(cellar.trace_csv(record.run_id), f"run {record.run_id}")
            written.append((record, _written_run(catalog, shelf, unit, record, trace)))
        except VastCellarError as error:
            left_out.append(f"run {record.run_id}: {error.what}")
    if not workplace.is_demo or any(not record.is_simulated for record, _ in written):
        left_out += [f"run {r.run_id}: simulated" for r, _ in written if r.is_simulated]
        written = [(record, run) for record, run in written if not record.is_simulated]
    if not written:
        raise BadValueError(
            "it has no run to learn from" + (f" ({left_out[0]})" if left_out else ""),
            where=f"unit {unit_tag}",
            mend="Write flat out from rest, past its cache, in Prove",
        )
    typical = modelled(drive).writes
    fit, used = _fit(typical, written, left_out)
    _require_learned(fit, drive)
    made = CalibrationRecord(
        unit_tag=unit_tag,
        drive_key=unit.drive_key,
        made_at=datetime.now(UTC),
        is_simulated=all(record.is_simulated for record in used),
        run_ids=tuple(record.run_id for record in used),
        fit=fit,
    )
    measured = _measured_link(catalog, shelf, unit, used[-1])
    if keep:
        cellar.keep_calibration(made)
        if measured is not None:
            cellar.keep_stage(measured)
    return Calibrated(made, tuple(left_out), measured.bytes_per_s if measured else None)


def _measured_link(
    catalog: Catalog, shelf: Shelf, unit: Unit, record: RunRecord
) -> StageMeasurement | None:
    """Return what bridge or interface carried in a real run that the link held up, or None."""
    found = record.figures.get("diagnosis") or {"causes": []}
    if record.is_simulated or Cause.LINK.value not in found["causes"]:
        return None
    chain, _ = _setup_of(catalog, shelf, unit, record.conditions)
    if chain is None:
        return None
    try:
        return measured_device(chain, float(found["burst_bytes_per_s"]), is_stated=False)
    except BadValueError:
        return None  # more than the link carries: memory flattered it


def _fit(
    typical: WriteBehaviour, written: Sequence[tuple[RunRecord, WrittenRun]], left_out: list[str]
) -> tuple[Calibration, list[RunRecord]]:
    """Return the fit to the newest run and to those before it that still agree with it.

    A drive that has become slower is not the mean of what it was and what it is.
    """
    from vastcellar.core.unit_model.calibration import calibrate  # SciPy's optimisers load slowly

    *earlier, newest = written[-_MOST_RUNS:]
    fit = calibrate(typical, [newest[1]])
    used = [newest]
    for record, run in reversed(earlier):
        then = beside_model(run, fit.behaviour, None)
        if then is not None and abs(then.off_share) > _CHANGED_SHARE:
            left_out.append(f"run {record.run_id}: it has changed since ({_percent(then)} then)")
        else:
            used.insert(0, (record, run))
    if len(used) > 1:
        fit = calibrate(typical, [run for _, run in used])
    return fit, [record for record, _ in used]


def _percent(then: PredictionCheck) -> str:
    return f"{then.off_share * 100:+.0f} %"


def forget_calibration(workplace: Workplace, unit_tag: str) -> bool:
    """Go back to the typical figures for a unit; return whether it was calibrated.

    Raises UnknownPartError, CellarError.
    """
    require_unit(workplace.shelf(), unit_tag)
    return workplace.cellar.forget_calibration(unit_tag)


def _require_learned(fit: Calibration, drive: Drive) -> None:
    """A drive known from its box alone must have shown what it does for good."""
    lasting = next(each for each in fit.figures if each.key == "direct_write_bytes_per_s")
    if drive.behaviour is None and not lasting.is_learned:
        raise BadValueError(
            "only its box is known, and no run shows what it writes once its cache is full",
            where=drive.name,
            mend="Write flat out past its cache",
        )


def _written_run(
    catalog: Catalog, shelf: Shelf, unit: Unit, record: RunRecord, trace: Trace
) -> WrittenRun:
    """Return a record as the fit takes it. Raises VastCellarError saying why it can't be."""
    where = f"run {record.run_id}"
    if record.kind not in CALIBRATES:
        what = "its own pace, not the drive's" if record.kind == RECORDER else "too little"
        raise BadValueError(f"a {record.kind} test shows {what}", where=where, mend="")
    conditions = record.conditions
    if doubt := run_doubt(unit, run_conditions(record, catalog)):
        raise BadValueError(doubt, where=where, mend="")
    if conditions.get("cooling"):
        raise BadValueError(f"it had {conditions['cooling']}", where=where, mend="")
    chain, path = _setup_of(catalog, shelf, unit, conditions)
    drive = catalog.drive(unit.drive_key)
    room = chain.free_bytes if chain else free_bytes_on(drive, unit)
    needed_s = rest_needed_s(path, drive, room)
    if not _began_from_rest(record, shelf.records, needed_s):
        raise BadValueError("it began before the drive was at rest again", where=where, mend="")
    link = record.figures.get("link_bytes_per_s")
    cap = link or (chain.link_cap_bytes_per_s if chain else 0.0) or _NO_CAP_BYTES_PER_S
    return WrittenRun(
        trace=trace,
        path=path,
        link_cap_bytes_per_s=cap,
        free_bytes=float(conditions.get("free_bytes") or room),
        capacity_bytes=drive.capacity_bytes,
        is_direct="direct" in str(conditions["write_mode"]).lower() or record.is_simulated,
    )


def _setup_of(
    catalog: Catalog, shelf: Shelf, unit: Unit, conditions: dict[str, Any]
) -> tuple[Chain | None, HeatPath]:
    """Return the chain that a run was made on, where it is known, and the way of its heat."""
    ambient_c = conditions["ambient_c"]
    if ambient_c is None or not math.isfinite(ambient_c):  # nobody said how warm it was
        ambient_c = USUAL_ROOM_C
    if conditions["host_key"]:
        setup = Setup(
            drive_key=unit.drive_key,
            host_key=conditions["host_key"],
            port_key=conditions["port_key"],
            unit_tag=unit.tag,
            enclosure_key=conditions["enclosure_key"],
            cable_key=conditions["cable_key"],
        )
        parts = find_parts(setup, catalog, unit)
        parts = replace(parts, drive=modelled(parts.drive))
        chain = build_measured_chain(parts, catalog, ambient_c, shelf.stages)
        return chain, heat_path(parts, ambient_c)
    return None, unit_heat_path(catalog, unit, ambient_c)


def _began_from_rest(record: RunRecord, others: Sequence[RunRecord], needed_s: float) -> bool:
    if not record.figures.get("from_rest", True):  # as the test itself knew
        return False
    if record.is_simulated:
        return True
    began = record.measured_at - timedelta(seconds=_lasted_s(record))
    before = [each for each in others if each.run_id != record.run_id]
    return seconds_since_last_run(before, record.unit_tag, began) >= needed_s


def _lasted_s(record: RunRecord) -> float:
    figures = record.figures
    if "elapsed_s" in figures:
        return float(figures["elapsed_s"])
    return sum(float(each["elapsed_s"]) for key in ("write", "read") if (each := figures.get(key)))


def prediction_check_of(
    workplace: Workplace, record: RunRecord, trace: Trace, found: Diagnosis | None
) -> PredictionCheck | None:
    """Return a run beside what the unit's model predicted of it; None where it can't be compared.

    The model is the unit's own where it was calibrated before, else its class's.
    """
    shelf, catalog = workplace.shelf(), workplace.catalog
    unit = shelf.unit(record.unit_tag)
    drive = catalog.drive_of(unit) if unit else None
    if unit is None or drive is None or drive.behaviour is None:
        return None
    try:
        run = _written_run(catalog, shelf, unit, record, trace)
    except VastCellarError:
        return None
    own = next((each for each in shelf.calibrations if each.unit_tag == unit.tag), None)
    possible = own.fit.draws(_DRAWS) if own is not None and drive.is_calibrated else ()
    known_share = _LEARNED_SPREAD if possible else _TYPICAL_SPREAD
    return beside_model(run, drive.behaviour, found, possible, known_share)
