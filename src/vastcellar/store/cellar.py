"""The cellar: the record of every unit and every run, in one SQLite file."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from datetime import UTC
from pathlib import Path
from typing import Any

from sqlalchemy import (
    Connection,
    Delete,
    Engine,
    create_engine,
    delete,
    event,
    inspect,
    select,
    text,
)
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from vastcellar.core.errors import CellarError, UnknownPartError
from vastcellar.core.measured_stages import StageMeasurement
from vastcellar.core.parts import Unit
from vastcellar.data import data_path
from vastcellar.store.calibration_record import CalibrationRecord, fit_as_json, fit_from_json
from vastcellar.store.run_record import RunRecord
from vastcellar.store.tables import CalibrationRow, RunRow, StageMeasurementRow, UnitRow

NEWEST_REVISION = "0003"


class Cellar:
    """Opens, migrates, reads and writes the cellar. One transaction an edit.

    Every method may raise CellarError; it then changed nothing. It may be used from any thread,
    one call at a time each: a call opens its own session.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            self._engine = _engine(path)
            with self._engine.begin() as connection:
                _migrate(connection, path)
        except (SQLAlchemyError, OSError) as error:
            raise _as_cellar_error(error, path) from error

    def close(self) -> None:
        """Let go of the file."""
        self._engine.dispose()

    @contextlib.contextmanager
    def _session(self) -> Iterator[Session]:
        try:
            with Session(self._engine) as session, session.begin():
                yield session
        except SQLAlchemyError as error:
            raise _as_cellar_error(error, self.path) from error

    def units(self) -> tuple[Unit, ...]:
        """Return every unit, by tag, with what its own runs say of how it writes."""
        fits = {each.unit_tag: each for each in self.calibrations()}
        with self._session() as session:
            rows = session.scalars(select(UnitRow).order_by(UnitRow.tag))
            return tuple(_unit(row, fits.get(row.tag)) for row in rows)

    def calibrations(self) -> tuple[CalibrationRecord, ...]:
        """Return every unit's own model, by tag."""
        with self._session() as session:
            return tuple(
                CalibrationRecord(
                    unit_tag=row.unit_tag,
                    drive_key=row.drive_key,
                    made_at=row.made_at.replace(tzinfo=UTC),
                    is_simulated=row.is_simulated,
                    run_ids=tuple(row.run_ids),
                    fit=fit_from_json(row.fit),
                )
                for row in session.scalars(select(CalibrationRow).order_by(CalibrationRow.unit_tag))
            )

    def keep_calibration(self, made: CalibrationRecord) -> None:
        """Keep *made* in place of the unit's earlier one. Raises UnknownPartError."""
        with self._session() as session:
            _require_unit(session, made.unit_tag)
            session.merge(
                CalibrationRow(
                    unit_tag=made.unit_tag,
                    drive_key=made.drive_key,
                    made_at=made.made_at.astimezone(UTC),
                    is_simulated=made.is_simulated,
                    run_ids=list(made.run_ids),
                    fit=fit_as_json(made.fit),
                )
            )

    def forget_calibration(self, unit_tag: str) -> bool:
        """Drop the unit's own model; return whether there was one."""
        with self._session() as session:
            row = session.get(CalibrationRow, unit_tag)
            if row is not None:
                session.delete(row)
            return row is not None

    def save_units(self, units: tuple[Unit, ...]) -> None:
        """Add *units*, or put them in place of those of the same tag, all or none."""
        with self._session() as session:
            for unit in units:
                session.merge(
                    UnitRow(
                        tag=unit.tag,
                        drive_key=unit.drive_key,
                        enclosure_key=unit.enclosure_key,
                        written_bytes=unit.written_bytes,
                        used_bytes=unit.used_bytes,
                        state=unit.state,
                        note=unit.note,
                    )
                )

    def runs(self, unit_tag: str | None = None) -> tuple[RunRecord, ...]:
        """Return the runs of a unit, or of all, newest first, without their traces."""
        wanted = select(
            RunRow.id,
            RunRow.unit_tag,
            RunRow.kind,
            RunRow.measured_at,
            RunRow.is_simulated,
            RunRow.is_complete,
            RunRow.conditions,
            RunRow.figures,
        ).order_by(RunRow.measured_at.desc(), RunRow.id.desc())
        if unit_tag is not None:
            wanted = wanted.where(RunRow.unit_tag == unit_tag)
        with self._session() as session:
            return tuple(
                RunRecord(
                    run_id=row.id,
                    unit_tag=row.unit_tag,
                    kind=row.kind,
                    # SQLite keeps no time zone; what was stored was UTC.
                    measured_at=row.measured_at.replace(tzinfo=UTC),
                    is_simulated=row.is_simulated,
                    is_complete=row.is_complete,
                    conditions=row.conditions,
                    figures=row.figures,
                )
                for row in session.execute(wanted)
            )

    def trace_csv(self, run_id: int) -> str:
        """Return the trace of a run. Raises UnknownPartError where there is no such run."""
        with self._session() as session:
            row = session.get(RunRow, run_id)
            if row is None:
                raise UnknownPartError(
                    f"there is no run {run_id}", where="cellar", mend="Choose one of its runs"
                )
            return row.trace_csv

    def add_run(self, run: RunRecord, trace_csv: str, *, wear_bytes: int = 0) -> int:
        """Keep *run* under its unit and return its number; *wear_bytes* count as written."""
        with self._session() as session:
            unit = _require_unit(session, run.unit_tag)
            unit.written_bytes += wear_bytes
            row = RunRow(
                unit_tag=run.unit_tag,
                kind=run.kind,
                measured_at=run.measured_at.astimezone(UTC),
                is_simulated=run.is_simulated,
                is_complete=run.is_complete,
                conditions=run.conditions,
                figures=run.figures,
                trace_csv=trace_csv,
            )
            session.add(row)
            session.flush()
            return row.id

    def stage_measurements(self) -> tuple[StageMeasurement, ...]:
        """Return every stage that was measured, newest first."""
        newest = StageMeasurementRow.measured_at.desc()
        with self._session() as session:
            return tuple(
                StageMeasurement(
                    host_key=row.host_key,
                    port_key=row.port_key,
                    stage_key=row.stage_key,
                    part_key=row.part_key,
                    mode_key=row.mode_key,
                    bytes_per_s=row.bytes_per_s,
                    measured_at=row.measured_at.replace(tzinfo=UTC),
                )
                for row in session.scalars(select(StageMeasurementRow).order_by(newest))
            )

    def keep_stage(self, measured: StageMeasurement) -> None:
        """Keep *measured* in place of what was measured of the same stage before."""
        with self._session() as session:
            session.execute(_same_stage(measured))
            session.add(
                StageMeasurementRow(
                    host_key=measured.host_key,
                    port_key=measured.port_key,
                    stage_key=measured.stage_key,
                    part_key=measured.part_key,
                    mode_key=measured.mode_key,
                    bytes_per_s=measured.bytes_per_s,
                    measured_at=measured.measured_at.astimezone(UTC),
                )
            )

    def forget_stage(self, measured: StageMeasurement) -> None:
        """Drop what was measured of the stage that *measured* names."""
        with self._session() as session:
            session.execute(_same_stage(measured))


def _same_stage(measured: StageMeasurement) -> Delete:
    row = StageMeasurementRow
    return delete(row).where(
        row.host_key == measured.host_key,
        row.port_key == measured.port_key,
        row.stage_key == measured.stage_key,
        row.part_key == measured.part_key,
        row.mode_key == measured.mode_key,
    )


def _require_unit(session: Session, tag: str) -> UnitRow:
    unit = session.get(UnitRow, tag)
    if unit is None:
        raise UnknownPartError(
            f"the cellar has no unit {tag!r}",
            where="cellar",
            mend="Add the unit first, or choose one that is there",
        )
    return unit


def _unit(row: UnitRow, calibration: CalibrationRecord | None) -> Unit:
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
    )


def _engine(path: Path) -> Engine:
    engine = create_engine(f"sqlite:///{path}")

    @event.listens_for(engine, "connect")
    def _prepare(connection: Any, _record: Any) -> None:
        # WAL lets the window read while a run is being saved.
        connection.execute("PRAGMA journal_mode=WAL")
        connection.execute("PRAGMA foreign_keys=ON")
        connection.execute("PRAGMA busy_timeout=5000")

    return engine


def _migrate(connection: Connection, path: Path) -> None:
    """Bring the database to the newest revision. Alembic is only loaded where it has work."""
    revision = None
    if inspect(connection).has_table("alembic_version"):
        revision = connection.scalar(text("SELECT version_num FROM alembic_version"))
    if revision == NEWEST_REVISION:
        return
    if revision is not None and revision > NEWEST_REVISION:
        raise CellarError(
            f"it was written by a newer Vast Cellar (revision {revision})",
            where=str(path),
            mend="Use that version, or start with another data folder",
        )
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(data_path().parent / "store" / "migrations"))
    config.attributes["connection"] = connection
    command.upgrade(config, NEWEST_REVISION)


def _as_cellar_error(error: Exception, path: Path) -> CellarError:
    reason = str(getattr(error, "orig", None) or error).strip()
    if "not a database" in reason or "malformed" in reason:
        return CellarError(
            "the cellar's file is damaged",
            where=str(path),
            mend="Restore it from a copy, or move it away to start an empty cellar",
        )
    if "readonly" in reason or "read-only" in reason.lower():
        return CellarError(
            "the cellar's file is read-only", where=str(path), mend="Make it writable"
        )
    if "locked" in reason:
        return CellarError(
            "another program holds the cellar", where=str(path), mend="Close it and try again"
        )
    if "full" in reason:
        return CellarError(
            "the disk of the cellar is full", where=str(path), mend="Make room on it"
        )
    return CellarError(
        f"the cellar can't be used ({reason.splitlines()[0]})",
        where=str(path),
        mend="Check the folder and its permissions",
    )
