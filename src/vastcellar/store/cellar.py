"""The cellar: the record of every unit and every run, in one SQLite file."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator
from dataclasses import asdict, dataclass, fields
from datetime import UTC
from pathlib import Path
from typing import Any, TypeVar, cast

from sqlalchemy import ColumnElement, CursorResult, Delete, Select, delete, func, select, update
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from vastcellar.core.chain.measured_stages import StageMeasurement
from vastcellar.core.errors import BadValueError, CellarError, UnknownPartError, VastCellarError
from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.core.parts.units import Unit
from vastcellar.store.acceptance_record import acceptance_as_json, acceptance_from_json
from vastcellar.store.calibration_record import CalibrationRecord, fit_as_json, fit_from_json
from vastcellar.store.cellar_file import (
    DAMAGE,
    alone_with,
    as_cellar_error,
    mark_kind,
    migrate,
    open_engine,
)
from vastcellar.store.run_record import RunRecord
from vastcellar.store.tables import CalibrationRow, RunRow, StageMeasurementRow, UnitRow
from vastcellar.store.unit_changes import changes_told

T = TypeVar("T")
_MAY_GROW = ("written_bytes", "acceptance")
_UNSYNCHRONIZED = {"synchronize_session": False}
# What the user says of a unit; the rest follows from its runs.
_STATED = ("drive_key", "enclosure_key", "written_bytes", "used_bytes", "state", "note",
           "acceptance")  # fmt: skip


@dataclass(frozen=True, slots=True)
class RunsMark:
    """What the runs of a cellar are told apart by, without reading them."""

    count: int
    newest_id: int
    tags: frozenset[tuple[int, str]]
    """The number of each unit with its tag: a run goes by its unit's."""


class Cellar:
    """Opens, migrates, reads and writes the cellar. One transaction an edit.

    Every method may raise CellarError; it then changed nothing. It may be used from any thread,
    one call at a time each: a call opens its own session.
    """

    def __init__(self, path: Path, *, is_demo: bool = False) -> None:
        self.path = path
        self.unreadable: set[str] = set()
        """Rows that were left out because they can't be read, each by table and key."""
        try:
            self._engine = open_engine(path)
            with alone_with(path), self._engine.begin() as connection:
                migrate(connection, path)
                self.is_demo = mark_kind(connection, is_demo=is_demo)
                """Whether it was made as a demo: only there a rig may stand for a drive."""
        except (SQLAlchemyError, OSError, *DAMAGE) as error:
            raise as_cellar_error(error, path) from error

    def close(self) -> None:
        """Let go of the file."""
        self._engine.dispose()

    @contextlib.contextmanager
    def session(self) -> Iterator[Session]:
        """One transaction; nothing of it is kept where it fails. Raises CellarError."""
        if not self.path.exists():
            # SQLite would go on with the file that is open, and all would be lost with it.
            raise CellarError(
                "the cellar's file was taken away while it was open",
                where=str(self.path),
                mend="Put it back, then start again",
            )
        try:
            with Session(self._engine) as session, session.begin():
                yield session
        except SQLAlchemyError as error:
            raise as_cellar_error(error, self.path) from error

    def read(
        self, table: str, key: Any, wanted: Select[*tuple[Any, ...]], value: Callable[[Any], T]
    ) -> tuple[T, ...]:
        """Return the *value* of each row of *wanted*; a row that can't be read is left out.

        One bad row must not cost the whole shelf: where reading all at once fails, each is read
        by itself, by its *key*.
        """
        try:
            with self.session() as session:
                return tuple(value(row) for row in session.execute(wanted))
        except (VastCellarError, *DAMAGE) as error:
            if not _is_of_a_row(error):
                raise
        found = []
        with self.session() as session:
            order = session.scalars(wanted.with_only_columns(key)).all()
        for each in order:
            try:
                with self.session() as session:
                    found.append(value(session.execute(wanted.where(key == each)).one()))
            except (VastCellarError, *DAMAGE) as error:
                if not _is_of_a_row(error):
                    raise
                self.unreadable.add(f"{table} {each}")
        return tuple(found)

    def units(self) -> tuple[Unit, ...]:
        """Return every unit, by tag, with what its own runs say of how it writes."""
        fits = {
            each.unit_tag: each
            for each in self.calibrations()
            if self.is_demo or not each.is_simulated  # elsewhere a rig calibrates nothing
        }
        wanted = select(UnitRow).order_by(UnitRow.tag)
        return self.read(
            "unit", UnitRow.tag, wanted, lambda row: unit_of_row(row[0], fits.get(row[0].tag))
        )

    def calibrations(self) -> tuple[CalibrationRecord, ...]:
        """Return every unit's own model, by tag."""
        wanted = (
            select(CalibrationRow, UnitRow.tag)
            .join(UnitRow, UnitRow.id == CalibrationRow.unit_id)
            .order_by(UnitRow.tag)
        )
        return self.read(
            "calibration",
            CalibrationRow.unit_id,
            wanted,
            lambda row: CalibrationRecord(
                unit_tag=row[1],
                drive_key=row[0].drive_key,
                made_at=row[0].made_at.replace(tzinfo=UTC),
                is_simulated=row[0].is_simulated,
                run_ids=tuple(row[0].run_ids),
                fit=fit_from_json(row[0].fit),
            ),
        )

    def keep_calibration(self, made: CalibrationRecord) -> None:
        """Keep *made* in place of the unit's earlier one. Raises UnknownPartError."""
        with self.session() as session:
            unit = require_unit_row(session, made.unit_tag)
            session.merge(
                CalibrationRow(
                    unit_id=unit.id,
                    drive_key=made.drive_key,
                    made_at=made.made_at.astimezone(UTC),
                    is_simulated=made.is_simulated,
                    run_ids=list(made.run_ids),
                    fit=fit_as_json(made.fit),
                )
            )

    def forget_calibration(self, unit_tag: str) -> bool:
        """Drop the unit's own model; return whether there was one."""
        with self.session() as session:
            unit = _find_unit(session, unit_tag)
            row = session.get(CalibrationRow, unit.id) if unit else None
            if row is not None:
                session.delete(row)
            return row is not None

    def save_units(self, units: tuple[Unit, ...]) -> None:
        """Add *units*, or put them in place of those of the same tag, all or none."""
        with self.session() as session:
            for unit in units:
                known = _find_unit(session, unit.tag)
                if known is None:
                    session.add(UnitRow(tag=unit.tag, **_stated(unit)))
                else:
                    for name, value in _stated(unit).items():
                        setattr(known, name, value)

    def add_unit(self, unit: Unit) -> None:
        """Add *unit*. Raises BadValueError where another window has added its tag meanwhile."""
        with self.session() as session:
            _require_free_tag(session, unit.tag)
            session.add(UnitRow(tag=unit.tag, **_stated(unit)))

    def change_unit(self, before: Unit, after: Unit) -> None:
        """Change what differs between *before* and *after*, and nothing else.

        What was written by a test meanwhile, or changed in another window, stays; so do its runs
        where the tag is another. A move to another case, another tag and the like stand in its
        story from then on. Raises UnknownPartError; BadValueError for a tag that is taken, and
        where somebody else changed the very same thing meanwhile.
        """
        then, now = ({"tag": each.tag, **_stated(each)} for each in (before, after))
        changed = {name: value for name, value in now.items() if then[name] != value}
        with self.session() as session:
            row = require_unit_row(session, before.tag)
            if "tag" in changed:
                _require_free_tag(session, after.tag)
            if changed:
                mine = update(UnitRow).where(UnitRow.id == row.id, *_as_before(then, changed))
                done = session.execute(mine.values(**changed), execution_options=_UNSYNCHRONIZED)
                if not cast("CursorResult[Any]", done).rowcount:
                    session.refresh(row)
                    raise _changed_meanwhile(row, then, changed)
            session.add_all(changes_told(row.id, then, changed))

    def bind_unit(self, tag: str, device: DeviceIdentity | None) -> None:
        """Bind the unit to *device*, or release it. Raises UnknownPartError."""
        kept = asdict(device) if device else None
        with self.session() as session:
            unit = require_unit_row(session, tag)
            if unit.device is not None and unit.device != kept:
                unit.acceptance = None  # it was of the device before
            unit.device = kept

    def runs_mark(self) -> RunsMark:
        """Return what changes when a run is added, or a unit gets another tag."""
        with self.session() as session:
            counted = select(func.count(RunRow.id), func.max(RunRow.id))
            count, newest = session.execute(counted).one()
            units = session.execute(select(UnitRow.id, UnitRow.tag))
            tags = frozenset((number, tag) for number, tag in units)
        return RunsMark(count, newest or 0, tags)

    def runs(self, unit_tag: str | None = None, after_id: int = 0) -> tuple[RunRecord, ...]:
        """Return the runs of a unit, or of all, newest first, without their traces.

        With *after_id* only those that were kept after the run of that number.
        """
        wanted = select(
            RunRow.id,
            UnitRow.tag.label("unit_tag"),
            RunRow.kind,
            RunRow.measured_at,
            RunRow.is_simulated,
            RunRow.is_complete,
            RunRow.conditions,
            RunRow.figures,
        ).join(UnitRow, UnitRow.id == RunRow.unit_id)
        wanted = wanted.order_by(RunRow.measured_at.desc(), RunRow.id.desc())
        if unit_tag is not None:
            wanted = wanted.where(UnitRow.tag == unit_tag)
        if after_id:
            wanted = wanted.where(RunRow.id > after_id)
        return self.read("run", RunRow.id, wanted, _run)

    def trace_csv(self, run_id: int) -> str:
        """Return the trace of a run. Raises UnknownPartError where there is no such run."""
        with self.session() as session:
            row = session.get(RunRow, run_id)
            if row is None:
                raise UnknownPartError(
                    f"there is no run {run_id}", where="cellar", mend="Choose one of its runs"
                )
            return row.trace_csv

    def add_run(self, run: RunRecord, trace_csv: str, *, wear_bytes: int = 0) -> int:
        """Keep *run* under its unit and return its number; *wear_bytes* count as written."""
        with self.session() as session:
            # Summed by the database: two processes that read, add and write lose one's bytes. It
            # is read after that, too, when nobody else can write any more.
            more = UnitRow.written_bytes + wear_bytes
            mine = update(UnitRow).where(UnitRow.tag == run.unit_tag)
            session.execute(mine.values(written_bytes=more))
            unit = require_unit_row(session, run.unit_tag)
            before = {"unit_written_bytes": unit.written_bytes - wear_bytes}
            row = RunRow(
                unit_id=unit.id,
                kind=run.kind,
                measured_at=run.measured_at.astimezone(UTC),
                is_simulated=run.is_simulated,
                is_complete=run.is_complete,
                conditions=run.conditions | before,
                figures=run.figures,
                trace_csv=trace_csv,
            )
            session.add(row)
            session.flush()
            return row.id

    def stage_measurements(self) -> tuple[StageMeasurement, ...]:
        """Return every stage that was measured, newest first."""
        wanted = select(StageMeasurementRow).order_by(StageMeasurementRow.measured_at.desc())
        return self.read(
            "stage measurement",
            StageMeasurementRow.id,
            wanted,
            lambda row: StageMeasurement(
                host_key=row[0].host_key,
                port_key=row[0].port_key,
                stage_key=row[0].stage_key,
                part_key=row[0].part_key,
                mode_key=row[0].mode_key,
                bytes_per_s=row[0].bytes_per_s,
                measured_at=row[0].measured_at.replace(tzinfo=UTC),
                is_stated=row[0].is_stated,
            ),
        )

    def keep_stage(self, measured: StageMeasurement) -> None:
        """Keep *measured* in place of what was measured of the same stage before."""
        with self.session() as session:
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
                    is_stated=measured.is_stated,
                )
            )

    def forget_stage(self, measured: StageMeasurement) -> None:
        """Drop what was measured of the stage that *measured* names."""
        with self.session() as session:
            session.execute(_same_stage(measured))


def _is_of_a_row(error: Exception) -> bool:
    """Whether one row is to blame; a cellar that is locked or gone reads no row at all."""
    return not isinstance(error, CellarError) or "decode" in str(error.__cause__)


def _same_stage(measured: StageMeasurement) -> Delete:
    row = StageMeasurementRow
    return delete(row).where(
        row.host_key == measured.host_key,
        row.port_key == measured.port_key,
        row.stage_key == measured.stage_key,
        row.part_key == measured.part_key,
        row.mode_key == measured.mode_key,
    )


def _find_unit(session: Session, tag: str) -> UnitRow | None:
    return session.scalar(select(UnitRow).where(UnitRow.tag == tag))


def _require_free_tag(session: Session, tag: str) -> None:
    if _find_unit(session, tag) is not None:
        raise BadValueError(
            "there is one of this tag already",
            where=f"unit {tag}",
            mend="Give another tag, or choose that unit and change it",
        )


def _as_before(then: dict[str, Any], changed: dict[str, Any]) -> list[ColumnElement[bool]]:
    """Return what must hold in the very statement that writes: read before, it may be old.

    Written bytes grow by every test, and a decision holds against the one before it.
    """
    return [
        getattr(UnitRow, name).in_((then[name], value))
        for name, value in changed.items()
        if name not in _MAY_GROW
    ]


def _changed_meanwhile(
    row: UnitRow, then: dict[str, Any], changed: dict[str, Any]
) -> BadValueError:
    name = next(
        n for n in changed if n not in _MAY_GROW and getattr(row, n) not in (then[n], changed[n])
    )
    return BadValueError(
        f"its {name.replace('_', ' ')} was changed meanwhile, to {getattr(row, name)!r}",
        where=f"unit {row.tag}",
        mend="Look at what it is now, and change that",
    )


def require_unit_row(session: Session, tag: str) -> UnitRow:
    """Return the row of the unit *tag*. Raises UnknownPartError."""
    unit = _find_unit(session, tag)
    if unit is None:
        raise UnknownPartError(
            f"the cellar has no unit {tag!r}",
            where="cellar",
            mend="Add the unit first, or choose one that is there",
        )
    return unit


def _stated(unit: Unit) -> dict[str, Any]:
    stated = {each.name: getattr(unit, each.name) for each in fields(Unit) if each.name in _STATED}
    return {**stated, "acceptance": acceptance_as_json(unit.acceptance)}


def _run(row: Any) -> RunRecord:
    if not isinstance(row.conditions, dict) or not isinstance(row.figures, dict):
        raise TypeError("a run's conditions or figures can't be read")
    return RunRecord(
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
