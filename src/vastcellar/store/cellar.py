"""The cellar: the record of every unit and every run, in one file or on a server."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator
from dataclasses import asdict, dataclass
from datetime import UTC
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar, cast

from sqlalchemy import (
    BigInteger,
    CursorResult,
    Delete,
    Select,
    String,
    delete,
    func,
    select,
    update,
)
from sqlalchemy import cast as cast_to
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from vastcellar.core.chain.measured_stages import StageMeasurement
from vastcellar.core.errors import BadValueError, CellarError, UnknownPartError, VastCellarError
from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.core.parts.units import Unit
from vastcellar.store.calibration_record import CalibrationRecord, fit_as_json, fit_from_json
from vastcellar.store.cellar_file import DAMAGE, FileDatabase, mark_kind
from vastcellar.store.run_record import RunRecord
from vastcellar.store.tables import (
    BookingRow,
    CalibrationRow,
    FactRow,
    RunRow,
    StageMeasurementRow,
    UnitEventRow,
    UnitRow,
)
from vastcellar.store.unit_changes import changes_told
from vastcellar.store.unit_rows import as_before, changed_meanwhile, stated, unit_of_row

if TYPE_CHECKING:
    from vastcellar.store.server_database import ServerDatabase

T = TypeVar("T")
CHANGES = "changes"
"""The fact that counts what was written."""
_UNSYNCHRONIZED = {"synchronize_session": False}


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

    def __init__(
        self, place: Path | str, *, is_demo: bool = False, backups: Path | None = None
    ) -> None:
        """*place* is a file, or the address of a PostgreSQL server.

        The backups of one on a server go into the folder *backups* of this desk.
        Raises CellarError; BadValueError for what is no address.
        """
        self.database = _database_at(place, backups)
        self.unreadable: set[str] = set()
        """Rows that were left out because they can't be read, each by table and key."""
        with contextlib.ExitStack() as stack:
            try:
                self._engine = self.database.open_engine()
                stack.callback(self._engine.dispose)  # unless it was opened
                with self.database.opening(self._engine) as connection:
                    self.database.migrate(connection)
                    self.is_demo = mark_kind(connection, is_demo=is_demo)
                    """Whether it was made as a demo: only there a rig may stand for a drive."""
            except (SQLAlchemyError, OSError, *DAMAGE) as error:
                raise self.database.as_error(error) from error
            stack.pop_all()

    @property
    def path(self) -> Path | None:
        """Its file; None for one on a server."""
        return self.database.path

    @property
    def where(self) -> str:
        """Its file, or the address of its server without a password."""
        return self.database.where

    def close(self) -> None:
        """Let go of it."""
        self._engine.dispose()

    @contextlib.contextmanager
    def session(self) -> Iterator[Session]:
        """One transaction that writes; nothing of it is kept where it fails. Raises CellarError."""
        self.database.require_there()
        try:
            with Session(self._engine) as session, session.begin():
                self.database.begin_write(session)
                yield session
                session.flush()
                _count_change(session)
        except SQLAlchemyError as error:
            raise self.database.as_error(error) from error

    @contextlib.contextmanager
    def reading(self) -> Iterator[Session]:
        """One transaction that only reads, all of it of one moment. Raises CellarError."""
        self.database.require_there()
        try:
            with Session(self._engine) as session, session.begin():
                self.database.begin_read(session)
                yield session
        except SQLAlchemyError as error:
            raise self.database.as_error(error) from error

    def change_count(self) -> int:
        """Return how often anything was written: another figure than before is another's edit."""
        with self.reading() as session:
            counted = session.scalar(select(FactRow.value).where(FactRow.key == CHANGES))
        return int(counted or 0)

    def back_up(self, why: str) -> Path:
        """Make a backup, named after *why* (letters); return where it is. Raises CellarError."""
        return self.database.back_up(self._engine, why)

    def read(
        self, table: str, key: Any, wanted: Select[*tuple[Any, ...]], value: Callable[[Any], T]
    ) -> tuple[T, ...]:
        """Return the *value* of each row of *wanted*; a row that can't be read is left out.

        One bad row must not cost the whole shelf: where reading all at once fails, each is read
        by itself, by its *key*.
        """
        try:
            with self.reading() as session:
                return tuple(value(row) for row in session.execute(wanted))
        except (VastCellarError, *DAMAGE) as error:
            if not _is_of_a_row(error):
                raise
        found = []
        with self.reading() as session:
            order = session.scalars(wanted.with_only_columns(key)).all()
        for each in order:
            try:
                with self.reading() as session:
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
                    session.add(UnitRow(tag=unit.tag, **stated(unit)))
                else:
                    for name, value in stated(unit).items():
                        setattr(known, name, value)

    def add_unit(self, unit: Unit) -> None:
        """Add *unit*. Raises BadValueError where another window has added its tag meanwhile."""
        with self.session() as session:
            require_free_tag(session, unit.tag)
            session.add(UnitRow(tag=unit.tag, **stated(unit)))

    def remove_unit(self, tag: str) -> None:
        """Take away a unit of which nothing is known yet, as one added by mistake.

        Raises UnknownPartError; BadValueError where anything was kept about it since: what is
        known of a unit is never lost with it, it is retired.
        """
        with self.session() as session:
            row = require_unit_row(session, tag)
            require_unknown(session, row, 0)
            session.delete(row)

    def change_unit(self, before: Unit, after: Unit) -> None:
        """Change what differs between *before* and *after*, and nothing else.

        What was written by a test meanwhile, or changed in another window, stays; so do its runs
        where the tag is another. A move to another case, another tag and the like stand in its
        story from then on. Raises UnknownPartError; BadValueError for a tag that is taken, and
        where somebody else changed the very same thing meanwhile.
        """
        then, now = ({"tag": each.tag, **stated(each)} for each in (before, after))
        changed = {name: value for name, value in now.items() if then[name] != value}
        with self.session() as session:
            row = require_unit_row(session, before.tag)
            if "tag" in changed:
                require_free_tag(session, after.tag)
            if changed:
                mine = update(UnitRow).where(UnitRow.id == row.id, *as_before(then, changed))
                done = session.execute(mine.values(**changed), execution_options=_UNSYNCHRONIZED)
                if not cast("CursorResult[Any]", done).rowcount:
                    session.refresh(row)
                    raise changed_meanwhile(row, then, changed)
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
        with self.reading() as session:
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
        with self.reading() as session:
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


def _database_at(place: Path | str, backups: Path | None) -> FileDatabase | ServerDatabase:
    if isinstance(place, Path):
        return FileDatabase(place)
    from vastcellar.store.server_database import ServerDatabase  # few have one

    return ServerDatabase(place, backups or Path.cwd())


def _count_change(session: Session) -> None:
    count = cast_to(cast_to(FactRow.value, BigInteger) + 1, String)
    one_more = update(FactRow).where(FactRow.key == CHANGES).values(value=count)
    done = session.execute(one_more, execution_options=_UNSYNCHRONIZED)
    if not cast("CursorResult[Any]", done).rowcount:
        session.add(FactRow(key=CHANGES, value="1"))


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


def require_unknown(session: Session, row: UnitRow, events: int) -> None:
    """Raise BadValueError where anything but that many *events* is known of the unit *row*."""
    told = select(func.count(UnitEventRow.id)).where(UnitEventRow.unit_id == row.id)
    has_more = (session.scalar(told) or 0) > events
    for table in (RunRow, BookingRow, CalibrationRow):
        known = select(table.unit_id).where(table.unit_id == row.id).limit(1)
        has_more = has_more or session.scalar(known) is not None
    if has_more:
        raise BadValueError(
            f"{row.tag} can't be taken off the shelf: something is known of it by now",
            where="cellar",
            mend="Retire it; what is known of it stays",
        )


def require_free_tag(session: Session, tag: str) -> None:
    """Raise BadValueError where there is a unit of that tag."""
    if _find_unit(session, tag) is not None:
        raise BadValueError(
            "there is one of this tag already",
            where=f"unit {tag}",
            mend="Give another tag, or choose that unit and change it",
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


def _run(row: Any) -> RunRecord:
    # By place and not by name: a large cellar has a hundred thousand of them.
    number, tag, kind, measured_at, is_simulated, is_complete, conditions, figures = row
    if not isinstance(conditions, dict) or not isinstance(figures, dict):
        raise TypeError("a run's conditions or figures can't be read")
    # SQLite keeps no time zone; what was stored was UTC.
    moment = measured_at.replace(tzinfo=UTC)
    return RunRecord(
        tag, kind, moment, is_simulated, is_complete, conditions, figures, number
    )  # fmt: skip
